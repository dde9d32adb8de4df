"""What the XML of a workbook's sheet says that its reader does not: how far it reaches, merged cells."""

from __future__ import annotations

import html
import re
import zipfile
from dataclasses import dataclass
from pathlib import Path

from night_trail.core.errors import Unreadable

MOST_SCANNED = 20_000_000
"""Bytes of a sheet's XML that are looked through; what is wrong with larger ones, limits find."""

MOST_EMPTY = 50_000_000
"""Cells a sheet may promise beyond a hundred for each that it holds; its reader keeps all of them."""

_CELL = re.compile(rb'<(?:\w+:)?c (?:[^>]*? )?r="([A-Z]{1,3})(\d{1,7})"[^>]*?(/?)>')
_MERGED = re.compile(rb'<(?:\w+:)?mergeCell [^>]*?ref="([A-Z]{1,3})(\d{1,7}):([A-Z]{1,3})(\d{1,7})"')
_TAG = re.compile(r"<(?:\w+:)?(sheet|Relationship) ([^>]*)>")
_ATTRIBUTE = re.compile(r"""(?:\w+:)?(\w+)=["']([^"']*)["']""")


@dataclass(frozen=True)
class Merged:
    """A rectangle of merged cells, both ends in it, counted from the first cell that holds something."""

    top: int
    left: int
    bottom: int
    right: int


def _column(letters: bytes) -> int:
    found = 0
    for letter in letters:
        found = found * 26 + letter - 64
    return found - 1


def refuse_far_corners(path: Path, name: str) -> None:
    """Refuse a workbook with a sheet of a few cells that lie very far apart.

    Raises
    ------
    Unreadable
        Naming the size the sheet would have.
    """
    with zipfile.ZipFile(path) as archive:
        for info in archive.infolist():
            if not re.fullmatch(r"xl/worksheets/[^/]+\.xml", info.filename) or info.file_size > MOST_SCANNED:
                continue
            with archive.open(info) as source:
                cells = _CELL.findall(source.read(MOST_SCANNED))
            if not cells:
                continue
            rows = [int(row) for _, row, _ in cells]
            columns = [_column(column) for column in {c for c, _, _ in cells}]
            high, wide = max(rows) - min(rows) + 1, max(columns) - min(columns) + 1
            if high * wide > MOST_EMPTY + 100 * len(cells):
                raise Unreadable(
                    f"A sheet reaches over {high:,} rows and {wide:,} columns and holds {len(cells):,} cells",
                    name,
                    "Delete what stands far from the table, or save the table as CSV.",
                )


def merged_cells(path: Path, sheet: str) -> list[Merged]:
    """Return the merged cells of a sheet; none where its XML is not found, or very large."""
    try:
        with zipfile.ZipFile(path) as archive:
            info = archive.getinfo(_file_of(archive, sheet))
            if info.file_size > MOST_SCANNED:
                return []
            with archive.open(info) as source:
                written = source.read(MOST_SCANNED)
    except (KeyError, ValueError, OSError, zipfile.BadZipFile):
        return []
    ends = _MERGED.findall(written)
    if not ends:
        return []
    held = [(int(row), _column(column)) for column, row, empty in _CELL.findall(written) if not empty]
    if not held:
        return []
    first_row, first_column = min(row for row, _ in held), min(column for _, column in held)
    return [
        Merged(
            int(top) - first_row, _column(left) - first_column,
            int(bottom) - first_row, _column(right) - first_column,
        )
        for left, top, right, bottom in ends
    ]  # fmt: skip


def _file_of(archive: zipfile.ZipFile, sheet: str) -> str:
    """Return the member that holds a sheet; KeyError where there is none."""
    sheets = {a.get("name"): a.get("id") for a in _tags(archive, "xl/workbook.xml", "sheet")}
    relations = _tags(archive, "xl/_rels/workbook.xml.rels", "Relationship")
    target = {a.get("Id"): a.get("Target", "") for a in relations}[sheets[sheet]]
    return target.lstrip("/") if target.startswith("/") else f"xl/{target}"


def _tags(archive: zipfile.ZipFile, member: str, tag: str) -> list[dict[str, str]]:
    written = archive.read(member).decode("utf-8", "replace")
    return [
        {key: html.unescape(value) for key, value in _ATTRIBUTE.findall(attributes)}
        for found, attributes in _TAG.findall(written)
        if found == tag
    ]
