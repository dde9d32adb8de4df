"""XLSX workbooks: the first sheet with rows, cells as text."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import polars as pl

from night_trail.core.errors import Unreadable
from night_trail.core.reading.sources import header


class WorkbookSource:
    """The first sheet of a workbook that holds rows."""

    def __init__(self, path: Path, name: str) -> None:
        import fastexcel  # noqa: PLC0415  (slow import, only for workbooks)

        try:
            book = fastexcel.read_excel(str(path))
            sheets = book.sheet_names
            frame, sheet = pl.DataFrame(), ""
            for sheet in sheets:
                frame = book.load_sheet(sheet, header_row=None, dtypes="string").to_polars()
                if frame.height:
                    break
        except Exception as error:  # the reader raises its own error, and others for broken files
            reason = str(error).splitlines()[0].rstrip(".") if str(error) else type(error).__name__
            raise Unreadable(
                f"The workbook cannot be read ({reason[:120]})", name, "Save it as CSV and choose that."
            ) from None
        if not frame.height:
            raise Unreadable(
                "The workbook has no rows", name, "Choose one with a header row and rows below it."
            )
        self.names, has_header = header([frame.item(0, k) for k in range(frame.width)])
        self._frame = frame.slice(1) if has_header else frame
        self.notes = [f"Read from the sheet “{sheet}”."]
        if len(sheets) > 1:
            self.notes.append(f"The workbook has {len(sheets) - 1} more that were not read.")
        if not has_header:
            self.notes.append("The first row holds numbers, so columns were named by their position.")

    def batches(self) -> Iterator[list[tuple[int, pl.Series]]]:
        """Yield all columns as text."""
        yield list(enumerate(self._frame.get_columns()))
