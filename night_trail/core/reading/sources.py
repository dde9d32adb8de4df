"""Which reader a file goes to, decided by its first bytes and not by its name."""

from __future__ import annotations

import zipfile
from collections.abc import Iterator
from pathlib import Path
from typing import Protocol

import polars as pl

from night_trail.core.errors import Unreadable


class Source(Protocol):
    """A file as named columns of text cells."""

    names: list[str]
    notes: list[str]

    def batches(self) -> Iterator[list[tuple[int, pl.Series]]]:
        """Yield columns as (position, text cells), a few at a time, all of one length."""
        ...


REFUSED = {
    b"%PDF": "a PDF document",
    b"\x89PNG": "a picture",
    b"\xff\xd8\xff": "a picture",
    b"GIF8": "a picture",
    b"PAR1": "a Parquet file",
    b"ARROW1": "an Arrow file",
    b"SQLite format 3": "a database file",
    b"\x1f\x8b": "a compressed file",
    b"\xd0\xcf\x11\xe0": "an old or password-protected workbook",
    b"\x7fELF": "a program",
    b"MZ": "a program",
}


def open_file(path: Path, name: str) -> Source:
    """Return the file as text columns.

    Parameters
    ----------
    path
        Where the bytes lie.
    name
        What the file was called where it came from; used in messages only.

    Raises
    ------
    Unreadable
        Saying why, in one sentence.
    """
    from night_trail.core.reading.delimited import DelimitedSource  # noqa: PLC0415  (it imports this module)
    from night_trail.core.reading.workbook import WorkbookSource  # noqa: PLC0415

    with path.open("rb") as file:
        head = file.read(64)
    if not head:
        raise Unreadable("The file is empty", name, "Choose a file with a header row and rows below it.")
    if head.startswith(b"PK\x03\x04"):
        if _is_workbook(path):
            return WorkbookSource(path, name)
        raise Unreadable("This is an archive", name, "Unpack it and choose the CSV or XLSX file inside.")
    for magic, what in REFUSED.items():
        if head.startswith(magic):
            raise Unreadable(f"This is {what}", name, "Save the table as CSV or XLSX and choose that.")
    return DelimitedSource(path, name)


def _is_workbook(path: Path) -> bool:
    try:
        with zipfile.ZipFile(path) as archive:
            return "xl/workbook.xml" in archive.namelist()
    except (zipfile.BadZipFile, OSError):
        return False


def header(cells: list[str | None]) -> tuple[list[str], bool]:
    """Return column names from the first row, and whether that row was a header.

    A row with a number among its cells is data: names are then made up.
    Empty names get their position, doubled ones a count.

    >>> header(["a", "", "a"]), header(["1", "x"])
    ((['a', 'column 2', 'a (2)'], True), (['column 1', 'column 2'], False))
    """
    texts = [" ".join((cell or "").split()) for cell in cells]
    is_header = any(texts) and not any(_is_number(text) for text in texts)
    names: list[str] = []
    taken: set[str] = set()
    for i, text in enumerate(texts):
        base = (text[:200] if is_header else "") or f"column {i + 1}"
        name, count = base, 1
        while name in taken:
            count += 1
            name = f"{base} ({count})"
        taken.add(name)
        names.append(name)
    return names, is_header


def _is_number(text: str) -> bool:
    try:
        float(text.replace(",", ""))
    except ValueError:
        return False
    return text.lower() not in {"nan", "inf", "infinity"}
