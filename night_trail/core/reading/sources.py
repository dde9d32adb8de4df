"""Which reader a file goes to, decided by its first bytes and not by its name."""

from __future__ import annotations

import tempfile
import zipfile
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Protocol

import polars as pl

from night_trail.core.errors import Unreadable
from night_trail.core.reading import database, packed, sheet_xml, workbook
from night_trail.core.reading.columnar import ColumnarSource
from night_trail.core.reading.database import DatabaseSource
from night_trail.core.reading.delimited import SAMPLE_CHARACTERS, DelimitedSource
from night_trail.core.reading.foreign import ForeignSource, reader_of
from night_trail.core.reading.kinds import Hints
from night_trail.core.reading.records import RecordsSource, looks_like_json
from night_trail.core.reading.settings import ReadingSettings, Understood
from night_trail.core.reading.workbook import WorkbookSource


class Source(Protocol):
    """A file, sheet or inner table as named columns of cells.

    ``units`` holds a unit for each column where a row of the file gives them,
    ``records`` the first rows as they stand, and ``understood`` what was found.
    """

    names: list[str]
    units: list[str]
    records: list[list[str]]
    hints: Hints
    understood: Understood

    def batches(self, wanted: Sequence[int]) -> Iterator[list[tuple[int, pl.Series]]]:
        """Yield columns as (position, cells), a few at a time, all of one length."""
        ...


REFUSED = {
    b"%PDF": "a PDF document",
    b"\x89PNG": "a picture",
    b"\xff\xd8\xff": "a picture",
    b"GIF8": "a picture",
    b"\x7fELF": "a program",
    b"MZ": "a program",
    b"7z\xbc\xaf": "an archive of a kind that is not unpacked",
    b"Rar!": "an archive of a kind that is not unpacked",
    b"BZh": "an archive of a kind that is not unpacked",
    b"\xfd7zXZ": "an archive of a kind that is not unpacked",
    b"\x28\xb5\x2f\xfd": "an archive of a kind that is not unpacked",
    b"\x89HDF": "an HDF5 file",
    b"<!DOCTYPE html": "a web page",
    b"<html": "a web page",
    b"<?xml": "an XML document",
}
_OLE = b"\xd0\xcf\x11\xe0"


def form_of(path: Path, name: str) -> str:
    """Return what a file is: text, json, workbook, parquet, arrow, sqlite, gzip or zip.

    Raises
    ------
    Unreadable
        Where it is none of these, saying what it is instead.
    """
    with path.open("rb") as file:
        head = file.read(4_096)
    if not head:
        raise Unreadable("The file is empty", name, "Choose a file with a header row and rows below it.")
    if reader_of(head) is not None:
        return "foreign"
    if head.startswith(b"PK\x03\x04") or head.startswith(b"PK\x05\x06"):
        return "workbook" if _is_workbook(path, name) else "zip"
    if head.startswith(_OLE):
        _refuse_protected(path, name)
        return "workbook"
    for magic, form in (
        (b"PAR1", "parquet"),
        (b"ARROW1", "arrow"),
        (b"SQLite format 3\x00", "sqlite"),
        (b"\x1f\x8b", "gzip"),
    ):
        if head.startswith(magic):
            return form
    start = head.lstrip()
    for magic, what in REFUSED.items():
        if head.startswith(magic) or (
            magic.startswith(b"<") and start[:20].lower().startswith(magic.lower())
        ):
            raise Unreadable(f"This is {what}", name, "Save the table as CSV or XLSX and choose that.")
    return "json" if looks_like_json(head) else "text"


def _is_workbook(path: Path, name: str) -> bool:
    try:
        with zipfile.ZipFile(path) as archive:
            inside = set(archive.namelist())
            kind = archive.read("mimetype")[:60] if "mimetype" in inside else b""
    except (zipfile.BadZipFile, OSError, RuntimeError, ValueError):
        raise Unreadable(
            "This is a broken archive", name, "Pack it again, or choose the file inside."
        ) from None
    found = "xl/workbook.xml" in inside or "xl/workbook.bin" in inside or b"spreadsheet" in kind
    if found:
        packed.check_members(path, name)
        sheet_xml.refuse_far_corners(path, name)
    return found


def _refuse_protected(path: Path, name: str) -> None:
    with path.open("rb") as file:
        data = file.read(2_000_000)
    if "EncryptedPackage".encode("utf-16-le") in data:
        raise Unreadable(
            "The workbook is protected by a password", name, "Save it without one and choose that."
        )
    if not any(w.encode("utf-16-le") in data for w in ("Workbook", "Book")):
        raise Unreadable("This is an old document, no workbook", name, "Save the table as CSV or XLSX.")


def parts(path: Path, name: str) -> list[str]:
    """Return the names of the tables in a file: sheets, tables, members; [""] where it is just one."""
    form = form_of(path, name)
    if form == "workbook":
        return workbook.sheets(path, name)
    if form == "sqlite":
        return database.tables(path, name)
    if form == "zip":
        found: list[str] = []
        complaints: list[Unreadable] = []
        members = packed.members(path, name)
        for member in members:
            with tempfile.TemporaryDirectory(prefix="night-trail-") as folder:
                inside = Path(folder) / "member"
                try:
                    packed.unzip(path, member, name, inside, None if _needs_all(member) else 65_536)
                    if form_of(inside, member) in ("zip", "gzip"):
                        raise Unreadable("This is an archive in an archive", member, "Unpack it.")
                    inner = parts(inside, member) if _needs_all(member) else [""]
                except Unreadable as error:
                    complaints.append(error)
                    continue
            found += [member + (packed.BETWEEN + p if p else "") for p in inner]
        if not found:
            raise complaints[0]
        return found
    return [""]


def _needs_all(member: str) -> bool:
    return member.lower().endswith(
        (".xlsx", ".xls", ".ods", ".db", ".sqlite", ".sqlite3", ".parquet", ".arrow", ".feather")
    )


def open_file(
    path: Path,
    name: str,
    settings: ReadingSettings | None = None,
    part: str = "",
    sampled: bool = False,
) -> Source:
    """Return the table in a file.

    Parameters
    ----------
    path
        Where the bytes lie.
    name
        What the file was called where it came from; used in messages only.
    settings
        What was decided by hand.
    part
        The sheet, inner table or member of an archive; the first where empty.
    sampled
        Whether only the first rows are wanted, as a preview does.

    Raises
    ------
    Unreadable
        Saying why, in one sentence.
    """
    settings = settings or ReadingSettings()
    form = form_of(path, name)
    if form == "foreign":
        with path.open("rb") as file:
            reader = reader_of(file.read(4_096))
        assert reader is not None  # noqa: S101  (the form says so)
        return ForeignSource(path, name, settings, reader, sampled)
    if form == "workbook":
        return WorkbookSource(path, name, settings, part, sampled)
    if form == "sqlite":
        return DatabaseSource(path, name, settings, part, sampled)
    if form in ("parquet", "arrow"):
        return ColumnarSource(path, name, settings, "Parquet" if form == "parquet" else "Arrow", sampled)
    if form == "json":
        return RecordsSource(path, name, settings, sampled)
    if form in ("gzip", "zip"):
        return _unpacked(path, name, settings, part, sampled, form)
    return DelimitedSource(path, name, settings, sampled)


def _unpacked(
    path: Path, name: str, settings: ReadingSettings, part: str, sampled: bool, form: str
) -> Source:
    folder = tempfile.TemporaryDirectory(prefix="night-trail-")
    inside = Path(folder.name) / "unpacked"
    head = 4 * SAMPLE_CHARACTERS if sampled else None
    if form == "gzip":
        member, inner = name.removesuffix(".gz"), ""
        packed.gunzip(path, name, inside, head)
    else:
        member, _, inner = (part or parts(path, name)[0]).partition(packed.BETWEEN)
        packed.unzip(path, member, name, inside, None if _needs_all(member) else head)
    if form_of(inside, name) in ("gzip", "zip"):
        raise Unreadable("This is an archive in an archive", name, "Unpack it and choose the file inside.")
    if form == "gzip" and form_of(inside, name) in ("workbook", "sqlite", "parquet", "arrow") and head:
        packed.gunzip(path, name, inside)
    source = open_file(
        inside, f"{name}{packed.BETWEEN}{member}" if form == "zip" else name, settings, inner, sampled
    )
    source.understood.format += f" in {'a gzip file' if form == 'gzip' else 'a zip archive'}"
    source.understood.part = part
    source._unpacked = folder  # type: ignore[attr-defined]  # kept as long as the source
    return source
