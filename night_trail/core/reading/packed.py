"""Archives around a table: gzip and zip, unpacked up to a limit."""

from __future__ import annotations

import gzip
import re
import zipfile
import zlib
from pathlib import Path
from typing import IO

from night_trail.core.errors import Unreadable

MOST_UNPACKED = 4_000_000_000
MOST_TIMES = 300
"""How often larger than packed a file may be beyond ``FREE`` bytes; tables of text reach some dozen."""

FREE = 50_000_000
BETWEEN = " › "
_CHUNK = 1 << 20


_TELLS = re.compile(
    r"(^|/)(read[ _-]?me|licen[cs]e|copying|notice|about|changelog)[^/]*$|\.(md|rst|html?|pdf|docx?)$",
    re.IGNORECASE,
)


def members(path: Path, name: str) -> list[str]:
    """Return the names of the files in a zip archive that may be tables."""
    try:
        with zipfile.ZipFile(path) as archive:
            found = [i for i in archive.infolist() if not i.is_dir() and not _hidden(i.filename)]
    except (zipfile.BadZipFile, OSError, ValueError):
        raise Unreadable("The archive is broken", name, "Pack it again, or choose the file inside.") from None
    if not found:
        raise Unreadable("The archive holds no files", name, "Choose one with a table in it.")
    if len(found) > 200:
        raise Unreadable(f"The archive holds {len(found):,} files", name, "Choose those that are tables.")
    if any(i.flag_bits & 1 for i in found):
        raise Unreadable(
            "The archive is protected by a password", name, "Unpack it and choose the file inside."
        )
    # what tells about the tables stands behind them
    return sorted((i.filename for i in found), key=lambda inner: bool(_TELLS.search(inner)))


def _hidden(name: str) -> bool:
    return any(part.startswith((".", "__MACOSX")) for part in name.split("/"))


def unzip(path: Path, member: str, name: str, target: Path, head: int | None = None) -> None:
    """Write a member of a zip archive, or its first ``head`` bytes, into a file."""
    try:
        with zipfile.ZipFile(path) as archive:
            info = archive.getinfo(member)
            with archive.open(info) as source:
                _copy(source, target, info.compress_size, name, head)
    except KeyError:
        raise Unreadable(
            f"There is no “{member[:80]}” in the archive any more", name, "Choose another."
        ) from None
    except (zipfile.BadZipFile, OSError, zlib.error, NotImplementedError, RuntimeError, EOFError):
        raise Unreadable("The archive is broken", name, "Pack it again, or choose the file inside.") from None


def gunzip(path: Path, name: str, target: Path, head: int | None = None) -> None:
    """Write what a gzip file holds, or its first ``head`` bytes, into a file."""
    try:
        with gzip.open(path) as source:
            _copy(source, target, path.stat().st_size, name, head)
    except (OSError, EOFError, zlib.error):
        raise Unreadable(
            "The compressed file is broken", name, "Pack it again, or choose the file inside."
        ) from None


def _copy(source: IO[bytes] | gzip.GzipFile, target: Path, packed: int, name: str, head: int | None) -> None:
    written = 0
    with target.open("wb") as out:
        while piece := source.read(_CHUNK):
            written += len(piece)
            if written > MOST_UNPACKED or (written > FREE and written > MOST_TIMES * max(packed, 1)):
                size, was = written // 1_000_000, max(1, packed // 1_000_000)
                raise Unreadable(
                    f"The archive unpacks to more than {size:,} MB from {was:,}",
                    name,
                    "Choose the unpacked file if you trust it.",
                )
            out.write(piece)
            if head is not None and written >= head:
                return


def check_members(path: Path, name: str) -> None:
    """Refuse a workbook whose parts unpack to more than is read."""
    with zipfile.ZipFile(path) as archive:
        size = sum(i.file_size for i in archive.infolist())
        packed = max(1, path.stat().st_size)
    if size > MOST_UNPACKED or (size > FREE and size > MOST_TIMES * packed):
        raise Unreadable(
            f"The workbook unpacks to {size // 1_000_000:,} MB",
            name,
            "Save the table as CSV and choose that.",
        )
