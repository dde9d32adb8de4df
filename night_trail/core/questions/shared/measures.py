"""A measure of groups of rows: the figure of each group, its interval, the test that all are alike."""

from __future__ import annotations

from dataclasses import dataclass
from typing import get_args

import numpy as np

from night_trail.core.conditions import check as check_condition
from night_trail.core.errors import BadQuestion
from night_trail.core.many import Runs, Stands, summed, tallied, total
from night_trail.core.measure import Aggregate, Measure
from night_trail.core.questions.compare.question import CompareShape
from night_trail.core.questions.shared.cells import Cells
from night_trail.core.stats import groups as figures
from night_trail.core.stats.intervals import wilson
from night_trail.core.stats.quantiles import quantiles
from night_trail.core.table import Bools, Column, Floats, Ints, Kind, Table

AGGREGATES: tuple[Aggregate, ...] = get_args(Aggregate)
ADDS_UP: set[Aggregate] = {"sum", "count"}
"""Measures whose groups add up to the whole, drawn as lengths from 0."""


@dataclass(frozen=True)
class Tested:
    """The test that all groups are alike, its p, η², for each group whether it stands apart; how many do."""

    test: str = ""
    p: float | None = None
    effect: float | None = None
    apart: tuple[bool, ...] = ()
    n_apart: int = 0


NOT_TESTED = Tested()
UNEQUAL = 4
"""Groups of one size keep the level of a test of means even where they are small."""
MOST_RANKED = 50_000
"""So many rows, about, are put in order to judge groups of which some have few."""
SURE = 0.05
"""The chance under which groups, or parts of a round, are called different."""


@dataclass(frozen=True)
class MeasureFigures:
    """The figure of each group with its rows and interval, and the test that all are alike."""

    values: Floats
    n: Ints
    intervals: list[tuple[float, float] | None]
    tested: Tested = Tested()


def first_measure(column: Column | None) -> Measure:
    """Return the measure that makes most sense of a column: sums of what adds up, else averages.

    Codes and years are counted, each once.
    """
    if column is None:
        return Measure("count")
    if column.code:
        return Measure("distinct", column.name)
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


def plain_figures(measure: Measure, cells: Cells, n_groups: int) -> MeasureFigures:
    """Return figures without intervals."""
    values, codes, stands = cells.values, cells.codes, cells.stands
    n = tallied(codes, n_groups, stands)
    none: list[tuple[float, float] | None] = [None] * n_groups
    if measure.aggregate == "count":
        return MeasureFigures(n.astype(np.float64), n, none)
    if measure.aggregate == "distinct":
        width = int(values.max()) + 1 if len(values) else 1
        pairs = _distinct(codes * width + values.astype(np.int64), n_groups * width)
        return MeasureFigures(np.bincount(pairs // width, minlength=n_groups).astype(np.float64), n, none)
    if measure.aggregate in ("median", "quantile"):
        return MeasureFigures(_quantiles(_in_groups(cells), n, _level(measure)), n, none)
    sums = summed(values, codes, n_groups, stands)
    if measure.aggregate == "sum":
        return MeasureFigures(sums, n, none)
    with np.errstate(invalid="ignore", divide="ignore"):
        if cells.below is not None:
            return MeasureFigures(sums / summed(cells.below, codes, n_groups, stands), n, none)
        return MeasureFigures(sums / n, n, none)


def figures_by_group(
    measure: Measure, cells: Cells, n_groups: int, shares: bool, test: bool = True
) -> MeasureFigures:
    """Return figures with their intervals, and where wanted the test that all are alike."""
    if measure.aggregate in ("median", "quantile") and n_groups:
        return _with_quantiles(_level(measure), cells, n_groups, test)
    if n_groups and shares:
        return _with_shares(cells, n_groups, test)
    if n_groups and measure.aggregate == "mean":
        return _with_means(cells, n_groups, test)
    plain = plain_figures(measure, cells, n_groups)
    return _with_ratios(cells, plain) if n_groups and measure.aggregate == "ratio" else plain


def tested(measure: Measure, cells: Cells, n_groups: int, shares: bool) -> Tested:
    """Return the test that all groups are alike: of means, of shares, or of quantiles by ranks."""
    if not n_groups or not len(cells.values):
        return Tested()
    if measure.aggregate in ("median", "quantile"):
        return _tested_quantiles(cells, n_groups)
    if shares:
        return _tested_shares(figures.moments_of_shares(cells.values, cells.codes, n_groups, cells.stands))
    if measure.aggregate == "mean":
        return _tested_means(figures.moments(cells.values, cells.codes, n_groups, cells.stands), cells)
    return Tested()


def _distinct(codes: Ints, width: int) -> Ints:
    """Return the codes, 0 to ``width``, that occur, ascending."""
    if width > 4 * len(codes) + 1_000:
        # numbers are sorted by numpy in far less time than it hashes them
        ascending = np.sort(codes)
        return (
            ascending[np.concatenate([[True], ascending[1:] != ascending[:-1]])] if len(codes) else ascending
        )
    seen = np.zeros(width, dtype=np.bool_)
    seen[codes] = True
    return np.flatnonzero(seen)


def _level(measure: Measure) -> float:
    return 0.5 if measure.aggregate == "median" else measure.level


def _by_group(codes: Ints) -> Ints:
    """Return positions group by group; within a group they stay in order."""
    if not len(codes) or int(codes.max()) < 0x10000:
        # short integers are sorted digit by digit, which is far quicker
        return np.argsort(codes.astype(np.uint16), kind="stable")
    # numbers are sorted in far less time than they are put in order: each code carries its position
    bits = len(codes).bit_length()
    keys = (codes.astype(np.int64) << bits) | np.arange(len(codes))
    keys.sort()
    return keys & ((1 << bits) - 1)


def _with_means(cells: Cells, n_groups: int, test: bool) -> MeasureFigures:
    found = figures.moments(cells.values, cells.codes, n_groups, cells.stands)
    intervals = [
        figures.mean_interval(int(n), float(mean), float(variance))
        for n, mean, variance in zip(found.n, found.means, found.variances, strict=True)
    ]
    # rows that were rolled up cannot be drawn anew
    if cells.stands is None and bool((found.n < figures.FEW).any()):
        members = np.split(cells.values[_by_group(cells.codes)], np.cumsum(found.n)[:-1])
        for i, values in enumerate(members):
            if 2 <= len(values) < figures.FEW:
                intervals[i] = figures.bootstrapped_interval(values)
    return MeasureFigures(found.means, found.n, intervals, _tested_means(found, cells) if test else Tested())


def _tested_means(found: figures.GroupMoments, cells: Cells) -> Tested:
    test, p = figures.alike(found)
    few = (found.n > 0) & (found.n < figures.LEAST_WELCH) & (UNEQUAL * found.n < found.n.max(initial=0))
    if p is not None and p < SURE and few.any() and not _differ(found.some(~few & (found.n > 0))):
        # the mean of a few skewed values lies far out oftener than any test of means knows
        by_ranks = _by_ranks(cells, few)
        if by_ranks is not None and by_ranks > p:
            test, p = "Kruskal–Wallis", by_ranks
    return _with_apart(test, p, found)


def _differ(found: figures.GroupMoments) -> bool:
    p = figures.alike(found)[1] if len(found.n) > 1 else None
    return p is not None and p < SURE


def _by_ranks(cells: Cells, few: Bools) -> float | None:
    """Return p of the test by ranks: of all rows of groups with few, and of a fixed random part of others.

    None where even those are many, or rows were rolled up; ``few`` has shape (groups,).
    """
    kept = few[cells.codes]
    if cells.stands is not None or int(np.count_nonzero(kept)) > MOST_RANKED:
        return None
    share = MOST_RANKED / len(kept)
    if share < 1:
        kept = kept | (np.random.default_rng(len(kept)).random(len(kept)) < share)
        values, codes = cells.values[kept], cells.codes[kept]
    else:
        values, codes = cells.values, cells.codes
    order = np.argsort(values, kind="stable")
    return figures.kruskal(*figures.ranked(values[order]), codes[order], len(few))


def _with_shares(cells: Cells, n_groups: int, test: bool) -> MeasureFigures:
    found = figures.moments_of_shares(cells.values, cells.codes, n_groups, cells.stands)
    intervals: list[tuple[float, float] | None] = [
        wilson(int(k), int(n)) if n else None for k, n in zip(found.sums, found.n, strict=True)
    ]
    return MeasureFigures(found.means, found.n, intervals, _tested_shares(found) if test else Tested())


def _tested_shares(found: figures.GroupMoments) -> Tested:
    p = figures.chi_square_of_shares(found.sums.astype(np.int64), found.n)
    return _with_apart("chi-square", p, found)


def _with_apart(test: str, p: float | None, found: figures.GroupMoments) -> Tested:
    apart = figures.apart(found)
    return Tested(test, p, figures.eta_squared(found), tuple(apart), sum(apart))


def _quantiles(values: Floats | Runs, n: Ints, level: float) -> Floats:
    """Return a quantile (type 7) of each group, NaN where it is empty; values group by group, ascending."""
    starts = np.cumsum(n) - n
    has = n > 0
    at = np.maximum(n - 1, 0) * level
    below = np.floor(at).astype(np.int64)
    above = np.minimum(below + 1, np.maximum(n - 1, 0))
    found = np.full(len(n), np.nan)
    low, high = values[(starts + below)[has]], values[(starts + above)[has]]
    found[has] = low + (at - below)[has] * (high - low)
    return found


def _in_groups(cells: Cells) -> Floats | Runs:
    """Return ascending values group by group, each as often as it stands for a row."""
    order = _by_group(cells.codes)
    values = cells.values[order]
    return values if cells.stands is None else Runs.of(values, cells.stands.n[order])


def _with_quantiles(level: float, cells: Cells, n_groups: int, test: bool) -> MeasureFigures:
    n = tallied(cells.codes, n_groups, cells.stands)
    values = _in_groups(cells)
    ends = np.cumsum(n)
    intervals = [
        figures.quantile_interval(values[end - k : end], level) for end, k in zip(ends, n, strict=True)
    ]
    alike = _tested_quantiles(cells, n_groups) if test else Tested()
    return MeasureFigures(_quantiles(values, n, level), n, intervals, alike)


def _tested_quantiles(cells: Cells, n_groups: int) -> Tested:
    if not len(cells.values):
        return Tested("Kruskal–Wallis")
    stands = None if cells.stands is None else Stands(cells.stands.n)
    ranks, lengths = figures.ranked(cells.values, stands)
    p = figures.kruskal(ranks, lengths, cells.codes, n_groups, stands)
    # groups stand apart by their ranks
    apart = figures.apart(figures.moments(ranks, cells.codes, n_groups, stands))
    return Tested("Kruskal–Wallis", p, None, tuple(apart), sum(apart))


def _with_ratios(cells: Cells, plain: MeasureFigures) -> MeasureFigures:
    assert cells.below is not None  # noqa: S101  (a ratio has both)
    order = _by_group(cells.codes)
    cuts = np.cumsum(np.bincount(cells.codes, minlength=len(plain.n)))[:-1]
    intervals = [
        figures.ratio_interval(
            cells.values[at], cells.below[at], None if cells.stands is None else cells.stands.at(at)
        )
        for at in np.split(order, cuts)
    ]
    return MeasureFigures(plain.values, plain.n, intervals)


def overall(measure: Measure, cells: Cells) -> float:
    """Return the figure of all cells together."""
    values = cells.values
    if not len(values):
        return float("nan")
    if measure.aggregate in ("median", "quantile"):
        if cells.stands is not None:
            every = Runs.of(values, cells.stands.n)
            return float(_quantiles(every, np.array([len(every)]), _level(measure))[0])
        return float(quantiles(values, (_level(measure),))[0])
    if measure.aggregate == "distinct":
        return float(len(_distinct(values.astype(np.int64), int(values.max()) + 1)))
    many = cells.stands
    if measure.aggregate == "count":
        return float(len(values) if many is None else many.n.sum())
    if measure.aggregate == "sum":
        return total(values, many)
    if cells.below is None:
        return float(values.mean()) if many is None else total(values, many) / float(many.n.sum())
    with np.errstate(invalid="ignore", divide="ignore"):
        return float(np.float64(total(values, many)) / total(cells.below, many))
