"""Periods of a calendar: in which each moment lies, where they begin, which are not yet over.

Moments are seconds since 1970-01-01 on the column's own clock. With a time
zone the column is taken to be told in UTC: days and longer periods then follow
the clock of that zone, so that a day may have 23 or 25 hours, while hours
follow each other without a gap or a fold.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np

from night_trail.core.moments import (
    DAY,
    FIRST_WEEKDAY,
    GRAINS,
    HOUR,
    MEAN_SECONDS,
    GrainName,
    from_zone,
    months_of,
    on_clock,
    starts,
    when,
)
from night_trail.core.table import Floats, Ints

A_YEAR_BACK = {"hour": 364 * 24, "day": 364, "week": 52, "month": 12, "quarter": 4, "year": 1}
"""How many periods back the same period a year earlier lies: whole weeks, so that weekdays agree."""

SEASONS: dict[str, tuple[int, ...]] = {
    "hour": (24, 168),
    "day": (7, 365),
    "week": (52,),
    "month": (12,),
    "quarter": (4,),
    "year": (),
}
"""How many periods the seasons of the calendar last."""


@dataclass(frozen=True)
class Calendar:
    """Periods in a row: ``edges`` are their starts and the end of the last, in seconds.

    ``clock`` are the same edges on the column's own clock, which differ where a
    zone is set. ``first`` numbers the first period in its calendar.
    """

    grain: GrainName
    edges: Floats
    clock: Floats
    first: int
    year_start: int = 1
    zone: str | None = None

    @property
    def n(self) -> int:
        """How many periods there are."""
        return len(self.edges) - 1

    def middles(self) -> Floats:
        """Return the middle of each period, where points and lines stand."""
        return np.asarray((self.edges[:-1] + self.edges[1:]) / 2)

    def days(self) -> Floats:
        """Return how many days each period has."""
        return np.asarray(np.diff(self.edges) / DAY)

    def weekdays(self) -> Ints:
        """Return how many of each weekday, Monday first, each period has; shape (periods, 7).

        >>> calendar_of("month", 0, 1).weekdays().tolist()
        [[4, 4, 4, 5, 5, 5, 4]]
        """
        days = (self.edges // DAY).astype(np.int64)
        # how many such days lie before each edge, counted from the first
        before = -(-(days[:, None] + FIRST_WEEKDAY - np.arange(7)) // 7)
        return np.asarray(np.diff(before, axis=0))

    def back_a_year(self) -> int:
        """Return how many periods earlier the same period of the year before lies."""
        return A_YEAR_BACK[self.grain]

    def year_of(self) -> Ints:
        """Return the year each period belongs to, by the years' own first month.

        A week belongs where most of its days lie: to the year of its Thursday, as in ISO 8601.

        >>> calendar_of("week", 51, 53).year_of().tolist()  # from 28 December 1970 and 4 January
        [1970, 1971]
        """
        most = 3 * int(DAY) if self.grain == "week" else 0
        months = months_of(self.edges[:-1].astype(np.int64) + most)
        return np.asarray((months - (self.year_start - 1)) // 12 + 1970, dtype=np.int64)

    def longer(self, n: int) -> Calendar:
        """Return the calendar with ``n`` more periods."""
        return calendar_of(self.grain, self.first, self.first + self.n + n, self.year_start, self.zone)


def calendar_of(
    grain: GrainName, first: int, end: int, year_start: int = 1, zone: str | None = None
) -> Calendar:
    """Return the periods numbered ``first`` to ``end``, which is left out."""
    numbers = np.arange(first, end + 1, dtype=np.int64)
    edges = starts(numbers, grain, year_start)
    if zone is None:
        return Calendar(grain, edges, edges, first, year_start)
    if grain == "hour":  # numbered on the column's clock, so that none is missing or twice
        return Calendar(grain, on_clock(edges, zone), edges, first, year_start, zone)
    return Calendar(grain, edges, from_zone(edges, zone), first, year_start, zone)


def unfinished(present: Ints, newest: float, oldest: float, calendar: Calendar) -> tuple[bool, bool]:
    """Return whether the first period begins before the data do, and the last ends after them.

    The data are taken to reach as far beyond their ends as they usually step
    from day to day (from hour to hour for hours): the 95th percentile of the
    steps between days that have rows.

    Parameters
    ----------
    present
        The numbers of the days (hours) that have rows, ascending.
    newest, oldest
        The last and the first moment on the edges' clock, in seconds.
    """
    if not calendar.n or not len(present):
        return False, False
    unit = HOUR if calendar.grain == "hour" else DAY
    steps = np.diff(present)
    step = max(1.0, float(np.quantile(steps, 0.95, method="higher"))) if len(steps) else 1.0
    first_end = float(np.floor(newest / unit)) * unit + step * unit
    first_start = float(np.floor(oldest / unit)) * unit - (step - 1) * unit
    # hours are numbered on the column's own clock, longer periods on that of the zone
    edges = calendar.clock if calendar.grain == "hour" else calendar.edges
    # rows that all stand at the beginning of a period stand for the whole of it
    if np.isin(present * unit, edges).all():
        return False, False
    # as long a pause as there was elsewhere may happen to lie at the end of a month: nothing is missing there
    most = float(np.max(steps, initial=1.0)) - step
    spare = [min(most * unit, 0.1 * float(edges[k + 1] - edges[k])) for k in (0, calendar.n - 1)]
    if calendar.grain not in ("month", "quarter", "year"):
        spare = [0.0, 0.0]
    return first_start - spare[0] > float(edges[0]), first_end + spare[1] < float(edges[-1])


def period_name(calendar: Calendar, i: int) -> str:
    """Return a period in words: ``March 2024``, ``week 9 of 2024``, ``3 March 2024, 14:00``.

    >>> period_name(calendar_of("quarter", 217, 218), 0)
    'quarter 2 of 2024'
    """
    start = when(float(calendar.edges[i]))
    match calendar.grain:
        case "hour":
            return f"{start.day} {start:%B} {start.year}, {start:%H:%M}"
        case "day":
            return f"{start.day} {start:%B} {start.year}"
        case "week":
            iso = start.isocalendar()
            return f"week {iso.week} of {iso.year}"
        case "month":
            return f"{start:%B} {start.year}"
        case "quarter":
            if calendar.year_start % 3 != 1:
                return f"quarter from {start:%B} {start.year}"
            return f"quarter {(start.month - 1) // 3 + 1} of {start.year}"
    end = when(float(calendar.edges[i + 1]) - 1)
    return f"{start.year}" if end.year == start.year else f"{start.year}/{end.year % 100:02d}"


def spans_in_words(calendar: Calendar, found: Iterable[tuple[int, int]]) -> list[str]:
    """Return runs of periods in words: one by its name, several from the first to the last."""
    return [
        period_name(calendar, a) + ("" if b == a + 1 else f" to {period_name(calendar, b - 1)}")
        for a, b in found
    ]


def proposed(span: float, regular: GrainName | None, time_of_day: bool) -> GrainName:
    """Return the grain a column of dates is best rolled up to: the finest that leaves at most 130 periods.

    Never finer than the column itself, whose own step is ``regular`` where it has one.
    """
    finest = GRAINS.index(regular) if regular else (0 if time_of_day else 1)
    for grain in GRAINS[finest:]:
        if span / MEAN_SECONDS[grain] <= 130:
            return grain
    return "year"
