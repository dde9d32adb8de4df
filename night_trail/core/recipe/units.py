"""Cells that hold one amount in several units or spellings: 6'2", 190 cm, 1,85 m, 74."""

from __future__ import annotations

import math
import re
from dataclasses import dataclass

import polars as pl

from night_trail.core.table import Counted

LOOKED_AT = 20_000
"""Different texts that are looked at."""

LONGEST = 40
"""Characters an amount has at most."""

LEAST_READ, LEAST_EACH = 0.95, 0.01

SIZES: dict[str, dict[str, float]] = {
    "length": {
        "mm": 0.001, "cm": 0.01, "m": 1.0, "km": 1_000.0,
        "in": 0.0254, "ft": 0.3048, "yd": 0.9144, "mi": 1_609.344,
    },
    "weight": {"mg": 1e-6, "g": 0.001, "kg": 1.0, "t": 1_000.0, "oz": 0.028349523125, "lb": 0.45359237},
    "time": {"ms": 0.001, "s": 1.0, "min": 60.0, "h": 3_600.0, "d": 86_400.0},
    "volume": {"ml": 0.001, "cl": 0.01, "dl": 0.1, "l": 1.0},
}  # fmt: skip
"""Each unit in the first one of its dimension; the international yard and pound (1959)."""

_CALLED = {
    "feet": "ft", "foot": "ft", "'": "ft", "′": "ft", "inch": "in", "inches": "in", '"': "in", "″": "in",
    "metre": "m", "metres": "m", "meter": "m", "meters": "m", "miles": "mi", "mile": "mi", "yards": "yd",
    "lbs": "lb", "pounds": "lb", "pound": "lb", "kgs": "kg", "kilos": "kg", "grams": "g", "tonnes": "t",
    "sec": "s", "secs": "s", "seconds": "s", "mins": "min", "minutes": "min", "hr": "h", "hrs": "h",
    "hour": "h", "hours": "h", "day": "d", "days": "d",
    "litre": "l", "litres": "l", "liter": "l", "liters": "l",
}  # fmt: skip
_FEET = re.compile(
    r"""^(\d+) ?(?:'|′|ft\.?|feet|foot) ?(?:(\d+(?:[.,]\d+)?) ?(?:"|″|''|in\.?|inch(?:es)?)?)?$"""
)
_AMOUNT = re.compile(r"""^([-+]?\d{1,3}(?:,\d{3})+(?:\.\d+)?|[-+]?\d+(?:[.,]\d+)?) ?([a-z"'′″]*)\.?$""")


@dataclass(frozen=True)
class Mixed:
    """Amounts of one dimension in several units: ``unit`` to bring them to, ``plain`` that of bare numbers.

    Without a unit they are numbers, some with a decimal comma and some with a point.
    ``found`` are the units there are, the most frequent first; ``feet`` is whether some are like 6'2".
    """

    unit: str
    plain: str
    found: tuple[str, ...]
    feet: bool


def amount(text: str) -> tuple[float, str] | None:
    """Return an amount and its unit, "" where it has none; None where the text is no amount.

    >>> amount("6'2\\""), amount("1,85 m"), amount("1,850 kg"), amount("74"), amount("N7")
    ((74.0, 'in'), (1.85, 'm'), (1850.0, 'kg'), (74.0, ''), None)
    """
    text = text.strip().lower()
    if (found := _FEET.match(text)) and found[2]:
        inches = float(found[2].replace(",", "."))
        return (int(found[1]) * 12 + inches, "in") if inches < 12 else None
    found = _AMOUNT.match(text)
    if found is None:
        return None
    figure, unit = found[1], _CALLED.get(found[2], found[2])
    # a comma before exactly three digits parts thousands
    figure = figure.replace(",", "") if re.search(r",\d{3}(?:\D|$)", figure) else figure.replace(",", ".")
    if unit and not any(unit in units for units in SIZES.values()):
        return None
    return float(figure), unit


def mixed(counted: Counted) -> Mixed | None:
    """Return how a text column mixes units of one dimension, or None where it does not.

    ``counted`` are its texts with their counts, the most frequent first.
    """
    texts, times = (found.head(LOOKED_AT).to_list() for found in counted)
    whole = sum(times)
    if not whole or len(texts[0]) > LONGEST or not any(char.isdigit() for char in texts[0]):
        return None
    read: dict[str, list[tuple[float, int]]] = {}
    feet = unread = 0
    for text, n in zip(texts, times, strict=True):
        found = amount(text) if len(text) <= LONGEST else None
        if found is not None:
            read.setdefault(found[1], []).append((found[0], n))
            feet += n if _FEET.match(text.strip().lower()) else 0
            continue
        unread += n
        if whole - unread < LEAST_READ * whole:
            return None
    often = {unit: sum(n for _, n in each) for unit, each in read.items()}
    if set(often) == {""}:
        commas = [text for text in texts if "," in text]
        points = [text for text in texts if "." in text]
        unsure = any(re.search(r",\d{3}$", text.strip()) for text in commas)
        return Mixed("", "", (), feet=False) if commas and points and not unsure else None
    units = sorted((u for u in often if u and often[u] >= LEAST_EACH * whole), key=lambda u: -often[u])
    sizes = next((s for s in SIZES.values() if units and all(u in s for u in units)), None)
    if sizes is None or (len(units) + ("" in often) < 2 and not feet):
        return None
    metric = [u for u in units if u not in ("in", "ft", "yd", "mi", "oz", "lb")]
    plain = ""
    if "" in often:
        # numbers alone are in the unit in which they are nearest to the others
        usual = _middle([(at * sizes[u], n) for u in units for at, n in read[u]])
        bare = _middle(read[""])
        if usual <= 0 or bare <= 0:
            return None
        plain = min(units, key=lambda u: abs(math.log(bare * sizes[u] / usual)))
    return Mixed((metric or units)[0], plain, tuple(units), feet > 0)


def _middle(values: list[tuple[float, int]]) -> float:
    """Return the median of values that occur so often each."""
    half, behind = sum(n for _, n in values) / 2, 0
    for value, n in sorted(values):
        behind += n
        if behind >= half:
            return value
    return 0.0


def brought_to(texts: pl.Series, unit: str, plain: str) -> pl.Series:
    """Return texts as numbers in one unit, or in none; what is no amount of its dimension is missing."""
    sizes = next((s for s in SIZES.values() if unit in s), {"": 1.0})

    def figure(text: str) -> float | None:
        found = amount(text)
        own = None if found is None else found[1] or plain
        if found is None or own not in sizes:
            return None
        # twelve digits, so that 1.85 m is 185 cm and no hair more
        return float(f"{found[0] * sizes[own] / sizes[unit]:.12g}")

    different = texts.drop_nulls().unique()
    figures = pl.Series([figure(text) for text in different.to_list()], dtype=pl.Float64)
    return texts.replace_strict(different, figures, default=None, return_dtype=pl.Float64)
