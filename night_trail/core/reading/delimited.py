"""Delimited text: encoding, delimiter, header; cells as text."""

from __future__ import annotations

import codecs
import contextlib
import csv
import io
import tempfile
from collections.abc import Iterator
from pathlib import Path

import polars as pl

from night_trail.core.errors import Unreadable
from night_trail.core.reading.sources import header

DELIMITERS = [",", ";", "\t", "|"]
DELIMITER_WORDS = {",": "commas", ";": "semicolons", "\t": "tabs", "|": "bars"}
CELLS_AT_ONCE = 6_000_000
"""Text cells held at a time; more columns than fit are read in several passes."""

CHUNK = 1 << 20


class DelimitedSource:
    """A delimited text file."""

    def __init__(self, path: Path, name: str) -> None:
        self.notes: list[str] = []
        self._name = name
        encoding = _encoding(path, name)
        self._temporary: tempfile.TemporaryDirectory[str] | None = None
        self._path = path
        if encoding not in ("utf-8", "utf-8-sig"):
            self._path = self._recoded(path, encoding)
            self.notes.append(f"Read as {encoding}.")
        sample = _sample(self._path)
        if "\n" not in sample and "\r" in sample:
            self._path = self._recoded(self._path, "utf-8", newline=None)
            sample = _sample(self._path)
        lines = sample.split("\n")
        self._skip = next((i for i, line in enumerate(lines) if line.strip()), len(lines))
        if self._skip == len(lines):
            raise Unreadable("The file holds only blank lines", name, "Choose a file with rows in it.")
        sample = "\n".join(lines[self._skip :])
        self.delimiter = _delimiter(sample)
        first = next(iter(_rows(sample, self.delimiter)), [])
        self.names, self._has_header = header(list(first))
        if len(self.names) > 1:
            self.notes.append(f"Cells are separated by {DELIMITER_WORDS[self.delimiter]}.")
        if not self._has_header:
            self.notes.append("The first row holds numbers, so columns were named by their position.")

    def _recoded(self, path: Path, encoding: str, newline: str | None = "") -> Path:
        """Write the file anew as UTF-8, a piece at a time; ``newline`` None turns all line ends into one."""
        folder = tempfile.TemporaryDirectory(prefix="night-trail-")
        recoded = Path(folder.name) / "recoded.csv"
        with (
            path.open(encoding=encoding, newline=newline) as source,
            recoded.open("w", encoding="utf-8", newline="") as target,
        ):
            while piece := source.read(CHUNK):
                target.write(piece)
        self._temporary = folder  # kept as long as the source; an earlier one goes now
        return recoded

    def batches(self) -> Iterator[list[tuple[int, pl.Series]]]:
        """Yield columns as text, as many at a time as memory allows."""
        start, step = 0, 4
        while start < len(self.names):
            group = range(start, min(start + step, len(self.names)))
            frame = self._read(list(group))
            offset = 1 if self._has_header else 0
            yield [(i, frame.to_series(k).slice(offset)) for k, i in enumerate(group)]
            start = group.stop
            # after the first pass the height is known
            step = max(1, CELLS_AT_ONCE // max(frame.height, 1))

    def _read(self, columns: list[int]) -> pl.DataFrame:
        try:
            return pl.read_csv(
                self._path,
                separator=self.delimiter,
                has_header=False,
                skip_lines=self._skip,
                infer_schema=False,
                truncate_ragged_lines=True,
                columns=columns,
            )
        except pl.exceptions.PolarsError as error:
            reason = str(error).splitlines()[0].rstrip(".")
            raise Unreadable(
                f"The rows cannot be told apart: {reason}", self._name, "Check its quotes and try again."
            ) from None


def _encoding(path: Path, name: str) -> str:
    """Return the encoding: a byte order mark, strict UTF-8, then a guess among one-byte encodings."""
    with path.open("rb") as file:
        head = file.read(CHUNK)
        for mark, encoding in (
            (codecs.BOM_UTF8, "utf-8-sig"),
            (codecs.BOM_UTF16_LE, "utf-16"),
            (codecs.BOM_UTF16_BE, "utf-16"),
        ):
            if head.startswith(mark):
                return encoding
        if b"\x00" in head:
            raise Unreadable("This is not text", name, "Save the table as CSV or XLSX and choose that.")
        decoder = codecs.getincrementaldecoder("utf-8")()
        try:
            piece = head
            while piece:
                decoder.decode(piece)
                piece = file.read(CHUNK)
            decoder.decode(b"", final=True)
        except UnicodeDecodeError:
            return _one_byte_encoding(head, name)
    return "utf-8"


def _one_byte_encoding(head: bytes, name: str) -> str:
    controls = sum(byte < 9 or 13 < byte < 32 for byte in head)
    if controls > len(head) * 0.01:
        raise Unreadable("This is not text", name, "Save the table as CSV or XLSX and choose that.")
    from charset_normalizer import from_bytes  # noqa: PLC0415  (slow import, rarely needed)

    best = from_bytes(head[:200_000], cp_isolation=["cp1252", "latin_1", "cp1250", "cp1251", "cp437"]).best()
    encoding = best.encoding if best is not None else "cp1252"
    try:
        head.decode(encoding)
    except UnicodeDecodeError:
        return "latin_1"
    return encoding


def _sample(path: Path) -> str:
    """Return the first 200 lines, at most 400 kB."""
    with path.open(encoding="utf-8-sig", errors="replace", newline="") as file:
        text = file.read(400_000)
    if not text.strip():
        return text
    return "".join(text.splitlines(keepends=True)[:200])


def _rows(sample: str, delimiter: str) -> list[list[str]]:
    """Return the rows of a sample, as far as this delimiter makes sense of it."""
    rows: list[list[str]] = []
    # an error is a quote or line end where this delimiter does not expect it
    with contextlib.suppress(csv.Error):
        rows.extend(csv.reader(io.StringIO(sample), delimiter=delimiter))
    return rows


def _delimiter(sample: str) -> str:
    """Return the delimiter that cuts the lines most evenly into most cells; clevercsv decides ties."""
    scores: dict[str, tuple[float, int]] = {}
    for delimiter in DELIMITERS:
        widths = [len(row) for row in _rows(sample, delimiter) if row]
        common = max(set(widths), key=widths.count) if widths else 1
        if common > 1:
            scores[delimiter] = (widths.count(common) / len(widths), common)
    if not scores:
        return ","
    ranked = sorted(scores, key=lambda d: scores[d], reverse=True)
    if len(ranked) > 1 and scores[ranked[0]][0] - scores[ranked[1]][0] < 0.1:
        import clevercsv  # noqa: PLC0415  (slow import, rarely needed)

        try:
            guess = clevercsv.Sniffer().sniff(sample[:20_000], delimiters=ranked).delimiter
        except (clevercsv.Error, ValueError):
            guess = ""
        if guess in scores:
            return str(guess)
    return ranked[0]
