"""Moments of time: seconds since 1970-01-01 on a column's own clock, and the one engine of calendars.

Seconds become dates and dates seconds here alone; so do the numbers of hours,
days, weeks, months, quarters and years, their starts, and the clocks of zones.
"""

from __future__ import annotations

import datetime as dt
from typing import Literal, get_args

import numpy as np
import numpy.typing as npt
import polars as pl

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]

EPOCH = dt.datetime(1970, 1, 1)
HOUR, DAY, WEEK = 3_600.0, 86_400.0, 604_800.0
FIRST_WEEKDAY = 3
"""1970-01-01 was a Thursday, the fourth day of a week that begins on Monday."""

GrainName = Literal["hour", "day", "week", "month", "quarter", "year"]
GRAINS: tuple[GrainName, ...] = get_args(GrainName)
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
SECONDS: dict[str, int] = {"hour": 3_600, "day": 86_400, "week": 604_800}
"""Grains of a fixed length."""
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


FIRST = (dt.datetime.min - EPOCH).total_seconds()
LAST = (dt.datetime.max.replace(microsecond=0) - EPOCH).total_seconds()
"""The ends of the calendar: 9999-12-31 stands for what is not known yet, and a step behind it is none."""


def when(seconds: float) -> dt.datetime:
    """Return a moment as a date-time, to the microsecond; one beyond the calendar as its end.

    >>> when(90000.0), when(1e12).year
    (datetime.datetime(1970, 1, 2, 1, 0), 9999)
    """
    return EPOCH + dt.timedelta(seconds=round(min(max(seconds, FIRST), LAST), 6))


def seconds_of(at: dt.date) -> float:
    """Return a date, or a date-time without a zone, as seconds.

    >>> seconds_of(dt.date(1970, 1, 2)), seconds_of(dt.datetime(1970, 1, 1, 1))
    (86400.0, 3600.0)
    """
    told = at if isinstance(at, dt.datetime) else dt.datetime(at.year, at.month, at.day)
    return (told - EPOCH).total_seconds()


def year_starts(years: Ints) -> Floats:
    """Return the moments years begin at.

    Shape (n,), whole years, none missing.

    >>> year_starts(np.array([1970, 1971])).tolist()
    [0.0, 31536000.0]
    """
    return starts(years - 1970, "year")


def weekday(days: Ints) -> Ints:
    """Return the weekday of days counted from 1970-01-01, Monday as 0.

    Shape (n,), none missing.

    >>> weekday(np.array([0, 4])).tolist()
    [3, 0]
    """
    return (days + FIRST_WEEKDAY) % 7


def starts(numbers: Ints, grain: GrainName, year_start: int = 1) -> Floats:
    """Return where numbered periods begin.

    ``numbers`` has shape (n,), counted from the period of 1970-01-01.

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
        at = on_clock(at, zone)
    whole = np.floor(at).astype(np.int64)
    if grain in SECONDS:
        return (whole - (MONDAY if grain == "week" else 0)) // SECONDS[grain]
    return (months_of(whole) - (year_start - 1 if grain != "month" else 0)) // MONTHS[grain]


def months_of(seconds: Ints) -> Ints:
    """Return whole months since January 1970.

    Shape (n,), none missing; whole seconds.
    """
    days = seconds // SECONDS["day"]
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
    return np.where(np.isnan(moments), np.nan, on_clock(np.nan_to_num(moments), zone))


def on_clock(at: Floats, zone: str) -> Floats:
    """Return moments told in UTC, none missing, on the clock of a zone."""
    micros = pl.Series(np.round(at * 1e6).astype(np.int64)).cast(pl.Datetime("us", "UTC"))
    local = micros.dt.convert_time_zone(zone).dt.replace_time_zone(None).cast(pl.Int64)
    return np.asarray(local.to_numpy(), dtype=np.float64) / 1e6


def from_zone(at: Floats, zone: str) -> Floats:
    """Return places on a zone's clock in UTC: the earlier one of a doubled hour, the next after a gap.

    Shape (n,), none missing; in seconds.
    """
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
    match part:
        case "day":
            found = number % 24
        case "week":
            found = weekday(number)
        case "year":
            found = (number - (year_start - 1)) % 12
        case "quarters":
            found = (number - (year_start - 1)) % 12 // 3
    return np.where(np.isnan(local), -1, found).astype(np.int32)
