"""Two categories at once: bars or dots beside each other, stacked, or as shares; a grid of shades."""

from __future__ import annotations

import math
from collections.abc import Iterator

from night_trail.core.language.numbers import percent
from night_trail.core.questions.compare.crossed import CrossAnswer
from night_trail.core.questions.compare.words import figure_words
from night_trail.core.questions.shared.group_figures import GroupFigure
from night_trail.core.questions.shared.measures import ADDS_UP
from night_trail.core.questions.shared.ranking import dwarfs
from night_trail.core.table import Table
from night_trail.draw.frame.canvas import NAMED, Canvas, Size, Stands, label, line
from night_trail.draw.frame.legend import Word, legend
from night_trail.draw.frame.measures import NEAR
from night_trail.draw.frame.scales import Lanes, Linear, percent_ticks
from night_trail.draw.frame.svg import Svg, el, group
from night_trail.draw.frame.text import shortened, width
from night_trail.draw.shapes.compare import axis_words, group_rows, measure_ticks

THICKEST = 30.0
SHADES = 6


def draw_cross(answer: CrossAnswer, table: Table, size: Size, prefix: str) -> Canvas:
    """Return a comparison across two categories drawn on a canvas."""
    canvas = Canvas(size, prefix, answer.basis.lit is not None)
    if answer.question.shape == "grid":
        return _grid(canvas, answer, table)
    names = [g.label for g in answer.lanes]
    if canvas.labelled:
        canvas.left = canvas.name_room(names, 190.0, 90.0)
        canvas.right = 16.0
        canvas.top, canvas.bottom = 34.0 if canvas.full else 8.0, 50.0 if canvas.full else 26.0
    else:
        canvas.left = canvas.right = canvas.top = canvas.bottom = 1.0
    low, high = _domain(answer)
    side = 1 if answer.nested or answer.question.shape in ("stacked", "shares") else len(answer.series)
    canvas.grow(len(names), max(NAMED, 6.0 * side))
    x = Linear(low, high, canvas.x_start, canvas.x_end)
    lanes = Lanes(tuple(names), canvas.y_start, canvas.y_end)
    canvas.x, canvas.y = x, lanes
    canvas.lane_labels(lanes, names, canvas.left - 22.0)
    shares = answer.question.shape == "shares"
    if canvas.labelled:
        wanted = max(2, int((x.end - x.start) / 95))
        found = percent_ticks(0.0, 1.0, wanted) if shares else measure_ticks(answer, x)
        for tick in found:
            canvas.under.append(line(x(tick.at), canvas.y_start, x(tick.at), canvas.y_end, "grid"))
        canvas.bottom_ticks(found, x)
        words = axis_words(answer, table)
        canvas.bottom_title(f"share of {words}" if shares else words + ("" if low <= 0 else " · not from 0"))
    if low <= 0 <= high:
        canvas.under.append(line(x(0.0), canvas.y_start, x(0.0), canvas.y_end, "axis"))
    if canvas.full:
        legend(canvas, _words(answer))
    for i, lane in enumerate(answer.lanes):
        _lane(canvas, answer, table, i, lane, x, lanes)
    return canvas


def _words(answer: CrossAnswer) -> Iterator[Word]:
    for series, hue in zip(answer.series, answer.hues, strict=True):
        key = "others" if series.others else series.label
        rows = Stands(series.n, series.lit_n)
        yield Word(series.label, hue, key, answer.series_condition(series), rows)


def _domain(answer: CrossAnswer) -> tuple[float, float]:
    shape = answer.question.shape
    if shape == "shares":
        return 0.0, 1.0
    shown = _on_scale(answer)
    cells = [c for row in shown for c in row]
    if shape == "stacked":
        above = [sum(max(c.value, 0.0) for c in row) for row in shown]
        below = [sum(min(c.value, 0.0) for c in row) for row in shown]
        low, high = min(below, default=0.0), max(above, default=1.0)
    else:
        values = [v for c in cells for v in (c.value, c.low, c.high) if v is not None and math.isfinite(v)]
        low, high = min(values, default=0.0), max(values, default=1.0)
        if shape == "bars":
            low, high = min(low, 0.0), max(high, 0.0)
        elif 0 <= low < NEAR * high:
            low = 0.0
        else:
            room = 0.04 * (high - low) or 0.5
            low, high = low - room, high + room
    return (low, high) if high > low else (low, low + 1.0)


def _on_scale(answer: CrossAnswer) -> list[list[GroupFigure]]:
    """Return the cells that decide the axis or the shades: not those gathered that would squeeze the rest."""
    lanes = [g.value for g in answer.lanes if not g.others]
    series = [g.value for g in answer.series if not g.others]
    return [
        [
            cell
            for cell, one in zip(row, answer.series, strict=True)
            if cell is not None
            and not (one.others and answer.question.shape != "stacked" and dwarfs(one.value, series))
        ]
        for lane, row in zip(answer.lanes, answer.cells, strict=True)
        if not (lane.others and dwarfs(lane.value, lanes))
    ]


def _lane(
    canvas: Canvas, answer: CrossAnswer, table: Table, i: int, lane: GroupFigure, x: Linear, lanes: Lanes
) -> None:
    shape = answer.question.shape
    row = answer.cells[i]
    thick = min(THICKEST, max(0.74 * lanes.step, 1.0))
    top = lanes.top(i) + (lanes.step - thick) / 2
    whole = sum(max(c.value, 0.0) for c in row if c is not None) or 1.0
    above, below = 0.0, 0.0
    for j, (cell, series) in enumerate(zip(row, answer.series, strict=True)):
        if cell is None:
            continue
        share = cell.value / whole if shape == "shares" else None
        lit = None
        id_key = f"{lane.label}\x1f{series.label if not series.others else 'others'}"
        if shape in ("stacked", "shares"):
            length = cell.value if share is None else share
            start = above if length >= 0 else below
            left, right = sorted((x.place(start), x.place(start + length)))
            above, below = (above + length, below) if length >= 0 else (above, below + length)
            part = _bar(left, right, top, thick, f"bar hue-{answer.hues[j]}", canvas.id("b", id_key))
            if cell.lit_n and cell.lit_value is not None and cell.value:
                inner = left + (right - left) * min(1.0, max(0.0, cell.lit_value / cell.value))
                lit = _bar(left, inner, top + thick * 0.25, thick * 0.5, "lit", canvas.id("l", id_key))
        else:
            # what lies in one group only needs no room for the others
            slim = thick if answer.nested else thick / max(1, len(row))
            at = top if answer.nested else top + j * slim
            part, lit = _beside(canvas, answer, cell, x, at, slim, answer.hues[j], id_key)
        canvas.mark(
            part,
            lit,
            id_key,
            answer.condition(lane, series),
            _card(answer, table, lane, series, cell, share),
            group_rows(answer, cell),
        )


def _beside(
    canvas: Canvas,
    answer: CrossAnswer,
    cell: GroupFigure,
    x: Linear,
    top: float,
    slim: float,
    hue: int,
    key: str,
) -> tuple[Svg, Svg | None]:
    middle = top + slim / 2
    at = x.place(cell.value)
    if answer.question.shape == "bars":
        left, right = sorted((x(0.0), at))
        part = _bar(left, right, top, max(slim - 1, 0.8), f"bar hue-{hue}", canvas.id("b", key))
        if not (cell.lit_n and cell.lit_value is not None):
            return part, None
        if answer.question.measure.aggregate in ADDS_UP:
            left, right = sorted((x(0.0), x.place(cell.lit_value)))
            inner = _bar(left, right, top + slim * 0.2, max(slim * 0.5, 0.8), "lit", canvas.id("l", key))
            return part, inner
        return part, _dot(
            x.place(cell.lit_value), middle, min(4.0, slim / 2), "lit-point", canvas.id("l", key)
        )
    parts: list[Svg] = []
    if cell.low is not None and cell.high is not None:
        ends = x.place(cell.low), x.place(cell.high)
        parts.append(line(ends[0], middle, ends[1], middle, "interval", canvas.id("i", key)))
    radius = min(5.0, max(1.6, slim / 2.2))
    parts.append(_dot(at, middle, radius, f"point hue-{hue}", canvas.id("d", key)))
    lit = None
    if cell.lit_n and cell.lit_value is not None:
        lit = _dot(x.place(cell.lit_value), middle, radius, "lit-point", canvas.id("l", key))
    return group(*parts), lit


def _dot(at: float, middle: float, radius: float, class_: str, id_: str) -> Svg:
    return el("circle", class_=class_, id=id_, r=radius, transform=f"translate({at:.2f} {middle:.2f})")


def _bar(left: float, right: float, top: float, thick: float, class_: str, id_: str) -> Svg:
    return el(
        "rect",
        class_=class_,
        id=id_,
        x=left,
        y=top,
        width=max(right - left, 0.5),
        height=max(thick, 0.5),
    )


def _card(
    answer: CrossAnswer,
    table: Table,
    lane: GroupFigure,
    series: GroupFigure,
    cell: GroupFigure,
    share: float | None,
) -> list[str]:
    said = figure_words(answer)
    card = [f"{lane.label} · {series.label}", said(cell.value)]
    if share is not None:
        card.append(f"{percent(share)} of {lane.label}")
    if cell.low is not None and cell.high is not None:
        card.append(f"95 % interval {said(cell.low)} to {said(cell.high)}")
    card.append(table.rows_in_words(cell.n))
    return card


CELL_GAP = 1.5


def _grid(canvas: Canvas, answer: CrossAnswer, table: Table) -> Canvas:
    """Draw a shade for every pair: the higher the figure, the nearer to the moon's colour."""
    names, tops = [g.label for g in answer.lanes], [g.label for g in answer.series]
    across, lanes = grid_frame(canvas, names, tops)
    values = [c.value for row in _on_scale(answer) for c in row]
    low, high = min(values, default=0.0), max(values, default=1.0)
    said = figure_words(answer)
    for i, (lane, row) in enumerate(zip(answer.lanes, answer.cells, strict=True)):
        for j, (series, cell) in enumerate(zip(answer.series, row, strict=True)):
            if cell is None:
                continue
            share = (cell.value - low) / ((high - low) or 1.0)
            shade = 1 + round((SHADES - 1) * min(max(share, 0.0), 1.0))
            key = f"{lane.label}\x1f{series.label}"
            shape = grid_cell(canvas, across, lanes, i, j, f"cell shade-{shade}", key, said(cell.value))
            lit = None
            if cell.lit_n:
                lit = lit_strip(canvas, across, lanes, i, j, cell.lit_n / cell.n, key)
            canvas.mark(
                shape,
                lit,
                key,
                answer.condition(lane, series),
                _card(answer, table, lane, series, cell, None),
                group_rows(answer, cell),
            )
    canvas.bottom_title(f"{answer.question.also} · {axis_words(answer, table)}")
    return canvas


def grid_frame(canvas: Canvas, names: list[str], tops: list[str]) -> tuple[Lanes, Lanes]:
    """Set the margins and axes of a grid, write its names, and return its columns and its lines."""
    if canvas.labelled:
        canvas.left = canvas.name_room(names, 170.0, 80.0)
        canvas.right, canvas.top, canvas.bottom = 8.0, 22.0, 44.0 if canvas.full else 8.0
        canvas.grow(len(names), NAMED)
    else:
        canvas.left = canvas.right = canvas.top = canvas.bottom = 1.0
    lanes = Lanes(tuple(names), canvas.y_start, canvas.y_end)
    across = Lanes(tuple(tops), canvas.x_start, canvas.x_end)
    canvas.x, canvas.y = across, lanes
    canvas.lane_labels(lanes, names, canvas.left - 22.0)
    for j, name in enumerate(tops if canvas.labelled else ()):
        middle = across.top(j) + across.step / 2
        said = shortened(name, max(across.step - 4, 8.0))
        if across.step >= 14:
            canvas.over.append(label(said, middle, canvas.y_start - 7, "middle"))
    return across, lanes


def grid_cell(
    canvas: Canvas,
    across: Lanes,
    lanes: Lanes,
    i: int,
    j: int,
    class_: str,
    key: str,
    text: str,
) -> Svg:
    """Return one cell of a grid, with its figure where there is room."""
    wide, high = across.step - CELL_GAP, lanes.step - CELL_GAP
    left, top = across.top(j), lanes.top(i)
    box = _bar(left, left + wide, top, high, class_, canvas.id("g", key))
    if not text or not canvas.full or width(text) > wide - 4 or high < 15:
        return box
    middle = label(text, left + wide / 2, top + high / 2 + 4, "middle", "cell-label")
    return group(box, middle)


def lit_strip(canvas: Canvas, across: Lanes, lanes: Lanes, i: int, j: int, share: float, key: str) -> Svg:
    """Return the lit share of a cell as a strip along its foot, under its figure."""
    wide, high = across.step - CELL_GAP, lanes.step - CELL_GAP
    thick = min(high, max(2.0, 0.18 * high))
    left, foot = across.top(j), lanes.top(i) + high
    return _bar(left, left + max(wide * share, 0.8), foot - thick, thick, "lit", canvas.id("g", f"l{key}"))
