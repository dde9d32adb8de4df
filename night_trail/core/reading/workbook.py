"""Workbooks (XLSX, XLS, ODS): a sheet's cells as text."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Any

import polars as pl

from night_trail.core.errors import Unreadable
from night_trail.core.reading import grid, sheet_xml
from night_trail.core.reading.delimited import SAMPLE_RECORDS, describe_layout
from night_trail.core.reading.settings import ReadingSettings, Understood


def _book(path: Path, name: str) -> Any:
    import fastexcel  # noqa: PLC0415  (slow import, only for workbooks)

    try:
        return fastexcel.read_excel(str(path))
    except Exception as error:  # the reader raises its own error, and others for broken files
        raise _broken(error, name) from None


def _broken(error: Exception, name: str) -> Unreadable:
    reason = str(error).splitlines()[0].rstrip(".") if str(error) else type(error).__name__
    if "password" in reason.lower() or "encrypt" in reason.lower():
        return Unreadable(
            "The workbook is protected by a password", name, "Save it without one and choose that."
        )
    return Unreadable(
        f"The workbook cannot be read ({reason[:120]})", name, "Save it as CSV and choose that."
    )


def sheets(path: Path, name: str) -> list[str]:
    """Return the names of the sheets that hold cells; all of them where none does."""
    book = _book(path, name)
    found = [str(s) for s in book.sheet_names]
    if len(found) == 1:
        return found
    return [s for s in found if _cells(book, s, name, 5).height] or found[:1]


def _cells(book: Any, sheet: str, name: str, most: int | None) -> pl.DataFrame:
    try:
        frame: pl.DataFrame = book.load_sheet(
            sheet, header_row=None, n_rows=most, dtypes="string"
        ).to_polars()
    except Exception as error:
        raise _broken(error, name) from None
    return frame


def _filled(frame: pl.DataFrame, merged: list[sheet_xml.Merged]) -> tuple[pl.DataFrame, bool]:
    """Return the cells with what is merged over several rows in each of them, and whether anything was."""
    columns: dict[int, list[str | None]] = {}
    filled = False
    for one in merged:
        if one.left != one.right or not 0 <= one.left < frame.width or one.top >= frame.height:
            continue
        if one.left not in columns:
            columns[one.left] = frame.to_series(one.left).to_list()
        cells = columns[one.left]
        below = range(one.top + 1, min(one.bottom + 1, frame.height))
        if cells[one.top] is not None and below and all(cells[i] is None for i in below):
            filled = True
            for i in below:
                cells[i] = cells[one.top]
    changed = [pl.Series(frame.columns[i], cells, dtype=pl.String) for i, cells in columns.items()]
    return frame.with_columns(changed), filled


class WorkbookSource:
    """One sheet of a workbook."""

    def __init__(
        self, path: Path, name: str, settings: ReadingSettings, part: str = "", sampled: bool = False
    ) -> None:
        book = _book(path, name)
        names = [str(s) for s in book.sheet_names]
        sheet = part or sheets(path, name)[0]
        if sheet not in names:
            raise Unreadable(
                f"There is no sheet “{sheet[:60]}” any more", name, f"It has: {', '.join(names[:10])[:200]}."
            )
        frame = _cells(book, sheet, name, SAMPLE_RECORDS if sampled else None)
        if not frame.height or not frame.width:
            raise Unreadable(
                f"The sheet “{sheet}” has no rows", name, "Choose one with a header row and rows below it."
            )
        frame, filled = _filled(frame, sheet_xml.merged_cells(path, sheet))
        self.understood = Understood(format="workbook", part=sheet)
        self.understood.reasons["sheet"] = f"read from the sheet “{sheet}”"
        if filled:
            self.understood.reasons["merged"] = "cells merged over several rows stand in each of these rows"
        self.records = [["" if c is None else c for c in row] for row in frame.head(SAMPLE_RECORDS).rows()]
        self.layout = grid.layout(self.records, settings, name)
        self.names, self.units = self.layout.names, self.layout.units
        self.hints = grid.hints(self.records[self.layout.first :], len(self.names), settings)
        describe_layout(self.understood, self.layout)
        body = frame.slice(self.layout.first)
        if not sampled:
            body = self._without_footer(body, settings)
        blank = body.select(
            pl.all_horizontal((pl.all().is_null()) | (pl.all().str.strip_chars() == ""))
        ).to_series()
        self.understood.leave_out(int(blank.sum()), "blank rows")
        self._frame = body.filter(~blank)

    def _without_footer(self, body: pl.DataFrame, settings: ReadingSettings) -> pl.DataFrame:
        if settings.footer is not None:
            self.understood.leave_out(settings.footer, "rows at the end, as chosen by hand")
            return body.head(max(0, body.height - settings.footer))
        tail = [["" if c is None else c for c in row] for row in body.tail(20).rows()]
        count, said = grid.footer(tail, len(self.names))
        if count:
            self.understood.leave_out(
                count, f"rows at the end that are no rows of the table: “{'”, “'.join(said)}”"
            )
        return body.head(body.height - count)

    def batches(self, wanted: Sequence[int]) -> Iterator[list[tuple[int, pl.Series]]]:
        """Yield the wanted columns as text."""
        empty = pl.Series([None] * self._frame.height, dtype=pl.String)
        yield [(i, self._frame.to_series(i) if i < self._frame.width else empty) for i in wanted]
