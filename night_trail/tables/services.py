"""What other applications may ask of tables."""

from __future__ import annotations

from collections.abc import Callable

import polars as pl

from night_trail.core.table import Table as CoreTable
from night_trail.core.table import View
from night_trail.tables import cache
from night_trail.tables.models import Place, Version


class DatabaseSource:
    """The columns of a version, read when asked for."""

    def __init__(self, places: list[Place]) -> None:
        self._places = places

    def series(self, index: int) -> pl.Series:
        """Return the column at this position."""
        return cache.column(self._places[index])

    def remember(self, index: int, kind: type[View], make: Callable[[], View]) -> View:
        """Return a view of the column at this position, kept beside the column."""
        return cache.view(self._places[index], kind, make)


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
        source=DatabaseSource(version.place_list()),
        row_noun=(table.noun_one, table.noun_many),
    )
