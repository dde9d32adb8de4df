"""What every answer about a column carries: rows used, rows left out, groups."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property
from itertools import pairwise

import numpy as np

from night_trail.core.conditions import AllOf, Condition, Missing, Not, OneOf, between
from night_trail.core.language.numbers import stretch, value
from night_trail.core.many import Runs, each_row
from night_trail.core.moments import DAY
from night_trail.core.rows import Codes, Measured, Rows
from night_trail.core.stats.bins import CALENDAR_SECONDS, calendar_edges, even_edges, round_width, window
from night_trail.core.stats.quantiles import box
from night_trail.core.table import Bools, Column, Floats, Ints, Kind

BANDS = 8
MOST_VALUES = 50


@dataclass(frozen=True)
class Basis:
    """On how many rows an answer rests.

    ``rows`` are kept by the filter, ``used`` went into the answer; ``missing``
    lack the column, ``groupless`` lack the column spread across. ``lit`` rows
    are counted among the used ones.
    """

    rows: int
    used: int
    missing: int
    groupless: int = 0
    lit: int | None = None
    table_rows: int = 0


@dataclass(frozen=True)
class Group:
    """One value of the column spread across; ``others`` counts the values gathered in the last one.

    A group of a measured column is a ``band``, left-closed, open where an end is None.
    ``at`` is the value's place among the column's labels, −1 for what is none of them.
    """

    key: str
    label: str
    others: int = 0
    band: tuple[float | None, float | None] | None = None
    at: int = -1


@dataclass(frozen=True)
class Grouping:
    """Every row's group as a position in ``groups``, −1 for none; one code a row of the table.

    ``tied`` is whether a gathered group has as many rows as one that stands by itself.
    """

    column: Column | None
    groups: tuple[Group, ...]
    codes: Codes | None
    tied: bool = False

    def condition(self, position: int) -> Condition | None:
        """Return the condition that names the rows of one group; None for all rows."""
        if self.column is None:
            return None
        group = self.groups[position]
        if group.band is not None:
            low, high = group.band
            if low is None and high is None:
                return Not(Missing(self.column.name))
            return between(self.column, low, high)
        if group.others:
            named = tuple(g.key for g in self.groups if not g.others)
            return AllOf((Not(OneOf(self.column.name, named)), Not(Missing(self.column.name))))
        return OneOf(self.column.name, (group.key,))


ALL_ROWS = Grouping(None, (Group("", ""),), None)


def is_banded(column: Column) -> bool:
    """Whether a column groups rows by bands: a measured one with more values than can be set side by side."""
    return column.kind.temporal or (column.kind.numeric and column.distinct > MOST_VALUES)


def grouping(rows: Rows, across: str | None, most: int) -> Grouping:
    """Return the groups of a column, the smallest gathered in one where there are more than ``most``.

    A measured column of many values is cut into bands: numbers into about
    eight of a round width, dates into calendar units.
    """
    if across is None:
        return ALL_ROWS
    if is_banded(rows.table.column(across)):
        return rows.remember(("bands", across, most), lambda: _banded(rows, across, most))
    return rows.remember(("grouping", across, most), lambda: _grouped(rows, across, most))


def _grouped(rows: Rows, across: str, most: int) -> Grouping:
    """Return the groups with the most rows, the rest gathered."""
    coded = rows.table.coded(across)
    counts = rows.tally(coded.codes, len(coded.labels), rows.kept)
    present = np.flatnonzero(counts)
    if len(present) <= most:
        return gathered(rows, across, present, present)
    ordered = np.argsort(-counts, kind="stable")
    found = gathered(rows, across, np.sort(ordered[: most - 1]), present)
    # the least of those kept may have no more rows than some of the others
    return replace(found, tied=bool(counts[ordered[most - 2]] == counts[ordered[most - 1]]))


def gathered(rows: Rows, across: str, kept: Ints, present: Ints) -> Grouping:
    """Return the groups at the positions ``kept`` among a column's labels, the rest of ``present`` in one.

    Both have shape (labels kept or present,), positions from 0.
    """
    column, coded = rows.table.column(across), rows.table.coded(across)
    labels = coded.labels
    if len(kept) == len(labels):
        return Grouping(
            column, tuple(Group(label, label, at=i) for i, label in enumerate(labels)), coded.codes
        )
    groups = [Group(labels[i], labels[i], at=int(i)) for i in kept]
    rest = len(present) - len(kept)
    # the last place of the lookup answers for -1, a missing group
    lookup = np.full(len(labels) + 1, len(kept) if rest else -1, dtype=np.int32)
    lookup[kept] = np.arange(len(kept))
    lookup[-1] = -1
    if rest:
        groups.append(Group("", f"{rest:,} other{'' if rest == 1 else 's'}", rest))
    return Grouping(column, tuple(groups), lookup[coded.codes])


def paired(first: Codes, second: Codes, width: int) -> Codes:
    """Return one code for each pair of codes, the second running fastest below ``width``; −1 where either is.

    >>> paired(np.array([0, 1, -1], dtype=np.int32), np.array([2, 0, 1], dtype=np.int32), 3).tolist()
    [2, 3, -1]
    """
    codes = first * np.int32(width)
    codes += second
    without = (first < 0) | (second < 0)
    if bool(without.any()):
        codes[without] = -1
    return codes


MOST_HUES = 7


def hues(rows: Rows, found: Grouping) -> tuple[int, ...]:
    """Return the colour of each group, 0 to 6, and 7 for groups that share the last.

    A value has the colour of its rank among all rows of the table, whatever is
    kept: so it keeps it through a trail. Values beyond the seventh take what is
    left over.
    """
    if found.column is None or is_banded(found.column):
        return tuple(i % MOST_HUES for i in range(len(found.groups)))
    name = found.column.name

    def largest() -> tuple[str, ...]:
        labels, counts = rows.table.counts(name)
        return tuple(labels[i] for i in np.argsort(-counts, kind="stable")[:MOST_HUES])

    ranked = rows.remember(("largest of all", name), largest)
    own = {label: i for i, label in enumerate(ranked)}
    present = {g.key for g in found.groups if not g.others}
    free = [i for label, i in own.items() if label not in present]
    free += range(len(own), MOST_HUES)
    return tuple(
        MOST_HUES if g.others else own[g.key] if g.key in own else free.pop(0) if free else MOST_HUES
        for g in found.groups
    )


def _banded(rows: Rows, across: str, most: int) -> Grouping:
    column = rows.table.column(across)
    ascending = rows.measured(across).values
    if not len(ascending):
        return Grouping(column, (), np.full(rows.table.height, -1, dtype=np.int32))
    low, high = float(ascending[0]), float(ascending[-1])
    if column.kind.temporal:
        units = [u for u in CALENDAR_SECONDS if column.kind == Kind.DATETIME or CALENDAR_SECONDS[u] >= DAY]
        unit = next((u for u in units if (high - low) / CALENDAR_SECONDS[u] <= most - 2), "year")
        edges = calendar_edges(low, high, unit)
    else:
        figures = box(ascending)
        kept = window(ascending, figures.low_whisker, figures.high_whisker)
        wide = round_width(max(kept.high - kept.low, 1e-12) / BANDS, column.kind == Kind.WHOLE)
        edges = even_edges(max(low, kept.low), min(high, kept.high), wide)[: most + 1]
    last = len(edges) - 2
    values = rows.table.axis(across).values
    codes = np.clip(np.searchsorted(edges, values, side="right") - 1, 0, last).astype(np.int32)
    codes[np.isnan(values)] = -1
    groups = []
    for i in range(last + 1):
        start, end = float(edges[i]), float(edges[i + 1])
        open_low, open_high = i == 0 and low < start, i == last and high >= end
        label = stretch(start, end, column.kind, column.unit)
        if open_low:
            label = f"under {value(end, column.kind, column.unit)}"
        if open_high:
            label = f"{value(start, column.kind, column.unit)} and more"
        band = (None if open_low else start, None if open_high else end)
        groups.append(Group(label, label, band=band))
    return Grouping(column, tuple(groups), codes)


def basis_of(rows: Rows, column: str, used: int, lit: Bools | int | None, left: int = 0) -> Basis:
    """Return how many rows an answer rests on: ``used`` of them, ``left`` have no place on its scale.

    ``lit`` is how many of those are lit, or says it of each, shape (rows of the table,); None where the
    lantern is out.
    """
    present = rows.present(column)
    return Basis(
        rows=rows.n,
        used=used,
        missing=rows.n - present,
        groupless=present - used - left,
        lit=lit if lit is None or isinstance(lit, int) else int(np.count_nonzero(lit)),
        table_rows=rows.table.n,
    )


def measured(rows: Rows, column: str, groups: Grouping) -> Measured:
    """Return a column's cells in order, group by group where they are grouped."""
    if groups.column is None or groups.codes is None:
        return rows.measured(column)
    return rows.measured(column, (f"{groups.column.name}:{len(groups.groups)}", groups.codes))


def together(rows: Rows, column: str, found: Measured) -> Measured:
    """Return grouped cells in one ascending order; codes are left out."""
    if found.codes is None:
        return found
    plain = rows.measured(column)
    if len(plain.values) == len(found.values):
        return plain  # no row lacks a group
    order = np.argsort(found.values, kind="stable")
    return replace(found.at(order), codes=None)


@dataclass(frozen=True)
class Member:
    """The ascending values of one group, which of them are lit, and how many rows each stands for."""

    position: int
    values: Floats
    lit: Bools | None
    n: Ints | None = None

    @cached_property
    def each(self) -> Floats | Runs:
        """The values, each as often as it stands for a row."""
        return each_row(self.values, self.n)

    @property
    def lit_alone(self) -> Floats | Runs | None:
        """The lit values, each as often as it stands for a row; None where nothing is lit."""
        if self.lit is None:
            return None
        return each_row(self.values[self.lit], None if self.n is None else self.n[self.lit])


def members_of(found: Measured, n_groups: int) -> list[Member]:
    """Return each group's part of a column's cells."""
    if found.codes is None:
        return [Member(0, found.values, found.lit, found.n)]
    bounds = np.searchsorted(found.codes, np.arange(n_groups + 1))
    return [
        Member(
            i,
            found.values[start:end],
            None if found.lit is None else found.lit[start:end],
            None if found.n is None else found.n[start:end],
        )
        for i, (start, end) in enumerate(pairwise(bounds))
    ]
