"""Whether it makes sense to sum a number: by whole words of its name, its unit, its values, its fellows.

What is only guessed is held as a guess: pictures begin with it, and never
blame an analyst who asks otherwise.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import msgspec
import numpy as np
import polars as pl

from night_trail.core.reading.numbers import currency_of, unit_of
from night_trail.core.table import CLOCK, OF_CALENDAR, YEAR, Bools, Column, Floats, Kind, on_axis


@dataclass(frozen=True)
class Summing:
    """Whether a number adds up, is a stock or a code, why, and whether that is more than a guess."""

    additive: bool
    reason: str
    sure: bool = False
    stock: bool = False
    code: bool = False


_RATES = set(
    "rate rates ratio pct percent percentage share proportion fraction avg average mean median "
    "per density probability prob percentile quantile temp temperature latitude longitude speed "
    "velocity coefficient concentration std stdev variance index indices".split()
)
_UNIT_RATES = {"%", "°C", "°F", "km/h", "m/s", "mph", "dB", "°"}
_TOTALS = set("total totals sum subtotal count counts cnt qty quantity quantities num nb n number".split())
_STOCKS = set(
    "population pop balance balances inventory stock headcount employees subscribers members "
    "residents inhabitants backlog outstanding debt assets liabilities cumulative cum".split()
)
_FLOWS = set(
    "sales revenue revenues turnover cost costs amount amounts spend spending expense expenses "
    "expenditure profit profits loss losses earnings takings fee fees tax taxes payment payments "
    "donation donations proceeds receipts charges sold units tips volume emissions imports "
    "exports".split()
)
_PROPERTIES = set(
    "price prices fare fares salary salaries wage wages rent score scores rating ratings grade "
    "grades gpa level degree degrees age height width length depth weight size growth change "
    "value points rank ranking".split()
)
_NAMES_OF_THINGS = set(
    "store dept department branch region zone ward route line district group cluster segment type "
    "class category room floor gate platform seat block sector station channel customer product "
    "item user account invoice transaction row subject patient participant player team school "
    "county state city country trip flight vehicle depot crew batch version lane page chapter question "
    "label cell plot site sample specimen replicate fold iteration episode".split()
)
_CODES = set("no nr id code key zip postcode number num".split())
_CALENDAR = {
    "year": (1000, 2999),
    "yr": (1000, 2999),
    "month": (1, 12),
    "mon": (1, 12),
    "day": (0, 366),
    "weekday": (0, 7),
    "dow": (0, 7),
    "doy": (1, 366),
    "week": (0, 53),
    "hour": (0, 24),
    "hr": (0, 24),
    "minute": (0, 60),
    "quarter": (1, 4),
    "qtr": (1, 4),
    "decade": (1000, 2999),
    "season": (1000, 2999),
}
_NO_PLURALS = set(
    "series gas class status canvas bias species news diabetes chassis axis address bus gps".split()
)
SMALL, MANY = 12, 30
"""Whole numbers up to 12 that in 30 rows never are 0 are a property of each row, no count: doors, gears."""


def tokens(name: str) -> list[str]:
    """Return the whole words of a name, in lower case.

    >>> tokens("totalPrice"), tokens("n_boardings"), tokens("Weekly Sales ($)")
    (['total', 'price'], ['n', 'boardings'], ['weekly', 'sales'])
    """
    spaced = re.sub(r"(?<=[a-zß-ÿ0-9])(?=[A-Z])|(?<=[A-Z])(?=[A-Z][a-z])", " ", name)
    return re.findall(r"[^\W\d_]+", spaced.lower())


def counts(name: str) -> bool:
    """Whether a name is that of a count: a total, a number of something, a plural.

    >>> counts("n_goals"), counts("siblings"), counts("survived")
    (True, True, False)
    """
    words = tokens(name)
    return bool(words) and (bool(set(words) & _TOTALS) or _plural(words[-1]))


def _plural(word: str) -> bool:
    if word in ("children", "people", "men", "women"):
        return True
    return (
        len(word) > 3
        and word.endswith("s")
        and not word.endswith(("ss", "us", "is"))
        and word not in _NO_PLURALS
    )


def summing(name: str, kind: Kind, cells: pl.Series, unit: str) -> Summing:  # noqa: C901  (one case a reason, in the order of their weight)
    """Return whether a number of this name, unit and values adds up, and why."""
    if not kind.numeric:
        return Summing(False, "")
    if kind in (Kind.SHARE, Kind.TIME, Kind.LATITUDE, Kind.LONGITUDE):
        return Summing(False, f"it is a {kind}", sure=True)
    if unit in (YEAR, CLOCK):
        return Summing(False, f"it holds {'years' if unit == YEAR else 'clock times'}", sure=True)
    if unit in _UNIT_RATES:
        return Summing(False, f"{unit} does not add up", sure=True)
    words = tokens(name)
    # the unit a name ends with says nothing of what is measured
    while len(words) > 1 and (unit_of(words[-1]) or currency_of(words[-1])) and not _plural(words[-1]):
        words.pop()
    last = words[-1] if words else ""
    whole = kind == Kind.WHOLE
    if rate := next((w for w in words if w in _RATES), ""):
        return Summing(False, f"its name says {rate}", sure=not rate.startswith("ind"))
    if whole and (calendar := _calendar(last, cells)):
        return Summing(False, calendar, sure=True)
    counted = words[:2] == ["number", "of"] or (len(words) > 1 and words[0] in ("n", "num", "nb", "no"))
    if whole and last in _NAMES_OF_THINGS | _CODES and not counted and not set(words) & {"total", "count"}:
        what = "they are codes" if last in _CODES else f"whole numbers that name a {last}"
        return Summing(False, what, sure=True, code=True)
    if last in _PROPERTIES and not set(words) & _TOTALS:
        return Summing(False, f"its name says {last}: one of each row")
    if stock := next((w for w in words if w in _STOCKS), ""):
        return Summing(False, f"{stock} is a stock: it adds across groups, not over time", stock=True)
    if total := next((w for w in words if w in _TOTALS), ""):
        return Summing(True, f"its name says {total}")
    if last in _FLOWS:
        return Summing(True, f"its name says {last}")
    if kind == Kind.MONEY or currency_of(unit):
        return Summing(True, "it is money")
    if kind == Kind.DURATION:
        return Summing(False, "it is a duration of each row")
    if whole and _plural(last):
        low, high = _ends(cells)
        below = cells < 0
        few_below = not len(cells) or float(np.mean(below.fill_null(False).to_numpy())) <= 0.02
        if few_below and (low <= 0 or high > SMALL or len(cells) < MANY):
            # a few below 0 are a fault of counts, not a sign that they are none
            return Summing(True, f"whole numbers of {last}")
    return Summing(False, "nothing says that it adds up")


def _ends(cells: pl.Series) -> tuple[float, float]:
    present = cells.drop_nulls()
    if not len(present):
        return 0.0, 0.0
    return float(present.min()), float(present.max())  # type: ignore[arg-type]


def _calendar(word: str, cells: pl.Series) -> str:
    """Say which part of the calendar whole numbers are; empty where they are none."""
    if word not in _CALENDAR:
        return ""
    (low, high), (least, most) = _ends(cells), _CALENDAR[word]
    return f"{OF_CALENDAR}{word}" if least <= low and high <= most else ""


def decided(column: Column, found: Summing) -> Column:
    """Return a column with what was found of its sum."""
    return msgspec.structs.replace(
        column,
        additive=found.additive,
        stock=found.stock,
        summing=found.reason,
        sure=found.sure,
        code=found.code,
    )


MOST_RELATED = 24
LOOKED_AT = 4_000
LEAST_ROWS = 8


def related(columns: Sequence[Column], fetch: Callable[[int], pl.Series], height: int) -> list[Column]:
    """Return columns with what their fellows say of their sums.

    A column that is the total of others adds up, and so do they; quantity × price
    adds up, and the price does not; what is one value for each of something else
    would be counted once a row.
    """
    found = list(columns)
    able = [
        i
        for i, c in enumerate(columns)
        if c.kind in (Kind.NUMBER, Kind.WHOLE, Kind.MONEY)
        and c.distinct > 2
        and not (c.sure and not c.additive)
        and c.missing < 0.5 * height
    ][:MOST_RELATED]
    if len(able) < 2 or height < LEAST_ROWS:
        return found
    at = np.unique(np.linspace(0, height - 1, min(height, LOOKED_AT)).astype(np.int64))
    values = np.array([on_axis(fetch(i).gather(at)) for i in able])
    for total, parts in _totals(values):
        names = [columns[able[p]].name for p in parts]
        said = (
            f"it is the total of {' and '.join(names) if len(names) == 2 else f'{names[0]} to {names[-1]}'}"
        )
        found[able[total]] = decided(found[able[total]], Summing(True, said, sure=True))
        for part in parts:
            of = f"it is a part of {columns[able[total]].name}"
            found[able[part]] = decided(found[able[part]], Summing(True, of, sure=True))
    for product, quantity, price in _products(values, [columns[i].kind == Kind.WHOLE for i in able]):
        names = [columns[able[i]].name for i in (product, quantity, price)]
        said = f"it is {names[1]} × {names[2]}"
        found[able[product]] = decided(found[able[product]], Summing(True, said, sure=True))
        found[able[quantity]] = decided(
            found[able[quantity]], Summing(True, f"{names[0]} counts it", sure=True)
        )
        each = f"it is the price of each: {names[0]} is {names[1]} × {names[2]}"
        found[able[price]] = decided(found[able[price]], Summing(False, each, sure=True))
    for i in able:
        if found[i].additive and not found[i].sure and (of := _entity(i, columns, fetch, height)):
            said = f"it is one value for each {of}: a sum would count it once a row"
            found[i] = decided(found[i], Summing(False, said, sure=True))
    return found


def _same(a: Floats, b: Floats) -> bool:
    """Whether two columns hold the same numbers, as far as they were rounded to cents."""
    return bool(_alike(a[np.newaxis], b)[0])


def _alike(columns: Floats, other: Floats) -> Bools:
    """Return which columns, of shape (columns, rows), hold the numbers of another one, of shape (rows,)."""
    off = np.abs(columns - other)
    either = np.isnan(off)
    near = off <= np.maximum(0.0051, 1e-9 * np.abs(columns))
    enough = (~either).sum(axis=1) >= max(LEAST_ROWS, 0.5 * len(other))
    return np.asarray((near | either).all(axis=1) & enough, dtype=np.bool_)


def _totals(values: Floats) -> list[tuple[int, tuple[int, ...]]]:
    """Return which column is the sum of two others, or of a run of neighbours."""
    found: list[tuple[int, tuple[int, ...]]] = []
    k, few = len(values), values[:, : 3 * LEAST_ROWS]
    spread = np.array([len(np.unique(row[~np.isnan(row)])) > 2 for row in values])
    runs = [tuple(range(a, b)) for a in range(k) for b in range(a + 3, k + 1)]
    pairs = [(a, b) for a in range(k) for b in range(a + 1, k)]
    for parts in (*pairs, *runs):
        if not spread[list(parts)].all():
            continue
        for total in np.flatnonzero(_alike(few, few[list(parts)].sum(axis=0))).tolist():
            if total in parts or not spread[total] or any(total == t for t, _ in found):
                continue
            if _same(values[total], values[list(parts)].sum(axis=0)):
                found.append((total, parts))
                break
    return found


def _products(values: Floats, whole: list[bool]) -> list[tuple[int, int, int]]:
    """Return which column is a whole number of another: product, quantity, price."""
    found = []
    k, few = len(values), values[:, : 3 * LEAST_ROWS]
    for quantity in range(k):
        if not whole[quantity]:
            continue
        for price in range(k):
            if price == quantity or (whole[price] and price < quantity):
                continue
            for product in np.flatnonzero(_alike(few, few[quantity] * few[price])).tolist():
                if product in (price, quantity):
                    continue
                if _same(values[product], values[quantity] * values[price]):
                    found.append((product, quantity, price))
    return found


def _entity(at: int, columns: Sequence[Column], fetch: Callable[[int], pl.Series], height: int) -> str:
    """Return the column each value of which, over several rows, has one value of this one; empty for none."""
    mine = columns[at]
    for i, other in enumerate(columns):
        groups = other.kind in (Kind.CATEGORY, Kind.PLACE, Kind.IDENTIFIER, Kind.TEXT) or (
            other.kind == Kind.WHOLE and other.sure and not other.additive and other.unit != YEAR
        )
        if i == at or not groups or not LEAST_ROWS <= other.distinct <= height / 3:
            continue
        if not 0.5 * other.distinct <= mine.distinct <= other.distinct:
            continue
        # a few rows rule most columns out before all are looked at
        few = pl.Series(np.unique(np.linspace(0, height - 1, min(height, LOOKED_AT)).astype(np.int64)))
        if _one_each(fetch(i).gather(few), fetch(at).gather(few)) and _one_each(fetch(i), fetch(at)):
            return other.name
    return ""


def _one_each(groups: pl.Series, values: pl.Series) -> bool:
    pairs = pl.DataFrame({"a": groups.cast(pl.String), "b": values}).drop_nulls().unique()
    return len(pairs) == pairs["a"].n_unique()
