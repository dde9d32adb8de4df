"""JSON: records in a list, one a line, or columns in an object."""

from __future__ import annotations

import json
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Any

import polars as pl

from night_trail.core.errors import Unreadable
from night_trail.core.reading import text
from night_trail.core.reading.delimited import SAMPLE_CHARACTERS, SAMPLE_RECORDS
from night_trail.core.reading.kinds import Hints
from night_trail.core.reading.settings import MOST_COLUMNS, ReadingSettings, Understood

_WAY_ON = "A list of records, or one record a line, can be read."
_MOST_BYTES = 400_000_000
_MOST_KEYS = 2 * MOST_COLUMNS
"""Columns left out by hand are among them."""
_SPACE = " \t\r\n,"


def looks_like_json(head: bytes) -> bool:
    """Whether the first bytes begin a JSON list or object."""
    start = head.lstrip(b"\xef\xbb\xbf \t\r\n")
    return start[:1] in (b"{", b"[") and start[1:].lstrip()[:1] in (b"{", b"[", b'"', b"]", b"}")


class RecordsSource:
    """A JSON file of records; fields within fields get names with a point between."""

    def __init__(self, path: Path, name: str, settings: ReadingSettings, sampled: bool = False) -> None:
        if path.stat().st_size > _MOST_BYTES and not sampled:
            raise Unreadable(
                f"JSON is read up to {_MOST_BYTES // 1_000_000} MB", name, "Save the table as CSV or Parquet."
            )
        encoding, _ = text.encoding_of(path, name)
        with path.open(encoding=encoding) as file:
            written = file.read(SAMPLE_CHARACTERS if sampled else -1)
        whole = not sampled or len(written) < SAMPLE_CHARACTERS
        found, self.understood = _records(written, name, whole, SAMPLE_RECORDS if sampled else None)
        self.names: list[str] = []
        columns: dict[str, list[Any]] = {}
        for at, record in enumerate(found):
            for key, value in _flat(record).items():
                columns.setdefault(key, [None] * at).append(value)
            if len(columns) > _MOST_KEYS:
                raise Unreadable(
                    f"After {at + 1:,} records there are more than {_MOST_KEYS:,} keys",
                    name,
                    "Where keys hold values, write them as values: a record for each, with the key in it.",
                )
            for cells in columns.values():
                if len(cells) <= at:
                    cells.append(None)
        if not columns:
            raise Unreadable("There are no records in it", name, _WAY_ON)
        self.names = list(columns)
        self._columns = list(columns.values())
        self.units: list[str] = []
        self.records: list[list[str]] = []
        self.hints = Hints(decimal=".", missing=settings.missing)
        self.understood.encoding = encoding

    def batches(self, wanted: Sequence[int]) -> Iterator[list[tuple[int, pl.Series]]]:
        """Yield the wanted columns, typed where all their cells are of one type."""
        for i in wanted:
            yield [(i, _series(self._columns[i]))]


def _records(  # noqa: C901  (one case a way of nesting)
    written: str, name: str, whole: bool, most: int | None
) -> tuple[list[dict[str, Any]], Understood]:
    decoder = json.JSONDecoder()
    at = len(written) - len(written.lstrip("\ufeff" + _SPACE))
    listed, torn_end = written[at : at + 1] == "[", False
    try:
        if listed and whole:
            values, form = json.loads(written), "JSON records"
            if isinstance(values, list) and values and all(isinstance(v, list) for v in values):
                # rows without names: the first holds them
                names = [str(v) for v in values[0]]
                values = [dict(zip(names, row, strict=False)) for row in values[1:]]
        else:
            values, form = [], "JSON records" if listed else "JSON, a record a line"
            at += listed
            while most is None or len(values) < most:
                while at < len(written) and written[at] in _SPACE:
                    at += 1
                if at >= len(written):
                    break
                try:
                    value, at = decoder.raw_decode(written, at)
                except json.JSONDecodeError:
                    torn = not listed and "\n" not in written[at:].rstrip()
                    if not values or (whole and not torn):
                        raise
                    torn_end = whole
                    break  # the sample ends inside a record, or whoever wrote the file was stopped
                values.append(value)
    except json.JSONDecodeError as error:
        raise Unreadable(
            f"Its JSON breaks off in line {error.lineno}, column {error.colno} ({error.msg})", name, _WAY_ON
        ) from None
    except RecursionError:
        raise Unreadable("Its JSON is nested too deeply", name, _WAY_ON) from None
    if not listed and len(values) == 1 and isinstance(values[0], dict):
        values, form = _within(values[0]), "JSON"
    records = [v for v in values if isinstance(v, dict)]
    if not records and values:
        raise Unreadable("Its JSON holds no records", name, _WAY_ON)
    understood = Understood(format=form)
    understood.leave_out(len(values) - len(records), "values that are no records")
    understood.leave_out(int(torn_end), "the file breaks off inside the last record")
    return records[:most], understood


def _within(value: dict[str, Any]) -> list[Any]:
    """Return the records inside one object: a list of them under some name, or columns of one length."""
    lists = {k: v for k, v in value.items() if isinstance(v, list)}
    for inner in lists.values():
        if inner and all(isinstance(v, dict) for v in inner):
            return inner
    lengths = {len(v) for v in lists.values()}
    if lists and len(lists) == len(value) and len(lengths) == 1:
        return [dict(zip(lists, row, strict=True)) for row in zip(*lists.values(), strict=True)]
    return [value]


def _flat(record: dict[str, Any], before: str = "", depth: int = 0) -> dict[str, Any]:
    found: dict[str, Any] = {}
    for key, value in record.items():
        if isinstance(value, dict) and value and depth < 8:
            found |= _flat(value, f"{before}{key}.", depth + 1)
        else:
            found[f"{before}{key}"[:200]] = value
    return found


def _series(cells: list[Any]) -> pl.Series:
    kinds = {type(c) for c in cells if c is not None}
    if kinds == {bool}:
        return pl.Series(cells, dtype=pl.Boolean)
    if kinds == {int} and all(c is None or -(2**63) <= c < 2**63 for c in cells):
        return pl.Series(cells, dtype=pl.Int64)
    if kinds and kinds <= {int, float} and all(c is None or abs(c) < 2**63 for c in cells):
        return pl.Series([None if c is None else float(c) for c in cells], dtype=pl.Float64)
    return pl.Series([_as_text(c) for c in cells], dtype=pl.String)


def _as_text(cell: Any) -> str | None:
    if cell is None or isinstance(cell, str):
        return cell
    return json.dumps(cell, ensure_ascii=False)
