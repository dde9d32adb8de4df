"""Conditions read aloud, and read back from what a person typed."""

from __future__ import annotations

import calendar
import datetime as dt
import re
from typing import Any, cast

from night_trail.core.conditions import (
    Above,
    Again,
    AllOf,
    AnyOf,
    Between,
    Condition,
    Contains,
    Hexagon,
    InArea,
    Loop,
    Missing,
    Near,
    Nearest,
    Not,
    OneOf,
    Recent,
    Recurs,
    Under,
    axis_bound,
    moment,
)
from night_trail.core.errors import BadQuestion
from night_trail.core.hand import real
from night_trail.core.language.numbers import listed, number, stretch
from night_trail.core.moments import PART_NAMES, Part
from night_trail.core.places.columns import coordinates
from night_trail.core.places.flat import middle_of
from night_trail.core.table import Column, Kind, Table

SHOWN = 4
"""How many values of a list are spelled out."""


def in_words(condition: Condition, table: Table) -> str:  # noqa: C901  (one case a condition)
    """Return a condition as a phrase: ``rain_mm above 2``."""
    match condition:
        case Between():
            return f"{condition.column} {_range(condition, table.column(condition.column))}"
        case OneOf(column, values):
            shown = list(values[:SHOWN])
            rest = len(values) - len(shown)
            if rest:
                shown.append(f"{rest} more")
            return f"{column} is {listed(shown, 'or')}"
        case Contains(column, text):
            return f"{column} contains “{text}”"
        case Missing(column):
            return f"{column} is missing"
        case Recent(column, count, unit):
            return f"{column} in the last {f'{count:,} {unit}s' if count > 1 else unit}"
        case Recurs():
            return f"{condition.column} {_recurs_words(condition)}"
        case Loop(x, y):
            return f"inside a loop over {x} and {y}"
        case Hexagon():
            middle = middle_of(*condition.at, condition.parallel, condition.wide)
            return f"in the hexagon around {place_words(*middle)}"
        case InArea(_, _, _, _, called):
            return f"in {called}"
        case Near():
            return f"within {number(condition.km, 4)} km of {place_words(*condition.place)}"
        case Nearest(_, _, place, n):
            return f"the {n:,} nearest to {place_words(*place)}"
        case Above(column, other):
            return f"{column} {'after' if table.column(column).kind.temporal else 'above'} {other}"
        case Under(unit, above, top):
            return f"{unit} is {top} or below it by {above}"
        case Again(columns):
            shown = [*columns[:SHOWN], *([f"{len(columns) - SHOWN} more"] if len(columns) > SHOWN else [])]
            return f"{', '.join(shown) if columns else 'every cell'} as in an earlier row"
        case Not(Missing(column)):
            return f"{column} is not missing"
        case Not(OneOf() as inner):
            return in_words(inner, table).replace(" is ", " is not ", 1)
        case Not(part):
            return f"not ({in_words(part, table)})"
        case AllOf(parts):
            return " and ".join(_bracketed(p, table, AnyOf) for p in parts)
        case AnyOf(parts):
            return " or ".join(_bracketed(p, table, AllOf) for p in parts)


def place_words(longitude: float, latitude: float, digits: int = 4) -> str:
    """Return a place as people write it: its latitude first.

    >>> place_words(-2.871, 54.112)
    '54.112° N, 2.871° W'
    """
    north, east = round(latitude, digits), round((longitude + 180) % 360 - 180, digits)
    return f"{_degrees(north, 'S', 'N')}, {_degrees(east, 'W', 'E')}"


def _degrees(at: float, below: str, above: str) -> str:
    side = f" {below if at < 0 else above}" if at else ""
    return f"{abs(at):.9g}°{side}"


_RECURS = {"week": "on a", "year": "in any", "quarters": "in any", "day": "in the hour from"}


def _recurs_words(condition: Recurs) -> str:
    names = listed([PART_NAMES[condition.part][at] for at in condition.at], "or")
    zone = f" in {condition.zone}" if condition.zone else ""
    return f"{_RECURS[condition.part]} {names}{zone}"


def _recurs(column: Column, text: str) -> Recurs | None:
    """Return the parts of a cycle that words name: ``on a Monday or Tuesday``, ``in any March``."""
    for part, head in _RECURS.items():
        if not text.lower().startswith(head + " "):
            continue
        names, _, zone = text[len(head) :].strip().partition(" in ")
        known = {name.lower(): i for i, name in enumerate(PART_NAMES[cast(Part, part)])}
        found = [known.get(name.strip().lower()) for name in re.split(r",| or ", names)]
        if all(at is not None for at in found):
            return Recurs(column.name, cast(Part, part), tuple(cast(int, at) for at in found), zone or None)
    return None


def _bracketed(part: Condition, table: Table, kind: type) -> str:
    text = in_words(part, table)
    return f"({text})" if isinstance(part, kind) else text


def _range(condition: Between, column: Column) -> str:
    kind = column.kind
    low, high = condition.low, condition.high
    if kind.temporal:
        return _date_range(condition)
    if column.yearly:
        low, high = (None if end is None else f"{end:.0f}" for end in (low, high))
    if low is not None and high is not None:
        if low == high and condition.high_closed and not condition.low_open:
            return f"is {_bound(low)}"
        start = f"above {_bound(low)}" if condition.low_open else f"from {_bound(low)}"
        return f"{start} to {'' if condition.high_closed else 'under '}{_bound(high)}"
    if low is not None:
        return f"{'above' if condition.low_open else 'at least'} {_bound(low)}"
    return f"{'at most' if condition.high_closed else 'under'} {_bound(high)}"


def _bound(bound: float | str | None) -> str:
    return number(float(bound), 6) if isinstance(bound, float | int) else str(bound)


def _date_range(condition: Between) -> str:
    low, high = condition.low, condition.high
    if isinstance(low, str) and isinstance(high, str):
        if not condition.low_open and not condition.high_closed:
            words = stretch(moment(low), moment(high), Kind.DATETIME)
            if " to " not in words:
                return f"in {words}"
        return f"from {_shown(low)} to {'' if condition.high_closed else 'before '}{_shown(high)}"
    if low is not None:
        return f"{'after' if condition.low_open else 'from'} {_shown(low)}"
    return f"{'until' if condition.high_closed else 'before'} {_shown(high)}"


def _shown(bound: object) -> str:
    # midnight goes without saying
    return str(bound).removesuffix("T00:00:00").replace("T", " ")


_NUMBER = r"[-−+]?[\d,]*\.?\d+(?:e[-−+]?\d+)?"
_DATE = r"\d{4}-\d{2}-\d{2}(?:[ T]\d{2}:\d{2}(?::\d{2})?)?"
_CLOCK = r"\d{1,2}:\d{2}"
_VALUE = rf"({_DATE}|{_CLOCK}|{_NUMBER})"
_RANGES: tuple[tuple[re.Pattern[str], dict[str, bool]], ...] = tuple(
    (re.compile(pattern.replace("V", _VALUE), re.IGNORECASE), flags)
    for pattern, flags in (
        (r"from V to (?:under|before) V", {}),
        (r"from V to V", {"high_closed": True}),
        (r"between V and V", {"high_closed": True}),
        (r"above V to under V", {"low_open": True}),
        (r"above V to V", {"low_open": True, "high_closed": True}),
        (r"(?:above|over|after|>) ?V", {"low_open": True}),
        (r"(?:at least|from|since|>=|≥) ?V", {}),
        (r"(?:under|below|before|<) ?V", {"up": True}),
        (r"(?:at most|until|<=|≤) ?V", {"up": True, "high_closed": True}),
    )
)


def from_words(text: str, table: Table) -> Condition:
    """Return the condition a person typed.

    ``rain_mm above 2``, ``district is Quayside or Foundry``, several joined
    by ``and`` and ``or`` (*and* binds closer), brackets and ``not (…)``.

    Raises
    ------
    BadQuestion
        Where no column, or no condition on it, can be read.
    """
    either = _split(text, "or", table)
    if len(either) > 1:
        return AnyOf(tuple(from_words(part, table) for part in either))
    both = _split(text, "and", table)
    if len(both) > 1:
        return AllOf(tuple(from_words(part, table) for part in both))
    text = text.strip()
    if found := re.match(r"not (?=\()", text, re.IGNORECASE):
        return Not(from_words(text[found.end() :], table))
    if text.startswith("(") and text.endswith(")"):
        return from_words(text[1:-1], table)
    return _one(text, table)


def parts_from_words(text: str, table: Table) -> tuple[Condition, ...]:
    """Return typed conditions that are joined by ``and``, each for itself."""
    if len(_split(text, "or", table)) > 1:
        return (from_words(text, table),)
    parts = _split(re.sub(r"\band only ", "and ", text, flags=re.IGNORECASE), "and", table)
    return tuple(from_words(part, table) for part in parts)


def _split(text: str, word: str, table: Table) -> list[str]:
    """Return the parts between a word that stands outside brackets and quotes, and before a condition."""
    parts, start, depth = [], 0, 0
    quoted = False
    for i, letter in enumerate(text):
        if letter in '“”"':
            quoted = letter == "“" or (letter == '"' and not quoted)
        depth += (letter == "(") - (letter == ")") if not quoted else 0
        if depth == 0 and not quoted and text[i : i + len(word) + 2].lower() == f" {word} ":
            behind = text[i + len(word) + 2 :].lstrip()
            begins = (
                re.match(r"\(|not \(|within \d", behind, re.IGNORECASE)
                or take_column(behind, table)[0] is not None
            )
            if begins and i >= start:
                parts.append(text[start:i])
                start = i + len(word) + 2
    return [*parts, text[start:]]


def _one(text: str, table: Table) -> Condition:  # noqa: C901  (one case a phrase)
    """Return the condition on one column that a text states."""
    if (again := _again(text, table)) is not None:
        return again
    if (near := _near(text, table)) is not None:
        return near
    column, rest = take_column(text, table)
    if column is None:
        raise BadQuestion(
            f"“{text.strip()}” does not begin with a column", table.name, "Write it like: rain_mm above 2."
        )
    lowered = rest.lower()
    if lowered == "is missing":
        return Missing(column.name)
    if lowered == "is not missing":
        return Not(Missing(column.name))
    for head, negated in (("is not ", True), ("is ", False), ("= ", False)):
        if lowered.startswith(head):
            return _values(column, rest[len(head) :], negated)
    if found := re.fullmatch(r"in the last (?:(\d{1,5}) )?(day|week|month|year)s?", lowered):
        return Recent(column.name, int(found[1] or 1), cast(Any, found[2]))
    if column.kind.temporal and (recurs := _recurs(column, rest)):
        return recurs
    if lowered.startswith("contains "):
        return Contains(column.name, rest[9:].strip(" \"“”'"))
    if column.kind.temporal and lowered.startswith("in ") and (period := _period(lowered[3:])):
        return Between(column.name, period[0], period[1])
    if (above := _above(column, rest, table)) is not None:
        return above
    for pattern, flags in _RANGES:
        if found := pattern.fullmatch(rest):
            return _ranged(column, found, dict(flags))
    raise BadQuestion(
        f"“{rest}” is not a condition on {column.name}",
        "",
        "Write: above 2, from 2 to 5, is Quayside, contains bus, or is missing.",
    )


def _again(text: str, table: Table) -> Again | None:
    """Return the condition of ``every cell as in an earlier row``, or of columns before these words."""
    found = re.fullmatch(r"(.+?) as in an earlier row", text.strip(), re.IGNORECASE)
    if found is None:
        return None
    names: list[str] = []
    rest = "" if found[1].lower() == "every cell" else found[1]
    while rest:
        column, rest = take_column(rest, table)
        if column is None:
            raise BadQuestion(f"“{rest}” is no column", table.name, "Write: every cell as in an earlier row.")
        names.append(column.name)
        rest = rest.lstrip(", ")
    return Again(tuple(names))


_NEAR = re.compile(
    r"(?:within (\d[\d,]*(?:\.\d+)?) ?km of|the (\d[\d,]*) nearest to) "
    r"([-−+]?\d+(?:\.\d+)?)(?: ?°)?(?: ?([NS]))?"
    r"[,;]? +([-−+]?\d+(?:\.\d+)?)(?: ?°)?(?: ?([EW]))?",
    re.IGNORECASE,
)


def _near(text: str, table: Table) -> Near | Nearest | None:
    """Return the condition of a distance from a place, latitude first.

    ``within 5 km of 54.1, -2.87``, or ``the 20 nearest to 54.1, -2.87``.
    """
    found = _NEAR.fullmatch(text.strip())
    if found is None:
        return None
    where = coordinates(table)
    if where is None:
        raise BadQuestion("No column says where rows lie", table.name, "It needs a latitude and a longitude.")
    far, north, east = (
        float((found[i] or "0").replace(",", "").replace("−", "-")) for i in (1 if found[1] else 2, 3, 5)
    )
    north *= -1 if (found[4] or "").upper() == "S" else 1
    east *= -1 if (found[6] or "").upper() == "W" else 1
    most = 25_000 if found[1] else 1_000_000
    if not (0 < far <= most and abs(north) <= 90 and abs(east) <= 360):
        raise BadQuestion(f"“{text.strip()}” is nowhere on Earth", table.name, "Write the latitude first.")
    return Near(*where, (east, north), far) if found[1] else Nearest(*where, (east, north), int(far))


def _above(column: Column, rest: str, table: Table) -> Above | None:
    """Return the condition of a column above or under another: ``planned above boardings``."""
    found = re.match(r"(above|over|after|>|under|below|before|<) ?", rest, re.IGNORECASE)
    if found is None or not column.kind.measured:
        return None
    other, more = take_column(rest[found.end() :], table)
    if other is None or more or not other.kind.measured:
        return None
    low = found[1].lower() in ("under", "below", "before", "<")
    return Above(other.name, column.name) if low else Above(column.name, other.name)


_MONTHS = {name.lower(): i for i, name in enumerate(calendar.month_name) if name}


def _period(text: str) -> tuple[str, str] | None:
    """Return the first day of a calendar period and the day after it, None where it is none.

    >>> _period("march 2022"), _period("quarter 4 of 2021")
    (('2022-03-01', '2022-04-01'), ('2021-10-01', '2022-01-01'))
    """
    if found := re.fullmatch(r"(\d{4})(?:[-–](\d{4}))?", text):
        return f"{found[1]}-01-01", f"{int(found[2] or found[1]) + 1:04d}-01-01"
    if found := re.fullmatch(r"quarter ([1-4]) of (\d{4})", text):
        return _months(int(found[2]), 3 * int(found[1]) - 2, 3)
    found = re.fullmatch(r"(week from )?(?:(\d{1,2}) )?([a-z]+) (\d{4})", text)
    if not found or found[3] not in _MONTHS or (found[1] and not found[2]):
        return None
    if not found[2]:
        return _months(int(found[4]), _MONTHS[found[3]], 1)
    try:
        day = dt.date(int(found[4]), _MONTHS[found[3]], int(found[2]))
    except ValueError:
        return None
    return day.isoformat(), (day + dt.timedelta(days=7 if found[1] else 1)).isoformat()


def _months(year: int, month: int, count: int) -> tuple[str, str]:
    after = month + count - 1
    return f"{year:04d}-{month:02d}-01", f"{year + after // 12:04d}-{after % 12 + 1:02d}-01"


def _values(column: Column, text: str, negated: bool) -> Condition:
    values = tuple(v.strip(' "“”') for v in re.split(r",| or ", text) if v.strip(' "“”'))
    if not values:
        raise BadQuestion(f"No value of {column.name} is given", "", "Write it like: district is Quayside.")
    if column.kind.numeric and len(values) == 1 and re.fullmatch(_NUMBER, values[0]):
        at = _number(values[0])
        same = Between(column.name, at, at, high_closed=True)
        return Not(same) if negated else same
    condition = OneOf(column.name, values)
    return Not(condition) if negated else condition


def _ranged(column: Column, found: re.Match[str], flags: dict[str, bool]) -> Between:
    bounds: list[float | str] = []
    for text in found.groups():
        is_date = re.fullmatch(_DATE, text) is not None
        bounds.append(text.replace(" ", "T") if is_date and column.kind.temporal else _number(text))
        axis_bound(bounds[-1], column.kind, column.name)
    upward = flags.pop("up", False)
    low = None if upward else bounds[0]
    high = bounds[-1] if upward or len(bounds) == 2 else None
    return Between(column.name, low, high, **flags)


def _number(text: str) -> float:
    if re.fullmatch(_CLOCK, text):
        hours, _, minutes = text.partition(":")
        return int(hours) + int(minutes) / 60
    return real(text)


def take_column(text: str, table: Table) -> tuple[Column | None, str]:
    """Return the column a text begins with (the longest that fits) and what follows it."""
    for fold in (False, True):
        start = text.lower() if fold else text
        best: Column | None = None
        for column in table.columns:
            name = column.name.lower() if fold else column.name
            ends = len(start) == len(name) or not (
                start[len(name) : len(name) + 1].isalnum() or start[len(name) : len(name) + 1] == "_"
            )
            if start.startswith(name) and ends and (best is None or len(column.name) > len(best.name)):
                best = column
        if best is not None:
            return best, text[len(best.name) :].strip()
    return None, text
