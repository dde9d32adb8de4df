"""Box plots with their outliers: one lane per group, the lit rows' own box drawn inside."""

from __future__ import annotations

from collections.abc import Callable

from night_trail.core.language.numbers import bare, value
from night_trail.core.questions.spread.boxes import Box, BoxesAnswer, BoxFigures, Outlying
from night_trail.core.table import Table
from night_trail.draw.frame.canvas import END_ROOM, Canvas, Size, Stands, label, line, unit_title
from night_trail.draw.frame.scales import Lanes, Linear, Log
from night_trail.draw.frame.svg import Svg, el, group

TALLEST = 46.0
LEAST = 18.0
"""A box is told from a line, and its name read, in a lane of so many pixels."""


def draw_boxes(answer: BoxesAnswer, table: Table, size: Size, prefix: str) -> Canvas:
    """Return box plots drawn on a canvas."""
    canvas = Canvas(size, prefix, answer.basis.lit is not None)
    names = [box.label for box in answer.boxes]
    if canvas.labelled:
        canvas.left = canvas.name_room(names, 150.0, 80.0)
        canvas.right, canvas.top, canvas.bottom = 16.0, 12.0, 50.0 if canvas.full else 26.0
    else:
        canvas.left = canvas.right = canvas.top = canvas.bottom = 2.0
    pad = 0.02 * (answer.high - answer.low) or 0.5
    room = END_ROOM if canvas.labelled else 6.0
    start = canvas.x_start + (room if answer.gathered(-1) else 0.0)
    end = canvas.x_end - (room if answer.gathered(1) else 0.0)
    low, high = canvas.span(answer.column.name, answer.low, answer.high)
    if answer.question.scale == "log" and answer.low > 0:
        x: Linear = Log(low / 1.05, high * 1.05, start, end)
    else:
        x = Linear(low - pad, high + pad, start, end)
    canvas.grow(len(names), LEAST)
    rows = Lanes(tuple(names), canvas.y_start, canvas.y_end)
    canvas.x, canvas.y, canvas.x_column = x, rows, answer.column.name
    canvas.lane_labels(rows, names, canvas.left - 22.0)
    for i, box in enumerate(answer.boxes):
        middle = rows.top(i) + rows.step / 2
        if len(answer.boxes) > 1:
            canvas.under.append(line(canvas.x_start, middle, canvas.x_end, middle, "grid"))
        _box(canvas, answer, table, box, x, middle, min(TALLEST, 0.62 * rows.step))
    canvas.under.append(line(canvas.x_start, canvas.y_end, canvas.x_end, canvas.y_end, "axis"))
    unit = unit_title(answer.column)
    said = "each step holds half of what lies outside the last"
    if answer.question.shape == "boxes":
        said = "notches: 95 % of where the middle may lie"
    scale = " · log scale" if isinstance(x, Log) else ""
    canvas.value_axis(x, answer.column, f"{answer.column.name}{unit}{scale} · {said}")
    return canvas


def _box(
    canvas: Canvas, answer: BoxesAnswer, table: Table, box: Box, x: Linear, middle: float, height: float
) -> None:
    name = f"{answer.column.name}\x1f{box.label}"
    said = _said(answer)
    whole_lit = box.n_lit is not None and box.n_lit == box.figures.n
    lit = None
    if box.lit is not None:
        share = 1.0 if whole_lit else 0.5
        lit = _figure(canvas, box.lit, x, middle, height * share, f"lit-{name}", "lit-box")
    canvas.mark(
        _letters(canvas, box, x, middle, height, name)
        if box.letters
        else _figure(canvas, box.figures, x, middle, height, name, "box"),
        lit,
        name,
        answer.condition(box),
        _card(answer, table, box),
        Stands(box.figures.n, box.n_lit, "" if box.lit is None else f"middle {said(box.lit.median)}"),
    )
    for point in box.outlying:
        at = x(point.low)
        if point.end:
            at = canvas.x_end - 8 if point.end > 0 else canvas.x_start + 8
        _point(canvas, answer, table, box, point, at, middle)


def _letters(canvas: Canvas, box: Box, x: Linear, middle: float, height: float, name: str) -> Svg:
    """Return nested boxes from the outermost letter values to the quarters, thicker inwards."""
    count = len(box.letters)
    parts: list[Svg] = []
    for i, (low, high) in reversed(list(enumerate(box.letters))):
        tall = height * (1 - 0.85 * i / max(count, 1))
        parts.append(
            el(
                "rect",
                class_=f"letter tone-{min(7, i + 1)}",
                id=canvas.id("q", name, str(i)),
                x=x(low),
                y=middle - tall / 2,
                width=max(x(high) - x(low), 0.8),
                height=tall,
            )
        )
    at = x(box.figures.median)
    median = line(at, middle - height / 2, at, middle + height / 2, "box-median", canvas.id("md", name))
    return group(*parts, median, class_="box")


def _figure(
    canvas: Canvas, figures: BoxFigures, x: Linear, middle: float, height: float, name: str, class_: str
) -> Svg:
    """Return whiskers, the notched box and the median; every path keeps its commands, so that it moves."""
    top, bottom = middle - height / 2, middle + height / 2
    q1, q3, median = x(figures.q1), x(figures.q3), x(figures.median)
    notch_low = max(x(figures.notch_low), q1)
    notch_high = min(x(figures.notch_high), q3)
    dent = 0.22 * height
    outline = (
        f"M{q1:.2f} {top:.2f}L{notch_low:.2f} {top:.2f}L{median:.2f} {top + dent:.2f}"
        f"L{notch_high:.2f} {top:.2f}L{q3:.2f} {top:.2f}L{q3:.2f} {bottom:.2f}"
        f"L{notch_high:.2f} {bottom:.2f}L{median:.2f} {bottom - dent:.2f}"
        f"L{notch_low:.2f} {bottom:.2f}L{q1:.2f} {bottom:.2f}Z"
    )
    low, high = x(figures.low_whisker), x(figures.high_whisker)
    return group(
        line(low, middle, q1, middle, "whisker", canvas.id("w1", name)),
        line(q3, middle, high, middle, "whisker", canvas.id("w2", name)),
        el("path", class_="box-body", id=canvas.id("q", name), d=outline),
        line(median, top + dent, median, bottom - dent, "box-median", canvas.id("md", name)),
        class_=class_,
    )


def _point(
    canvas: Canvas,
    answer: BoxesAnswer,
    table: Table,
    box: Box,
    point: Outlying,
    at: float,
    middle: float,
) -> None:
    name = f"{answer.column.name}\x1f{box.label}\x1f{point.low:.12g}"
    all_lit = point.count == point.lit
    class_ = "outlying lit-point" if all_lit else "outlying part-lit" if point.lit else "outlying"
    kind, unit = answer.column.kind, answer.column.unit
    where = value(point.low, kind, unit)
    if point.high > point.low:
        where = f"{value(point.low, kind, '')} to {value(point.high, kind, unit)}"
    card = [
        f"{box.label}: {where}" if box.label else where,
        f"{table.rows_in_words(point.count)}, beyond the whiskers",
    ]
    if point.end and canvas.full:
        canvas.over.append(label(f"{point.count:,}", at, middle - 9, "middle", "axis-label end-count"))
    radius = (4.5 if point.end else 1.8) if canvas.labelled else 1.0
    class_ += " far" if point.end else ""
    canvas.mark(
        el("circle", class_=class_, id=canvas.id("o", name), cx=at, cy=middle, r=radius),
        None,
        name,
        answer.outlying_condition(box, point),
        card,
        Stands(point.count, point.lit if answer.basis.lit is not None else None),
    )


def _said(answer: BoxesAnswer) -> Callable[[float], str]:
    return lambda at: value(at, answer.column.kind, answer.column.unit)


def _card(answer: BoxesAnswer, table: Table, box: Box) -> list[str]:
    kind, unit, figures = answer.column.kind, answer.column.unit, box.figures
    said = _said(answer)
    lines = [box.label] if box.label else []
    lines += [
        f"middle {said(figures.median)}",
        f"half between {bare(figures.q1, unit) if kind.numeric else said(figures.q1)} and {said(figures.q3)}",
        f"whiskers {bare(figures.low_whisker, unit) if kind.numeric else said(figures.low_whisker)}"
        f" to {said(figures.high_whisker)}",
        table.rows_in_words(figures.n),
    ]
    return lines
