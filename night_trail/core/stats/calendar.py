"""Periods of a calendar: in which each moment lies, where they begin, which are not yet over.

Moments are seconds since 1970-01-01 on the column's own clock. With a time
zone the column is taken to be told in UTC: days and longer periods then follow
the clock of that zone, so that a day may have 23 or 25 hours, while hours
follow each other without a gap or a fold.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Literal, get_args

import numpy as np
import numpy.typing as npt
import polars as pl

from night_trail.core.table import Floats, Ints

GrainName = Literal["hour", "day", "week", "month", "quarter", "year"]
Part = Literal["day", "week", "year", "quarters"]
"""The cycle: hours of the day, weekdays, months of the year, quarters of the year."""

LENGTHS: dict[Part, int] = {"day": 24, "week": 7, "year": 12, "quarters": 4}
PART_NAMES: dict[Part, tuple[str, ...]] = {
    "day": tuple(f"{hour:02d}:00" for hour in range(24)),
    "week": ("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday"),
    "year": (
        "January", "February", "March", "April", "May", "June", "July", "August", "September", "October",
        "November", "December",
    ),
    "quarters": ("quarter 1", "quarter 2", "quarter 3", "quarter 4"),
}  # fmt: skip
"""What the parts of a cycle are called."""

_FINER: dict[Part, GrainName] = {"day": "hour", "week": "day", "year": "month", "quarters": "month"}
GRAINS: tuple[GrainName, ...] = get_args(GrainName)
SECONDS = {"hour": 3_600, "day": 86_400, "week": 604_800}
MONTHS = {"month": 1, "quarter": 3, "year": 12}
MEAN_SECONDS = {
    "hour": 3_600.0,
    "day": 86_400.0,
    "week": 604_800.0,
    "month": 2_629_746.0,
    "quarter": 7_889_238.0,
    "year": 31_556_952.0,
}
MONDAY = 4 * 86_400
"""1970-01-05 was a Monday."""

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
        return np.asarray(np.diff(self.edges) / 86_400.0)

    def weekdays(self) -> Ints:
        """Return how many of each weekday, Monday first, each period has; shape (periods, 7).

        >>> calendar_of("month", 0, 1).weekdays().tolist()
        [[4, 4, 4, 5, 5, 5, 4]]
        """
        days = (self.edges // 86_400.0).astype(np.int64)
        # 1970-01-01 was a Thursday; how many such days lie before each edge, counted from then
        before = -(-(days[:, None] + 3 - np.arange(7)) // 7)
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
        most = 3 * 86_400 if self.grain == "week" else 0
        months = _months(self.edges[:-1].astype(np.int64) + most)
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
        return Calendar(grain, _to_zone(edges, zone), edges, first, year_start, zone)
    return Calendar(grain, edges, _from_zone(edges, zone), first, year_start, zone)


def starts(numbers: Ints, grain: GrainName, year_start: int = 1) -> Floats:
    """Return where numbered periods begin.

    >>> starts(np.array([0, 1]), "week").tolist(), starts(np.array([12]), "month").tolist()
    ([345600.0, 950400.0], [31536000.0])
    """
    if grain in SECONDS:
        return np.asarray(numbers * SECONDS[grain] + (MONDAY if grain == "week" else 0), dtype=np.float64)
    months = numbers * MONTHS[grain] + (year_start - 1 if grain != "month" else 0)
    return np.asarray(
        months.astype("datetime64[M]").astype("datetime64[s]").astype(np.int64), dtype=np.float64
    )


def numbered(moments: Floats, grain: GrainName, year_start: int = 1, zone: str | None = None) -> Ints:
    """Return the number of the period each moment lies in; whatever for moments that are NaN.

    Weeks are those of ISO 8601: they begin on Monday.

    >>> day = np.array([86400.0 * 365])
    >>> [int(numbered(day, grain)[0]) for grain in ("day", "month", "year")]
    [365, 12, 1]
    """
    # what is missing is marked elsewhere, and must only not stop the arithmetic
    at = np.nan_to_num(moments) if np.isnan(moments).any() else moments
    if zone is not None and grain != "hour":
        at = _to_zone(at, zone)
    whole = np.floor(at).astype(np.int64)
    if grain in SECONDS:
        return (whole - (MONDAY if grain == "week" else 0)) // SECONDS[grain]
    return (_months(whole) - (year_start - 1 if grain != "month" else 0)) // MONTHS[grain]


def _months(seconds: Ints) -> Ints:
    """Return whole months since January 1970."""
    days = seconds // 86_400
    if not len(days):
        return days
    # a table of days: there are far fewer of them than moments
    low = int(days.min())
    table = (
        np.arange(low, int(days.max()) + 1).astype("datetime64[D]").astype("datetime64[M]").astype(np.int64)
    )
    return np.asarray(table[days - low])


def to_zone(moments: Floats, zone: str) -> Floats:
    """Return moments told in UTC on the clock of a zone; NaN stays."""
    return np.where(np.isnan(moments), np.nan, _to_zone(np.nan_to_num(moments), zone))


def _to_zone(at: Floats, zone: str) -> Floats:
    micros = pl.Series(np.round(at * 1e6).astype(np.int64)).cast(pl.Datetime("us", "UTC"))
    local = micros.dt.convert_time_zone(zone).dt.replace_time_zone(None).cast(pl.Int64)
    return np.asarray(local.to_numpy(), dtype=np.float64) / 1e6


def _from_zone(at: Floats, zone: str) -> Floats:
    """Return places on a zone's clock in UTC: the earlier one of a doubled hour, the next after a gap."""
    local = pl.Series(np.round(at * 1e6).astype(np.int64)).cast(pl.Datetime("us"))
    told = local.dt.replace_time_zone(zone, ambiguous="earliest", non_existent="null")
    later = local.dt.offset_by("1h").dt.replace_time_zone(zone, ambiguous="earliest", non_existent="null")
    micros = told.fill_null(later).dt.convert_time_zone("UTC").cast(pl.Int64)
    return np.asarray(micros.to_numpy(), dtype=np.float64) / 1e6


def is_zone(name: str) -> bool:
    """Whether a time zone of this name is known."""
    if not name:
        return False
    try:
        pl.Series([0]).cast(pl.Datetime("us", name))
    except (pl.exceptions.PolarsError, ValueError):
        return False
    return True


def part_of(moments: Floats, part: Part, zone: str | None, year_start: int = 1) -> npt.NDArray[np.int32]:
    """Return which part of the cycle each moment lies in, counted from 0; −1 where it is missing.

    Weekdays begin on Monday; months and quarters with the first of the year.
    """
    local = moments if zone is None else to_zone(moments, zone)
    grain = _FINER[part]
    number = numbered(local, grain)
    found = {
        "day": lambda: number % 24,
        "week": lambda: (number + 3) % 7,  # 1970-01-01 was a Thursday
        "year": lambda: (number - (year_start - 1)) % 12,
        "quarters": lambda: (number - (year_start - 1)) % 12 // 3,
    }[part]()
    return np.where(np.isnan(local), -1, found).astype(np.int32)


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
    unit = 3_600.0 if calendar.grain == "hour" else 86_400.0
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
    when = dt.datetime(1970, 1, 1) + dt.timedelta(seconds=float(calendar.edges[i]))
    match calendar.grain:
        case "hour":
            return f"{when.day} {when:%B} {when.year}, {when:%H:%M}"
        case "day":
            return f"{when.day} {when:%B} {when.year}"
        case "week":
            iso = when.isocalendar()
            return f"week {iso.week} of {iso.year}"
        case "month":
            return f"{when:%B} {when.year}"
        case "quarter":
            if calendar.year_start % 3 != 1:
                return f"quarter from {when:%B} {when.year}"
            return f"quarter {(when.month - 1) // 3 + 1} of {when.year}"
    end = dt.datetime(1970, 1, 1) + dt.timedelta(seconds=float(calendar.edges[i + 1]) - 1)
    return f"{when.year}" if end.year == when.year else f"{when.year}/{end.year % 100:02d}"


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
