"""Several measures side by side: panels each with its own unit, or a table with totals and in-cell bars."""

from __future__ import annotations

import math

from night_trail.core.questions.compare.answer import CompareAnswer
from night_trail.core.questions.compare.several import SeveralAnswer
from night_trail.core.questions.compare.words import difference_words, figure_words
from night_trail.core.questions.shared.group_figures import GroupFigure
from night_trail.core.table import Table
from night_trail.draw.frame.canvas import NAMED, Canvas, Field, Size, label, line
from night_trail.draw.frame.scales import Lanes, Linear
from night_trail.draw.frame.svg import Svg, el, group
from night_trail.draw.frame.text import shortened, width
from night_trail.draw.shapes.compare import (
    axis_words,
    broken_off,
    domain,
    group_card,
    group_key,
    group_rows,
    measure_ticks,
)

LINE = 24.0
ALL = "all together"


def draw_several(answer: SeveralAnswer, table: Table, size: Size, prefix: str) -> Canvas:
    """Return several measures drawn on a canvas."""
    if answer.question.shape == "table":
        return _table(answer.parts, answer.labels, table, size, prefix)
    canvas = Canvas(size, prefix, answer.basis.lit is not None)
    names = list(answer.labels)
    if canvas.labelled:
        canvas.left = canvas.name_room(names, 170.0, 70.0)
        canvas.right, canvas.top, canvas.bottom = 10.0, 24.0 if canvas.full else 8.0, 26.0
    else:
        canvas.left = canvas.right = canvas.top = canvas.bottom = 1.0
    canvas.grow(len(names), NAMED)
    lanes = Lanes(tuple(names), canvas.y_start, canvas.y_end)
    canvas.lane_labels(lanes, names, canvas.left - 22.0)
    gap = 30.0 if canvas.full else 18.0 if canvas.labelled else 2.0
    wide = (canvas.x_end - canvas.x_start - gap * (len(answer.parts) - 1)) / len(answer.parts)
    for k, part in enumerate(answer.parts):
        left = canvas.x_start + k * (wide + gap)
        x = Linear(*domain(part), left, left + wide)
        canvas.fields.append(Field(str(k), x, lanes))
        _panel(canvas, answer, part, table, names, lanes, x, k)
    return canvas


def _panel(
    canvas: Canvas,
    answer: SeveralAnswer,
    part: CompareAnswer,
    table: Table,
    names: list[str],
    lanes: Lanes,
    x: Linear,
    k: int,
) -> None:
    if canvas.full:
        sorts = k == answer.question.by and answer.question.order == "value"
        title = axis_words(part, table) + (" ↓" if sorts else "")
        canvas.over.append(label(shortened(title, x.end - x.start), x.start, 14.0, "start", "axis-title"))
    if canvas.labelled:
        found = measure_ticks(part, x)
        for tick in found:
            canvas.under.append(line(x(tick.at), canvas.y_start, x(tick.at), canvas.y_end, "grid"))
        canvas.ticks_within(found, x, canvas.y_end + 18)
        canvas.under.append(line(x.start, canvas.y_end, x.end, canvas.y_end, "axis"))
    said = figure_words(part)
    for one in part.groups:
        i = names.index(one.label)
        middle = lanes.top(i) + lanes.step / 2
        key = f"{k}\x1f{group_key(part, one)}"
        shape, lit = _mark(canvas, answer.question.shape, part, one, x, middle, lanes.step, key)
        card = group_card(part, table, one, said(one.value))
        canvas.mark(shape, lit, key, part.condition(one), card, group_rows(part, one))


def _mark(
    canvas: Canvas,
    shape: str,
    part: CompareAnswer,
    one: GroupFigure,
    x: Linear,
    middle: float,
    room: float,
    key: str,
) -> tuple[Svg, Svg | None]:
    lit = None
    if one.lit_n and one.lit_value is not None:
        lit = _point(x.place(one.lit_value), middle, min(4.5, room / 3), "lit-point", canvas.id("l", key))
    if shape == "bars":
        thick = min(26.0, max(0.7 * room, 1.0))
        zero = min(max(x(0.0), x.start), x.end)
        left, right = sorted((zero, x.place(one.value)))
        bar = el(
            "rect",
            class_="bar end" if one.others else "bar",
            id=canvas.id("b", key),
            x=left,
            y=middle - thick / 2,
            width=max(right - left, 0.5),
            height=thick,
            rx=1.5,
        )
        return bar, lit
    parts: list[Svg] = []
    if one.low is not None and one.high is not None:
        ends = x.place(one.low), x.place(one.high)
        parts.append(line(ends[0], middle, ends[1], middle, "interval", canvas.id("i", key)))
    parts.append(_point(x.place(one.value), middle, min(5.0, max(1.5, room / 4)), "dot", canvas.id("d", key)))
    return group(*parts), lit


def _point(at: float, middle: float, radius: float, class_: str, id_: str) -> Svg:
    return el("circle", class_=class_, id=id_, r=radius, transform=f"translate({at:.2f} {middle:.2f})")


def draw_table(answer: CompareAnswer, table: Table, size: Size, prefix: str) -> Canvas:
    """Return one measure as a table."""
    return _table((answer,), tuple(g.label for g in answer.groups), table, size, prefix)


def _table(
    parts: tuple[CompareAnswer, ...], labels: tuple[str, ...], table: Table, size: Size, prefix: str
) -> Canvas:
    """Draw a line a group and a column a measure, a bar in every cell, and the figures of all at the foot."""
    canvas = Canvas(size, prefix, parts[0].basis.lit is not None)
    names = list(labels)
    if canvas.labelled:
        canvas.left = canvas.name_room([*names, ALL], 200.0, 80.0)
        canvas.right, canvas.top, canvas.bottom = 10.0, 26.0, 30.0
    else:
        canvas.left = canvas.right = canvas.top = canvas.bottom = 1.0
    canvas.grow(len(names), LINE)
    lanes = Lanes(tuple(names), canvas.y_start, canvas.y_end)
    canvas.lane_labels(lanes, names, canvas.left - 22.0)
    columns: list[tuple[CompareAnswer, bool]] = [(p, False) for p in parts]
    if parts[0].question.baseline is not None:
        columns.append((parts[0], True))
    gap = 14.0 if canvas.labelled else 2.0
    wide = (canvas.x_end - canvas.x_start - gap * (len(columns) - 1)) / len(columns)
    for k, (part, difference) in enumerate(columns):
        left = canvas.x_start + k * (wide + gap)
        canvas.fields.append(Field(str(k), Linear(0.0, 1.0, left, left + wide), lanes))
        _column(canvas, part, table, names, lanes, left, wide, k, difference)
    if canvas.labelled:
        for y in (canvas.y_start, canvas.y_end):
            canvas.under.append(line(8.0, y, canvas.x_end, y, "axis"))
        canvas.over.append(label(ALL, canvas.x_start - 12, canvas.y_end + 19, "end", "lane-label"))
    return canvas


def _column(
    canvas: Canvas,
    part: CompareAnswer,
    table: Table,
    names: list[str],
    lanes: Lanes,
    left: float,
    wide: float,
    k: int,
    difference: bool,
) -> None:
    said, change = figure_words(part), difference_words(part)
    figures = max((width(change(g) if difference else said(g.value)) for g in part.groups), default=30.0)
    room = max(wide - figures - 12, 2.0) if canvas.labelled else wide
    values = [(part.difference(g) or 0.0) if difference else g.value for g in part.groups]
    squeezed = broken_off(part)
    kept = [v for v, g in zip(values, part.groups, strict=True) if not (g.others and squeezed)]
    top = max((abs(v) for v in kept if math.isfinite(v)), default=1.0) or 1.0
    if canvas.labelled:
        title = "difference" if difference else axis_words(part, table)
        canvas.over.append(label(shortened(title, wide), left + wide, 15.0, "end", "axis-title"))
        total = change(None) if difference else said(part.overall) if math.isfinite(part.overall) else "—"
        canvas.over.append(label(total, left + wide, canvas.y_end + 19, "end", "table-total"))
    for one, at in zip(part.groups, values, strict=True):
        i = names.index(one.label)
        middle = lanes.top(i) + lanes.step / 2
        key = f"{k}\x1f{group_key(part, one)}"
        thick = min(0.62 * lanes.step, 15.0)
        bar = el(
            "rect",
            class_=f"bar{' below' if at < 0 else ''}{' end' if one.others else ''}",
            id=canvas.id("b", key),
            x=left,
            y=middle - thick / 2,
            width=max(room * min(abs(at) / top, 1.0), 0.5),
            height=max(thick, 0.5),
        )
        pieces: list[Svg] = []
        marked = not difference and part.marked(one.value)
        if marked and canvas.labelled:
            pieces.append(
                el(
                    "rect",
                    class_="cell-marked",
                    x=left - 3,
                    y=lanes.top(i) + 1,
                    width=wide + 6,
                    height=lanes.step - 2,
                )
            )
        pieces.append(bar)
        if canvas.labelled and lanes.step >= 10:
            text = change(one) if difference else said(one.value)
            shown = f"● {text}" if marked else text
            pieces.append(label(shown, left + wide, middle + 4, "end", "bar-value"))
        lit = None
        if one.lit_n and one.n:
            lit = el(
                "rect",
                class_="lit",
                id=canvas.id("l", key),
                x=left,
                y=middle - thick / 4,
                width=max(room * min(abs(at) / top, 1.0) * one.lit_n / one.n, 0.8),
                height=max(thick / 2, 0.5),
            )
        card = group_card(part, table, one, said(one.value))
        canvas.mark(group(*pieces), lit, key, part.condition(one), card, group_rows(part, one))
