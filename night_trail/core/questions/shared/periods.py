"""The periods of a calendar that rows lie in."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Protocol

import numpy as np

from night_trail.core.conditions import Between, between
from night_trail.core.errors import BadQuestion
from night_trail.core.many import tallied
from night_trail.core.measure import Measure
from night_trail.core.moments import DAY, GRAINS, GrainName, numbered, starts, when
from night_trail.core.questions.decomposition.question import Decomposition
from night_trail.core.questions.forecast.question import Forecast
from night_trail.core.questions.shared.measures import check_measure
from night_trail.core.rows import Codes, Rows
from night_trail.core.stats.calendar import Calendar, calendar_of, proposed, unfinished
from night_trail.core.stats.grain import Grain
from night_trail.core.stats.grain import grain as grain_of
from night_trail.core.table import Bools, Column, Ints, Kind, Table, on_axis

MOST_PERIODS = 60_000


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


def time_column(table: Table, taken: str | None = None) -> Column | None:
    """Return the column of time a table is about: dates before years, the fuller before the emptier."""
    able = [c for c in table.columns if c.dated and c.name != taken and c.distinct > 1]
    return min(able, key=lambda c: (c.yearly, c.missing), default=None)


def check_time(
    measure: Measure, time: str, zone: str | None, table: Table, grain: GrainName | None = None
) -> None:
    """Refuse a question whose column of time or measure does not fit."""
    column = table.column(time)
    if not column.dated:
        raise BadQuestion(
            f"“{column.name}” is {column.kind} and no time",
            "time",
            "Choose a column of dates, or read it so.",
        )
    if column.yearly and grain not in (None, "year"):
        raise BadQuestion(f"“{column.name}” has years, no {grain}s", "grain", "Choose years.")
    if column.yearly and zone is not None:
        raise BadQuestion(f"“{column.name}” has years, which no zone moves", "zone", "Leave the zone out.")
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
    coarsest that is proposed, unless the column itself is coarser; what is taken
    apart is shown with the shortest season it can have.
    """
    if question.grain is not None:
        return question.grain
    if rows.table.column(question.time).yearly:
        return "year"

    def choose() -> tuple[GrainName, GrainName, GrainName]:
        cells = rows.table.series(question.time)
        cells = cells if rows.kept is None else cells.filter(rows.kept)
        cells = cells.drop_nulls()
        if not len(cells):
            return "month", "month", "month"
        low, high = float(on_axis(cells).min()), float(on_axis(cells).max())
        # a part is enough to see how far apart values lie: all different ones, or the first of many
        own = grain_of(cells.unique().sort().head(20_000))
        regular = own.step if own.regular else None
        timed = rows.table.column(question.time).kind == Kind.DATETIME
        found = proposed(high - low, regular, timed)
        coarsest: GrainName = max("month", regular or "month", key=GRAINS.index)
        seasonal: GrainName = min(found, coarsest, key=GRAINS.index)
        return found, seasonal, _finest_season(own, (high - low) / DAY, seasonal)

    shown, ahead, apart = rows.remember(("grain", question.time), choose)
    return (
        apart if isinstance(question, Decomposition) else ahead if isinstance(question, Forecast) else shown
    )


MOST_APART = 4_000


def _finest_season(own: Grain, days: float, seasonal: GrainName) -> GrainName:
    """Return the grain that shows the shortest season a column can have: days a week, months only a year."""
    if own.regular and own.step != "hour":
        finer = own.step
    elif own.absent <= 0.2 * own.periods:
        finer = "day"
    else:
        return seasonal
    if days > MOST_APART or days < 4 * 7:
        return seasonal
    return min(finer, seasonal, key=GRAINS.index)


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
    moments = rows.table.moments(time).values
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
    stands = rows.table.stands()
    if stands is not None and not all_used:
        stands = stands.at(np.flatnonzero(used))
    counts = tallied(used_fine - low, 0, stands)
    n = np.bincount(period, weights=counts).astype(np.int64)
    calendar = calendar_of(grain, first, end, year_start, zone)
    if zone is not None and grain != "hour":
        # held against the clock of the zone, on which the edges stand
        oldest, newest = low * DAY, high * DAY
    partial = unfinished(np.flatnonzero(counts), newest, oldest, calendar)
    gaps = () if until or every_so_many(n > 0) > 1 else tuple(runs(n == 0))
    return Periods(calendar, codes, n, partial, gaps)


def broken_off(periods: Periods, so_far: Periods) -> Periods:
    """Return periods that know where figures break off, by the periods of the rows with a figure."""
    last = so_far.calendar.first + so_far.calendar.n - 1 - periods.calendar.first
    return replace(periods, now=last) if so_far.partial[1] else periods


def every_so_many(has: Bools) -> int:
    """Return every how many periods there is something, where that is as regular as a clock; else 1.

    Shape (periods,).

    >>> every_so_many(np.array([True, False, False] * 3)), every_so_many(np.array([True, False, True, True]))
    (3, 1)
    """
    steps = np.diff(np.flatnonzero(has))
    return int(steps[0]) if len(steps) > 1 and bool((steps == steps[0]).all()) else 1


def runs(flags: Bools) -> list[tuple[int, int]]:
    """Return where runs of true begin and end, the ends left out.

    Shape (periods,).

    >>> runs(np.array([True, False, True, True]))
    [(0, 1), (2, 4)]
    """
    padded = np.concatenate([[False], flags, [False]]).astype(np.int8)
    turns = np.flatnonzero(np.diff(padded))
    return [(int(a), int(b)) for a, b in zip(turns[::2], turns[1::2], strict=True)]


def period_condition(calendar: Calendar, column: Column, first: int, end: int) -> Between:
    """Return the condition that names the rows of periods, ``end`` left out."""
    if column.yearly:
        low, high = (when(float(calendar.clock[at])).year for at in (first, end))
        return Between(column.name, float(low), float(high))
    return between(column, float(calendar.clock[first]), float(calendar.clock[end]))


def whole_years(rows: Rows, time: str) -> tuple[int, int] | None:
    """Return the first and the last year that rows cover from end to end; None where there is none."""
    (found,) = rows.remember(("whole years", time), lambda: (_whole_years(rows, time),))
    return found


def _whole_years(rows: Rows, time: str) -> tuple[int, int] | None:
    values = rows.table.moments(time).values[rows.keeps]
    values = values[np.isfinite(values)]
    if not len(values):
        return None
    first, last = when(float(values.min())), when(float(values.max()))
    begin = first.year if (first.month, first.day) <= (1, 3) else first.year + 1
    # of months that are told by their first day, December has come with it
    closes = (
        (12, 1) if all(when(float(at)).day == 1 for at in values[:: len(values) // 200 + 1]) else (12, 29)
    )
    end = last.year if (last.month, last.day) >= closes else last.year - 1
    return (begin, end) if end >= begin else None
