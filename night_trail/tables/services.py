"""What other applications may ask of tables."""

from __future__ import annotations

from collections.abc import Callable

import polars as pl

from night_trail.core.table import Table as CoreTable
from night_trail.core.table import View
from night_trail.tables import cache
from night_trail.tables.models import Version


class DatabaseSource:
    """The columns of a version, read when asked for."""

    def __init__(self, version_id: int) -> None:
        self._version_id = version_id

    def series(self, index: int) -> pl.Series:
        """Return the column at this position."""
        return cache.column(self._version_id, index)

    def remember(self, index: int, kind: type[View], make: Callable[[], View]) -> View:
        """Return a view of the column at this position, kept beside the column."""
        return cache.view(self._version_id, index, kind, make)


def core_table(version: Version) -> CoreTable:
    """Return a version as the table that questions are asked of."""
    table = version.table
    if table is None:
        raise ValueError("a version without a table is not complete and cannot be asked")
    return CoreTable(
        key=f"version:{version.pk}",
        name=table.name,
        columns=version.column_list(),
        height=version.height,
        source=DatabaseSource(version.pk),
        row_noun=(table.noun_one, table.noun_many),
    )
