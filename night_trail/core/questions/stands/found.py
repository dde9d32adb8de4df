"""What a search for what stands out looks at, and what it gives back."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Literal, TypeVar

import numpy as np
import polars as pl

from night_trail.core.conditions import AllOf, AnyOf, Condition, Missing, OneOf, between, mask
from night_trail.core.questions.shared.kept_together import alike_within, fewest_sets
from night_trail.core.questions.shared.looked_at import a_part_of
from night_trail.core.rows import Codes, Rows
from night_trail.core.stats.outlying import HEADS, Apart, apart
from night_trail.core.stats.relation import ranks
from night_trail.core.table import Bools, Column, Floats, Ints, Kind, Table, is_row_number

LEVEL = 0.01
"""The chance that anything is said to stand out, over all that is looked at of one kind."""

SOME = 20_000
"""Rows by which it is decided what to look at, a fixed random part of many."""

PART = 50_000
"""Values by which the middle of many is found."""

FEWER = 5
"""Of those every so-manieth is enough to see whether rows of a set are alike."""

SHARED = 0.05
"""The correlation within sets of rows from which a set has one value."""

BARS = 36
MOST_CELLS = 200
"""Single rows are named by their cells up to so many."""

Sort = Literal[
    "slip", "typed", "rule", "block", "again", "peak", "shift", "gap", "stuck", "odd", "far", "rare"
]  # fmt: skip
"""In the order in which they are told: what is likelier a mistake first."""


@dataclass(frozen=True)
class Context:
    """A small picture of where the rows stand: bars from ``low`` to ``high``, and what of them stands out."""

    counts: tuple[float, ...]
    odd: tuple[float, ...]
    low: str
    high: str


@dataclass(frozen=True)
class Finding:
    """One kind of what stands out.

    ``condition`` names its rows, ``n`` of which are kept; ``usual`` is what
    the others are, ``here`` what these are, in words. ``chance`` is how likely
    as much would stand out of nothing. ``lit`` counts its lit rows.
    """

    sort: Sort
    columns: tuple[str, ...]
    condition: Condition
    n: int
    here: str
    usual: str
    chance: float
    context: Context
    lit: int | None = None

    @property
    def key(self) -> str:
        """What it is put aside by."""
        return "\x1f".join((self.sort, *self.columns))


Values = TypeVar("Values", Floats, Ints)


class Looked:
    """The kept rows of a table as they are looked at for what stands out."""

    def __init__(self, rows: Rows, of: Column | None, within: Column | None) -> None:
        self.rows, self.table, self.of, self.within = rows, rows.table, of, within
        self.columns = rows.table.columns
        self.kept = rows.keeps

    def asked(self, *columns: Column) -> bool:
        """Whether any of these is what is asked of."""
        return self.of is None or self.of in columns

    @cached_property
    def n(self) -> int:
        """How many rows are kept."""
        return int(np.count_nonzero(self.kept))

    @cached_property
    def at(self) -> Ints:
        """Where the kept rows are."""
        return np.flatnonzero(self.kept)

    @cached_property
    def some(self) -> Ints:
        """Where a part of the kept rows is, by which it is decided what to look at."""
        return a_part_of(self.kept, SOME)

    def values(self, column: Column) -> Floats:
        """Return a measured column's kept cells on its axis, NaN where missing."""
        cells = self.table.axis(column.name).values
        return cells if self.rows.kept is None else cells[self.kept]

    def codes(self, column: Column) -> Codes:
        """Return the code of each kept row's value, −1 where missing."""
        codes = self.table.coded(column.name).codes
        return codes if self.rows.kept is None else codes[self.kept]

    @cached_property
    def measured(self) -> tuple[Column, ...]:
        """The columns whose values have places: numbers and times, but no codes and no numbers of the row."""
        return tuple(c for c in self.columns if measures(c, self.table))

    @cached_property
    def sets(self) -> Ints | None:
        """Which rows belong together, as a code of each kept row: of one day, of one name; None without."""
        return fewest_sets(self.table, self.at)

    def sets_of(self, rows: Bools) -> Ints | None:
        """Return the sets of some of the kept rows; ``rows`` has shape (kept rows,)."""
        return None if self.sets is None else self.sets if rows.all() else self.sets[rows]

    @cached_property
    def alike(self) -> bool:
        """Whether any row may repeat another: the two columns of most values have some pair again."""
        most = sorted(self.table.columns, key=lambda c: -c.distinct)[:2]
        if most and most[0].distinct == self.table.height:
            return False
        cells = pl.DataFrame([self.table.series(c.name).alias(str(i)) for i, c in enumerate(most)])
        return bool(len(most)) and cells.hash_rows(seed=0).n_unique() < self.table.height

    @cached_property
    def groups(self) -> tuple[Column, ...]:
        """The columns that sort rows into a few groups."""
        most = min(200, max(2, self.n // 12))
        return tuple(c for c in self.columns if (c.kind.grouping or c.code) and 2 <= c.distinct <= most)

    def count(self, condition: Condition) -> int:
        """Return how many kept rows meet a condition."""
        return int(np.count_nonzero(mask(condition, self.table) & self.kept))


def measures(column: Column, table: Table) -> bool:
    """Whether a column's values have places that can be far or near."""
    if not column.kind.measured or column.code or column.distinct < 3:
        return False
    whole = column.kind == Kind.WHOLE and column.distinct >= 0.97 * table.height
    return not (whole and is_row_number(column, table.axis(column.name).values, table.height))


def far_off(values: Floats, level: float, sets: Ints | None = None) -> tuple[Bools, dict[str, Apart]]:
    """Return which values lie apart from all others, and what was found at the low and the high end.

    Where rows that belong together are alike, as of one day, a set of them has
    one value: its outermost.

    Parameters
    ----------
    values
        Shape (rows,), without NaN.
    level
        The chance allowed at an end.
    sets
        The set of each row as a code from 0; None where each is by itself.
    """
    found = np.zeros(len(values), dtype=np.bool_)
    sides: dict[str, Apart] = {}
    if not len(values):
        return found, sides
    middle = float(np.median(thinned(values)))
    if sets is not None and not _alike(thinned(values)[::FEWER], thinned(sets)[::FEWER]):
        sets = None
    for end, sign in (("low", -1.0), ("high", 1.0)):
        shown = sign * values
        if sets is not None:
            frame = pl.DataFrame({"set": sets, "value": shown})
            shown = frame.group_by("set").max()["value"].to_numpy()
        one = apart(_outermost(shown), len(shown), level, sign * middle)
        if one is not None:
            sides[end] = one
            found |= sign * values >= one.first
    return found, sides


def _alike(values: Floats, sets: Ints) -> bool:
    _, codes = np.unique(sets, return_inverse=True)
    return len(values) > 2 and alike_within(ranks(values), codes.astype(np.int64)) > SHARED


def thinned(values: Values) -> Values:
    """Return every so-manieth value, so that a middle is found at once; shape (rows,)."""
    return values[:: max(1, len(values) // PART)]


def _outermost(values: Floats) -> Floats:
    """Return the largest values, ascending: at least so many as show how they fall off; without NaN."""
    if len(values) > 20 * HEADS:
        # of many values the few above a quantile of some are sorted
        some = thinned(values)
        above = values[values >= np.quantile(some, 1 - 2.5 * HEADS / len(values))]
        if len(above) >= HEADS:
            return np.sort(above)[-HEADS:]
    return np.sort(values)[-HEADS:]


def cells_of(at: Ints, columns: Sequence[Column], table: Table) -> Condition:
    """Return the condition that names rows by their cells in some columns; ``at`` has shape (rows,)."""
    named: list[Condition] = []
    for row in at[:MOST_CELLS]:
        parts: list[Condition] = []
        for column in columns:
            if column.kind.measured and not column.code:
                here = float(table.axis(column.name).values[row])
                end = here + 1 if column.kind.temporal else here
                gone = np.isnan(here)
                parts.append(
                    Missing(column.name)
                    if gone
                    else between(column, here, end, closed=not column.kind.temporal)
                )
            else:
                coded = table.coded(column.name)
                code = int(coded.codes[row])
                parts.append(Missing(column.name) if code < 0 else OneOf(column.name, (coded.labels[code],)))
        named.append(parts[0] if len(parts) == 1 else AllOf(tuple(parts)))
    distinct = tuple(dict.fromkeys(named))
    return distinct[0] if len(distinct) == 1 else AnyOf(distinct)


def bars_of(values: Floats, odd: Bools, said: Callable[[float], str], by_size: bool = False) -> Context:
    """Return how values are spread in small, and where those that stand out are.

    ``values`` and ``odd`` have shape (rows,), without NaN. ``by_size`` spreads them on a log scale.
    """
    shown = np.log10(values) if by_size else values
    low, high = float(shown.min()), float(shown.max())
    edges = np.linspace(low, high if high > low else low + 1, BARS + 1)
    counts, there = np.histogram(shown, edges)[0], np.histogram(shown[odd], edges)[0]
    ends = [said(float(values.min())), said(float(values.max()))]
    return Context(tuple(map(float, counts)), tuple(map(float, there)), *ends)
