"""How a measure compares across the groups of a category."""

from __future__ import annotations

import itertools
from collections.abc import Callable
from dataclasses import dataclass
from typing import get_args

import numpy as np

from night_trail.core.answers.basis import Basis, Grouping, grouping
from night_trail.core.answers.spread import makes_groups, natural_order
from night_trail.core.conditions import Condition, mask
from night_trail.core.conditions import check as check_condition
from night_trail.core.errors import BadQuestion
from night_trail.core.question import Aggregate, Compare, CompareShape, Measure
from night_trail.core.rows import Rows
from night_trail.core.stats import groups as figures
from night_trail.core.stats.intervals import wilson
from night_trail.core.stats.quantiles import quantiles
from night_trail.core.table import Bools, Column, Floats, Ints, Kind, Table, on_axis

MOST_BARS = 40
HANDFUL = 3
CARRIED = 0.5
"""A group is carried by a handful of rows where they make up half of its sum or more."""

AGGREGATES: tuple[Aggregate, ...] = get_args(Aggregate)
ADDS_UP: set[Aggregate] = {"sum", "count"}
"""Measures whose groups add up to the whole, drawn as lengths from 0."""


@dataclass(frozen=True)
class Group:
    """One group: its rows, its figure with a 95 % interval where it has one, the lit part's figure.

    ``apart`` says that a test against all other rows holds after the
    false-discovery step.
    """

    position: int
    label: str
    n: int
    value: float
    low: float | None
    high: float | None
    lit_n: int | None
    lit_value: float | None
    others: int = 0
    apart: bool = False


@dataclass(frozen=True)
class Carried:
    """A group whose figure a handful of rows make up: how many, and their share of its sum."""

    position: int
    rows: int
    share: float


@dataclass(frozen=True)
class CompareAnswer:
    """The groups in the order they are drawn; ``overall`` is the figure of all their rows.

    ``p`` is of the test that all groups are alike (Welch 1951 for means,
    Kruskal–Wallis for quantiles, chi-square for shares), ``effect`` η².
    """

    question: Compare
    column: Column | None
    basis: Basis
    grouping: Grouping
    groups: tuple[Group, ...]
    overall: float
    test: str = ""
    p: float | None = None
    effect: float | None = None
    carried: tuple[Carried, ...] = ()

    def gap_after(self) -> int | None:
        """Return after which group, from 0, a natural break lies; None where there is none.

        The widest gap between neighbours in the order of their values, where
        the intervals at either side leave most of it free and it is twice as
        wide as any other.
        """
        named = [g for g in self.groups if not g.others]
        if self.question.order != "value" or len(named) < 4:
            return None
        gaps = [a.value - b.value for a, b in itertools.pairwise(named)]
        at = max(range(len(gaps)), key=lambda i: gaps[i])
        above, below = named[at], named[at + 1]
        if gaps[at] < 2 * sorted(gaps)[-2] or above.low is None or below.high is None:
            return None
        return at if above.low - below.high > 0.5 * gaps[at] else None

    def condition(self, group: Group) -> Condition:
        """Return the condition that names the rows of one group."""
        found = self.grouping.condition(group.position)
        assert found is not None  # noqa: S101  (a comparison always has groups)
        return found


@dataclass(frozen=True)
class _Cells:
    """The used cells beside the code of their group, and which rows of the table they are."""

    values: Floats
    codes: Ints
    at: Ints
    below: Floats | None = None

    def only(self, where: Bools) -> _Cells:
        return _Cells(
            self.values[where],
            self.codes[where],
            self.at[where],
            None if self.below is None else self.below[where],
        )


@dataclass(frozen=True)
class _Figures:
    values: Floats
    n: Ints
    intervals: list[tuple[float, float] | None]
    test: str = ""
    p: float | None = None
    effect: float | None = None
    apart: tuple[bool, ...] = ()


def first_measure(column: Column | None) -> Measure:
    """Return the measure that makes most sense of a column: sums of what adds up, else averages."""
    if column is None:
        return Measure("count")
    if column.kind == Kind.YES_NO or (column.kind.numeric and not column.additive):
        return Measure("mean", column.name)
    if column.kind.numeric:
        return Measure("sum", column.name)
    return Measure("distinct", column.name)


def first_shape(measure: Measure) -> CompareShape:
    """Return the shape that is honest for a measure: lengths for what adds up, places for the rest."""
    return "bars" if measure.aggregate in ADDS_UP or measure.aggregate == "distinct" else "dots"


def fits(aggregate: Aggregate, column: Column | None) -> bool:
    """Whether an aggregate can be taken of a column, or of the rows where there is none."""
    if column is None:
        return aggregate in ("count", "share")
    if aggregate == "distinct":
        return True
    if column.kind == Kind.YES_NO:
        return aggregate == "mean"
    return column.kind.numeric and aggregate in ("mean", "median", "sum", "quantile", "ratio")


def is_share(measure: Measure, column: Column | None) -> bool:
    """Whether the figure is a share of rows: of those that meet a condition, or of yes."""
    if measure.aggregate == "share":
        return True
    return column is not None and column.kind == Kind.YES_NO and measure.aggregate != "distinct"


def compare_question(measure: Measure, across: Column) -> Compare:
    """Return the comparison of a measure as it is best shown first."""
    own = natural_order(across) == "own" or across.kind.measured
    return Compare(measure, across.name, first_shape(measure), "own" if own else "value")


def check_measure(measure: Measure, table: Table) -> None:
    """Refuse a measure that this table cannot give, naming the field."""
    column = None if measure.column is None else table.column(measure.column)
    if not fits(measure.aggregate, column):
        what = "rows" if column is None else f"“{column.name}”, which is {column.kind}"
        raise BadQuestion(f"There is no {measure.aggregate} of {what}", "measure", "Choose another.")
    if measure.aggregate == "ratio":
        if measure.per is None:
            raise BadQuestion("A ratio needs a second column", "per", "Choose what it is divided by.")
        if not table.column(measure.per).kind.numeric:
            raise BadQuestion(f"“{measure.per}” is no number", "per", "Choose a number.")
    if measure.aggregate == "share":
        if measure.where is None:
            raise BadQuestion("A share needs a condition", "where", "Say which rows are counted.")
        check_condition(measure.where, table)


def check(question: Compare, table: Table) -> None:
    """Refuse combinations that make no sense, naming the field."""
    measure = question.measure
    check_measure(measure, table)
    across = table.column(question.across)
    if question.across == measure.column:
        raise BadQuestion("A column cannot be compared across itself", "across", "Choose another column.")
    if not makes_groups(across):
        raise BadQuestion(
            f"“{across.name}” has {across.distinct:,} values, too many groups to compare",
            "across",
            "Choose a category.",
        )


def compare(question: Compare, rows: Rows) -> CompareAnswer:
    """Return the figures of all groups."""
    table, measure = rows.table, question.measure
    found = grouping(rows, question.across, MOST_BARS)
    cells = rows.remember(("compared", measure, question.across), lambda: _cells(measure, rows, found))
    n_groups = len(found.groups)
    column = None if measure.column is None else table.column(measure.column)
    # what does not depend on the lantern is computed once for a filter
    got, overall, carried = rows.remember(
        ("figures", measure, question.across),
        lambda: _unlit(measure, cells, n_groups, is_share(measure, column)),
    )
    lit_cells = None if rows.lit is None else cells.only(rows.lit[cells.at])
    lit = None if lit_cells is None else _plain_figures(measure, lit_cells, n_groups)
    made = [
        Group(
            position=i,
            label=group.label,
            n=int(got.n[i]),
            value=float(got.values[i]),
            low=interval[0] if interval else None,
            high=interval[1] if interval else None,
            lit_n=None if lit is None else int(lit.n[i]),
            lit_value=None if lit is None or not lit.n[i] else float(lit.values[i]),
            others=group.others,
            apart=bool(got.apart) and got.apart[i],
        )
        for i, (group, interval) in enumerate(zip(found.groups, got.intervals, strict=True))
        if got.n[i] and np.isfinite(got.values[i])
    ]
    if question.order == "value":
        made.sort(key=lambda g: (g.others > 0, -g.value, g.position))
    used = len(cells.values)
    grouped = _grouped_rows(rows, found)
    return CompareAnswer(
        question=question,
        column=column,
        basis=Basis(
            rows=rows.n,
            used=used,
            missing=grouped - used,
            groupless=rows.n - grouped,
            lit=None if lit_cells is None else len(lit_cells.values),
            table_rows=table.height,
        ),
        grouping=found,
        groups=tuple(made),
        overall=overall,
        test=got.test,
        p=got.p,
        effect=got.effect,
        carried=carried,
    )


def _unlit(
    measure: Measure, cells: _Cells, n_groups: int, shares: bool
) -> tuple[_Figures, float, tuple[Carried, ...]]:
    carried = _carried(measure, cells, n_groups) if measure.aggregate in ("sum", "mean") else ()
    return _figures(measure, cells, n_groups, shares), _overall(measure, cells), carried


def _grouped_rows(rows: Rows, found: Grouping) -> int:
    assert found.codes is not None  # noqa: S101  (grouped by a column)
    has = found.codes >= 0
    return int(np.count_nonzero(has if rows.kept is None else has & rows.kept))


def _cells(measure: Measure, rows: Rows, found: Grouping) -> _Cells:
    """Return the cells that count: of kept rows with a group, a value and, for a ratio, both values."""
    table = rows.table
    assert found.codes is not None  # noqa: S101  (grouped by a column)
    used = found.codes >= 0
    if rows.kept is not None:
        used = used & rows.kept
    below = None
    if measure.aggregate == "share" and measure.where is not None:
        values = mask(measure.where, table).astype(np.float64)
    elif measure.column is None:
        values = np.ones(table.height)
    elif measure.aggregate == "distinct" or not table.column(measure.column).kind.measured:
        coded = table.coded(measure.column).codes
        values, used = coded.astype(np.float64), used & (coded >= 0)
    elif measure.aggregate in ("median", "quantile"):
        # in ascending order, as quantiles need them
        ordered = table.ordered(measure.column)
        keep = used[ordered.order]
        at = ordered.order[keep].astype(np.int64)
        return _Cells(ordered.values[keep], found.codes[at].astype(np.int64), at)
    else:
        values = on_axis(table.series(measure.column))
        used = used & ~np.isnan(values)
    if measure.aggregate == "ratio" and measure.per is not None:
        below = on_axis(table.series(measure.per))
        used = used & ~np.isnan(below)
    at = np.flatnonzero(used)
    return _Cells(values[at], found.codes[at].astype(np.int64), at, None if below is None else below[at])


def _plain_figures(measure: Measure, cells: _Cells, n_groups: int) -> _Figures:
    """Return figures without intervals."""
    values, codes = cells.values, cells.codes
    n = np.asarray(np.bincount(codes, minlength=n_groups), dtype=np.int64)
    none: list[tuple[float, float] | None] = [None] * n_groups
    if measure.aggregate == "count":
        return _Figures(n.astype(np.float64), n, none)
    if measure.aggregate == "distinct":
        width = int(values.max()) + 1 if len(values) else 1
        pairs = np.unique(codes * width + values.astype(np.int64))
        return _Figures(np.bincount(pairs // width, minlength=n_groups).astype(np.float64), n, none)
    if measure.aggregate in ("median", "quantile"):
        level = _level(measure)
        members = _members(cells, n) if n_groups else []
        found = [float(quantiles(part, (level,))[0]) if len(part) else np.nan for part in members]
        return _Figures(np.asarray(found, dtype=np.float64), n, none)
    sums = np.asarray(np.bincount(codes, weights=values, minlength=n_groups), dtype=np.float64)
    if measure.aggregate == "sum":
        return _Figures(sums, n, none)
    with np.errstate(invalid="ignore", divide="ignore"):
        if cells.below is not None:
            return _Figures(sums / np.bincount(codes, weights=cells.below, minlength=n_groups), n, none)
        return _Figures(sums / n, n, none)


def _figures(measure: Measure, cells: _Cells, n_groups: int, shares: bool) -> _Figures:
    """Return figures with their intervals, and the test that all are alike."""
    plain = _plain_figures(measure, cells, n_groups)
    if not n_groups:
        return plain
    if shares:
        return _with_shares(cells, plain)
    make: dict[str, Callable[[Measure, _Cells, _Figures], _Figures]] = {
        "mean": _with_means,
        "median": _with_quantiles,
        "quantile": _with_quantiles,
        "ratio": _with_ratios,
    }
    add = make.get(measure.aggregate)
    return plain if add is None else add(measure, cells, plain)


def _level(measure: Measure) -> float:
    return 0.5 if measure.aggregate == "median" else measure.level


def _by_group(codes: Ints) -> Ints:
    """Return positions group by group; within a group they stay in order."""
    return np.argsort(codes.astype(np.int16), kind="stable")


def _members(cells: _Cells, n: Ints) -> list[Floats]:
    order = _by_group(cells.codes)
    return np.split(cells.values[order], np.cumsum(n)[:-1])


def _with_means(measure: Measure, cells: _Cells, plain: _Figures) -> _Figures:
    found = figures.moments(cells.values, cells.codes, len(plain.n))
    intervals = [
        figures.mean_interval(int(n), float(mean), float(variance))
        for n, mean, variance in zip(found.n, found.means, found.variances, strict=True)
    ]
    if bool((found.n < figures.FEW).any()):
        for i, values in enumerate(_members(cells, found.n)):
            if 2 <= len(values) < figures.FEW:
                intervals[i] = figures.bootstrapped_interval(values)
    return _Figures(
        plain.values,
        plain.n,
        intervals,
        "Welch",
        figures.welch(found),
        figures.eta_squared(found),
        tuple(figures.apart(found)),
    )


def _with_shares(cells: _Cells, plain: _Figures) -> _Figures:
    hits = np.bincount(cells.codes, weights=cells.values, minlength=len(plain.n)).astype(np.int64)
    intervals: list[tuple[float, float] | None] = [
        wilson(int(k), int(n)) if n else None for k, n in zip(hits, plain.n, strict=True)
    ]
    found = figures.moments(cells.values, cells.codes, len(plain.n))
    p = figures.chi_square_of_shares(hits, plain.n)
    effect, apart = figures.eta_squared(found), tuple(figures.apart(found))
    return _Figures(plain.values, plain.n, intervals, "chi-square", p, effect, apart)


def _with_quantiles(measure: Measure, cells: _Cells, plain: _Figures) -> _Figures:
    level = _level(measure)
    intervals = [figures.quantile_interval(values, level) for values in _members(cells, plain.n)]
    ascending = cells.values
    ties = np.cumsum(np.concatenate([[0], ascending[1:] != ascending[:-1]])).astype(np.int64)
    p = figures.kruskal(cells.codes, ties, len(plain.n)) if len(ascending) else None
    return _Figures(plain.values, plain.n, intervals, "Kruskal–Wallis", p)


def _with_ratios(measure: Measure, cells: _Cells, plain: _Figures) -> _Figures:
    assert cells.below is not None  # noqa: S101  (a ratio has both)
    order = _by_group(cells.codes)
    cuts = np.cumsum(plain.n)[:-1]
    above, below = np.split(cells.values[order], cuts), np.split(cells.below[order], cuts)
    intervals = [figures.ratio_interval(a, b) for a, b in zip(above, below, strict=True)]
    return _Figures(plain.values, plain.n, intervals)


def _overall(measure: Measure, cells: _Cells) -> float:
    if not len(cells.values):
        return float("nan")
    if measure.aggregate in ("mean", "share"):
        return float(cells.values.mean())
    whole = _Cells(cells.values, np.zeros(len(cells.values), dtype=np.int64), cells.at, cells.below)
    return float(_plain_figures(measure, whole, 1).values[0])


def _carried(measure: Measure, cells: _Cells, n_groups: int) -> tuple[Carried, ...]:
    """Return groups whose sum a handful of rows make up: of more than twice as many rows, none below 0."""
    found = []
    n = np.bincount(cells.codes, minlength=n_groups)
    sums = np.bincount(cells.codes, weights=cells.values, minlength=n_groups)
    tops = np.full(n_groups, -np.inf)
    np.maximum.at(tops, cells.codes, cells.values)
    # a handful can carry a group only where its largest value is a sixth of the sum or more
    for i in np.flatnonzero((n > 2 * HANDFUL) & (sums > 0) & (tops * HANDFUL >= CARRIED * sums)):
        values = np.sort(cells.values[cells.codes == i])[::-1]
        if values[-1] < 0:
            continue
        shares = np.cumsum(values[:HANDFUL]) / sums[i]
        enough = np.flatnonzero(shares >= CARRIED)
        if len(enough):
            k = int(enough[0])
            found.append(Carried(int(i), k + 1, float(shares[k])))
    return tuple(found)
