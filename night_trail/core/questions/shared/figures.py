"""The numbers behind a picture, as a table: for who cannot see it, and for another tool."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from night_trail.core.conditions import iso
from night_trail.core.table import Column

Figure = str | int | float | None


@dataclass(frozen=True)
class Figures:
    """Column names and rows; figures are as they were computed, dates in ISO 8601."""

    names: tuple[str, ...]
    rows: tuple[tuple[Figure, ...], ...]


def cell_at(column: Column, value: float | None) -> Figure:
    """Return a place on a column's axis as a figure: a date where the column is one."""
    if value is None:
        return None
    return iso(value, column.kind) if column.kind.temporal else value


Made = tuple[list[str], Iterator[list[Figure]]]
