"""Parquet and Arrow of every type a library writes: what is a table is read, the rest is named."""

from __future__ import annotations

import datetime as dt
from decimal import Decimal
from pathlib import Path

import polars as pl
import pytest

from night_trail.core.reading import load
from night_trail.core.table import Kind

STAMP = dt.datetime(2020, 1, 1, 12, 30)
COLUMNS: dict[str, tuple[pl.Series, Kind, list[object]]] = {
    "bytes": (pl.Series([b"abc", b"\xff\x00", None]), Kind.TEXT, ["abc", None, None]),
    "list": (pl.Series([[1, 2], [3], None]), Kind.TEXT, ["1; 2", "3", None]),
    "words": (pl.Series([["a", "b"], [], None]), Kind.TEXT, ["a; b", None, None]),
    "record": (pl.Series([{"a": 1, "b": "é"}, {"a": 2, "b": "y"}, None]), Kind.TEXT, ['{"a": 1, "b": "é"}']),
    "deep": (pl.Series([[{"a": [1]}], [], None]), Kind.TEXT, ['[{"a": [1]}]']),
    "array": (pl.Series([[1, 2], [3, 4], [5, 6]], dtype=pl.Array(pl.Int64, 2)), Kind.TEXT, ["1; 2"]),
    "decimal": (pl.Series([Decimal("1.10"), Decimal("2.25"), None]), Kind.NUMBER, [1.1, 2.25, None]),
    "category": (pl.Series(["x", "y", "x"], dtype=pl.Categorical), Kind.CATEGORY, ["x", "y", "x"]),
    "levels": (pl.Series(["lo", "hi", "lo"], dtype=pl.Enum(["lo", "hi"])), Kind.CATEGORY, ["lo", "hi"]),
    "wide": (pl.Series([1, 2, None], dtype=pl.Int128), Kind.WHOLE, [1, 2, None]),
    "lasting": (pl.Series([dt.timedelta(hours=1), dt.timedelta(0), None]), Kind.DURATION, [60.0, 0.0, None]),
    "stamp": (pl.Series([STAMP] * 3, dtype=pl.Datetime("ns")), Kind.DATETIME, [STAMP]),
    "small": (pl.Series([1.5, float("nan"), None], dtype=pl.Float32), Kind.NUMBER, [1.5, None, None]),
    "none": (pl.Series([None, None, None]), Kind.TEXT, [None, None, None]),
}


@pytest.mark.parametrize("form", ["parquet", "arrow"])
@pytest.mark.parametrize("name", COLUMNS)
def test_a_column_of_every_type_is_read(tmp_path: Path, form: str, name: str) -> None:
    cells, kind, expected = COLUMNS[name]
    path = tmp_path / f"odd.{form}"
    frame = pl.DataFrame({"n": [1, 2, 3], name: cells})
    frame.write_parquet(path) if form == "parquet" else frame.write_ipc(path)
    table, _ = load(path)
    column = table.column(name)
    read = (
        table.series(name).cast(pl.String).to_list()
        if kind == Kind.CATEGORY
        else table.series(name).to_list()
    )
    assert column.kind == kind and read[: len(expected)] == expected


def test_what_no_table_has_is_named(tmp_path: Path) -> None:
    path = tmp_path / "odd.parquet"
    pl.DataFrame({name: COLUMNS[name][0] for name in ("bytes", "list", "deep", "decimal")}).write_parquet(
        path
    )
    notes = load(path)[1]
    assert notes == [
        "Lists and records are read as text: list and deep.",
        "Bytes are missing where they are no text: bytes.",
    ]


def test_a_torn_end_of_json_lines_keeps_what_is_whole(tmp_path: Path) -> None:
    path = tmp_path / "torn.ndjson"
    path.write_text('{"a": 1, "b": "x"}\n{"a": 2, "b": "y"}\n{"a": 3, "b": "z')
    table, notes = load(path)
    assert table.height == 2 and any("left out" in note for note in notes)
