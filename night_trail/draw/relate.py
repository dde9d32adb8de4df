"""Relations: a density layer, points on top, the fit over both."""

from __future__ import annotations

import math

import numpy as np

from night_trail.core.answers.relate import Cell, RelateAnswer
from night_trail.core.table import Column, Floats, Kind, Table
from night_trail.core.words.numbers import percent, value
from night_trail.draw.canvas import Canvas, Size, column_ticks, label, line, unit_title
from night_trail.draw.scales import Linear
from night_trail.draw.svg import Svg, el
from night_trail.draw.text import width

RADIUS = {"full": 3.2, "beside": 2.2, "thumb": 0.9}
SHADES = 6


def draw_relate(answer: RelateAnswer, table: Table, size: Size, prefix: str) -> Canvas:
    """Return a relation drawn on a canvas."""
    canvas = Canvas(size, prefix, answer.basis.lit is not None)
    y_low, y_high = _roomy(answer.y.ends)
    x_low, x_high = _roomy(answer.x.ends)
    y_ticks = column_ticks(
        answer.column, y_low, y_high, 5 if canvas.full else 3, whole=answer.column.kind == Kind.WHOLE
    )
    legend = _legend(answer) if canvas.full else []
    if canvas.labelled:
        canvas.left = max((width(t.label) for t in y_ticks), default=0.0) + 18.0
        canvas.right = 10.0
        canvas.top, canvas.bottom = 26.0 + (18.0 if legend else 0.0), 50.0 if canvas.full else 26.0
    else:
        canvas.left = canvas.right = canvas.top = canvas.bottom = 1.0
    x = Linear(x_low, x_high, canvas.x_start, canvas.x_end)
    y = Linear(y_low, y_high, canvas.y_end, canvas.y_start)
    canvas.x, canvas.y = x, y
    canvas.x_column, canvas.y_column = answer.against.name, answer.column.name
    if canvas.labelled:
        for tick in y_ticks:
            canvas.under.append(line(canvas.x_start, y(tick.at), canvas.x_end, y(tick.at), "grid"))
            canvas.over.append(label(tick.label, canvas.x_start - 10, y(tick.at) + 4, "end"))
        canvas.value_axis(x, answer.against, f"{answer.against.name}{unit_title(answer.against)}")
    if canvas.full:
        title = f"{answer.column.name}{unit_title(answer.column)}"
        canvas.over.append(label(title, 4.0, 14.0, "start", "axis-title"))
        _draw_legend(canvas, legend)
    _cells(canvas, answer, table, x, y)
    _points(canvas, answer, table, x, y)
    _fit(canvas, answer, x, y)
    return canvas


def _roomy(ends: tuple[float, float]) -> tuple[float, float]:
    room = 0.03 * (ends[1] - ends[0])
    return ends[0] - room, ends[1] + room


def _legend(answer: RelateAnswer) -> list[tuple[str, int]]:
    if answer.question.coloured is None or not len(answer.points.x):
        return []
    return [(g.label, i) for i, g in enumerate(answer.grouping.groups)]


def _draw_legend(canvas: Canvas, legend: list[tuple[str, int]]) -> None:
    at = canvas.x_start
    for text, i in legend:
        if at + width(text) + 24 > canvas.x_end:
            break
        canvas.over.append(
            el("circle", class_=f"point hue-{i}", r=4, transform=f"translate({at + 4:.1f} 28)")
        )
        canvas.over.append(label(text, at + 13, 32, "start"))
        at += width(text) + 34


def _said(column: Column, at: float) -> str:
    return value(at, column.kind, column.unit)


def _cells(canvas: Canvas, answer: RelateAnswer, table: Table, x: Linear, y: Linear) -> None:
    most = max((cell.count for cell in answer.cells), default=1)
    for cell in answer.cells:
        key = f"{cell.x_low:.6g}\x1f{cell.y_low:.6g}"
        # shades by the logarithm: cells of few rows stay in sight beside crowded ones
        shade = max(1, round(SHADES * math.log1p(cell.count) / math.log1p(most)))
        left, right = x(cell.x_low), x(cell.x_high)
        top, bottom = y(cell.y_high), y(cell.y_low)
        shape = _rect(left, top, right, bottom, f"cell shade-{shade}", canvas.id("c", key))
        lit = None
        if cell.lit:
            share = (cell.lit / cell.count) ** 0.5
            dx, dy = (right - left) * (1 - share) / 2, (bottom - top) * (1 - share) / 2
            lit = _rect(left + dx, top + dy, right - dx, bottom - dy, "lit", canvas.id("l", key))
        canvas.mark(
            shape,
            lit,
            key,
            answer.cell_condition(cell),
            _cell_card(answer, table, cell),
            cell.lit == cell.count,
        )


def _cell_card(answer: RelateAnswer, table: Table, cell: Cell) -> list[str]:
    card = [
        f"{answer.against.name} {_said(answer.against, cell.x_low)} to {_said(answer.against, cell.x_high)}",
        f"{answer.column.name} {_said(answer.column, cell.y_low)} to {_said(answer.column, cell.y_high)}",
        table.rows_in_words(cell.count),
    ]
    if cell.lit is not None:
        card.append(f"{cell.lit:,} lit ({percent(cell.lit / cell.count)})")
    return card


def _rect(left: float, top: float, right: float, bottom: float, class_: str, id_: str) -> Svg:
    return el(
        "rect",
        class_=class_,
        id=id_,
        x=round(left, 2),
        y=round(top, 2),
        width=round(max(right - left, 0.5), 2),
        height=round(max(bottom - top, 0.5), 2),
    )


def _points(canvas: Canvas, answer: RelateAnswer, table: Table, x: Linear, y: Linear) -> None:
    points, radius = answer.points, RADIUS[canvas.size.detail]
    for i in range(len(points.x)):
        row, group = int(points.row[i]), int(points.group[i])
        key = f"row {row}"
        lit = points.lit is not None and bool(points.lit[i])
        # rows beyond the ends stand at them
        place = f"translate({x.place(float(points.x[i])):.1f} {y.place(float(points.y[i])):.1f})"
        hue = f" hue-{group}" if group >= 0 else ""
        shape = el("circle", class_=f"point{hue}", id=canvas.id("p", key), r=radius, transform=place)
        over = None
        if lit:
            over = el("circle", class_="lit-point", id=canvas.id("l", key), r=radius, transform=place)
        card = [
            f"{answer.column.name} {_said(answer.column, float(points.y[i]))}",
            f"{answer.against.name} {_said(answer.against, float(points.x[i]))}",
            *([answer.grouping.groups[group].label] if group >= 0 else []),
            f"{table.row_noun[0]} {row + 1:,} of the table",
        ]
        canvas.mark(shape, over, key, answer.point_condition(i), card, lit)


def _fit(canvas: Canvas, answer: RelateAnswer, x: Linear, y: Linear) -> None:
    fit = answer.line
    if fit is not None:
        if fit.low is not None and fit.high is not None:
            there = _path(fit.x, fit.low, x, y)
            back = _path(fit.x[::-1], fit.high[::-1], x, y).replace("M", "L", 1)
            canvas.over.append(el("path", class_="fit-band", d=f"{there}{back}Z"))
        canvas.over.append(el("path", class_="fit", id=canvas.id("fit"), d=_path(fit.x, fit.y, x, y)))
    if answer.curve is not None:
        canvas.over.append(el("path", class_="fit", id=canvas.id("fit"), d=_path(*answer.curve, x, y)))


def _path(at: Floats, heights: Floats, x: Linear, y: Linear) -> str:
    low, high = sorted((y.low, y.high))
    inside = np.clip(heights, low, high)
    return "".join(
        f"{'L' if i else 'M'}{x(float(a)):.1f} {y(float(b)):.1f}"
        for i, (a, b) in enumerate(zip(at, inside, strict=True))
    )
