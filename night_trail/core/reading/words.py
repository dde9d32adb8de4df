"""Columns of words: yes/no, categories with and without an order, places, identifiers, free text."""

from __future__ import annotations

import re

import polars as pl

from night_trail.core.language.numbers import THIN
from night_trail.core.reading.names import identifies
from night_trail.core.reading.numbers import hidden_pattern
from night_trail.core.reading.scales import known_order
from night_trail.core.reading.typed import Typed
from night_trail.core.table import Kind

CATEGORY_MOST, FEW_VALUES = 1_000, 12

_YES_NO = [
    ({"yes", "y", "true", "t"}, {"no", "n", "false", "f"}),
    ({"ja", "j", "wahr"}, {"nein", "n", "falsch"}),
    ({"oui", "o", "vrai"}, {"non", "n", "faux"}),
    ({"sí", "si", "s"}, {"no", "n"}),
    ({"on"}, {"off"}),
    ({"✓", "✔"}, {"✗", "✘", "x"}),
]
_BITS = ({"1", "1.0"}, {"0", "0.0"})
"""Read as yes and no where that was chosen by hand; numbers decide elsewhere."""

_PLACE = re.compile(
    r"(^|[ _.-])(city|town|country|county|state|province|municipality|village|place)$", re.IGNORECASE
)


def share(part: int, whole: int) -> str:
    """Return a share of cells in words, never 100 % of what is not all.

    >>> share(3, 3), share(999, 1000)
    ('all', '99.9\\u2009%')
    """
    return "all" if part == whole else f"{min(99.9, 100 * part / whole):.1f}{THIN}%"


def yes_no(clean: pl.Series, present: pl.Series, whole: bool = True) -> Typed | None:
    """Return cells as yes or no where all of them are; ``whole`` False takes those that are."""
    known = _YES_NO if whole else [*_YES_NO, _BITS]
    first = set(present.head(100).str.to_lowercase()) if whole else set()
    if not any(first <= yes | no for yes, no in known):
        return None
    lower = clean.str.to_lowercase()
    values = set(lower.drop_nulls().unique())
    for yes, no in known:
        both = values & yes and values & no
        # by hand, a column that holds only one of the two is one as well
        if (both and (values <= yes | no or not whole)) or (not whole and values and values <= yes | no):
            cells = pl.select(
                pl.when(lower.is_in(list(yes))).then(True).when(lower.is_in(list(no))).then(False)
            ).to_series()
            said = sorted(values & (yes | no), key=lambda v: v in no)
            return Typed(Kind.YES_NO, cells, f"every cell is {' or '.join(f'“{v}”' for v in said)}")
    return None


def words(name: str, clean: pl.Series, present: pl.Series) -> Typed:
    """Return cells as categories, identifiers or text."""
    values = present.unique()
    distinct = len(values)
    pattern = hidden_pattern(values)
    few = len(present) < 2 * FEW_VALUES and distinct <= FEW_VALUES and distinct < len(present)
    short = few and max(int(n) for n in values.str.len_chars()) <= 40
    if distinct <= CATEGORY_MOST and (distinct <= len(present) / 2 or short):
        return category(clean, values, (_PLACE.search(name) and Kind.PLACE) or None, pattern, name)
    spaces = bool(present.str.contains(r"\s").any())
    longest = max((int(n) for n in present.str.len_chars().unique()), default=0)
    if distinct == len(present) and len(present) >= 10 and longest <= 40 and not spaces:
        return Typed(Kind.IDENTIFIER, clean, "every cell is different", distinct=distinct)
    if identifies(name) and not spaces:
        return Typed(Kind.IDENTIFIER, clean, "codes under an identifier's name", distinct=distinct)
    reason = "one text" if distinct == 1 else f"{distinct:,} different texts"
    if _PLACE.search(name) and longest <= 60:
        return Typed(Kind.PLACE, clean, f"{reason} under a place's name", pattern=pattern, distinct=distinct)
    return Typed(Kind.TEXT, clean, reason, pattern=pattern, distinct=distinct)


def category(
    clean: pl.Series, present: pl.Series, kind: Kind | None = None, pattern: str = "", name: str = ""
) -> Typed:
    """Return cells as categories, in an order of their own where their words have one."""
    labels = present.unique().sort().to_list()
    recur = "1 value recurs" if len(labels) == 1 else f"{len(labels):,} values recur"
    order = None if kind in (Kind.CATEGORY, Kind.PLACE) else known_order(labels, name)
    if order is not None:
        return Typed(Kind.ORDERED, clean.cast(pl.Enum(order)), f"{recur}, in a known order", pattern=pattern)
    if kind == Kind.PLACE:
        recur += " under a place's name"
    return Typed(kind or Kind.CATEGORY, clean.cast(pl.Enum(labels)), recur, pattern=pattern)
