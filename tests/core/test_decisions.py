"""What is decided by hand about a file is done; what was decided without says why; what cannot be read is refused."""

from __future__ import annotations

import datetime as dt
import gzip
import io
import sqlite3
import zipfile
from pathlib import Path
from typing import Any

import msgspec
import pytest
import xlsxwriter

from night_trail.core.errors import Unreadable
from night_trail.core.reading import ColumnSetting, ReadingSettings, load, load_part, packed, parts, preview
from night_trail.core.reading.read import Loaded
from night_trail.core.recipe import apply
from night_trail.core.recipe.offers import column_offers
from night_trail.core.table import Kind

NIGHTS = [f"{d:02d}/04/2024;{d},5;{d * 3}" for d in range(3, 23)]
MESSY = "\n".join(
    ["Light traps;;", "kept by hand;;", "night;lux;moths", *NIGHTS, "23/04/2024;;lamp out", "Total;;750"]
)
"""Two title lines, decimal commas, a day-month order, a cell that does not fit, a total."""


def loaded(tmp_path: Path, content: str | bytes, name: str = "file.csv", **settings: Any) -> Loaded:
    path = tmp_path / name
    path.write_bytes(content if isinstance(content, bytes) else content.encode())
    return load_part(path, settings=ReadingSettings(**settings))


def test_a_messy_file_is_put_right_without_help_and_says_how(tmp_path: Path) -> None:
    found = loaded(tmp_path, MESSY)
    understood, table = found.understood, found.table
    assert (understood.format, understood.delimiter, understood.decimal) == ("delimited text", ";", ",")
    assert understood.header_row == 3
    assert table.height == 21 and table.series("lux").to_list()[-2:] == [22.5, None]
    assert table.series("night")[0] == dt.date(2024, 4, 3)
    moths = table.column("moths")
    offer = column_offers(moths, table.series("moths"))[0]
    assert offer.text == "Read as whole number (1 cell does not fit)"
    after = apply([offer.step], table).table()
    assert after.column("moths").failed_cells == ((20, "lamp out"),)
    assert after.series("moths").to_list()[-2:] == [66, None]
    assert {left.why: left.count for left in understood.left_out} == {
        "title lines above the names: “Light traps” and others": 2,
        "rows at the end that are no rows of the table: “Total 750”": 1,
    }


def test_where_names_and_rows_stand_can_be_decided(tmp_path: Path) -> None:
    nameless = loaded(tmp_path, MESSY, header="none").table
    assert "night" not in [c.name for c in nameless.columns]
    assert nameless.series(nameless.columns[1].name)[0] == "lux"
    second = loaded(tmp_path, MESSY, header=2).table
    assert second.columns[0].name == "kept by hand" and second.height == nameless.height
    assert loaded(tmp_path, MESSY, footer=0).table.height == 22
    assert loaded(tmp_path, MESSY, footer=3).table.height == 19
    assert len(loaded(tmp_path, MESSY, delimiter=",").table.columns) == 2
    units = loaded(tmp_path, "a,b\nkm,min\n1,2\n3,4\n", units_row=True).table
    assert [c.unit for c in units.columns] == ["km", "min"] and units.height == 2
    assert loaded(tmp_path, "a,b\nkm,min\n1,2\n3,4\n", units_row=False).table.height == 3


def test_order_of_dates_decimal_mark_and_missing_texts_can_be_decided(tmp_path: Path) -> None:
    text = 'd,x,w\n03/04/2024,"1,234",n.k.\n05/06/2024,"2,500",7\n'
    guessed = loaded(tmp_path, text).table.column("d")
    assert guessed.kind == Kind.DATE and "would also read as month/day/year" in guessed.reason
    assert loaded(tmp_path, text, date_order="month").table.series("d")[0].month == 3
    assert loaded(tmp_path, text, date_order="day").table.series("d")[0].month == 4
    assert loaded(tmp_path, text, decimal=",").table.series("x").to_list() == [1.234, 2.5]
    assert loaded(tmp_path, text, decimal=".").table.series("x").to_list() == [1234, 2500]
    assert loaded(tmp_path, text, missing=("n.k.",)).table.series("w").to_list() == [None, 7]


def test_columns_can_be_left_out_named_and_read_as_another_kind(tmp_path: Path) -> None:
    columns = {
        "a": ColumnSetting(wanted=False),
        "b": ColumnSetting(kind=Kind.TEXT, name="notes"),
        "c": ColumnSetting(kind=Kind.NUMBER),
    }
    found = loaded(tmp_path, "a,b,c\n1,2,x\n3,4,5\n", columns=columns)
    table = found.table
    assert [c.name for c in table.columns] == ["notes", "c"]
    assert table.column("notes").kind == Kind.TEXT and table.series("notes").to_list() == ["2", "4"]
    assert table.series("c").to_list() == [None, 5.0] and table.column("c").failed == 1
    assert "1 left out: columns, as chosen by hand." in found.understood.notes()
    with pytest.raises(Unreadable, match="No column is wanted"):
        loaded(tmp_path, "a\n1\n", columns={"a": ColumnSetting(wanted=False)})


def test_settings_survive_a_file_and_empty_decisions_are_dropped() -> None:
    settings = ReadingSettings(
        encoding="cp1252", header=3, missing=("x",), columns={"a": ColumnSetting(kind=Kind.DATE)}
    )
    assert msgspec.json.decode(msgspec.json.encode(settings), type=ReadingSettings) == settings
    assert settings.with_column("a", ColumnSetting()).columns == {}
    assert ReadingSettings(date_order="day").column("b").date_order == "day"


def test_a_preview_reads_only_the_beginning_of_a_large_file(tmp_path: Path) -> None:
    path = tmp_path / "large.csv"
    line = b"2024-05-06,12.5,wet,some words of a note\n"
    with path.open("wb") as out:
        out.write(b"night,late,weather,note\n")
        for _ in range(40):
            out.write(line * 50_000)
    assert path.stat().st_size > 80_000_000
    short = tmp_path / "short.csv"
    short.write_bytes(path.read_bytes()[:8_000_000])
    for settings in (ReadingSettings(), ReadingSettings(header="none")):
        found, same = (preview(p, "large.csv", settings) for p in (path, short))
        assert found.columns == same.columns and found.height == same.height < 50_000


@pytest.fixture
def book(tmp_path: Path) -> Path:
    path = tmp_path / "book.xlsx"
    with xlsxwriter.Workbook(path) as made:
        for name, rows in (
            ("Trips", [["stop", "late"], ["S1", 1.5], ["S2", 2]]),
            ("Stops", [["stop", "valley"], ["S1", "up"]]),
            ("Empty", []),
        ):
            sheet = made.add_worksheet(name)
            for at, row in enumerate(rows):
                sheet.write_row(at, 0, row)
    return path


def test_several_sheets_tables_and_members_are_parts(tmp_path: Path, book: Path) -> None:
    assert parts(book, "book.xlsx") == ["Trips", "Stops"]
    assert load_part(book, part="Stops").table.series("valley").to_list() == ["up"]
    base = tmp_path / "t.sqlite"
    with sqlite3.connect(base) as made:
        made.execute('CREATE TABLE "the stops" (stop TEXT, n INTEGER)')
        made.execute("INSERT INTO \"the stops\" VALUES ('S1', 3), ('S2', NULL)")
        made.execute("CREATE TABLE trips (late REAL)")
    assert sorted(parts(base, "t.sqlite")) == ["the stops", "trips"]
    assert load_part(base, part="the stops").table.series("n").to_list() == [3, None]
    archive = tmp_path / "both.zip"
    with zipfile.ZipFile(archive, "w") as made_zip:
        made_zip.writestr("a/one.csv", "x\n1\n2\n")
        made_zip.write(book, "book.xlsx")
        made_zip.writestr("__MACOSX/._one.csv", "rubbish")
    found = parts(archive, "both.zip")
    assert len(found) == 3 and found[0] == "a/one.csv"
    assert load_part(archive, part=found[0]).table.series("x").to_list() == [1, 2]
    assert load_part(archive, part=found[2]).table.series("stop").to_list() == ["S1"]


def encrypted() -> bytes:
    """A workbook behind a password is an OLE container with an encrypted package in it."""
    head = bytes.fromhex("d0cf11e0a1b11ae1") + b"\0" * 504
    return head + "EncryptedPackage".encode("utf-16-le") + b"\0" * 512


def bomb() -> bytes:
    return gzip.compress(b"0" * 80_000_000, 9)


def zipped(name: str, content: bytes) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        archive.writestr(name, content)
    return out.getvalue()


@pytest.mark.parametrize(
    ("name", "content", "says"),
    [
        ("x.csv", b"", "empty"),
        ("x.csv", b"   \n\n \n", "only blank lines"),
        ("x.csv", bytes(range(256)) * 40, "not text|no table"),
        ("x.csv", b"\x89PNG\r\n\x1a\n" + b"\0" * 100, "picture|image"),
        ("x.csv", b"%PDF-1.7 ...", "PDF"),
        ("x.xlsx", encrypted(), "password"),
        ("x.csv.gz", b"\x1f\x8b\x08\x00broken", "broken"),
        ("x.zip", b"PK\x03\x04broken", "broken"),
        ("x.parquet", b"PAR1brokenPAR1", "broken|cannot be read"),
        ("x.json", b'{"a": [1, 2', "JSON|broken|breaks off"),
        ("x.sqlite", b"SQLite format 3\0" + b"\0" * 50, "broken|cannot|no tables"),
        ("x.zip", zipped("notes.pdf", b"%PDF-1.4"), "PDF|no table"),
    ],
)
def test_what_cannot_be_read_is_refused_in_one_sentence_with_the_way_on(
    tmp_path: Path, name: str, content: bytes, says: str
) -> None:
    path = tmp_path / name
    path.write_bytes(content)
    with pytest.raises(Unreadable, match=says) as refused:
        load_part(path, part=parts(path, name)[0])
    text = str(refused.value)
    assert text.endswith(".") and len(text) < 400 and "Traceback" not in text and str(tmp_path) not in text
    assert text.count(". ") <= 2, text


def test_archive_bombs_are_refused_before_they_fill_the_disk(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    path = tmp_path / "bomb.csv.gz"
    path.write_bytes(bomb())
    with pytest.raises(Unreadable, match="unpacks to more than"):
        load(path)
    honest = tmp_path / "honest.csv.gz"
    honest.write_bytes(gzip.compress(b"a,b\n" + b"1,2\n" * 300_000))
    assert load(honest)[0].height == 300_000
    monkeypatch.setattr(packed, "MOST_UNPACKED", 100_000)
    with pytest.raises(Unreadable, match="unpacks to more than"):
        load(honest)


@pytest.mark.parametrize("rows", [0, 1, 3])
def test_no_rows_and_nothing_but_missing(tmp_path: Path, rows: int) -> None:
    table = loaded(tmp_path, "a,b\n" + "NA,NA\n" * rows).table
    assert [(c.name, c.missing) for c in table.columns] == [("a", rows), ("b", rows)] and table.height == rows


def test_500_columns_and_names_from_hell(tmp_path: Path) -> None:
    odd = ['a "q"', "<script>alert(1)</script>", "🌙", "n" * 300, "{0}", "^x$", "=1+1", "a\tb", "{x}", "%s"]
    names = odd + [f"c{i}" for i in range(490)]
    header = ",".join('"' + n.replace('"', '""') + '"' for n in names)
    table = loaded(tmp_path, header + "\n" + "\n".join(",".join(["7"] * 500) for _ in range(5)) + "\n").table
    assert len(table.columns) == 500 and len({c.name for c in table.columns}) == 500
    assert all(len(c.name) <= 200 for c in table.columns)
