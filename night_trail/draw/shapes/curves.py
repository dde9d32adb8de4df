"""Kernel density curves, running shares (the empirical cumulative distribution) and strips of points."""

from __future__ import annotations

from night_trail.core.language.numbers import value
from night_trail.core.questions.spread.curves import Curve, CurvesAnswer
from night_trail.core.questions.spread.strip import StripAnswer
from night_trail.core.table import Floats, Table
from night_trail.draw.frame.canvas import NAMED, Canvas, Size, Stands, label, line, unit_title
from night_trail.draw.frame.legend import Word, legend
from night_trail.draw.frame.scales import Lanes, Linear, Log, percent_ticks, ticks
from night_trail.draw.frame.svg import Svg, el
from night_trail.draw.frame.text import width
from night_trail.draw.shapes.relate import shift


def draw_curves(answer: CurvesAnswer, table: Table, size: Size, prefix: str) -> Canvas:
    """Return density curves or running shares, one a group, on one pair of axes."""
    canvas = Canvas(size, prefix, answer.basis.lit is not None)
    running = answer.question.shape == "running"
    top = 1.0 if running else max((float(c.y.max()) for c in answer.curves), default=1.0) or 1.0
    worded = canvas.full and any(c.label for c in answer.curves)
    found = (
        percent_ticks(0.0, 1.0, 4 if canvas.full else 2)
        if running
        else ticks(0.0, top, 4 if canvas.full else 2)
    )
    if canvas.labelled:
        canvas.left = max((width(t.label) for t in found), default=10.0) + 16.0
        canvas.right, canvas.bottom = 16.0, 50.0 if canvas.full else 26.0
        canvas.top = 34.0 + (16.0 if worded else 0.0) if canvas.full else 10.0
    else:
        canvas.left = canvas.right = canvas.top = canvas.bottom = 1.0
    log = answer.question.scale == "log"
    scale = Log if log else Linear
    low, high = canvas.span(answer.column.name, answer.low, answer.high)
    x = scale(low, high, canvas.x_start, canvas.x_end)
    y = Linear(0.0, top * 1.02, canvas.y_end, canvas.y_start)
    canvas.x, canvas.y, canvas.x_column = x, y, answer.column.name
    if canvas.labelled:
        canvas.upright_ticks(found, y)
        _bottom(canvas, answer, x)
    if canvas.full:
        rows = table.row_noun[1]
        words = f"share of {rows} up to here" if running else "density"
        canvas.over.append(label(words, canvas.x_start - 10, canvas.y_start - 10, "start", "axis-title"))
    if worded:
        legend(
            canvas,
            (Word(c.label, answer.hues[c.position], c.label, answer.condition(c)) for c in answer.curves),
        )
    canvas.under.append(line(canvas.x_start, canvas.y_end, canvas.x_end, canvas.y_end, "axis"))
    for i, curve in enumerate(answer.curves):
        _curve(canvas, answer, table, curve, i, x, y)
    overall = answer.overall
    if overall is not None and canvas.full and len(answer.curves) == 1:
        at = x(overall.median)
        canvas.over.append(line(at, canvas.y_start - 14, at, canvas.y_end, "median", canvas.id("median")))
    return canvas


def _bottom(canvas: Canvas, answer: CurvesAnswer | StripAnswer, x: Linear) -> None:
    scale = " · log scale" if isinstance(x, Log) else ""
    canvas.value_axis(x, answer.column, f"{answer.column.name}{unit_title(answer.column)}{scale}")


def _curve(
    canvas: Canvas, answer: CurvesAnswer, table: Table, curve: Curve, i: int, x: Linear, y: Linear
) -> None:
    running = answer.question.shape == "running"
    hue = f" hue-{answer.hues[curve.position]}" if curve.label else ""
    key = f"{answer.column.name}\x1f{curve.label}"
    d = _steps(curve.x, curve.y, x, y) if running else _area(curve.x, curve.y, x, y)
    shape: Svg = el("path", class_=f"curve{' line' if running else ''}{hue}", id=canvas.id("b", key), d=d)
    lit = None
    if curve.lit_x is not None and curve.lit_y is not None:
        make = _steps if running else _area
        lit = el(
            "path",
            class_="lit-line" if running else "lit",
            id=canvas.id("l", key),
            d=make(curve.lit_x, curve.lit_y, x, y),
        )
    column = answer.column
    card = [curve.label] if curve.label else []
    card += [f"middle {value(curve.middle, column.kind, column.unit)}", table.rows_in_words(curve.n)]
    canvas.mark(shape, lit, key, answer.condition(curve), card, Stands(curve.n, curve.lit_n))


def _inside(at: Floats, heights: Floats, x: Linear) -> list[tuple[float, float]]:
    return [(float(a), float(b)) for a, b in zip(at, heights, strict=True) if x.low <= a <= x.high]


def _area(at: Floats, heights: Floats, x: Linear, y: Linear) -> str:
    places = _inside(at, heights, x)
    if not places:
        return ""
    path = "".join(f"L{x(a):.1f} {y(b):.1f}" for a, b in places)
    return f"M{x(places[0][0]):.1f} {y(0.0):.1f}{path}L{x(places[-1][0]):.1f} {y(0.0):.1f}Z"


def _steps(at: Floats, heights: Floats, x: Linear, y: Linear) -> str:
    """Return a running share as steps: it rises at a value and stays until the next."""
    places = _inside(at, heights, x)
    if not places:
        return ""
    before = max((float(b) for a, b in zip(at, heights, strict=True) if a < x.low), default=0.0)
    path = f"M{x.start:.1f} {y(before):.1f}"
    for a, b in places:
        path += f"H{x(a):.1f}V{y(b):.1f}"
    return path + f"H{x.end:.1f}"


def draw_strip(answer: StripAnswer, table: Table, size: Size, prefix: str) -> Canvas:
    """Return points in lanes, moved a little up and down so that they cover each other less."""
    canvas = Canvas(size, prefix, answer.basis.lit is not None)
    names = [g.label for g in answer.grouping.groups]
    if canvas.labelled:
        canvas.left = canvas.name_room(names, 150.0, 80.0)
        canvas.right, canvas.top, canvas.bottom = 16.0, 12.0, 50.0 if canvas.full else 26.0
    else:
        canvas.left = canvas.right = canvas.top = canvas.bottom = 2.0
    log = answer.axis.log
    low, high = answer.axis.ends
    room = 0.0 if log else 0.02 * (high - low)
    x = (Log if log else Linear)(low - room, high + room, canvas.x_start, canvas.x_end)
    canvas.grow(len(names), 2 * NAMED)
    lanes = Lanes(tuple(names), canvas.y_start, canvas.y_end)
    canvas.x, canvas.y, canvas.x_column = x, lanes, answer.column.name
    canvas.lane_labels(lanes, names, canvas.left - 22.0)
    if canvas.labelled:
        _bottom(canvas, answer, x)
        canvas.under.append(line(canvas.x_start, canvas.y_end, canvas.x_end, canvas.y_end, "axis"))
    spread = 0.32 * min(lanes.step, 120.0)
    radius = {"full": 2.6, "beside": 1.7, "thumb": 0.8}[size.detail]
    column = answer.column
    for i in range(len(answer.values)):
        at, row, lane = float(answer.values[i]), int(answer.row[i]), int(answer.lane[i])
        middle = lanes.top(lane) + lanes.step / 2
        place = f"translate({x.place(at):.1f} {middle + spread * shift(row, 1):.1f})"
        key = f"row {row}"
        is_lit = answer.lit is not None and bool(answer.lit[i])
        shape = el("circle", class_="point strip", id=canvas.id("p", key), r=radius, transform=place)
        lit = None
        if is_lit:
            lit = el("circle", class_="lit-point", id=canvas.id("l", key), r=radius, transform=place)
        card = [value(at, column.kind, column.unit)]
        if names[lane]:
            card.append(names[lane])
        card.append(f"{table.row_noun[0]} {row + 1:,} of the table")
        rows = Stands(1, None if answer.lit is None else int(is_lit))
        canvas.mark(shape, lit, key, answer.condition(i), card, rows)
    for i, at_ in enumerate(answer.middles):
        if at_ is not None and canvas.labelled:
            top = lanes.top(i) + lanes.step / 2 - spread - 3
            canvas.over.append(line(x.place(at_), top, x.place(at_), top + 2 * spread + 6, "box-median"))
    return canvas
