"""Comparisons in other shapes: parts of a whole, a stair from a baseline, one figure."""

from __future__ import annotations

import math

from night_trail.core.language.numbers import percent
from night_trail.core.questions.compare.answer import CompareAnswer
from night_trail.core.questions.compare.sentence import baseline_words
from night_trail.core.questions.compare.words import difference_words, figure_words
from night_trail.core.table import Table
from night_trail.draw.frame.arcs import arc
from night_trail.draw.frame.canvas import NAMED, Canvas, Size, label
from night_trail.draw.frame.scales import Lanes, Linear
from night_trail.draw.frame.stairs import Stair
from night_trail.draw.frame.svg import Svg, el
from night_trail.draw.frame.text import shortened, width
from night_trail.draw.shapes.compare import axis_words, group_card, group_key, group_rows, measure_ticks


def draw_parts(answer: CompareAnswer, table: Table, size: Size, prefix: str) -> Canvas:
    """Return the parts of a whole as a ring or one bar, largest first, the names beside them."""
    canvas = Canvas(size, prefix, answer.basis.lit is not None)
    total = sum(g.value for g in answer.groups)
    if total <= 0:
        return canvas
    said = figure_words(answer)
    start = 0.0
    ring = answer.question.shape == "ring"
    if ring:
        canvas.grow(1, NAMED * len(answer.groups) + 46.0)
    size = canvas.size
    names = Lanes(tuple(g.label for g in answer.groups), 26.0, size.height - 20.0)
    for i, one in enumerate(answer.groups):
        share = one.value / total
        lit_share = 0.0
        if one.lit_value and one.value:
            lit_share = share * min(1.0, max(0.0, one.lit_value / one.value))
        tone = f"part tone-{min(i, 7)}{' end' if one.others else ''}"
        key = group_key(answer, one)
        make = _arc if ring else _segment
        shape = make(canvas, start, start + share, tone, canvas.id("b", key), False)
        lit = make(canvas, start, start + lit_share, "lit", canvas.id("l", key), True) if lit_share else None
        canvas.around(key, *(_middle_of_arc if ring else _middle_of_segment)(canvas, start + share / 2))
        card = group_card(answer, table, one, said(one.value))
        card.insert(1, f"{percent(share)} of all")
        canvas.mark(shape, lit, key, answer.condition(one), card, group_rows(answer, one))
        if canvas.labelled and names.step >= 12:
            text = f"{percent(share)}  {one.label}"
            if ring:
                room = size.width / 2 - 60
                at = names.top(i) + min(names.step, 24.0) / 2 + 4 if names.step < 24 else 40.0 + 24.0 * i
                square = el("rect", class_=tone, x=size.width / 2 + 34, y=at - 9, width=10, height=10, rx=2)
                canvas.over.append(square)
                canvas.over.append(label(shortened(text, room), size.width / 2 + 52, at, "start"))
            else:
                wide = (size.width - 32) * share
                if wide > width(percent(share)) + 6:
                    middle = 16 + (size.width - 32) * (start + share / 2)
                    canvas.over.append(label(percent(share), middle, _bar_top(canvas) - 8, "middle"))
                    name = shortened(one.label, wide - 4)
                    if len(name) > 2:
                        below = _bar_top(canvas) + _bar_high(canvas) + 18
                        canvas.over.append(label(name, middle, below, "middle"))
        start += share
    if ring and canvas.full:
        x, y, outer = _centre(canvas)
        canvas.over.append(label(said(total), x, y + 4, "middle", "figure-title"))
        canvas.over.append(label(shortened(axis_words(answer, table), 1.1 * outer), x, y + 24, "middle"))
    return canvas


def _centre(canvas: Canvas) -> tuple[float, float, float]:
    size = canvas.size
    outer = min(size.height / 2 - 12, size.width / 4) if canvas.labelled else size.height / 2 - 1
    return (size.width / 4 + 10 if canvas.labelled else size.width / 2), size.height / 2, max(outer, 4.0)


def _arc(canvas: Canvas, start: float, end: float, class_: str, id_: str, thin: bool) -> Svg:
    x, y, outer = _centre(canvas)
    inner = outer * (0.72 if thin else 0.6)
    outer = outer * 0.9 if thin else outer
    return arc(x, y, inner, outer, start, end, class_, id_)


def _middle_of_arc(canvas: Canvas, at: float) -> tuple[float, float]:
    x, y, outer = _centre(canvas)
    angle = 2 * math.pi * at
    return x + 0.8 * outer * math.sin(angle), y - 0.8 * outer * math.cos(angle)


def _middle_of_segment(canvas: Canvas, at: float) -> tuple[float, float]:
    return 16.0 + (canvas.size.width - 32.0) * at, canvas.size.height / 2


def _bar_high(canvas: Canvas) -> float:
    return min(90.0, canvas.size.height / 3) if canvas.labelled else canvas.size.height - 4.0


def _bar_top(canvas: Canvas) -> float:
    return (canvas.size.height - _bar_high(canvas)) / 2


def _segment(canvas: Canvas, start: float, end: float, class_: str, id_: str, thin: bool) -> Svg:
    room = canvas.size.width - (32 if canvas.labelled else 2)
    left = (16 if canvas.labelled else 1) + room * start
    high = _bar_high(canvas)
    return el(
        "rect",
        class_=class_,
        id=id_,
        x=left,
        y=_bar_top(canvas) + (high * 0.3 if thin else 0.0),
        width=max(room * (end - start) - (0 if thin else 1), 0.6),
        height=high * (0.4 if thin else 1.0),
    )


def draw_stair(answer: CompareAnswer, table: Table, size: Size, prefix: str) -> Canvas:
    """Return the way from the baseline's whole to the present one, a step for each group, largest first."""
    canvas = Canvas(size, prefix, answer.basis.lit is not None)
    base = answer.overall_base or 0.0
    steps = sorted(
        (g for g in answer.groups if g.base is not None),
        key=lambda g: -abs(g.value - (g.base or 0.0)),
    )
    baseline = answer.question.baseline
    names = [baseline_words(baseline) if baseline else "before", *(g.label for g in steps), "now"]
    written = difference_words(answer)
    changes = [g.value - (g.base or 0.0) for g in steps]
    stair = Stair.laid(canvas, names, base, changes, [written(g) for g in steps])
    said = figure_words(answer)
    stair.framed(measure_ticks(answer, stair.x), axis_words(answer, table), said)
    for i, one in enumerate(steps):
        key = group_key(answer, one)
        shape = stair.step(i, canvas.id("b", key))
        card = [*group_card(answer, table, one, said(one.value)), written(one)]
        canvas.mark(shape, None, key, answer.condition(one), card, group_rows(answer, one))
    return canvas


def _held_against(answer: CompareAnswer) -> str:
    """Return the difference of one figure, and from what."""
    baseline, base = answer.question.baseline, answer.overall_base
    change = difference_words(answer)(None)
    if baseline is None or base is None:
        return change
    said = figure_words(answer)(base)
    if baseline.target is not None:
        return f"{change} against a target of {said}"
    return f"{change} against {baseline_words(baseline)}: {said}"


def draw_figure(answer: CompareAnswer, table: Table, size: Size, prefix: str) -> Canvas:
    """Return one large figure, its difference from the baseline, and its groups as small bars."""
    canvas = Canvas(size, prefix, answer.basis.lit is not None)
    said = figure_words(answer)
    groups = [g for g in answer.groups if math.isfinite(g.value)]
    over_time = answer.grouping.column is not None and answer.grouping.column.kind.temporal
    groups.sort(key=lambda g: g.position if over_time else 0)
    large = answer.overall
    if canvas.labelled and math.isfinite(large):
        at = 64.0 if canvas.full else 26.0
        class_ = "big-figure" if canvas.full else "figure-title"
        canvas.over.append(label(said(large), 16.0, at, "start", class_))
        canvas.over.append(label(axis_words(answer, table), 18.0, at + 24, "start", "axis-title"))
        if answer.overall_base is not None:
            canvas.over.append(label(_held_against(answer), 18.0, at + 46, "start", "bar-value"))
    top = canvas.size.height * (0.48 if canvas.full else 0.6) if canvas.labelled else 1.0
    values = [g.value for g in groups] or [0.0]
    low, high = min(0.0, *values), max(0.0, *values)
    y = Linear(low, high if high > low else low + 1.0, size.height - (26.0 if canvas.labelled else 1.0), top)
    across = Lanes(tuple(g.label for g in groups), 16.0, size.width - 16.0)
    # annotations have their place beside the large figure too: as far above the bars as the picture reaches
    above = (y.high - y.low) / max(y.start - y.end, 1.0) * y.end
    canvas.x, canvas.y = across, Linear(y.low, y.high + above, y.start, 0.0)
    for i, one in enumerate(groups):
        key = group_key(answer, one)
        zero, at = y(0.0), y(one.value)
        wide = max(across.step - 1.5, 0.6)
        shape = el(
            "rect",
            class_="bar",
            id=canvas.id("b", key),
            x=across.top(i),
            y=min(zero, at),
            width=wide,
            height=max(abs(zero - at), 0.8),
        )
        lit = None
        if one.lit_n and one.n:
            lit_high = max(abs(zero - at), 0.8) * one.lit_n / one.n
            lit = el(
                "rect", class_="lit", x=across.top(i), y=max(zero, at) - lit_high, width=wide, height=lit_high
            )
        canvas.mark(
            shape,
            lit,
            key,
            answer.condition(one),
            group_card(answer, table, one, said(one.value)),
            group_rows(answer, one),
        )
    if canvas.labelled and groups:
        room = size.width / 2 - 20
        canvas.over.append(label(shortened(groups[0].label, room), 16.0, size.height - 8.0, "start"))
        if len(groups) > 1:
            last = shortened(groups[-1].label, room)
            canvas.over.append(label(last, size.width - 16.0, size.height - 8.0, "end"))
    return canvas
