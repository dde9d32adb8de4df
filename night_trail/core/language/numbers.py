"""Numbers and dates as a reader wants them."""

from __future__ import annotations

import datetime as dt
import math
from collections.abc import Sequence
from functools import lru_cache

from night_trail.core.moments import LAST, when
from night_trail.core.table import CLOCK, YEAR, Kind

THIN = "\u2009"
"""The space between a number and the percent sign."""

MINUS = "−"


def number(value: float, digits: int = 4) -> str:
    """Return a number with at most ``digits`` significant digits, thousands separated.

    Whole numbers keep all their digits up to a million million.

    >>> number(12345.678), number(0.000123456), number(-3.0), number(1e15), number(1.2345e12)
    ('12,350', '0.0001235', '−3', '1e15', '1,234,000,000,000')
    """
    if math.isnan(value):
        return "—"
    if math.isinf(value):
        return "∞" if value > 0 else MINUS + "∞"
    if value == int(value) and abs(value) < 1e12:
        return f"{int(value):,}".replace("-", MINUS)
    size = math.floor(math.log10(abs(value)))
    if size < -5 or size >= 15:
        mantissa, _, power = f"{value:.{digits - 1}e}".partition("e")
        mantissa = mantissa.rstrip("0").rstrip(".") if "." in mantissa else mantissa
        return f"{mantissa}e{int(power)}".replace("-", MINUS)
    text = f"{round(value, digits - 1 - size):,.{max(0, digits - 1 - size)}f}"
    if "." in text:
        text = text.rstrip("0").rstrip(".")
    return text.replace("-", MINUS)


def bare(value: float, unit: str, digits: int = 4) -> str:
    """Return a number as its unit wants it written, without the unit: years have no thousands.

    >>> bare(1984.0, "year"), bare(2014.900585, "year"), bare(1984.0, "min"), bare(23.5, "o'clock")
    ('1984', '2014.9', '1,984', '23:30')
    """
    if unit == CLOCK and math.isfinite(value):
        minutes = round(value * 60)
        return f"{minutes // 60:02d}:{minutes % 60:02d}"
    if unit == YEAR and abs(value) >= 100:
        # a year has no separators, and a mean of years no more places than say something
        return f"{value:.2f}".rstrip("0").rstrip(".")
    return f"{value:.10g}" if unit == YEAR and value == int(value) else number(value, digits)


def with_unit(value: float, unit: str, digits: int = 4) -> str:
    r"""Return a number with its unit.

    >>> with_unit(4.1, "min"), with_unit(12.0, "")
    ('4.1\xa0min', '12')
    """
    return bare(value, unit, digits) + unit_suffix(unit)


def unit_suffix(unit: str) -> str:
    """Return the unit with the space before it, or nothing.

    Spaces do not break, so that a figure stays with its unit.
    """
    if not unit or unit in (YEAR, CLOCK):
        return ""
    return THIN + unit if unit == "%" else "\u00a0" + unit


@lru_cache(maxsize=4_096)
def percent(share: float, digits: int = 2) -> str:
    r"""Return a share as per cent; never 0 % or 100 % for what is not.

    >>> percent(0.6213), percent(0.00001), percent(0.99999), percent(1)
    ('62\u2009%', 'under 0.1\u2009%', 'over 99.9\u2009%', '100\u2009%')
    """
    if 0 < share < 0.001:
        return f"under 0.1{THIN}%"
    if 0.999 < share < 1:
        return f"over 99.9{THIN}%"
    return number(100 * share, digits) + THIN + "%"


def day(seconds: float) -> str:
    """Return a place on a date axis as a day: ``1 January 2021``."""
    at = when(seconds)
    return f"{at.day} {at:%B} {at.year}"


def moment(seconds: float, kind: Kind) -> str:
    """Return a place on a date axis in words, with the time of day where it has one."""
    at = when(seconds)
    if kind == Kind.DATE or (at.hour, at.minute, at.second) == (0, 0, 0):
        return day(seconds)
    return f"{day(seconds)} {at:%H:%M}"


def value(at: float, kind: Kind, unit: str = "", digits: int = 4) -> str:
    """Return a value of a measured column in words."""
    return moment(at, kind) if kind.temporal else with_unit(at, unit, digits)


def stretch(low: float, high: float, kind: Kind, unit: str = "") -> str:
    """Return a left-closed range in words; calendar units by their own names."""
    if kind.temporal:
        return f"{value(low, kind)} and later" if high > LAST else _calendar_stretch(low, high, kind)
    return f"{bare(low, unit, 6)} to {with_unit(high, unit, 6)}"


def _calendar_stretch(low: float, high: float, kind: Kind) -> str:
    start, end = when(low), when(high)
    midnight = all((w.hour, w.minute, w.second) == (0, 0, 0) for w in (start, end))
    if midnight and (start.day, end.day) == (1, 1):
        months = (end.year - start.year) * 12 + end.month - start.month
        if months == 1:
            return f"{start:%B} {start.year}"
        if months == 3 and start.month % 3 == 1:
            return f"quarter {start.month // 3 + 1} of {start.year}"
        if months % 12 == 0 and start.month == 1:
            return f"{start.year}" if months == 12 else f"{start.year}–{end.year - 1}"
    if midnight and end - start == dt.timedelta(days=1):
        return day(low)
    if midnight and end - start == dt.timedelta(days=7):
        return f"week from {day(low)}"
    return f"{moment(low, kind)} to {moment(high, kind)}"


def listed(items: Sequence[str], last: str = "and") -> str:
    """Return items as a list in a sentence.

    >>> listed(["a", "b", "c"]), listed(["a", "b"], "or"), listed(["a"])
    ('a, b and c', 'a or b', 'a')
    """
    if len(items) < 2:
        return "".join(items)
    return f"{', '.join(items[:-1])} {last} {items[-1]}"


def counted(count: int, one: str, many: str | None = None) -> str:
    """Return a count with its noun.

    >>> counted(1, "row"), counted(1200, "row")
    ('1 row', '1,200 rows')
    """
    return f"{count:,} {one if count == 1 else many or one + 's'}"
