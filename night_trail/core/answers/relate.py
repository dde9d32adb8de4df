"""How one measured column moves with another: points, or a density layer with outlying points on top."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from night_trail.core.answers.basis import ALL_ROWS, Basis, Grouping, grouping
from night_trail.core.answers.spread import makes_groups
from night_trail.core.conditions import AllOf, Between, Condition, iso
from night_trail.core.errors import BadQuestion
from night_trail.core.question import Relate
from night_trail.core.rows import Rows
from night_trail.core.stats import relation
from night_trail.core.stats.bins import even_edges, round_width, window
from night_trail.core.stats.quantiles import box
from night_trail.core.table import Bools, Column, Floats, Ints, Kind, Table, on_axis

MOST_POINTS = 1_200
"""Rows drawn one by one; beyond them a density layer, with the rows in thin cells on top."""

MOST_ON_TOP = 300
CELLS_X, CELLS_Y = 44, 28
THIN = 1
MOST_COLOURS = 7
LEAST_IN_GROUP = 10
GROUPS_TRIED = 12
LOSS = 0.5


@dataclass(frozen=True)
class Points:
    """Rows drawn one by one: where, which row, lit or not, and the group of each (−1 for none)."""

    x: Floats
    y: Floats
    row: Ints
    lit: Bools | None
    group: Ints


@dataclass(frozen=True)
class Cell:
    """A cell of the density layer: its ends, left-closed, and its rows."""

    x_low: float
    x_high: float
    y_low: float
    y_high: float
    count: int
    lit: int | None


@dataclass(frozen=True)
class Turning:
    """A category within whose groups the relation turns around or loses more than half."""

    column: str
    overall: float
    within: float


@dataclass(frozen=True)
class Axis:
    """The edges of the cells along an axis; ``below`` and ``above`` count rows beyond its ends.

    Far tails that would squeeze the rest are left out of the axis by the rule
    of the histogram; their rows stand at its ends.
    """

    edges: Floats
    below: int = 0
    above: int = 0

    @property
    def ends(self) -> tuple[float, float]:
        """The lowest and the highest edge."""
        return float(self.edges[0]), float(self.edges[-1])


@dataclass(frozen=True)
class RelateAnswer:
    """Points and cells with the axes' ends, how strong the relation is, and a fit."""

    question: Relate
    column: Column
    against: Column
    basis: Basis
    grouping: Grouping
    points: Points
    cells: tuple[Cell, ...]
    x: Axis
    y: Axis
    correlation: relation.Correlation | None = None
    line: relation.Line | None = None
    curve: tuple[Floats, Floats] | None = None
    turning: Turning | None = None

    def point_condition(self, i: int) -> Condition:
        """Return the condition that names the rows at one point."""
        x, y = float(self.points.x[i]), float(self.points.y[i])
        return AllOf((_between(self.against, x, x, True), _between(self.column, y, y, True)))

    def cell_condition(self, cell: Cell) -> Condition:
        """Return the condition that names the rows of a cell; those at the ends of an axis are open."""
        return AllOf(
            (
                _inside(self.against, self.x, cell.x_low, cell.x_high),
                _inside(self.column, self.y, cell.y_low, cell.y_high),
            )
        )


def _inside(column: Column, axis: Axis, low: float, high: float) -> Between:
    """Return the range of a cell along one axis."""
    first, last = axis.ends
    return _between(column, None if low <= first else low, None if high >= last else high, False)


def _between(column: Column, low: float | None, high: float | None, closed: bool) -> Between:
    if column.kind.temporal:
        from_, to = (None if at is None else iso(at, column.kind) for at in (low, high))
        return Between(column.name, from_, to, high_closed=closed)
    return Between(column.name, low, high, high_closed=closed)


def check(question: Relate, table: Table) -> None:
    """Refuse columns that have no axis, and colours for too many groups."""
    for name, field in ((question.column, "column"), (question.against, "against")):
        column = table.column(name)
        if not column.kind.measured:
            raise BadQuestion(f"“{name}” is {column.kind} and has no axis", field, "Choose a number or date.")
    if question.column == question.against:
        raise BadQuestion("A column moves with itself", "against", "Choose another column.")
    if question.coloured is not None:
        coloured = table.column(question.coloured)
        if not makes_groups(coloured):
            many = f"“{coloured.name}” has {coloured.distinct:,} values"
            raise BadQuestion(f"{many}, too many to colour by", "coloured", "Choose a category.")


def relate(question: Relate, rows: Rows) -> RelateAnswer:
    """Return where the rows lie between two columns."""
    table = rows.table
    column, against = table.column(question.column), table.column(question.against)
    pair = (question.column, question.against)
    x, y, at = rows.remember(("pair", pair), lambda: _pair(question, rows))
    found = grouping(rows, question.coloured, MOST_COLOURS + 1) if question.coloured else ALL_ROWS
    lit = None if rows.lit is None else rows.lit[at]
    x_axis, y_axis, place = rows.remember(("cells", pair), lambda: _placed(question, rows, x, y))
    chosen, cells = _layers(x, y, place, lit, x_axis, y_axis)
    group = np.full(len(chosen), -1, dtype=np.int64)
    if found.codes is not None:
        group = found.codes[at[chosen]].astype(np.int64)
    summary = rows.remember(("related", pair), lambda: _summary(rows, x, y, at))
    fitted = rows.remember(("fitted", pair, question.fit), lambda: _fitted(question, summary, x, y))
    return RelateAnswer(
        question=question,
        column=column,
        against=against,
        basis=Basis(
            rows=rows.n,
            used=len(x),
            missing=rows.n - len(x),
            lit=None if lit is None else int(np.count_nonzero(lit)),
            table_rows=table.height,
        ),
        grouping=found,
        points=Points(x[chosen], y[chosen], at[chosen], None if lit is None else lit[chosen], group),
        cells=cells,
        x=x_axis,
        y=y_axis,
        correlation=summary.correlation,
        line=fitted.line,
        curve=fitted.curve,
        turning=summary.turning,
    )


@dataclass(frozen=True)
class _Summary:
    """What is said of two columns, whatever is lit and whichever fit is drawn."""

    correlation: relation.Correlation | None
    line: relation.Line | None
    turning: Turning | None


def _summary(rows: Rows, x: Floats, y: Floats, at: Ints) -> _Summary:
    correlation, line = relation.correlation(x, y), relation.least_squares(x, y)
    return _Summary(correlation, line, _turning(rows, x, y, at, correlation, line))


@dataclass(frozen=True)
class _Fitted:
    line: relation.Line | None = None
    curve: tuple[Floats, Floats] | None = None


def _fitted(question: Relate, summary: _Summary, x: Floats, y: Floats) -> _Fitted:
    match question.fit:
        case "line":
            return _Fitted(line=summary.line)
        case "robust":
            return _Fitted(line=relation.theil_sen(x, y))
        case "curve":
            return _Fitted(curve=relation.lowess(x, y))
        case "none":
            return _Fitted()


def _pair(question: Relate, rows: Rows) -> tuple[Floats, Floats, Ints]:
    x, y = (on_axis(rows.table.series(n)) for n in (question.against, question.column))
    both = ~(np.isnan(x) | np.isnan(y))
    if rows.kept is not None:
        both &= rows.kept
    at = np.flatnonzero(both)
    return x[at], y[at], at


def _placed(question: Relate, rows: Rows, x: Floats, y: Floats) -> tuple[Axis, Axis, Ints]:
    """Return both axes, and in which cell each row lies."""
    x_axis = _axis(rows, question.against, x, CELLS_X)
    y_axis = _axis(rows, question.column, y, CELLS_Y)
    high = len(y_axis.edges) - 1
    return x_axis, y_axis, _cell_of(x, x_axis.edges) * high + _cell_of(y, y_axis.edges)


def _axis(rows: Rows, name: str, values: Floats, cells: int) -> Axis:
    """Return an axis with cells of a round width, which leaves far tails out."""
    column = rows.table.column(name)
    if not len(values):
        return Axis(np.array([0.0, 1.0]))
    low, high = float(values.min()), float(values.max())
    if high <= low:
        return Axis(np.array([low - 0.5, low + 0.5]))
    if column.kind.temporal:
        days = max(1, math.ceil((high - low) / 86_400 / cells))
        return Axis(even_edges(low, high, days * 86_400.0))
    # all kept rows with this column, in order already; a few may lack the other column
    ascending = rows.measured(name).values
    figures = box(ascending)
    kept = window(ascending, figures.low_whisker, figures.high_whisker)
    low, high = max(low, kept.low), min(high, kept.high)
    if high <= low:
        low, high = float(values.min()), float(values.max())
    edges = even_edges(low, high, round_width((high - low) / cells, column.kind == Kind.WHOLE))
    return Axis(edges, int((values < edges[0]).sum()), int((values >= edges[-1]).sum()))


def _cell_of(values: Floats, edges: Floats) -> Ints:
    """Return the left-closed cell of each value; values beyond the ends are in the cells there."""
    last = len(edges) - 2
    width = (edges[-1] - edges[0]) / (last + 1)
    found = np.clip((values - edges[0]) / width, 0, last).astype(np.int64)
    # the division may land beside an edge that the value stands on
    found -= (values < edges[found]) & (found > 0)
    found += (values >= edges[found + 1]) & (found < last)
    return np.asarray(found, dtype=np.int64)


def _layers(
    x: Floats, y: Floats, place: Ints, lit: Bools | None, x_axis: Axis, y_axis: Axis
) -> tuple[Ints, tuple[Cell, ...]]:
    """Return which rows are drawn one by one, and the cells that stand for the others."""
    if len(x) <= MOST_POINTS:
        return np.arange(len(x)), ()
    x_edges, y_edges = x_axis.edges, y_axis.edges
    wide, high = len(x_edges) - 1, len(y_edges) - 1
    counts = np.bincount(place, minlength=wide * high)
    lit_counts = None if lit is None else np.bincount(place[lit], minlength=wide * high)
    thin = (counts > 0) & (counts <= THIN)
    alone = np.flatnonzero(thin[place])
    if len(alone) > MOST_ON_TOP:
        # the furthest out stay points of their own, the others are cells
        far = np.abs(x - np.median(x)) / (np.ptp(x) or 1) + np.abs(y - np.median(y)) / (np.ptp(y) or 1)
        alone = alone[np.argsort(-far[alone], kind="stable")[:MOST_ON_TOP]]
    drawn = np.zeros(len(counts), dtype=np.bool_)
    drawn[place[alone]] = True
    cells = tuple(
        Cell(
            float(x_edges[k // high]),
            float(x_edges[k // high + 1]),
            float(y_edges[k % high]),
            float(y_edges[k % high + 1]),
            int(counts[k]),
            None if lit_counts is None else int(lit_counts[k]),
        )
        for k in np.flatnonzero((counts > 0) & ~drawn)
    )
    return np.sort(alone), cells


def _turning(
    rows: Rows,
    x: Floats,
    y: Floats,
    at: Ints,
    strength: relation.Correlation | None,
    line: relation.Line | None,
) -> Turning | None:
    """Look within the groups of plausible categories for a relation that turns or fades (Simpson 1951)."""
    x, y, at = relation.some_of(x, y, at)
    if line is None or strength is None or abs(strength.pearson) < 0.1 or len(x) < 5 * LEAST_IN_GROUP:
        return None
    able = [
        c for c in rows.table.columns if c.kind.grouping and 2 <= c.distinct <= 50 and not c.kind.temporal
    ][:GROUPS_TRIED]
    worst: Turning | None = None
    for column in able:
        codes = rows.table.coded(column.name).codes[at]
        has = codes >= 0
        if np.count_nonzero(has) < 0.8 * len(x) or np.bincount(codes[has]).max() < LEAST_IN_GROUP:
            continue
        within = relation.within_slope(x[has], y[has], codes[has].astype(np.int64))
        kept = 0.0 if within is None else within / line.slope
        if kept < LOSS and (worst is None or kept < worst.within / line.slope):
            worst = Turning(column.name, line.slope, within or 0.0)
    return worst
