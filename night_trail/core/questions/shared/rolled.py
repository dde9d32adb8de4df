"""A measure rolled up to the periods of a calendar, over all rows and for each group."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from night_trail.core.conditions import Missing, Not
from night_trail.core.errors import BadQuestion
from night_trail.core.measure import Measure
from night_trail.core.moments import GrainName, numbered
from night_trail.core.questions.shared.basis import ALL_ROWS, Basis, Grouping, paired
from night_trail.core.questions.shared.cells import Cells, held_in, lit_in
from night_trail.core.questions.shared.measures import ADDS_UP, plain_figures
from night_trail.core.questions.shared.periods import Periods, periods_of
from night_trail.core.questions.shared.ranking import dwarfs
from night_trail.core.rows import Codes, Rows
from night_trail.core.stats.calendar import Calendar
from night_trail.core.table import Bools, Floats, Ints

MOST_FIGURES = 400_000
"""How many figures, periods times groups, are rolled up at most."""


@dataclass(frozen=True)
class Rolled:
    """Figures of groups (rows) in periods (columns), NaN where there is none, and how many rows each has.

    ``ungrouped`` rows lie in a period but in no group.
    """

    values: Floats
    n: Ints
    lit: Floats | None
    lit_n: Ints | None
    basis: Basis
    ungrouped: int = 0


@dataclass(frozen=True)
class Line:
    """One group over time, or all rows: a figure for every period, NaN where there is none.

    ``base`` is what each period is held against, ``lit`` the figure of the lit
    rows, ``n`` and ``lit_n`` the rows.
    """

    position: int
    label: str
    values: Floats
    n: Ints
    lit: Floats | None = None
    lit_n: Ints | None = None
    base: Floats | None = None
    others: int = 0

    def mean_over(self, first: int, end: int) -> float:
        """Return the mean of its figures in periods ``first`` to ``end``, NaN where none has one."""
        return mean_of(self.values[first:end])

    def lit_over(self, first: int, end: int) -> float:
        """Return the mean of the lit rows' figures in these periods, NaN where none has one."""
        return math.nan if self.lit is None else mean_of(self.lit[first:end])

    @property
    def any_lit(self) -> bool:
        """Whether some of its rows are lit."""
        return self.lit_n is not None and int(np.sum(self.lit_n)) > 0

    @property
    def all_lit(self) -> bool:
        """Whether it has rows, and all of them are lit."""
        return self.lit_n is not None and int(np.sum(self.lit_n)) == int(np.sum(self.n)) > 0


def mean_of(values: Floats) -> float:
    """Return the mean of the figures there are, NaN where there is none."""
    return math.nan if np.isnan(values).all() else float(np.nanmean(values))


def without_dwarfing(lines: tuple[Line, ...]) -> tuple[tuple[Line, ...], Line | None]:
    """Return the lines without that of the gathered groups where it would squeeze the rest, and that line."""
    rest = next((one for one in lines if one.others), None)
    if rest is None or len(lines) < 2:
        return lines, None
    tops = [float(np.nanmax(np.abs(one.values))) for one in lines if not one.others and one.n.any()]
    if not dwarfs(float(np.nanmax(np.abs(rest.values))), tops):
        return lines, None
    return tuple(one for one in lines if not one.others), rest


def rolled(
    measure: Measure, rows: Rows, periods: Periods, found: Grouping, key: tuple[object, ...]
) -> Rolled:
    """Return a measure in every period and group; a grouping of all rows is one group.

    A sum or count of a group without values is 0 in a period in which others
    have some; other figures, and periods without any, have none.
    """
    groups, length = max(len(found.groups), 1), periods.calendar.n
    if groups * length > MOST_FIGURES:
        raise BadQuestion(
            f"{groups:,} groups over {length:,} periods are too many to draw",
            "grain",
            "Choose a coarser step or fewer groups.",
        )

    def paired_codes() -> tuple[Codes, int]:
        if found.codes is None:
            return periods.codes, in_time
        both = paired(found.codes, periods.codes, length)
        return both, rows.count(both >= 0)

    in_time = int(periods.n.sum())
    codes, grouped = rows.remember(("rolled codes", key), paired_codes)

    values, n = rows.remember(
        ("rolled", measure, key),
        lambda: _figures(measure, held_in(measure, rows).grouped(codes), groups, length, periods.fills),
    )

    def figures_of_lit() -> tuple[Floats | None, Ints | None]:
        some = lit_in(measure, rows)
        if some is None:
            return None, None
        return _figures(measure, some.grouped(codes), groups, length, False)

    lit, lit_n = rows.remember_lit(("rolled", measure, key), figures_of_lit)
    n_lit = None if lit_n is None else int(lit_n.sum())
    basis = Basis(
        rows=rows.n,
        used=int(n.sum()),
        missing=grouped - int(n.sum()),
        groupless=rows.n - in_time,
        lit=n_lit,
        table_rows=rows.table.n,
    )
    return Rolled(values, n, lit, lit_n, basis, in_time - grouped)


def all_together(measure: Measure, roll: Rolled) -> Rolled | None:
    """Return the figures of all rows where they follow from those of groups: of sums, counts and means.

    None where they do not, or where rows in a period have no group.
    """
    adds_up = measure.aggregate in ADDS_UP
    if roll.ungrouped or not (adds_up or measure.aggregate in ("mean", "share")):
        return None

    def whole(values: Floats, n: Ints) -> tuple[Floats, Ints]:
        total = n.sum(axis=0, keepdims=True)
        sums = np.nansum(values if adds_up else values * n, axis=0, keepdims=True)
        with np.errstate(invalid="ignore", divide="ignore"):
            return np.where(total > 0, sums if adds_up else sums / total, np.nan), total

    values, n = whole(roll.values, roll.n)
    lit, lit_n = (None, None) if roll.lit is None or roll.lit_n is None else whole(roll.lit, roll.lit_n)
    return Rolled(values, n, lit, lit_n, roll.basis)


def _figures(measure: Measure, cells: Cells, groups: int, length: int, fills: bool) -> tuple[Floats, Ints]:
    figures = plain_figures(measure, cells, groups * length)
    n = figures.n.reshape(groups, length)
    values = np.where(figures.n > 0, figures.values, np.nan).reshape(groups, length)
    if measure.aggregate in ("sum", "count", "distinct") and fills:
        # nothing in one group is 0; nothing in any is not known
        values = np.where((n == 0) & (n.sum(axis=0) > 0), 0.0, values)
    return values, n


def past_of(
    measure: Measure, time: str, grain: GrainName, zone: str | None, rows: Rows
) -> tuple[Rows, Periods, Rolled]:
    """Return what models rest on: the rows up to the last figure, their periods, and the measure in them."""
    key = (time, grain, 1, zone, None, "all")

    def of(kept: Rows) -> tuple[Rows, Periods, Rolled]:
        periods = periods_of(kept, time, grain, 1, zone)
        return kept, periods, rolled(measure, kept, periods, ALL_ROWS, key)

    found = of(rows)
    past = with_figures(measure, rows, found[2].n[0])
    return found if past is rows else of(past)


def placed(values: Floats, periods: Periods, calendar: Calendar) -> Floats:
    """Return figures of periods where they lie on another calendar of the same grain, NaN elsewhere."""
    found = np.full(calendar.n, np.nan)
    at = np.arange(len(values)) + periods.calendar.first - calendar.first
    inside = (at >= 0) & (at < calendar.n)
    found[at[inside]] = values[inside]
    return found


def with_figures(measure: Measure, rows: Rows, n: Ints) -> Rows:
    """Return the rows that have a figure, where the last periods have rows but no figure; else all.

    Rows to come, with a plan or what is known already, are no past. ``n`` is
    how many figures each period has.

    ``n`` has shape (periods,), how many rows have a figure.
    """
    has = np.flatnonzero(n)
    if measure.column is None or not len(has) or int(has[-1]) == len(n) - 1:
        return rows
    return Rows(rows.table, (*rows.only, Not(Missing(measure.column))), rows.lit_condition)


def under_way(rows: Rows, periods: Periods, found: Grouping, time: str, until: str) -> Rolled:
    """Return how many rows, from their start to their end, touch each period.

    A row ends before its end: one that ends as a period begins does not touch
    it. A row without an end is under way to the last period; one whose end
    comes before its start is left out.
    """
    calendar = periods.calendar
    table = rows.table
    starts_at, ends_at = table.axis(time).values, table.axis(until).values
    groups, length = max(len(found.groups), 1), calendar.n
    used = (periods.codes >= 0) & ~(ends_at < starts_at)
    if found.codes is not None:
        used &= found.codes >= 0
    last = numbered(np.nextafter(ends_at, -np.inf), calendar.grain, calendar.year_start, calendar.zone)
    last = np.clip(np.where(np.isnan(ends_at), length - 1, last - calendar.first), 0, length - 1)
    last = np.maximum(last, periods.codes)

    group = np.zeros(table.height, dtype=np.int64)
    if found.codes is not None:
        group += found.codes

    def counted(where: Bools) -> Ints:
        begun = np.bincount(group[where] * length + periods.codes[where], minlength=groups * length)
        over = np.bincount(group[where] * length + last[where], minlength=groups * length)
        begun, over = begun.reshape(groups, length), over.reshape(groups, length)
        return np.asarray(np.cumsum(begun, axis=1) - np.cumsum(over, axis=1) + over, dtype=np.int64)

    n = counted(used)
    lit_n = None if rows.lit is None else counted(used & rows.lit)
    count = int(np.count_nonzero(used))
    in_time = int(np.count_nonzero(periods.codes >= 0))
    basis = Basis(
        rows=rows.n,
        used=count,
        missing=in_time - count,
        groupless=rows.n - in_time,
        lit=None if rows.lit is None else int(np.count_nonzero(used & rows.lit)),
        table_rows=table.n,
    )
    return Rolled(n.astype(np.float64), n, None if lit_n is None else lit_n.astype(np.float64), lit_n, basis)
