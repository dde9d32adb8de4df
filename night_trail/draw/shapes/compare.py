"""Comparisons: dots with confidence intervals or bars from 0, one lane a group, the figure at its end."""

from __future__ import annotations

import math

from night_trail.core.questions.compare.answer import CompareAnswer
from night_trail.core.questions.compare.sentence import baseline_words
from night_trail.core.questions.compare.words import Measured, difference_words, figure_words
from night_trail.core.questions.shared.group_figures import GroupFigure
from night_trail.core.questions.shared.measures import ADDS_UP
from night_trail.core.questions.shared.ranking import dwarfs
from night_trail.core.table import Table
from night_trail.draw.frame.canvas import NAMED, Canvas, Size, Stands, label, line
from night_trail.draw.frame.measures import NEAR, measured_ticks, measured_title
from night_trail.draw.frame.scales import Lanes, Linear, Tick, percent_ticks
from night_trail.draw.frame.svg import Svg, el, group
from night_trail.draw.frame.text import width

THICKEST = 30.0


def draw_compare(answer: CompareAnswer, table: Table, size: Size, prefix: str) -> Canvas:
    """Return a comparison drawn on a canvas."""
    if answer.question.baseline is not None and answer.question.shape == "bars":
        return draw_differences(answer, table, size, prefix)
    canvas = Canvas(size, prefix, answer.basis.lit is not None)
    said = figure_words(answer)
    names = [g.label for g in answer.groups]
    written = [said(g.value) for g in answer.groups]
    if canvas.labelled:
        canvas.left = canvas.name_room(names, 190.0, 90.0)
        canvas.right = max((width(w) for w in written), default=0.0) + 16.0
        canvas.top, canvas.bottom = 16.0, 50.0 if canvas.full else 26.0
    else:
        canvas.left = canvas.right = canvas.top = canvas.bottom = 1.0
    low, high = canvas.span(axis_words(answer, table), *domain(answer))
    x = Linear(low, high, canvas.x_start, canvas.x_end)
    canvas.grow(len(names), NAMED)
    lanes = Lanes(tuple(names), canvas.y_start, canvas.y_end)
    canvas.x, canvas.y = x, lanes
    canvas.lane_labels(lanes, names, canvas.left - 22.0)
    if canvas.labelled:
        for tick in measure_ticks(answer, x):
            canvas.under.append(line(x(tick.at), canvas.y_start, x(tick.at), canvas.y_end, "grid"))
        canvas.bottom_ticks(measure_ticks(answer, x), x)
        canvas.bottom_title(axis_words(answer, table) + ("" if low <= 0 <= high else " · not from 0"))
    if low <= 0 <= high:
        canvas.under.append(line(x(0.0), canvas.y_start, x(0.0), canvas.y_end, "axis"))
    compares = answer.question.shape == "dots" and not adds_up(answer)
    if compares and math.isfinite(answer.overall) and canvas.labelled:
        at = x(answer.overall)
        canvas.under.append(line(at, canvas.y_start, at, canvas.y_end, "overall", canvas.id("overall")))
        if canvas.full:
            canvas.over.append(label("all together", at, canvas.y_start - 5, "middle"))
    gap = answer.gap_after()
    if gap is not None and canvas.labelled:
        between = lanes.top(gap + 1)
        canvas.under.append(line(0.0, between, canvas.x_end, between, "break"))
    for i, one in enumerate(answer.groups):
        middle = lanes.top(i) + lanes.step / 2
        _group(canvas, answer, table, one, x, middle, lanes.step, written[i])
    return canvas


def draw_differences(answer: CompareAnswer, table: Table, size: Size, prefix: str) -> Canvas:
    """Return each group's difference from its baseline as a bar to either side of 0."""
    canvas = Canvas(size, prefix, answer.basis.lit is not None)
    said = difference_words(answer)
    groups = [(g, d) for g in answer.groups if (d := answer.difference(g)) is not None and math.isfinite(d)]
    names = [g.label for g, _ in groups]
    if canvas.labelled:
        canvas.left = canvas.name_room(names, 190.0, 90.0)
        canvas.right = max((width(said(g)) for g, _ in groups), default=0.0) + 16.0
        canvas.top, canvas.bottom = 16.0, 50.0 if canvas.full else 26.0
    else:
        canvas.left = canvas.right = canvas.top = canvas.bottom = 1.0
    values = [d for g, d in groups if not g.others]
    values += [d for g, d in groups if g.others and not dwarfs(d, values)]
    low, high = min([0.0, *values]), max([0.0, *values])
    start = canvas.x_start + (canvas.right - 16.0 if canvas.labelled and low < 0 else 0.0)
    x = Linear(low, high if high > low else low + 1.0, start, canvas.x_end)
    canvas.grow(len(names), NAMED)
    lanes = Lanes(tuple(names), canvas.y_start, canvas.y_end)
    canvas.x, canvas.y = x, lanes
    canvas.lane_labels(lanes, names, canvas.left - 22.0)
    if canvas.labelled:
        found = _difference_ticks(answer, x)
        for tick in found:
            canvas.under.append(line(x(tick.at), canvas.y_start, x(tick.at), canvas.y_end, "grid"))
        canvas.bottom_ticks(found, x)
        baseline = answer.question.baseline
        against = f"difference from {baseline_words(baseline)}" if baseline else "difference"
        canvas.bottom_title(f"{axis_words(answer, table)} · {against}")
    canvas.under.append(line(x(0.0), canvas.y_start, x(0.0), canvas.y_end, "axis"))
    for i, (one, at) in enumerate(groups):
        middle = lanes.top(i) + lanes.step / 2
        thick = min(THICKEST, max(0.7 * lanes.step, 1.0))
        key = group_key(answer, one)
        shape = _rect(
            x, at, middle, thick, f"stair-step {'rise' if at >= 0 else 'fall'}", canvas.id("b", key)
        )
        lit = None
        if one.lit_n:
            lit = _point(x.place(at), middle, min(4.0, thick / 2), "lit-point", canvas.id("l", key))
        card = group_card(answer, table, one, figure_words(answer)(one.value))
        canvas.mark(shape, lit, key, answer.condition(one), card, group_rows(answer, one))
        if canvas.labelled and lanes.step >= 10:
            side = (x.place(at) + 6, "start") if at >= 0 else (x.place(at) - 6, "end")
            canvas.over.append(label(said(one), side[0], middle + 4, side[1], "bar-value"))
        if one.others and not x.low <= at <= x.high:
            canvas.over.append(_break(x.place(at) + (19.0 if at < 0 else 0.0), middle, thick))
    return canvas


def _difference_ticks(answer: CompareAnswer, x: Linear) -> list[Tick]:
    baseline = answer.question.baseline
    if baseline is not None and baseline.show != "absolute":
        wanted = max(2, int((x.end - x.start) / 95))
        return percent_ticks(x.low, x.high, wanted)
    return measure_ticks(answer, x)


def adds_up(answer: CompareAnswer) -> bool:
    """Whether the figure of all is the sum of the groups', and no place among them."""
    return answer.question.measure.aggregate in ADDS_UP


def broken_off(answer: CompareAnswer) -> bool:
    """Whether the gathered groups would squeeze those that stand apart, and end at the axis' end instead."""
    rest = answer.gathered
    return rest is not None and dwarfs(rest.value, (g.value for g in answer.groups if not g.others))


def domain(answer: CompareAnswer) -> tuple[float, float]:
    """Return the ends of the axis: bars have 0 in them, dots need not."""
    drawn = [g for g in answer.groups if not g.others] if broken_off(answer) else answer.groups
    values = [v for g in drawn for v in (g.value, g.low, g.high, g.lit_value, g.base) if v is not None]
    values = [v for v in values if math.isfinite(v)] or [0.0, 1.0]
    if answer.question.shape == "dots" and math.isfinite(answer.overall) and not adds_up(answer):
        values.append(answer.overall)
    low, high = min(values), max(values)
    temporal = answer.column is not None and answer.column.kind.temporal
    if answer.question.shape == "bars" and not temporal and answer.question.axis == "zero":
        low, high = min(low, 0.0), max(high, 0.0)
        return (low, high) if high > low else (0.0, 1.0)
    # near enough to 0, an axis from 0 costs little and says more
    asked = answer.question.axis == "cut" and answer.question.shape == "bars"
    if not asked and low >= 0 and low < NEAR * high and not temporal:
        low = 0.0
    room = 0.04 * (high - low) or max(abs(high) * 0.05, 0.5)
    return (low if low == 0.0 else low - room), high + room


def measure_ticks(answer: Measured, x: Linear) -> list[Tick]:
    """Return ticks on the axis of a measure, in its unit."""
    wanted = max(2, int((x.end - x.start) / 95))
    return measured_ticks(answer.question.measure, answer.column, x.low, x.high, wanted)


def axis_words(answer: Measured, table: Table) -> str:
    """Return what the axis shows, with its unit."""
    return measured_title(answer.question.measure, answer.column, table)


def group_key(answer: CompareAnswer, one: GroupFigure) -> str:
    """Return what names a group's mark from step to step."""
    return f"{answer.question.across}\x1f{one.label if not one.others else 'others'}"


def group_card(answer: CompareAnswer, table: Table, one: GroupFigure, written: str) -> list[str]:
    """Return what the hover card of a group says."""
    said = figure_words(answer)
    card = [one.label, written]
    if one.base is not None and answer.question.baseline is not None:
        card.append(f"{baseline_words(answer.question.baseline)}: {said(one.base)}")
        card.append(f"difference {difference_words(answer)(one)}")
    if one.low is not None and one.high is not None:
        card.append(f"95 % interval {said(one.low)} to {said(one.high)}")
    card.append(table.rows_in_words(one.n))
    return card


def group_rows(answer: Measured, one: GroupFigure) -> Stands:
    """Return the rows of a group, and the figure of those that are lit."""
    figure = "" if one.lit_value is None else figure_words(answer)(one.lit_value)
    return Stands(one.n, one.lit_n, figure)


def _group(
    canvas: Canvas,
    answer: CompareAnswer,
    table: Table,
    one: GroupFigure,
    x: Linear,
    middle: float,
    room: float,
    written: str,
) -> None:
    key = group_key(answer, one)
    card = group_card(answer, table, one, written)
    shape, lit = (_dot if answer.question.shape == "dots" else _bar)(
        canvas, answer, one, x, middle, room, key
    )
    canvas.mark(shape, lit, key, answer.condition(one), card, group_rows(answer, one))
    if canvas.labelled and room >= 10:
        bars = answer.question.shape == "bars"
        # right of all that is drawn of the group, so that no line runs through it
        drawn = (one.value, 0.0) if bars else (one.value, one.high, one.base)
        ends = [x.place(v) for v in drawn if v is not None]
        at, anchor = max(ends) + 8, "start"
        if lit is not None and not adds_up(answer) and one.lit_value is not None:
            # nor does what is lit lie over it
            shines, wide = x.place(one.lit_value), width(written)
            if at - 14 < shines < at + wide + 6:
                free = not bars and min(ends) - 8 - wide > canvas.x_start
                at, anchor = (min(ends) - 8, "end") if free else (shines + 8, "start")
        canvas.over.append(label(written, at, middle + 4, anchor, "bar-value"))
    if one.others and not x.low <= one.value <= x.high:
        canvas.over.append(_break(x.place(one.value), middle, min(THICKEST, 0.7 * room)))


def _break(at: float, middle: float, thick: float) -> Svg:
    """Return two strokes across a mark that goes on beyond the axis."""
    half = max(thick / 2, 2.0) + 2
    strokes = (
        line(at - off - 3, middle + half, at - off + 3, middle - half, "broken-off") for off in (12.0, 7.0)
    )
    return group(*strokes)


def _bar(
    canvas: Canvas, answer: CompareAnswer, one: GroupFigure, x: Linear, middle: float, room: float, key: str
) -> tuple[Svg, Svg | None]:
    thick = min(THICKEST, max(0.7 * room, 1.0))
    class_ = "bar end" if one.others else "bar"
    shape = _rect(x, one.value, middle, thick, class_, canvas.id("b", key))
    lit = None
    # a bar that is broken off shows the lit share of its rows by the share of its drawn length
    if one.others and one.lit_n and not x.low <= one.value <= x.high:
        part = x.low + (x.high - x.low) * one.lit_n / one.n
        return shape, _rect(x, part, middle, thick, "lit", canvas.id("l", key))
    if one.lit_value is not None and one.lit_n:
        adds_up = answer.question.measure.aggregate in ("sum", "count", "distinct")
        # the lit part of a sum lies inside its bar; the average of the lit is a mark of its own
        lit = (
            _rect(x, one.lit_value, middle, thick, "lit", canvas.id("l", key))
            if adds_up
            else _point(x(one.lit_value), middle, 4.5, "lit-point", canvas.id("l", key))
        )
    return shape, lit


def _dot(
    canvas: Canvas, answer: CompareAnswer, one: GroupFigure, x: Linear, middle: float, room: float, key: str
) -> tuple[Svg, Svg | None]:
    radius = min(5.5, max(1.5, room / 4))
    parts: list[Svg] = []
    if one.low is not None and one.high is not None:
        ends = x.place(one.low), x.place(one.high)
        parts.append(line(ends[0], middle, ends[1], middle, "interval", canvas.id("i", key)))
    if one.base is not None:
        parts.append(line(x(one.base), middle, x(one.value), middle, "from-base", canvas.id("f", key)))
        parts.append(_point(x(one.base), middle, radius, "base-point", canvas.id("z", key)))
    parts.append(_point(x.place(one.value), middle, radius, "dot", canvas.id("d", key)))
    lit = None
    if one.lit_value is not None and one.lit_n:
        lit = _point(x.place(one.lit_value), middle, radius, "lit-point", canvas.id("l", key))
    return group(*parts, class_="dot-group"), lit


def _point(at: float, middle: float, radius: float, class_: str, id_: str) -> Svg:
    return el(
        "circle", class_=class_, id=id_, r=round(radius, 2), transform=f"translate({at:.2f} {middle:.2f})"
    )


def _rect(x: Linear, value: float, middle: float, thick: float, class_: str, id_: str) -> Svg:
    zero = min(max(x(0.0), x.start), x.end)
    start, end = sorted((zero, x.place(value)))
    return el(
        "rect",
        class_=class_,
        id=id_,
        x=start,
        y=middle - thick / 2,
        width=max(end - start, 0.5),
        height=thick,
        rx=1.5,
    )
