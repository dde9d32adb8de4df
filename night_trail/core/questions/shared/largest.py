"""The largest groups of a table's categories, as rows that can be chosen."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np

from night_trail.core.conditions import OneOf
from night_trail.core.questions.shared.grouping import makes_groups
from night_trail.core.table import Table

MOST_COLUMNS, MOST_VALUES = 8, 8


def largest(table: Table, name: str) -> list[str]:
    """Return the values of a column, those of most rows first."""
    coded = table.coded(name)
    counts = np.bincount(coded.codes[coded.codes >= 0], minlength=len(coded.labels))
    return [coded.labels[i] for i in np.argsort(-counts, kind="stable")]


def group_conditions(table: Table, first: Sequence[str] = ()) -> Iterator[OneOf]:
    """Yield the largest groups of some categories, those of the columns ``first`` before others."""
    able = [c for c in table.columns if makes_groups(c) and c.distinct >= 2]
    able.sort(key=lambda c: (c.name not in first, c.distinct))
    for column in able[:MOST_COLUMNS]:
        yield from (OneOf(column.name, (label,)) for label in largest(table, column.name)[:MOST_VALUES])
