"""How the rows of both sides are cut into parts: by the values of one column, or of two."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from night_trail.core.conditions import AllOf, AnyOf, Condition, Missing, Not, OneOf
from night_trail.core.questions.changed.question import Changed
from night_trail.core.questions.shared.basis import grouping, is_banded
from night_trail.core.questions.shared.grouping import makes_groups
from night_trail.core.rows import Rows
from night_trail.core.table import Column, Ints, Table

MOST_PARTS = 400
"""Parts that a cut may have; of columns of more values those of most rows stand alone, the rest together."""
MOST_COLUMNS = 16


@dataclass(frozen=True)
class Segments:
    """A code for each cell, and what each code is called and which rows it has."""

    codes: Ints
    labels: tuple[str, ...]
    conditions: tuple[Condition, ...]

    @property
    def n(self) -> int:
        """How many parts there are."""
        return len(self.labels)

    @property
    def nbytes(self) -> int:
        """Bytes it holds."""
        return int(self.codes.nbytes)


def candidates(question: Changed, table: Table) -> list[str]:
    """Return the columns that may tell the parts apart, those of fewest values first."""
    taken = {*question.sides, question.measure.column, question.measure.per}
    able = [c for c in table.columns if c.name not in taken and _cuts(c) and 4 * c.distinct <= table.height]
    able.sort(key=lambda c: (c.kind.numeric, c.distinct))
    return [c.name for c in able[:MOST_COLUMNS]]


def _cuts(column: Column) -> bool:
    return makes_groups(column) and (column.distinct > 1 or column.missing > 0)


def pairs_of(names: Sequence[str], table: Table) -> list[tuple[str, str]]:
    """Return the pairs of columns whose values together are not too many."""
    return [
        (a, b)
        for a, b in itertools.combinations(names, 2)
        if table.column(a).distinct * table.column(b).distinct <= MOST_PARTS
    ]


def segments_of(by: tuple[str, ...], table: Table, at: Ints | None) -> Segments:
    """Return the parts of cells; ``at`` has shape (cells,), the rows they stand in, None for all rows."""
    n = table.height if at is None else len(at)
    if not by:
        return Segments(np.zeros(n, dtype=np.int64), ("all",), (_everything(table),))
    first = _of_one(by[0], table, at)
    if len(by) == 1:
        return first
    second = _of_one(by[1], table, at)
    pair = first.codes * second.n + second.codes
    used, codes = np.unique(pair, return_inverse=True)
    labels = tuple(f"{first.labels[k // second.n]} · {second.labels[k % second.n]}" for k in used)
    conditions = tuple(
        AllOf((first.conditions[k // second.n], second.conditions[k % second.n])) for k in used
    )
    return Segments(codes.astype(np.int64), labels, conditions)


def _everything(table: Table) -> Condition:
    name = table.columns[0].name
    return AnyOf((Missing(name), Not(Missing(name))))


def _of_one(name: str, table: Table, at: Ints | None) -> Segments:
    column = table.column(name)
    if is_banded(column):
        found = grouping(Rows(table), name, 12)
        codes = np.asarray(found.codes)
        labels = [g.label for g in found.groups]
        conditions = [found.condition(i) for i in range(len(labels))]
    else:
        coded = table.coded(name)
        codes, labels = coded.codes, list(coded.labels)
        conditions = [OneOf(name, (label,)) for label in labels]
    codes = (codes if at is None else codes[at]).astype(np.int64)
    if len(labels) > MOST_PARTS:
        counts = np.bincount(codes[codes >= 0], minlength=len(labels))
        kept = np.sort(np.argsort(-counts, kind="stable")[: MOST_PARTS - 1])
        lookup = np.full(len(labels) + 1, len(kept), dtype=np.int64)
        lookup[kept] = np.arange(len(kept))
        lookup[-1] = -1
        rest = len(labels) - len(kept)
        # conditions list no more than a thousand values: what is kept is named, the rest is what is not
        others = AllOf((Not(OneOf(name, tuple(labels[i] for i in kept))), Not(Missing(name))))
        conditions = [*(conditions[i] for i in kept), others]
        labels = [*(labels[i] for i in kept), f"{rest:,} more"]
        codes = lookup[codes]
    if bool((codes < 0).any()):
        codes = np.where(codes < 0, len(labels), codes)
        labels = [*labels, f"{name} missing"]
        conditions = [*conditions, Missing(name)]
    return Segments(codes, tuple(labels), tuple(conditions))  # type: ignore[arg-type]
