"""A measure rolled up to the periods of a calendar, over all rows and for each group."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Protocol

import numpy as np

from night_trail.core.answers.basis import ALL_ROWS, Basis, Grouping, paired
from night_trail.core.answers.cells import Cells, held_in, lit_in
from night_trail.core.answers.measures import ADDS_UP, check_measure, plain_figures
from night_trail.core.conditions import Between, Missing, Not, between
from night_trail.core.errors import BadQuestion
from night_trail.core.measure import Measure
from night_trail.core.rows import Codes, Rows
from night_trail.core.stats.calendar import (
    GRAINS,
    Calendar,
    GrainName,
    calendar_of,
    numbered,
    proposed,
    starts,
    unfinished,
)
from night_trail.core.stats.grain import grain as grain_of
from night_trail.core.table import Bools, Column, Floats, Ints, Kind, Table, on_axis
from night_trail.core.time_questions import Ahead, Apart

MOST_PERIODS = 60_000
MOST_FIGURES = 400_000
"""How many figures, periods times groups, are rolled up at most."""


class Timed(Protocol):
    """A question about a measure over time."""

    @property
    def time(self) -> str:
        """The column of dates."""

    @property
    def grain(self) -> GrainName | None:
        """The periods, None to choose."""

    @property
    def zone(self) -> str | None:
        """The clock days follow, where the column is told in UTC."""


@dataclass(frozen=True)
class Periods:
    """The periods of the kept rows: which each row of the table lies in, −1 for none.

    ``partial`` says whether the first and the last are cut off by the data's
    ends, ``gaps`` are runs of periods without rows as (first, end). ``fills``
    says that a group without rows in a period has a sum of 0 there. ``now`` is
    a period that figures break off in, though rows to come go on behind it.
    """

    calendar: Calendar
    codes: Codes
    n: Ints
    partial: tuple[bool, bool]
    gaps: tuple[tuple[int, int], ...]
    fills: bool = True
    now: int | None = None

    @property
    def whole(self) -> Bools:
        """Which periods are covered from end to end."""
        found = np.ones(self.calendar.n, dtype=np.bool_)
        if self.calendar.n:
            found[0] &= not self.partial[0]
            found[-1] &= not self.partial[1]
        if self.now is not None:
            found[self.now] = False
        return found

    @property
    def covered(self) -> tuple[int, int]:
        """The first of the whole periods and the end of the last; (0, 0) where there is none."""
        at = np.flatnonzero(self.whole)
        return (int(at[0]), int(at[-1]) + 1) if len(at) else (0, 0)


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

    @property
    def any_lit(self) -> bool:
        """Whether some of its rows are lit."""
        return self.lit_n is not None and int(np.sum(self.lit_n)) > 0

    @property
    def all_lit(self) -> bool:
        """Whether it has rows, and all of them are lit."""
        return self.lit_n is not None and int(np.sum(self.lit_n)) == int(np.sum(self.n)) > 0


def check_time(
    measure: Measure, time: str, zone: str | None, table: Table, grain: GrainName | None = None
) -> None:
    """Refuse a question whose column of time or measure does not fit."""
    column = table.column(time)
    if not column.kind.temporal:
        raise BadQuestion(
            f"“{column.name}” is {column.kind} and no time",
            "time",
            "Choose a column of dates, or read it so.",
        )
    if grain == "hour" and column.kind == Kind.DATE:
        raise BadQuestion(f"“{column.name}” has days, no hours", "grain", "Choose days.")
    if zone is not None and column.kind == Kind.DATE:
        raise BadQuestion(f"“{column.name}” has days, which no zone moves", "zone", "Leave the zone out.")
    check_measure(measure, table)
    if measure.column == column.name and measure.aggregate != "distinct":
        raise BadQuestion("A time cannot be measured by itself", "column", "Choose another column.")


def grain_for(question: Timed, rows: Rows) -> GrainName:
    """Return the grain asked for, or the one proposed: no finer than the column's own.

    What is taken apart or forecast needs its season: there months are the
    coarsest that is proposed, unless the column itself is coarser.
    """
    if question.grain is not None:
        return question.grain

    def choose() -> tuple[GrainName, GrainName]:
        cells = rows.table.series(question.time)
        cells = cells if rows.kept is None else cells.filter(rows.kept)
        cells = cells.drop_nulls()
        if not len(cells):
            return "month", "month"
        low, high = float(on_axis(cells).min()), float(on_axis(cells).max())
        # a part is enough to see how far apart values lie: all different ones, or the first of many
        own = grain_of(cells.unique().sort().head(20_000))
        regular = own.step if own.regular else None
        timed = rows.table.column(question.time).kind == Kind.DATETIME
        found = proposed(high - low, regular, timed)
        seasonal = min(found, max("month", regular or "month", key=GRAINS.index), key=GRAINS.index)
        return found, seasonal

    shown, modelled = rows.remember(("grain", question.time), choose)
    return modelled if isinstance(question, Apart | Ahead) else shown


def periods_of(
    rows: Rows,
    time: str,
    grain: GrainName,
    year_start: int = 1,
    zone: str | None = None,
    until: str | None = None,
) -> Periods:
    """Return the periods that the kept rows lie in, from the first to the last with any."""
    key = ("periods", time, grain, year_start, zone, until)
    return rows.remember(key, lambda: _periods(rows, time, grain, year_start, zone, until))


def _periods(
    rows: Rows, time: str, grain: GrainName, year_start: int, zone: str | None, until: str | None
) -> Periods:
    moments = rows.table.axis(time).values
    used = ~np.isnan(moments)
    if rows.kept is not None:
        used &= rows.kept
    if not used.any():
        nothing = np.full(len(moments), -1, dtype=np.int32)
        return Periods(calendar_of(grain, 0, 0), nothing, np.empty(0, dtype=np.int64), (False, False), ())
    all_used = bool(used.all())
    kept_moments = moments if all_used else moments[used]
    oldest, newest = float(kept_moments.min()), float(kept_moments.max())
    length = 1 + int(np.ptp(numbered(np.array([oldest, newest]), grain, year_start, zone)))
    if length > MOST_PERIODS:
        raise BadQuestion(
            f"From the first {grain} to the last there are {length:,}, too many to draw",
            "grain",
            "Choose a coarser step, or keep only a part of the time.",
        )
    # moments are numbered by day or hour alone; of these there are few, and each lies in one period
    finer: GrainName = "hour" if grain == "hour" else "day"
    fine = numbered(moments, finer, 1, zone)
    used_fine = fine if all_used else fine[used]
    low, high = int(used_fine.min()), int(used_fine.max())
    period = numbered(starts(np.arange(low, high + 1), finer), grain, year_start)
    first, end = int(period[0]), int(period[-1]) + 1
    period -= first
    codes = period.astype(np.int32).take(fine - low, mode="clip")
    if not all_used:
        codes[~used] = -1
    counts = np.bincount(used_fine - low)
    n = np.bincount(period, weights=counts).astype(np.int64)
    calendar = calendar_of(grain, first, end, year_start, zone)
    if zone is not None and grain != "hour":
        # held against the clock of the zone, on which the edges stand
        oldest, newest = low * 86_400.0, high * 86_400.0
    partial = unfinished(np.flatnonzero(counts), newest, oldest, calendar)
    gaps = () if until else tuple(runs(n == 0))
    return Periods(calendar, codes, n, partial, gaps)


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
        return both, int(np.count_nonzero(both >= 0))

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
        table_rows=rows.table.height,
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
    """
    has = np.flatnonzero(n)
    if measure.column is None or not len(has) or int(has[-1]) == len(n) - 1:
        return rows
    return Rows(rows.table, (*rows.only, Not(Missing(measure.column))), rows.lit_condition)


def broken_off(periods: Periods, so_far: Periods) -> Periods:
    """Return periods that know where figures break off, by the periods of the rows with a figure."""
    last = so_far.calendar.first + so_far.calendar.n - 1 - periods.calendar.first
    return replace(periods, now=last) if so_far.partial[1] else periods


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
        table_rows=table.height,
    )
    return Rolled(n.astype(np.float64), n, None if lit_n is None else lit_n.astype(np.float64), lit_n, basis)


def runs(flags: Bools) -> list[tuple[int, int]]:
    """Return where runs of true begin and end, the ends left out.

    >>> runs(np.array([True, False, True, True]))
    [(0, 1), (2, 4)]
    """
    padded = np.concatenate([[False], flags, [False]]).astype(np.int8)
    turns = np.flatnonzero(np.diff(padded))
    return [(int(a), int(b)) for a, b in zip(turns[::2], turns[1::2], strict=True)]


def period_condition(calendar: Calendar, column: Column, first: int, end: int) -> Between:
    """Return the condition that names the rows of periods, ``end`` left out."""
    return between(column, float(calendar.clock[first]), float(calendar.clock[end]))
