"""Relations as scatter plots: a density layer, points on top, the fit over both; one panel or several."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np

from night_trail.core.conditions import Condition
from night_trail.core.language.numbers import number, value
from night_trail.core.questions.relate.answer import RelateAnswer
from night_trail.core.questions.relate.layers import Panel, Points
from night_trail.core.questions.shared.axes import BinnedAxis
from night_trail.core.table import Column, Floats, Kind, Table
from night_trail.draw.frame.canvas import Canvas, Field, Size, Stands, label, line, scaled_ticks, unit_title
from night_trail.draw.frame.legend import Word, legend
from night_trail.draw.frame.names import Names
from night_trail.draw.frame.scales import Linear, Log, Tick
from night_trail.draw.frame.svg import Svg, el, safe_id
from night_trail.draw.frame.text import shortened, width

RADIUS = {"full": 3.2, "beside": 2.2, "thumb": 0.9}
LARGEST = {"full": 16.0, "beside": 8.0, "thumb": 3.0}
SHADES = 6
MARGIN = 36.0
FIT_PLACES = 41


@dataclass(frozen=True)
class _Plot:
    """Where one panel is drawn, and its scales."""

    x: Linear
    y: Linear
    left: float
    right: float
    top: float
    bottom: float


def draw_relate(answer: RelateAnswer, table: Table, size: Size, prefix: str) -> Canvas:
    """Return a relation drawn on a canvas."""
    canvas = Canvas(size, prefix, answer.basis.lit is not None)
    answer = _spanned(canvas, answer)
    single = len(answer.panels) == 1 and not answer.panels[0].label
    y_ticks = _ticks(answer.y, answer.column, 5 if canvas.full and single else 3)
    worded = canvas.full and answer.question.coloured is not None and bool(answer.panels)
    margins = canvas.full and single and answer.margins is not None
    if canvas.labelled:
        canvas.left = max((width(t.label) for t in y_ticks), default=0.0) + 18.0
        canvas.right = 10.0 + (MARGIN if margins else 0.0)
        canvas.top = 26.0 + (18.0 if worded else 0.0) + (MARGIN if margins else 0.0)
        canvas.bottom = 50.0 if canvas.full else 26.0
    else:
        canvas.left = canvas.right = canvas.top = canvas.bottom = 1.0
    if canvas.full:
        canvas.over.append(label(axis_title(answer, 1, table), 4.0, 14.0, "start", "axis-title"))
    if worded:
        legend(canvas, _words(answer), 28.0)
    for panel, plot in zip(answer.panels, _plots(canvas, answer, single), strict=False):
        _frame(canvas, answer, plot, panel, single, y_ticks)
        _cells(canvas, answer, table, panel, plot)
        _points(canvas, answer, table, panel, plot)
        _fit(canvas, panel, plot)
        if single:
            canvas.x, canvas.y, canvas.zooms = plot.x, plot.y, "xy"
        else:
            canvas.fields.append(Field(panel.label, plot.x, plot.y, answer.panel_condition(panel)))
    canvas.x_column, canvas.y_column = answer.against.name, answer.column.name
    if canvas.labelled:
        canvas.bottom_title(axis_title(answer, 0, table))
    if margins:
        _margins(canvas, answer)
    return canvas


def axis_title(answer: RelateAnswer, which: int, table: Table) -> str:
    """Return what an axis shows in words, with its unit: 0 for the horizontal one."""
    column = (answer.against, answer.column)[which]
    axis = (answer.x, answer.y)[which]
    name = column.name
    if answer.question.each is not None:
        summed = answer.summed[1 - which]
        name = f"{'sum' if summed else 'average'} of {name}"
    unit = f", {axis.words}" if axis.words else unit_title(column)
    return f"{name}{unit}{' · log scale' if axis.log else ''}"


def _spanned(canvas: Canvas, answer: RelateAnswer) -> RelateAnswer:
    """Return the answer on the axes it shares with other pictures; zoomed or rescaled it keeps its own."""
    if answer.question.window is not None:
        return answer

    def spanned(axis: BinnedAxis, column: Column) -> BinnedAxis:
        if axis.factor != 1.0:
            return axis
        ends = canvas.span(column.name, *axis.ends)
        return axis if ends == axis.ends else replace(axis, edges=np.array(ends))

    return replace(answer, x=spanned(answer.x, answer.against), y=spanned(answer.y, answer.column))


def _ticks(axis: BinnedAxis, column: Column, wanted: int) -> list[Tick]:
    low, high = _roomy(axis)
    whole = column.kind == Kind.WHOLE and axis.factor == 1.0
    found = scaled_ticks(column, low, high, wanted, whole, axis.log, axis.factor)
    # one label alone says nothing of the scale
    return (
        found if len(found) > 1 else scaled_ticks(column, low, high, 2 * wanted, whole, axis.log, axis.factor)
    )


def _roomy(axis: BinnedAxis) -> tuple[float, float]:
    low, high = axis.ends
    if axis.log:
        room = (high / low) ** 0.03
        return low / room, high * room
    room = 0.03 * (high - low)
    return low - room, high + room


def _plots(canvas: Canvas, answer: RelateAnswer, single: bool) -> list[_Plot]:
    """Return the places of the panels, side by side and below each other, on the same scales."""
    n = len(answer.panels)
    columns = 1 if single else min(n, 4 if n > 4 else 3 if n != 4 else 2)
    lines = math.ceil(n / columns) if n else 1
    gap = 14.0 if canvas.labelled else 2.0
    head = 20.0 if canvas.full and not single else 12.0 if canvas.labelled and not single else 0.0
    wide = (canvas.x_end - canvas.x_start - gap * (columns - 1)) / columns
    high = (canvas.y_end - canvas.y_start - gap * (lines - 1)) / lines
    found = []
    for i in range(n):
        left = canvas.x_start + (i % columns) * (wide + gap)
        top = canvas.y_start + (i // columns) * (high + gap) + head
        bottom = top + high - head
        x_scale, y_scale = Log if answer.x.log else Linear, Log if answer.y.log else Linear
        x, y = x_scale(*_roomy(answer.x), left, left + wide), y_scale(*_roomy(answer.y), bottom, top)
        found.append(_Plot(x, y, left, left + wide, top, bottom))
    return found


def _frame(
    canvas: Canvas, answer: RelateAnswer, plot: _Plot, panel: Panel, single: bool, y_ticks: list[Tick]
) -> None:
    if not canvas.labelled:
        return
    for tick in y_ticks:
        canvas.under.append(line(plot.left, plot.y(tick.at), plot.right, plot.y(tick.at), "grid"))
        if plot.left == canvas.x_start:
            canvas.over.append(label(tick.label, plot.left - 10, plot.y(tick.at) + 4, "end"))
    if plot.bottom > canvas.y_end - 2:
        wanted = max(2, int((plot.right - plot.left) / 85))
        found = _ticks(answer.x, answer.against, wanted)
        if single:
            canvas.bottom_ticks(found, plot.x)
        else:
            canvas.ticks_within(found, plot.x, canvas.y_end + 18)
    if not single:
        strength = "" if panel.correlation is None else f" · r {number(panel.correlation.pearson, 2)}"
        said = shortened(panel.label, plot.right - plot.left - 4 - width(strength)) + strength
        canvas.over.append(label(said, plot.left, plot.top - 5, "start", "lane-label"))
        canvas.under.append(line(plot.left, plot.bottom, plot.right, plot.bottom, "axis"))


def _words(answer: RelateAnswer) -> Iterator[Word]:
    for position, group in enumerate(answer.grouping.groups):
        condition = answer.grouping.condition(position)
        if condition is not None:
            yield Word(group.label, answer.hues[position], group.key or "others", condition)


def _said(column: Column, at: float) -> str:
    return value(at, column.kind, column.unit)


@dataclass(frozen=True)
class _Strip:
    """The cells between two edges of an axis: where they are drawn, what is said of them, their rows."""

    start: float
    end: float
    words: str
    rows: Condition


def _strips(
    edges: Floats, scale: Linear, column: Column, rows: Callable[[float, float], Condition]
) -> dict[float, _Strip]:
    """Return the strips along an axis by their lower edge: a thousand cells share a few of them."""
    found = {}
    for low, high in pairwise(edges.tolist()):
        words = f"{column.name} {_said(column, low)} to {_said(column, high)}"
        found[low] = _Strip(scale(low), scale(high), words, rows(low, high))
    return found


def _cells(canvas: Canvas, answer: RelateAnswer, table: Table, panel: Panel, plot: _Plot) -> None:
    most = max((cell.count for cell in panel.cells), default=1)
    most_lit = max((cell.lit or 0 for cell in panel.cells), default=0)
    along_x = _strips(answer.x.edges, plot.x, answer.against, answer.x_range)
    along_y = _strips(answer.y.edges, plot.y, answer.column, answer.y_range)
    named = [panel.label] if panel.label else []
    own_id, lit_id = f"{canvas.id('c')}-", f"{canvas.id('l')}-"
    for cell in panel.cells:
        x, y = along_x[cell.x_low], along_y[cell.y_low]
        # one digest, of which the ids of the mark and its parts are made
        key = safe_id(f"{panel.label}\x1f{cell.x_low:.6g}\x1f{cell.y_low:.6g}")
        shade = _shade(cell.count, most)
        shape = _rect(x.start, y.end, x.end, y.start, f"cell shade-{shade}", own_id + key)
        card = [*named, x.words, y.words, table.rows_in_words(cell.count)]
        lit = None
        if cell.lit:
            share = (cell.lit / cell.count) ** 0.5
            dx, dy = (x.end - x.start) * (1 - share) / 2, (y.start - y.end) * (1 - share) / 2
            # its size is its part of the cell, its shade how many rows that are
            class_ = f"lit shade-{max(3, _shade(cell.lit, most_lit))}"
            lit = _rect(x.start + dx, y.end + dy, x.end - dx, y.start - dy, class_, lit_id + key)
        condition = answer.in_panel(panel, x.rows, y.rows)
        canvas.mark(shape, lit, key, condition, card, Stands(cell.count, cell.lit))


def _shade(count: int, most: int) -> int:
    """Return a shade by the logarithm: cells of few rows stay in sight beside crowded ones."""
    return max(1, round(SHADES * math.log1p(count) / math.log1p(most)))


def _rect(left: float, top: float, right: float, bottom: float, class_: str, id_: str) -> Svg:
    wide, high = max(right - left, 0.5), max(bottom - top, 0.5)
    # written out, since a picture may have two thousand of them; ids are safe as they are
    return Svg(
        f'<rect class="{class_}" id="{id_}" x="{left:.2f}" y="{top:.2f}" '
        f'width="{wide:.2f}" height="{high:.2f}"/>'
    )


def _points(canvas: Canvas, answer: RelateAnswer, table: Table, panel: Panel, plot: _Plot) -> None:
    points = panel.points
    names = Names(canvas, (plot.left, plot.top, plot.right, plot.bottom))
    order = range(len(points.x))
    if points.size is not None:
        # small ones lie on top of large ones
        sizes = points.size
        order = sorted(order, key=lambda i: -sizes[i])  # type: ignore[assignment]
    for i in order:
        row, group = int(points.row[i]), int(points.group[i])
        key = f"row {row}" if points.n is None else f"{answer.question.each}\x1f{points.names[i]}"
        lit = points.lit is not None and bool(points.lit[i])
        radius = _radius(canvas, points, i)
        # rows beyond the ends stand at them
        at_x = plot.x.place(float(points.x[i]) + answer.jitter[0] * shift(row, 1))
        at_y = plot.y.place(float(points.y[i]) + answer.jitter[1] * shift(row, 2))
        place = f"translate({at_x:.1f} {at_y:.1f})"
        canvas.spots[key] = at_x, at_y, radius
        hue = f" hue-{answer.hues[group]}" if group >= 0 else ""
        shape = el("circle", class_=f"point{hue}", id=canvas.id("p", key), r=radius, transform=place)
        over = None
        if lit:
            share = 1.0 if points.n is None or points.n_lit is None else points.n_lit[i] / points.n[i]
            inner = radius * math.sqrt(float(share))
            over = el(
                "circle", class_="lit-point", id=canvas.id("l", key), r=max(inner, 1.0), transform=place
            )
        card, condition = _card(answer, table, panel, i), answer.point_condition(i, panel)
        canvas.mark(shape, over, key, condition, card, _point_rows(points, i))
        if points.names:
            names.offer(points.names[i], at_x, at_y, radius)
    canvas.over.extend(names.placed())


def _point_rows(points: Points, i: int) -> Stands:
    if points.n is not None and points.n_lit is not None:
        return Stands(int(points.n[i]), int(points.n_lit[i]))
    return Stands(1, None if points.lit is None else int(points.lit[i]))


def _radius(canvas: Canvas, points: Points, i: int) -> float:
    base = RADIUS[canvas.size.detail]
    if points.size is not None:
        return max(
            1.6 if canvas.labelled else 0.6, LARGEST[canvas.size.detail] * math.sqrt(float(points.size[i]))
        )
    return base * 1.5 if points.n is not None else base


def shift(row: int, salt: int) -> float:
    """Return a fixed place between −1 and 1 for a row, spread evenly by the golden section."""
    return 2 * ((row * 0.6180339887498949 * salt + 0.317 * salt) % 1.0) - 1


def _card(answer: RelateAnswer, table: Table, panel: Panel, i: int) -> list[str]:
    points = panel.points
    group = int(points.group[i])
    ways = ["", ""]
    if answer.question.each is not None:
        ways = ["sum of " if summed else "average of " for summed in answer.summed]
    card = [
        *([points.names[i]] if points.names and points.names[i] else []),
        f"{ways[0]}{answer.column.name} {_said(answer.column, float(points.y[i]))}",
        f"{ways[1]}{answer.against.name} {_said(answer.against, float(points.x[i]))}",
        *([answer.grouping.groups[group].label] if group >= 0 else []),
        *([panel.label] if panel.label else []),
    ]
    if points.n is None:
        return [*card, f"{table.row_noun[0]} {int(points.row[i]) + 1:,} of the table"]
    card.append(table.rows_in_words(int(points.n[i])))
    return card


def _fit(canvas: Canvas, panel: Panel, plot: _Plot) -> None:
    fit, x, y = panel.line, plot.x, plot.y
    id_ = canvas.id("fit", panel.label) if panel.label else canvas.id("fit")
    if fit is not None:
        if fit.low is not None and fit.high is not None:
            low, high = (
                np.clip(band, min(y.low, y.high), max(y.low, y.high)) for band in (fit.low, fit.high)
            )
            there = _path(fit.x, low, x, y)
            back = _path(fit.x[::-1], high[::-1], x, y).replace("M", "L", 1)
            canvas.over.append(el("path", class_="fit-band", d=f"{there}{back}Z"))
        canvas.over.append(el("path", class_="fit", id=id_, d=_path(fit.x, fit.y, x, y)))
    if panel.curve is not None:
        canvas.over.append(el("path", class_="fit", id=id_, d=_path(*panel.curve, x, y)))


def _path(at: Floats, heights: Floats, x: Linear, y: Linear) -> str:
    """Return a path; its commands are so many whatever is in sight, so that it moves."""
    places = np.linspace(at[0], at[-1], FIT_PLACES) if len(at) == 2 else at
    tall = np.interp(places, at, heights) if len(at) == 2 else heights
    inside = np.flatnonzero(
        (tall >= min(y.low, y.high)) & (tall <= max(y.low, y.high)) & (places >= x.low) & (places <= x.high)
    )
    if not len(inside):
        return ""
    nearest = np.clip(np.searchsorted(inside, np.arange(len(places))), 0, len(inside) - 1)
    kept = inside[nearest]
    return "".join(
        f"{'L' if i else 'M'}{x(float(places[k])):.1f} {y(float(tall[k])):.1f}" for i, k in enumerate(kept)
    )


def _margins(canvas: Canvas, answer: RelateAnswer) -> None:
    """Draw how both columns are spread along the edges of the plot."""
    margins, x, y = answer.margins, canvas.x, canvas.y
    if margins is None or not isinstance(x, Linear) or not isinstance(y, Linear):
        return
    room = MARGIN - 8
    for counts, lit, edges, scale in (
        (margins.x, margins.x_lit, answer.x.edges, x),
        (margins.y, margins.y_lit, answer.y.edges, y),
    ):
        top = float(counts.max()) or 1.0 if len(counts) else 1.0
        for i, count in enumerate(counts):
            for n, class_ in ((int(count), "bar"), (0 if lit is None else int(lit[i]), "lit")):
                if not n:
                    continue
                a, b = sorted((scale(float(edges[i])), scale(float(edges[i + 1]))))
                length = max(1.0, room * n / top)
                upright = scale is x
                box = (
                    (a + 0.3, canvas.y_start - 3 - length, b - 0.3, canvas.y_start - 3)
                    if upright
                    else (canvas.x_end + 3, a + 0.3, canvas.x_end + 3 + length, b - 0.3)
                )
                which = "x" if upright else "y"
                canvas.under.append(_rect(*box, class_, canvas.id("e", which, class_, str(i))))
