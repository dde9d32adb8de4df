"""Stretches of time as people name them: in 2024, since June, last winter, on Saturdays."""

from __future__ import annotations

import calendar
import datetime as dt
import re
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from night_trail.core.moments import Part
from night_trail.core.words_in.tokens import Token

Unit = Literal["day", "week", "month", "year"]


@dataclass(frozen=True)
class Stretch:
    """From a day until before another; None where it is open."""

    low: dt.date | None
    high: dt.date | None


@dataclass(frozen=True)
class Recurring:
    """Parts of a cycle, counted from 0."""

    part: Part
    at: tuple[int, ...]


@dataclass(frozen=True)
class Newest:
    """The last so many units of what there is."""

    count: int
    unit: Unit


When = Stretch | Recurring | Newest


@dataclass(frozen=True)
class Named:
    """A stretch that tokens name: so many of them; ``relative`` where it was counted from the last day."""

    when: When
    length: int
    relative: bool = False
    guess: str = ""


_MONTHS = {name.lower(): i for i, name in enumerate(calendar.month_name) if name}
_MONTHS |= {name.lower(): i for i, name in enumerate(calendar.month_abbr) if name} | {"sept": 9}
_DAYS = {name.lower(): i for i, name in enumerate(calendar.day_name)}
_DAYS |= {name.lower() + "s": i for i, name in enumerate(calendar.day_name)}
_DAYS |= {name.lower(): i for i, name in enumerate(calendar.day_abbr)} | {"tues": 1, "thurs": 3}
_SEASONS = {"winter": 12, "spring": 3, "summer": 6, "autumn": 9}
SEASON_ENDS = {name: (first + 1) % 12 + 1 for name, first in _SEASONS.items()}
"""The last month of each season."""
_HOURS = {
    "mornings": range(6, 12), "morning": range(6, 12), "afternoons": range(12, 18),
    "afternoon": range(12, 18), "evenings": range(18, 22), "evening": range(18, 22),
}  # fmt: skip
_NTH = {"first": 1, "second": 2, "third": 3, "fourth": 4, "last": 4, "1": 1, "2": 2, "3": 3, "4": 4}
_LAST = {"last", "past", "previous", "latest"}


def named_at(tokens: Sequence[Token], at: int, last: dt.date, first: dt.date | None = None) -> list[Named]:
    """Return the stretches of time that are named from a token on, the longest first.

    ``last`` and ``first`` are the days of the table from which “last winter” and
    “the first 3 months” are counted.
    """
    lows = [token.low for token in tokens[at : at + 9]]
    found = [
        *_beginning(lows, first),
        *_open(lows, last),
        *_relative(lows, last),
        *_ranges(lows, last),
        *_recurring(lows),
    ]
    if single := _period(lows, last):
        found.append(single)
    return sorted(found, key=lambda named: -named.length)


def _year(word: str) -> int | None:
    return int(word) if re.fullmatch(r"1[5-9]\d\d|20\d\d|21\d\d", word) else None


def _add(year: int, month: int, months: int) -> dt.date:
    """Return the first of the month so many months on."""
    whole = year * 12 + month - 1 + months
    return dt.date(whole // 12, whole % 12 + 1, 1)


def _months(year: int, month: int, months: int) -> Stretch:
    return Stretch(dt.date(year, month, 1), _add(year, month, months))


def season(name: str, last: dt.date, ongoing: bool = False) -> Stretch:
    """Return the last season of a name that is over by a day, or the one going on or to come."""
    year = last.year + 1
    while True:
        found = _months(year, _SEASONS[name], 3)
        assert found.low is not None and found.high is not None  # noqa: S101  (both ends are given)
        if (found.low <= last and ongoing) or found.high <= last + dt.timedelta(days=1):
            return found
        year -= 1


def _period(lows: Sequence[str], last: dt.date) -> Named | None:  # noqa: C901  (one case a form)
    """Return a calendar period that words begin with: a day, month, quarter, year, decade."""
    if not lows:
        return None
    first, rest = lows[0], lows[1:]
    if re.fullmatch(r"\d{4}-\d{2}-\d{2}", first):
        try:
            day = dt.date.fromisoformat(first)
        except ValueError:
            return None
        return Named(Stretch(day, day + dt.timedelta(days=1)), 1)
    if found := re.fullmatch(r"(1[5-9]\d|20\d)0s", first):
        year = int(found[1]) * 10
        return Named(Stretch(dt.date(year, 1, 1), dt.date(year + 10, 1, 1)), 1)
    if (year_ := _year(first)) is not None:
        if len(rest) and rest[0] in ("s",) and year_ % 10 == 0:
            return Named(Stretch(dt.date(year_, 1, 1), dt.date(year_ + 10, 1, 1)), 2)
        return Named(_months(year_, 1, 12), 1)
    if first in _MONTHS and rest and (year_ := _year(rest[0])) is not None:
        return Named(_months(year_, _MONTHS[first], 1), 2)
    if first in _SEASONS and rest and (year_ := _year(rest[0])) is not None:
        return Named(_months(year_, _SEASONS[first], 3), 2)
    if first in ("q1", "q2", "q3", "q4") and rest and (year_ := _year(rest[0])) is not None:
        return Named(_months(year_, 3 * int(first[1]) - 2, 3), 2)
    words = [w for w in lows if w not in ("of", "the")]
    if (
        len(words) > 2
        and words[0] == "quarter"
        and words[1] in "1234"
        and (year_ := _year(words[2])) is not None
    ):
        return Named(_months(year_, 3 * int(words[1]) - 2, 3), lows.index(words[2]) + 1)
    if found_half := _half(lows):
        return found_half
    if (
        len(words) > 2
        and words[0] in _NTH
        and words[1] == "quarter"
        and (year_ := _year(words[2])) is not None
    ):
        return Named(_months(year_, 3 * _NTH[words[0]] - 2, 3), lows.index(words[2]) + 1)
    if re.fullmatch(r"\d{1,2}", first) and len(rest) > 1 and rest[0] in _MONTHS:
        return _day(int(first), _MONTHS[rest[0]], rest[1], 3)
    if first in _MONTHS and len(rest) > 1 and re.fullmatch(r"\d{1,2}", rest[0]):
        behind = 2 if rest[1] == "," and len(rest) > 2 else 1
        return _day(int(rest[0]), _MONTHS[first], rest[behind], behind + 2)
    return None


def _half(lows: Sequence[str]) -> Named | None:
    """Return the first or second half of a month or a year."""
    if len(lows) < 4 or lows[0] not in ("first", "second") or lows[1] != "half" or lows[2] != "of":
        return None
    second = lows[0] == "second"
    if (year := _year(lows[3])) is not None:
        return Named(_months(year, 7 if second else 1, 6), 4)
    if lows[3] in _MONTHS and len(lows) > 4 and (year := _year(lows[4])) is not None:
        begin, middle = dt.date(year, _MONTHS[lows[3]], 1), dt.date(year, _MONTHS[lows[3]], 16)
        return Named(Stretch(middle, _add(year, begin.month, 1)) if second else Stretch(begin, middle), 5)
    return None


def _day(day: int, month: int, year: str, length: int) -> Named | None:
    if (its := _year(year)) is None:
        return None
    try:
        found = dt.date(its, month, day)
    except ValueError:
        return None
    return Named(Stretch(found, found + dt.timedelta(days=1)), length)


_SINCE = {
    "since": "low",
    "after": "after",
    "before": "high",
    "until": "until",
    "till": "until",
    "to": "until",
}


def _open(lows: Sequence[str], last: dt.date) -> list[Named]:
    """Return what is open at one end: since June, before 1970, from 2022 on."""
    found: list[Named] = []
    if not lows:
        return found
    head, skip = lows[0], 1
    ahead = list(lows[1:])
    if ahead[:1] == ["the"]:
        ahead, skip = ahead[1:], 2
    if head in _SINCE and head != "to":
        period = _period(ahead, last) or _bare_month(ahead, last) or next(iter(_relative(ahead, last)), None)
        if period is not None and isinstance(period.when, Stretch):
            low, high = period.when.low, period.when.high
            side = _SINCE[head]
            whole = {
                "low": Stretch(low, None),
                "after": Stretch(high, None),
                "high": Stretch(None, low),
                "until": Stretch(None, high),
            }[side]
            found.append(Named(whole, period.length + skip, period.relative))
    if head in ("from", "starting"):
        period = _period(ahead, last)
        if period is not None and isinstance(period.when, Stretch):
            behind = list(ahead[period.length :])
            on = 1 if behind[:1] in (["on"], ["onwards"], ["onward"]) else 0
            found.append(Named(Stretch(period.when.low, None), period.length + skip + on))
    return found


def _bare_month(lows: Sequence[str], last: dt.date) -> Named | None:
    """Return the newest month of a name that has begun, or season: since June."""
    if lows and lows[0] in _MONTHS:
        month = _MONTHS[lows[0]]
        year = last.year if month <= last.month else last.year - 1
        return Named(_months(year, month, 1), 1, relative=True)
    if lows and lows[0] in _SEASONS:
        return Named(season(lows[0], last, ongoing=True), 1, relative=True)
    return None


def _ranges(lows: Sequence[str], last: dt.date) -> list[Named]:
    """Return what has two ends: from 2022 to 2023, 1990 - 2000, between May 2022 and June 2022."""
    head = 1 if lows[:1] in (["from"], ["between"]) else 0
    first = _period(lows[head:], last)
    if first is None or not isinstance(first.when, Stretch):
        return []
    behind = lows[head + first.length :]
    if not behind or behind[0] not in ("to", "until", "and", "through", "till", "-", "–"):
        # years joined by a dash are two numbers
        joined = head == 0 and len(lows) > 1 and _year(lows[0]) and _year(lows[1])
        if not joined:
            return []
        second = _period(lows[1:], last)
        used = 1
    else:
        if behind[0] == "and" and head == 0:
            return []
        second = _period(behind[1:], last)
        used = head + first.length + 1
    if second is None or not isinstance(second.when, Stretch):
        return []
    low, high = first.when.low, second.when.high
    if low is None or high is None or low >= high:
        return []
    return [Named(Stretch(low, high), used + second.length)]


def _relative(lows: Sequence[str], last: dt.date) -> list[Named]:  # noqa: C901  (one case a form)
    """Return what is counted from the last day: last winter, this year, the last 30 days."""
    words = list(lows)
    skip = 0
    if words[:1] == ["the"]:
        words, skip = words[1:], 1
    if len(words) >= 3 and re.fullmatch(r"\d{1,4}", words[0]) and words[1].rstrip("s") in ("month", "year"):
        # the 12 months before March 2023
        end = _period(words[3:], last) if words[2] in ("before", "until") else None
        if end is not None and isinstance(end.when, Stretch):
            edge = end.when.low if words[2] == "before" else end.when.high
            months = int(words[0]) * (12 if words[1].startswith("year") else 1)
            if edge is not None and months <= 12 * (edge.year - 1):
                low = _add(edge.year, edge.month, -months)
                return [Named(Stretch(low, edge), 3 + end.length + skip)]
    if len(words) < 2:
        return []
    head = words[0]
    if head in _LAST and re.fullmatch(r"\d{1,4}", words[1]) and len(words) > 2:
        unit, count = words[2].rstrip("s"), int(words[1])
        if unit == "quarter":
            unit, count = "month", 3 * count
        if unit in ("day", "week", "month", "year") and count > 0:
            return [Named(Newest(count, unit), 3 + skip, relative=True)]  # type: ignore[arg-type]
    if head in _LAST | {"this", "current"}:
        found = _this_or_last(words[1], head in ("this", "current"), last)
        if found is not None:
            return [Named(found, 2 + skip, relative=True)]
    return []


def _beginning(lows: Sequence[str], first: dt.date | None) -> list[Named]:
    """Return what the table begins with: the first 3 months, the first year."""
    skip = 1 if lows[:1] == ["the"] else 0
    words = list(lows[skip : skip + 3])
    if first is None or len(words) < 2 or words[0] != "first":
        return []
    counted = re.fullmatch(r"\d{1,3}", words[1]) is not None and len(words) > 2
    count, unit = (int(words[1]), words[2]) if counted else (1, words[1])
    unit = unit.removesuffix("s")
    length = (3 if counted else 2) + skip
    if unit in ("day", "week") and count:
        end = first + dt.timedelta(days=count * (7 if unit == "week" else 1))
        return [Named(Stretch(first, end), length, relative=True)]
    months = {"month": 1, "quarter": 3, "year": 12}.get(unit)
    if not months or not count or first.year + count > 9_000:
        return []
    begin = (first.month - 1) // months * months + 1
    return [Named(_months(first.year, begin, months * count), length, relative=True)]


def _this_or_last(unit: str, this: bool, last: dt.date) -> Stretch | None:
    """Return the calendar period that holds the last day, or the newest that is over."""
    if unit in _SEASONS:
        return season(unit, last, ongoing=this)
    tomorrow = last + dt.timedelta(days=1)
    if unit == "week":
        monday = last - dt.timedelta(days=last.weekday())
        found = Stretch(monday, monday + dt.timedelta(days=7))
        back = dt.timedelta(days=7)
        over = found.high is not None and found.high <= tomorrow
        return found if this or over else Stretch(monday - back, monday)
    months = {"month": 1, "quarter": 3, "year": 12}.get(unit)
    if months is None:
        if unit in _MONTHS:
            newest = _bare_month([unit], last)
            assert newest is not None and isinstance(newest.when, Stretch)  # noqa: S101  (a month's name)
            complete = newest.when.high is not None and newest.when.high <= tomorrow
            low = newest.when.low
            assert low is not None  # noqa: S101  (a month has both ends)
            return newest.when if this or complete else _months(low.year - 1, low.month, 1)
        return None
    first = (last.month - 1) // months * months + 1
    found = _months(last.year, first, months)
    over = found.high is not None and found.high <= tomorrow
    if this or over:
        return found
    earlier = _add(last.year, first, -months)
    return _months(earlier.year, earlier.month, months)


def _recurring(lows: Sequence[str]) -> list[Named]:  # noqa: C901  (one case a form)
    """Return parts of the day, week or year: on Saturdays and Sundays, in any June, mornings, Q3."""
    if not lows:
        return []
    first, rest = lows[0], list(lows[1:])
    if first in ("weekend", "weekends"):
        return [Named(Recurring("week", (5, 6)), 1)]
    if first in ("workday", "workdays") or (first == "weekdays"):
        return [Named(Recurring("week", (0, 1, 2, 3, 4)), 1)]
    if first in _HOURS:
        return [Named(Recurring("day", tuple(_HOURS[first])), 1, guess=_hours_words(_HOURS[first]))]
    if first == "at" and rest[:1] in (["night"], ["nights"]):
        return [Named(Recurring("day", (22, 23, 0, 1, 2, 3, 4)), 2, guess="22:00 to 05:00")]
    if first == "after" and rest[:1] == ["midnight"]:
        return [Named(Recurring("day", tuple(range(6))), 2, guess=_hours_words(range(6)))]
    if first == "before" and rest[:1] == ["midnight"]:
        return [Named(Recurring("day", tuple(range(18, 24))), 2, guess=_hours_words(range(18, 24)))]
    if first in _SEASONS:
        begin = _SEASONS[first] - 1
        return [Named(Recurring("year", tuple((begin + i) % 12 for i in range(3))), 1)]
    if first in ("q1", "q2", "q3", "q4"):
        return [Named(Recurring("quarters", (int(first[1]) - 1,)), 1)]
    if first == "quarter" and rest and rest[0] in ("1", "2", "3", "4"):
        return [Named(Recurring("quarters", (int(rest[0]) - 1,)), 2)]
    for names, part in ((_DAYS, "week"), ({k: v - 1 for k, v in _MONTHS.items()}, "year")):
        if first in names:
            return _several(lows, names, part)  # type: ignore[arg-type]
    return []


def _several(lows: Sequence[str], names: dict[str, int], part: Part) -> list[Named]:
    """Return one named part, and all of a list of them."""
    at, used = [names[lows[0]]], 1
    found = [Named(Recurring(part, (at[0],)), 1)]
    while used < len(lows):
        joined = 1 if lows[used] in ("and", "or", ",", "to") else 0
        if not joined or used + 1 >= len(lows) or lows[used + 1] not in names:
            break
        to = names[lows[used + 1]]
        if lows[used] == "to" and to > at[-1]:
            at += list(range(at[-1] + 1, to))
        at.append(to)
        used += 2
        found.append(Named(Recurring(part, tuple(dict.fromkeys(at))), used))
    return found


def _hours_words(hours: range) -> str:
    return f"{hours.start:02d}:00 to {hours.stop % 24:02d}:00"
