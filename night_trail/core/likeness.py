"""One row, as a condition that names it, and rows like it."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from night_trail.core.conditions import Condition, Missing, OneOf, between, joined_all, mask
from night_trail.core.errors import BadQuestion
from night_trail.core.table import Column, Kind, Table, on_axis

NEAR = 0.05
"""How far in rank a value may lie from the row's own, to either side, to be like it."""

MOST_PARTS = 12


def this_row(table: Table, at: int) -> Condition:
    """Return the condition that names a row: by its identifier, else by as many of its values as it takes."""
    _check(table, at)
    for column in table.columns:
        if column.kind == Kind.IDENTIFIER:
            named = _same(table, column, at)
            if int(mask(named, table).sum()) == 1:
                return named
    parts: list[Condition] = []
    left = np.ones(table.height, dtype=np.bool_)
    # what differs most tells a row apart soonest
    for column in sorted(table.columns, key=lambda c: -c.distinct):
        part = _same(table, column, at)
        met = left & mask(part, table)
        if met.sum() < left.sum():
            parts.append(part)
            left = met
        if left.sum() == 1 or len(parts) >= MOST_PARTS:
            break
    if not parts:
        raise BadQuestion("All rows are alike", table.name, "There is nothing to tell this one by.")
    return joined_all(*parts)


def like_row(table: Table, names: Sequence[str], at: int) -> Condition:
    """Return the condition of rows like one: the same categories, numbers and dates near it in rank.

    Parameters
    ----------
    names
        The columns that count; identifiers and free text never do.
    """
    _check(table, at)
    parts: list[Condition] = []
    for name in dict.fromkeys(names):
        column = table.column(name)
        if column.kind.measured:
            parts.append(_near(table, column, at))
        elif column.kind.grouping:
            parts.append(_same(table, column, at))
    if not parts:
        raise BadQuestion(
            "Nothing says what “like” means here", table.name, "Show a category or number first."
        )
    return joined_all(*parts[:MOST_PARTS])


def _check(table: Table, at: int) -> None:
    if not 0 <= at < table.height:
        raise BadQuestion("There is no such row", table.name, "Reload the rows.")


def _same(table: Table, column: Column, at: int) -> Condition:
    if column.kind.measured:
        value = float(on_axis(table.series(column.name).slice(at, 1))[0])
        return Missing(column.name) if math.isnan(value) else between(column, value, value, True)
    coded = table.coded(column.name)
    code = int(coded.codes[at])
    return Missing(column.name) if code < 0 else OneOf(column.name, (coded.labels[code],))


def _near(table: Table, column: Column, at: int) -> Condition:
    value = float(on_axis(table.series(column.name).slice(at, 1))[0])
    if math.isnan(value):
        return Missing(column.name)
    ascending = table.ordered(column.name).values
    n = len(ascending)
    first = int(np.searchsorted(ascending, value, side="left"))
    last = int(np.searchsorted(ascending, value, side="right")) - 1
    low = float(ascending[max(0, first - math.ceil(NEAR * n))])
    high = float(ascending[min(n - 1, last + math.ceil(NEAR * n))])
    return between(column, low, high, True)
