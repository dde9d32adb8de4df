"""What a column's name and values together say: units, identifiers, coordinates, what can be summed."""

from __future__ import annotations

import re

import polars as pl

from night_trail.core.reading.dates import from_numbers
from night_trail.core.reading.numbers import currency_of, unit_of
from night_trail.core.reading.summing import counts, tokens
from night_trail.core.reading.typed import Typed
from night_trail.core.table import CLOCK, Kind

_UNITS = {"c": "°C", "f": "°F", "minutes": "min", "hours": "h", "lux": "lux"}
_IDENTIFIER = re.compile(
    r"(^|[ _.-])(id|uuid|guid|key|code|zip|zipcode|postcode|plz|sku|isbn|ean)$|[a-z](Id|ID|Code)$"
    r"|(phone|iban|account)([ _.-]?(no|nr|number))?$|[ _.-](no|nr)$",
)
_IDENTIFIER_ANY = re.compile(
    r"(^|[ _.-])(id|uuid|guid|key|code|zip|zipcode|postcode|plz|sku|isbn|ean)$"
    r"|(phone|iban|account)([ _.-]?(no|nr|number))?$|[ _.-](no|nr)$",
    re.IGNORECASE,
)
_COORDINATES = (
    (Kind.LATITUDE, re.compile(r"(^|[ _.])lat(itude)?$|^lat[ _]", re.IGNORECASE), 90),
    (Kind.LONGITUDE, re.compile(r"(^|[ _.])(lon|lng|long|longitude)$|^lon[ _]", re.IGNORECASE), 180),
)
_SHARE = re.compile(r"share|ratio|proportion|fraction|probability|prob$|rate$", re.IGNORECASE)
_PERCENT = re.compile(r"(^|[ _.-])(pct|percent|percentage)$|%", re.IGNORECASE)
_MONEY = re.compile(r"price|cost|fare|amount|revenue|salary|income|fee|budget|sales|spend", re.IGNORECASE)


_YEARS = {"year", "years", "yr", "jahr", "année", "año"}
_YEARS_LAST = {"season", "vintage", "fy", "built", "born", "founded", "established"}

FLAGGED = 10
"""So many cells of 0 and 1 and nothing else are yes and no, whatever the name but a count's."""

CLOCKS = 8
"""So many different numbers without a 60th minute are no chance: six in ten of any would have none."""


def identifies(name: str) -> bool:
    """Whether a name is an identifier's.

    >>> identifies("trip_id"), identifies("tripId"), identifies("paid")
    (True, True, False)
    """
    return bool(_IDENTIFIER.search(name) or _IDENTIFIER_ANY.search(name))


def unit(name: str) -> str:
    """Return the unit a name ends with, or has in brackets.

    >>> unit("late_min"), unit("length (km)"), unit("min"), unit("temp_c")
    ('min', 'km', '', '°C')
    """
    bracketed = re.search(r"[(\[]([^()\[\]]{1,8})[)\]]\s*$", name)
    if bracketed:
        return unit_of(bracketed[1]) or currency_of(bracketed[1])
    parts = [p for p in re.split(r"[ _.\-]+", name.strip()) if p]
    if len(parts) < 2:
        return ""
    last = parts[-1].lower()
    if last in ("t", "s", "h", "d", "l", "in", "a", "v", "k", "w") and "_" not in name:
        return ""
    return _UNITS.get(last) or unit_of(last)


def number(name: str, cells: pl.Series, reason: str) -> Typed:
    """Return numbers with fractions as the kind their name and range say."""
    low, high = float(cells.min()), float(cells.max())  # type: ignore[arg-type]
    for kind, named, most in _COORDINATES:
        if not named.search(name):
            continue
        # some count degrees of longitude eastward all around
        around = kind == Kind.LONGITUDE and low >= 0 and high > most
        within = cells.is_between(0, 360).mean() if around else cells.is_between(-most, most).mean()
        # a few beyond are pointed out in the survey; many mean that it is something else
        if isinstance(within, float) and within >= 0.95:
            how = f"within ±{most}" if within == 1 else f"nearly all within ±{most}"
            how = "from 0 to 360" if around else how
            return Typed(kind, cells, f"{reason}, under a {kind}’s name and {how}", unit="°")
    if _PERCENT.search(name):
        return Typed(Kind.SHARE, cells, f"{reason}, under a name that says per cent", unit="%")
    if low >= 0 and high <= 1 and _SHARE.search(name):
        return Typed(Kind.SHARE, cells, f"{reason}, from 0 to 1, under a share's name")
    if (currency := unit(name)) and currency_of(currency):
        return Typed(Kind.MONEY, cells, f"{reason}, under a name with {currency}", unit=currency)
    dates = from_numbers(name, cells)
    if dates is not None:
        kind = Kind.DATE if dates.cells.dtype == pl.Date else Kind.DATETIME
        return Typed(kind, dates.cells, f"{reason} that read as {dates.words}")
    return Typed(Kind.NUMBER, cells, reason)


def whole(name: str, cells: pl.Series, reason: str) -> Typed:
    """Return whole numbers as the kind their name and range say."""
    low, high = cells.min(), cells.max()
    named = re.search(r"^(is|has|was|did|can)[ _]|flag$|[ _](yn|ok)$", name, re.IGNORECASE)
    if (low, high) == (0, 1) and (named or (len(cells) - cells.null_count() >= FLAGGED and not counts(name))):
        return Typed(
            Kind.YES_NO, cells == 1, f"{reason}, only 0 and 1{', under a yes/no name' if named else ''}"
        )
    if (hours := as_hours(name, cells)) is not None:
        return Typed(
            Kind.TIME, hours, f"{reason} that read as hours and minutes, as 517 for 5:17", unit=CLOCK
        )
    found = number(name, cells.cast(pl.Float64), reason)
    return Typed(Kind.WHOLE, cells, reason) if found.kind == Kind.NUMBER else found


def as_hours(name: str, cells: pl.Series) -> pl.Series | None:
    """Return whole numbers such as 517 and 1730 as hours of the day; None where they are none.

    They must be named a time, be many different ones, and none of them may have
    more than 59 minutes: durations and amounts soon do.
    """
    if "time" not in tokens(name):
        return None
    present = cells.drop_nulls()
    within = present.is_between(0, 2_400) & (present % 100 < 60)
    if present.n_unique() < CLOCKS or int(present.max()) < 600 or not within.all():  # type: ignore[arg-type]
        return None
    return (cells // 100) + (cells % 100) / 60


def years(name: str, kind: Kind, cells: pl.Series) -> bool:
    """Whether whole numbers are years: named so, and all between 1000 and 2999."""
    words = tokens(name)
    if kind != Kind.WHOLE or not (set(words) & _YEARS or (words and words[-1] in _YEARS_LAST)):
        return False
    present = cells.drop_nulls()
    return len(present) > 0 and bool(((present >= 1_000) & (present <= 2_999)).all())
