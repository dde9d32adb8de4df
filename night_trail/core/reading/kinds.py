"""What a column of text cells holds: kind, unit, and the cells that do not fit."""

from __future__ import annotations

import re
from dataclasses import dataclass

import polars as pl

from night_trail.core.reading.dates import as_dates
from night_trail.core.table import YEAR, Column, Kind

MISSING = ("", "na", "n/a", "null", "none", "nan", "nil", "-", "--", "?", "#n/a", "missing", "\\n")
"""Cells that stand for nothing, whatever their case."""

ENOUGH = 0.98
"""Share of the cells that must fit a kind; the others become missing, counted and shown."""

CATEGORY_MOST = 1_000
EXAMPLES = 5

_UNITS = {
    "min": "min",
    "mins": "min",
    "minutes": "min",
    "sec": "s",
    "secs": "s",
    "seconds": "s",
    "hours": "h",
    "mm": "mm",
    "cm": "cm",
    "m": "m",
    "km": "km",
    "kg": "kg",
    "g": "g",
    "c": "°C",
    "f": "°F",
    "pct": "%",
    "percent": "%",
    "ms": "ms",
    "kwh": "kWh",
    "lux": "lux",
}
_IDENTIFIER = re.compile(r"(^|[ _.-])(id|uuid|guid|key|code|zip|postcode)$", re.IGNORECASE)
_INTENSIVE = re.compile(
    r"rate|ratio|share|temp|price|score|rating|avg|average|mean|median|pct|percent|lat|lon|year|month|age$"
    r"|speed|index|level|degree|(^|_)(c|f)$",
    re.IGNORECASE,
)


@dataclass(frozen=True)
class Typed:
    """Cells in their kind, why, and the texts that did not fit."""

    kind: Kind
    cells: pl.Series
    reason: str
    failed: pl.Series | None = None
    pattern: str = ""


def typed(name: str, cells: pl.Series) -> tuple[Column, pl.Series]:
    """Return a column of text cells in the kind that fits it best.

    Parameters
    ----------
    name
        The column's name; it hints at units, identifiers and what can be summed.
    cells
        Text cells; may hold nulls.

    Returns
    -------
    tuple
        What is known of the column, and its cells: Int64, Float64, Boolean,
        Date, Datetime, Enum (categories) or String.
    """
    clean = cells.cast(pl.String).str.strip_chars()
    # spelled out in their usual cases: lower-casing a million cells would cost more
    blank = clean.is_in(list(MISSING) + [f(m) for m in MISSING for f in (str.upper, str.title)])
    if blank.any():
        clean = clean.set(blank, None)
    present = clean.drop_nulls()
    if present.is_empty():
        found = Typed(Kind.TEXT, clean, "every cell is missing")
    else:
        found = (
            _yes_no(clean, present)
            or _number(name, clean, present)
            or _dates(clean, present)
            or _words(name, clean, present)
        )
    unit = YEAR if _years(name, found) else _unit(name) if found.kind.numeric else ""
    failed = found.failed if found.failed is not None else pl.Series([], dtype=pl.String)
    column = Column(
        name=name,
        kind=found.kind,
        unit=unit,
        additive=_additive(name, found),
        reason=found.reason,
        missing=found.cells.null_count(),
        failed=len(failed),
        failed_examples=tuple(text[:60] for text in failed.unique(maintain_order=True).head(EXAMPLES)),
        distinct=_distinct(found.cells),
        pattern=found.pattern,
    )
    return column, found.cells


def _distinct(cells: pl.Series) -> int:
    """Return how many different values there are; beyond some thousand numbers an estimate is enough."""
    if isinstance(cells.dtype, pl.Enum):
        return len(cells.dtype.categories)
    present = cells.drop_nulls()
    if present.dtype != pl.String and len(present) > 100_000:
        about = int(present.to_frame("c").select(pl.col("c").approx_n_unique()).item())
        if about > 5_000:
            return about
    return present.n_unique()


def _yes_no(clean: pl.Series, present: pl.Series) -> Typed | None:
    few = set(present.head(100).str.to_lowercase())
    for yes, no in (("yes", "no"), ("true", "false"), ("y", "n"), ("t", "f")):
        if few <= {yes, no} and set(present.str.to_lowercase().unique()) == {yes, no}:
            cells = (clean.str.to_lowercase() == yes).alias(clean.name)
            return Typed(Kind.YES_NO, cells, f"every cell is “{yes}” or “{no}”")
    return None


def _number(name: str, clean: pl.Series, present: pl.Series) -> Typed | None:
    # a quick look first: most text columns are told from numbers by a handful of cells
    if _as_float(present.head(100)).null_count() > 0.5 * min(100, len(present)):
        return None
    numbers = _as_float(clean)
    failed = clean.filter(numbers.is_null() & clean.is_not_null())
    if len(failed) > (1 - ENOUGH) * len(present):
        return None
    valid = numbers.drop_nulls()
    share = _share(len(valid), len(present))
    if not bool((valid == valid.floor()).all()) or bool(present.str.contains(r"[.][0-9]*[1-9]|[eE]").any()):
        return Typed(Kind.NUMBER, numbers, f"{share} of the cells are numbers", failed)
    if present.str.contains(r"^[+-]?0\d").any():
        return None  # leading zeros: a code, not a quantity
    if float(abs(valid).max() or 0) < 2**53:  # type: ignore[arg-type]
        integers = numbers.cast(pl.Int64)
    else:
        integers = clean.cast(pl.Int64, strict=False)
        if integers.null_count() > numbers.null_count():
            return None  # beyond 64 bits: kept as written
    if _IDENTIFIER.search(name) and not bool(present.str.contains(".", literal=True).any()):
        return Typed(Kind.IDENTIFIER, clean, "whole numbers under an identifier's name")
    return Typed(Kind.WHOLE, integers, f"{share} of the cells are whole numbers", failed)


def _as_float(cells: pl.Series) -> pl.Series:
    numbers = cells.cast(pl.Float64, strict=False)
    if numbers.null_count() > cells.null_count():
        # only well-placed thousands commas are taken out: 1,204.5 but not 1,2
        grouped = cells.str.contains(r"^[+-]?\d{1,3}(,\d{3})+(\.\d*)?$").fill_null(False)
        if grouped.any():
            numbers = pl.select(
                pl.when(grouped)
                .then(cells.str.replace_all(",", "", literal=True).cast(pl.Float64, strict=False))
                .otherwise(numbers)
            ).to_series()
    return numbers.set(numbers.is_infinite() | numbers.is_nan(), None)


def _dates(clean: pl.Series, present: pl.Series) -> Typed | None:
    found = as_dates(clean, present, ENOUGH)
    if found is None:
        return None
    failed = clean.filter(found.cells.is_null() & clean.is_not_null())
    share = _share(len(present) - len(failed), len(present))
    kind = Kind.DATETIME if found.cells.dtype == pl.Datetime else Kind.DATE
    return Typed(kind, found.cells, f"{share} of the cells look like {found.words}", failed)


def _words(name: str, clean: pl.Series, present: pl.Series) -> Typed:
    values = present.unique()
    distinct = len(values)
    pattern = _pattern(values)
    if distinct <= CATEGORY_MOST and distinct <= len(present) / 2:
        labels = values.sort().to_list()
        cells = clean.cast(pl.Enum(labels))
        words = "1 value recurs" if distinct == 1 else f"{distinct:,} values recur"
        return Typed(Kind.CATEGORY, cells, words, pattern=pattern)
    spaces = bool(present.str.contains(r"\s").any())
    longest = max((int(n) for n in present.str.len_chars().unique()), default=0)
    if distinct == len(present) and len(present) >= 10 and longest <= 40 and not spaces:
        return Typed(Kind.IDENTIFIER, clean, "every cell is different")
    if _IDENTIFIER.search(name) and not spaces:
        return Typed(Kind.IDENTIFIER, clean, "codes under an identifier's name")
    return Typed(
        Kind.TEXT, clean, "one text" if distinct == 1 else f"{distinct:,} different texts", pattern=pattern
    )


def _pattern(values: pl.Series) -> str:
    """Return the pattern of cells that hide a number in constant text: ``n of 5``, ``K n``."""
    if not len(values) >= 2:
        return ""
    match = re.fullmatch(r"(\D*?)([-+]?\d[\d,]*(?:\.\d+)?)(.*)", values[0])
    if match is None or not (match[1].strip() or match[3].strip()):
        return ""
    before, after = match[1], match[3]
    if values.str.contains(rf"^{_escaped(before)}0\d").any():
        return ""  # leading zeros: a code
    hidden = rf"^{_escaped(before)}[-+]?\d[\d,]*(?:\.\d+)?{_escaped(after)}$"
    return f"{before}n{after}" if bool(values.str.contains(hidden).all()) else ""


def _escaped(text: str) -> str:
    # the engine of polars knows no lookaround but the same escapes
    return re.sub(r"([\\.+*?()|\[\]{}^$#&~-])", r"\\\1", text)


def _share(part: int, whole: int) -> str:
    if part == whole:
        return "all"
    return f"{min(99.9, 100 * part / whole):.1f}\u2009%"


def _unit(name: str) -> str:
    words = re.split(r"[ _.\-()\[\]]+", name.strip().lower())
    last = next((w for w in reversed(words) if w), "")
    return _UNITS.get(last, "") if len(words) > 1 else ""


def _years(name: str, found: Typed) -> bool:
    """Whether whole numbers are years: named so, and all between 1000 and 2999."""
    if found.kind != Kind.WHOLE or not re.search(r"(^|[ _.-])(year|yr)$", name, re.IGNORECASE):
        return False
    years = found.cells.drop_nulls()
    return bool(((years >= 1_000) & (years <= 2_999)).all())


def _additive(name: str, found: Typed) -> bool:
    """Guess whether it makes sense to sum: counts and amounts do, rates and temperatures do not."""
    if not found.kind.numeric or _INTENSIVE.search(name) or _unit(name) in ("%", "°C", "°F"):
        return False
    if re.search(r"count|total|sum|amount|sales|revenue|qty|quantity|boardings|cost", name, re.IGNORECASE):
        return True
    return found.kind == Kind.WHOLE and bool((found.cells.drop_nulls() >= 0).all())
