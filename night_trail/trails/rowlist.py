"""The rows behind a scene, as a page of a table and as CSV."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
import polars as pl

from night_trail.core.conditions import leaves
from night_trail.core.table import Column, Kind, as_text, on_axis
from night_trail.core.words.numbers import MINUS, number
from night_trail.trails.pictures import Desk

PAGE = 50
MOST_COLUMNS = 40
CHUNK = 50_000
_DANGEROUS = r"^[=+\-@\t\r＝＋－＠]"


@dataclass(frozen=True)
class Cell:
    """One cell: its words, and for numbers the part of a bar behind them in twentieths."""

    text: str
    bar: int | None = None
    missing: bool = False


@dataclass(frozen=True)
class RowPage:
    """A page of rows."""

    columns: list[Column]
    rows: list[list[Cell]]
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
        wanted = wanted[_order(desk.table.series(sort).gather(wanted), descending)]
    else:
        sort = ""
    pages = max(1, -(-total // PAGE))
    page = min(max(page, 1), pages)
    at = wanted[(page - 1) * PAGE : page * PAGE]
    cells = [_cells(desk, column, at) for column in shown]
    return RowPage(
        shown,
        [list(row) for row in zip(*cells, strict=True)],
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


def _order(cells: pl.Series, descending: bool) -> np.ndarray:
    # text sorts by the alphabet, not by when a value first came
    plain = cells.cast(pl.String) if isinstance(cells.dtype, pl.Enum) else cells
    return plain.arg_sort(descending=descending, nulls_last=True).to_numpy()


def _columns(desk: Desk) -> list[Column]:
    """Return all columns, those the scene speaks of first."""
    named: list[str] = []
    for question in (desk.scene.main, *desk.scene.beside):
        if question is not None:
            named += [n for n in (question.column, question.across) if n]
    for condition in (*desk.scene.only, desk.scene.lit):
        if condition is not None:
            named += [leaf.column for leaf in leaves(condition)]
    first = list(dict.fromkeys(named))
    rest = [c.name for c in desk.table.columns if c.name not in set(first)]
    return [desk.table.column(name) for name in [*first, *rest]]


def _cells(desk: Desk, column: Column, at: np.ndarray) -> list[Cell]:
    series = desk.table.series(column.name)
    part = series.gather(at)
    if column.kind.numeric:
        values = on_axis(part)
        places = max((len(number(float(v), 8).partition(".")[2]) for v in values), default=0)
        top = float(np.nanmax(np.abs(values))) if len(values) and not np.all(np.isnan(values)) else 0.0
        return [
            Cell("—", missing=True)
            if np.isnan(v)
            else Cell(_aligned(float(v), places), round(20 * abs(v) / top) if top else 0)
            for v in values
        ]
    texts = _texts(part, column.kind)
    return [Cell("—", missing=True) if t is None else Cell(t) for t in texts]


def _aligned(value: float, places: int) -> str:
    """Return a number with as many decimals as its neighbours have, so that points stand below points."""
    shown = number(value, 8)
    if places > 6 or "e" in shown:
        return shown
    return f"{value:,.{places}f}".replace("-", MINUS)


def _texts(part: pl.Series, kind: Kind) -> pl.Series:
    if kind == Kind.DATETIME:
        return part.dt.strftime("%Y-%m-%d %H:%M:%S").str.replace(r":00$", "")
    return as_text(part)


def csv_pieces(desk: Desk) -> Iterator[str]:
    """Yield the rows as CSV, all columns in the table's order, some ten thousand rows at a time."""
    wanted = _wanted(desk)
    columns = desk.table.columns
    header = io.StringIO()
    csv.writer(header, lineterminator="\n").writerow([neutral(c.name) for c in columns])
    yield header.getvalue()
    for start in range(0, len(wanted), CHUNK):
        at = wanted[start : start + CHUNK]
        frame = pl.DataFrame({f"c{i}": _plain(desk, column, at) for i, column in enumerate(columns)})
        yield frame.write_csv(include_header=False)


def _plain(desk: Desk, column: Column, at: np.ndarray) -> pl.Series:
    part = desk.table.series(column.name).gather(at)
    if column.kind.numeric:
        return part
    texts = _texts(part, column.kind)
    risky = texts.str.contains(_DANGEROUS).fill_null(False)
    return pl.select(pl.when(risky).then("'" + texts).otherwise(texts)).to_series() if risky.any() else texts


def neutral(text: str) -> str:
    """Return a text that no spreadsheet takes for a formula: such cells get an apostrophe before them.

    >>> neutral("=1+1"), neutral("plain")
    ("'=1+1", 'plain')
    """
    return "'" + text if re.match(_DANGEROUS, text) else text
