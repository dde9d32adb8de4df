"""The groups of a level: a column's values or bands, or the periods of a time."""

from __future__ import annotations

import numpy as np

from night_trail.core.language.numbers import stretch
from night_trail.core.moments import GRAINS, LAST, GrainName, numbered, starts
from night_trail.core.questions.make_up.question import MakeUp
from night_trail.core.questions.shared.basis import Group, Grouping, grouping
from night_trail.core.rows import Rows
from night_trail.core.table import Column, Kind

MOST_VALUES = 250_000
"""Values of a level that are kept apart."""


def grains_for(column: Column) -> tuple[GrainName, ...]:
    """Return the periods a column of time can be a level by, the longest first."""
    if not column.kind.temporal:
        return ()
    able = GRAINS if column.kind == Kind.DATETIME else GRAINS[1:]
    return tuple(reversed(able))


def level_groups(question: MakeUp, rows: Rows, end: int) -> list[Grouping]:
    """Return the groups of the first ``end`` levels."""
    return [
        grouping(rows, name, MOST_VALUES) if grain is None else _periods(rows, name, grain)
        for name, grain in list(zip(question.levels, question.all_grains, strict=True))[:end]
    ]


def _periods(rows: Rows, name: str, grain: GrainName) -> Grouping:
    return rows.remember(("periods of a level", name, grain), lambda: _by_periods(rows, name, grain))


def _by_periods(rows: Rows, name: str, grain: GrainName) -> Grouping:
    column, moments = rows.table.column(name), rows.table.moments(name).values
    known = ~np.isnan(moments)
    codes = np.full(len(moments), -1, dtype=np.int32)
    numbers = numbered(moments[known], grain)
    if not len(numbers):
        return Grouping(column, (), codes)
    # of all rows, so that a period has one place whatever is kept
    present, found = np.unique(numbers, return_inverse=True)
    codes[known] = found
    low, high = starts(present, grain).tolist(), starts(present + 1, grain).tolist()
    groups = []
    for at, (start, end) in enumerate(zip(low, high, strict=True)):
        label = stretch(start, end, column.kind)
        # the last period a calendar has is open
        groups.append(Group(label, label, band=(start, None if end > LAST else end), at=at))
    return Grouping(column, tuple(groups), codes)
