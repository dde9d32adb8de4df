"""The rows behind a scene, as a page of a table and as CSV."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
import polars as pl

from night_trail.core.conditions import columns_of
from night_trail.core.table import Column, Kind
from night_trail.tables import cells
from night_trail.trails.pictures import Desk

PAGE = 50
MOST_COLUMNS = 40


@dataclass(frozen=True)
class RowPage:
    """A page of rows."""

    columns: list[Column]
    rows: list[list[cells.Cell]]
    total: int
    lit: bool
    sort: str
    descending: bool
    page: int
    pages: int
    hidden: int


def row_page(desk: Desk, sort: str, descending: bool, page: int) -> RowPage:
    """Return one page of the rows that are lit, or of all that are kept where nothing is."""
    wanted = _wanted(desk)
    total = len(wanted)
    columns = _columns(desk)
    shown = columns[:MOST_COLUMNS]
    if sort in desk.table:
        wanted = wanted[
            _order(
                desk.table.series(sort).gather(wanted),
                descending,
                desk.table.column(sort).kind == Kind.ORDERED,
            )
        ]
    else:
        sort = ""
    pages = max(1, -(-total // PAGE))
    page = min(max(page, 1), pages)
    at = wanted[(page - 1) * PAGE : page * PAGE]
    shown_cells = [cells.cells_of(column, desk.table.series(column.name).gather(at)) for column in shown]
    return RowPage(
        shown,
        [list(row) for row in zip(*shown_cells, strict=True)],
        total,
        desk.scene.lit is not None,
        sort,
        descending,
        page,
        pages,
        len(columns) - len(shown),
    )


def _wanted(desk: Desk) -> np.ndarray:
    """Return the positions of the rows to show, in the table's order."""
    wanted = desk.rows.kept if desk.rows.lit is None else desk.rows.lit
    return np.arange(desk.table.height) if wanted is None else np.flatnonzero(wanted)


def _order(values: pl.Series, descending: bool, ordered: bool) -> np.ndarray:
    # text sorts by the alphabet, not by when a value first came
    plain = values.cast(pl.String) if isinstance(values.dtype, pl.Enum) and not ordered else values
    return plain.arg_sort(descending=descending, nulls_last=True).to_numpy()


def _columns(desk: Desk) -> list[Column]:
    """Return all columns, those the scene speaks of first."""
    named: list[str] = []
    for question in (desk.scene.main, *desk.scene.beside):
        if question is not None:
            named += [n for n in question.mentions if n]
    for condition in (*desk.scene.only, desk.scene.lit):
        if condition is not None:
            named += columns_of(condition)
    first = list(dict.fromkeys(named))
    rest = [c.name for c in desk.table.columns if c.name not in set(first)]
    return [desk.table.column(name) for name in [*first, *rest]]


def csv_pieces(desk: Desk) -> Iterator[str]:
    """Yield the rows as CSV, all columns in the table's order."""
    return cells.csv_pieces(desk.table, _wanted(desk))
