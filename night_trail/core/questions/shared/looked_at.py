"""Which columns of a table can say something of its rows where all are looked at."""

from __future__ import annotations

from collections.abc import Collection, Iterator

import numpy as np

from night_trail.core.table import Bools, Column, Ints, Kind, Table, is_row_number

MOST_DISTINCT = 2_000


def a_part_of(rows: Bools, most: int) -> Ints:
    """Return where rows are, of many a fixed random part, in order.

    ``rows`` has shape (rows of the table,).
    """
    at = np.flatnonzero(rows)
    if len(at) <= most:
        return at
    return np.sort(np.random.default_rng(len(at)).choice(at, most, replace=False))


def looked_at(table: Table, taken: Collection[str], passed_over: list[str]) -> Iterator[Column]:
    """Yield the columns that can be compared between rows, but those ``taken``.

    Names of single rows, free texts and numbers of the row are added to
    ``passed_over``; a column of one value is left without a word.
    """
    for column in table.columns:
        if column.name in taken or (column.distinct < 2 and not column.missing):
            continue
        if _says_nothing(column, table):
            passed_over.append(column.name)
        else:
            yield column


def _says_nothing(column: Column, table: Table) -> bool:
    if column.kind in (Kind.TEXT, Kind.IDENTIFIER):
        return column.distinct > MOST_DISTINCT or 2 * column.distinct > table.height
    if column.dated:
        return False
    if column.kind.measured and not column.code:
        counts = column.kind == Kind.WHOLE and column.distinct >= 0.97 * table.height
        return counts and is_row_number(column, table.axis(column.name).values, table.height)
    return column.distinct > 50 and 2 * column.distinct > table.height
