"""Cells as a page shows them and as a file takes them."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

import numpy as np
import polars as pl

from night_trail.core.errors import NightTrailError
from night_trail.core.language.numbers import MINUS, bare, number
from night_trail.core.table import CLOCK, YEAR, Column, Kind, as_text, on_axis
from night_trail.core.table import Table as CoreTable

CHUNK = 50_000
SHEET_ROWS = 1_048_575
SHEET_CELLS = 8_000_000
_DANGEROUS = r"^[=+\-@\t\r＝＋－＠]"
_MARKS_MOST = 10
_PICTURE = re.compile(r"data:image/(?:png|jpeg|gif|webp);base64,[A-Za-z0-9+/=]+$")
MOST_PICTURE = 300_000


@dataclass(frozen=True)
class WrittenCell:
    """One cell: its words, for numbers the part of a bar in twentieths, or a picture's address."""

    text: str
    bar: int | None = None
    missing: bool = False
    failed: bool = False
    picture: str = ""


def cells_of(column: Column, part: pl.Series) -> list[WrittenCell]:
    """Return cells of one column in words; ratings with a known top as filled and empty marks."""
    if column.kind.numeric and part.dtype.is_numeric():
        values = on_axis(part)
        if 0 < column.top <= _MARKS_MOST:
            return [
                WrittenCell("—", 0, missing=True) if np.isnan(v) else WrittenCell(marks(float(v), column.top))
                for v in values
            ]
        if column.unit in (YEAR, CLOCK):
            return [
                WrittenCell("—", 0, missing=True) if np.isnan(v) else WrittenCell(bare(float(v), column.unit))
                for v in values
            ]
        places = max((len(number(float(v), 8).partition(".")[2]) for v in values), default=0)
        top = float(np.nanmax(np.abs(values))) if len(values) and not np.all(np.isnan(values)) else 0.0
        return [
            WrittenCell("—", 0, missing=True)
            if np.isnan(v)
            else WrittenCell(_aligned(float(v), places), round(20 * abs(v) / top) if top else 0)
            for v in values
        ]
    return [_worded(t) for t in texts(column.kind, part)]


def _worded(text: str | None) -> WrittenCell:
    if text is None:
        return WrittenCell("—", missing=True)
    # pictures that came inside the table itself; drawings in SVG could hold more than a picture
    if _PICTURE.match(text) and len(text) <= MOST_PICTURE:
        return WrittenCell("a picture", picture=text)
    return WrittenCell(text)


def marks(value: float, top: int) -> str:
    """Return a rating as filled and empty marks, numbers that are none as they are.

    >>> marks(4.0, 5), marks(4.5, 5)
    ('●●●●○ 4', '4.5')
    """
    if value != int(value) or not 0 <= value <= top:
        return number(value)
    return "●" * int(value) + "○" * (top - int(value)) + f" {int(value)}"


def _aligned(value: float, places: int) -> str:
    """Return a number with as many decimals as its neighbours have, so that points stand below points."""
    shown = number(value, 8)
    if places > 6 or "e" in shown:
        return shown
    return f"{value:,.{places}f}".replace("-", MINUS)


def texts(kind: Kind, part: pl.Series) -> pl.Series:
    """Return cells that are no numbers as text; date-times without seconds they do not have."""
    if kind == Kind.DATETIME:
        return part.dt.strftime("%Y-%m-%d %H:%M:%S").str.replace(r":00$", "")
    return as_text(part)


def csv_pieces(table: CoreTable, wanted: np.ndarray | None = None) -> Iterator[str]:
    """Yield rows as CSV, all columns in the table's order, some ten thousand rows at a time."""
    columns = table.columns
    header = io.StringIO()
    csv.writer(header, lineterminator="\n").writerow([neutral(c.name) for c in columns])
    yield header.getvalue()
    rows = np.arange(table.height) if wanted is None else wanted
    for start in range(0, len(rows), CHUNK):
        at = rows[start : start + CHUNK]
        frame = pl.DataFrame(
            {f"c{i}": _plain(c, table.series(c.name).gather(at)) for i, c in enumerate(columns)}
        )
        yield frame.write_csv(include_header=False)


def _plain(column: Column, part: pl.Series) -> pl.Series:
    if column.kind.numeric:
        return part
    words = texts(column.kind, part)
    risky = words.str.contains(_DANGEROUS).fill_null(False)
    return pl.select(pl.when(risky).then("'" + words).otherwise(words)).to_series() if risky.any() else words


def neutral(text: str) -> str:
    """Return a text that no spreadsheet takes for a formula: such cells get an apostrophe before them.

    >>> neutral("=1+1"), neutral("plain")
    ("'=1+1", 'plain')
    """
    return "'" + text if re.match(_DANGEROUS, text) else text


def write_parquet(table: CoreTable, target: Any) -> None:
    """Write a table as Parquet, typed as it is kept."""
    frame = pl.DataFrame([table.series(c.name).alias(f"c{i}") for i, c in enumerate(table.columns)])
    frame.rename({f"c{i}": c.name for i, c in enumerate(table.columns)}).write_parquet(
        target, compression="zstd"
    )


def write_xlsx(table: CoreTable, target: Any) -> None:
    """Write a table as a workbook; texts are never formulas.

    Raises
    ------
    NightTrailError
        Where a sheet cannot hold the table.
    """
    import xlsxwriter  # noqa: PLC0415  (slow import, rarely needed)

    if table.height > SHEET_ROWS or table.height * len(table.columns) > SHEET_CELLS:
        raise NightTrailError(
            f"A sheet cannot hold {table.height:,} rows of {len(table.columns):,} columns",
            table.name,
            "Take CSV or Parquet.",
        )
    options = {
        "constant_memory": False,
        "strings_to_formulas": False,
        "strings_to_urls": False,
        "strings_to_numbers": False,
    }
    with xlsxwriter.Workbook(target, options) as book:
        sheet = book.add_worksheet()
        bold = book.add_format({"bold": True})
        formats = {
            Kind.DATE: book.add_format({"num_format": "yyyy-mm-dd"}),
            Kind.DATETIME: book.add_format({"num_format": "yyyy-mm-dd hh:mm:ss"}),
            Kind.TIME: book.add_format({"num_format": "hh:mm"}),
        }
        sheet.freeze_panes(1, 0)
        for at, column in enumerate(table.columns):
            sheet.write_string(0, at, column.name, bold)
            cells = table.series(column.name)
            if column.kind == Kind.TIME:
                cells = cells / 24
            if isinstance(cells.dtype, pl.Enum):
                cells = cells.cast(pl.String)
            format_ = formats.get(column.kind)
            for row, cell in enumerate(cells.to_list(), start=1):
                if cell is None:
                    continue
                if column.kind.temporal:
                    sheet.write_datetime(row, at, cell, format_)
                elif isinstance(cell, bool):
                    sheet.write_boolean(row, at, cell)
                elif isinstance(cell, (int, float)):
                    # a sheet's numbers hold 15 digits
                    sheet.write_number(row, at, cell, format_) if abs(cell) < 1e15 else sheet.write_string(
                        row, at, str(cell)
                    )
                else:
                    sheet.write_string(row, at, cell[:32_767])
