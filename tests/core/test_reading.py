"""Files as they come: encodings, dialects, kinds, refusals."""

from __future__ import annotations

import datetime as dt
import gzip
import zipfile
from pathlib import Path

import polars as pl
import pytest
import xlsxwriter
from sklearn.datasets import load_iris

from night_trail.core.answers import answer
from night_trail.core.errors import Unreadable
from night_trail.core.question import Spread
from night_trail.core.reading import load, parts
from night_trail.core.reading.kinds import typed
from night_trail.core.rows import Rows
from night_trail.core.table import Kind
from night_trail.core.words import plain, words_of
from night_trail.draw import draw


def write(folder: Path, text: str | bytes, name: str = "t.csv") -> Path:
    path = folder / name
    path.write_bytes(text.encode() if isinstance(text, str) else text)
    return path


@pytest.mark.parametrize("encoding", ["utf-8", "utf-8-sig", "utf-16", "cp1252", "latin-1"])
@pytest.mark.parametrize("delimiter", [",", ";", "\t", "|"])
def test_encodings_and_delimiters(tmp_path: Path, encoding: str, delimiter: str) -> None:
    names = ["Straße", "café", "naïve", "Über", "façade", "mañana"]
    rows = "\n".join(f"{n} {i}{delimiter}{i}.5" for i, n in enumerate(names * 5))
    path = write(tmp_path, f"wörd{delimiter}value\n{rows}\n".encode(encoding))
    table, _ = load(path)
    assert [c.name for c in table.columns] == ["wörd", "value"]
    assert table.series("wörd")[3] == "Über 3" and table.series("value")[4] == 4.5
    assert table.height == 30


@pytest.mark.parametrize(
    ("cells", "kind", "first"),
    [
        (["1", "2", "-3", "4,000"], Kind.WHOLE, 1),
        (["1.5", "2e3", "-.5", "1,204.50"], Kind.NUMBER, 1.5),
        (["3.0", "4.0", "5.0"], Kind.WHOLE, 3),
        (["yes", "No", "YES", "no"], Kind.YES_NO, True),
        (["2024-02-01", "2024-12-31"], Kind.DATE, dt.date(2024, 2, 1)),
        (["13/02/2024", "01/03/2024"], Kind.DATE, dt.date(2024, 2, 13)),
        (["02/13/2024", "03/01/2024"], Kind.DATE, dt.date(2024, 2, 13)),
        (
            ["2024-02-01T10:30:00Z", "2024-02-02T11:00:00+02:00"],
            Kind.DATETIME,
            dt.datetime(2024, 2, 1, 10, 30),
        ),
        (["2024-02-01 10:30", "2024-02-02 11:00"], Kind.DATETIME, dt.datetime(2024, 2, 1, 10, 30)),
        (["a", "b", "a", "b"], Kind.CATEGORY, "a"),
        (["007", "042"] * 3, Kind.CATEGORY, "007"),
        (["99999999999999999999", "12345678901234567890"], Kind.TEXT, "99999999999999999999"),
        ([f"T{i:04d}" for i in range(30)], Kind.IDENTIFIER, "T0000"),
        ([f"some words {i}" for i in range(30)], Kind.TEXT, "some words 0"),
        (["", "NA", "null"], Kind.TEXT, None),
    ],
)
def test_kinds(cells: list[str], kind: Kind, first: object) -> None:
    column, series = typed("x", pl.Series(cells))
    assert (column.kind, series[0]) == (kind, first)
    assert column.reason and column.failed == 0


def test_cells_that_do_not_fit_are_counted_and_shown() -> None:
    column, series = typed("x", pl.Series(["1.5"] * 99 + ["about 3"]))
    assert column.kind == Kind.NUMBER and column.failed == 1 and column.missing == 1
    assert column.failed_examples == ("about 3",) and "99" in column.reason and series.null_count() == 1


def test_ambiguous_dates_say_so() -> None:
    column, series = typed("x", pl.Series(["01/02/2024", "03/04/2024"]))
    assert series[0] == dt.date(2024, 2, 1) and "month/day/year" in column.reason


@pytest.mark.parametrize(
    ("name", "unit", "additive"),
    [("late_min", "min", False), ("boardings", "", True), ("temp_c", "°C", False), ("share pct", "%", False)],
)
def test_units_and_what_can_be_summed(name: str, unit: str, additive: bool) -> None:
    cells = ["1.5", "2"] if unit else ["0", "25"]
    column, _ = typed(name, pl.Series(cells))
    assert (column.unit, column.additive) == (unit, additive)


def test_hidden_numbers_are_noticed_and_codes_are_not() -> None:
    assert typed("r", pl.Series(["4 of 5", "3 of 5"] * 3))[0].pattern == "n of 5"
    assert typed("f", pl.Series([f"K {i}.50" for i in range(9)]))[0].pattern == "K n"
    assert typed("c", pl.Series([f"C{i:02d}" for i in range(9)]))[0].pattern == ""


def test_headers_are_made_up_or_made_different(tmp_path: Path) -> None:
    table, notes = load(write(tmp_path, "1,2\n3,4\n"))
    assert [c.name for c in table.columns] == ["column 1", "column 2"] and table.height == 2
    assert any("named by their position" in n for n in notes)
    table, _ = load(write(tmp_path, 'a,,a,"b\nc"\n1,2,3,4\n'))
    assert [c.name for c in table.columns] == ["a", "column 2", "a (2)", "b c"]


def test_blank_lines_first_and_every_kind_of_line_end(tmp_path: Path) -> None:
    for text in ("\n  \na,b\n1,x\n2,y\n", "a,b\r\n1,x\r\n2,y\r\n", "a,b\r1,x\r2,y\r", "a,b\n1,x\n2,y"):
        table, _ = load(write(tmp_path, text))
        assert [c.name for c in table.columns] == ["a", "b"]
        assert (table.series("a").to_list(), table.series("b").to_list()) == ([1, 2], ["x", "y"])
    table, _ = load(write(tmp_path, 'a,b\r\n1,2\r\n3,"x\ry"\r\n'))
    assert table.series("b").to_list() == ["2", "x\ry"]
    with pytest.raises(Unreadable, match="cannot be told apart"):
        load(write(tmp_path, 'a,b\n1,"never closed\n2,3\n'))


def test_years_are_years(tmp_path: Path) -> None:
    table, _ = load(write(tmp_path, "YEAR,n\n" + "\n".join(f"{1700 + i},{i}" for i in range(60))))
    assert table.column("YEAR").unit == "year" and table.column("n").unit == ""
    found = answer(Spread("YEAR"), Rows(table))
    assert "between 1714.75 and 1744.25, the middle at 1729.5" in plain(words_of(found, table).headline)
    assert "1,7" not in draw(found, table)


def test_quotes_newlines_and_ragged_rows(tmp_path: Path) -> None:
    table, _ = load(write(tmp_path, 'a,b\n"x, ""y""\nz",1\nonly\nw,2,extra\n'))
    assert table.series("a").to_list() == ['x, "y"\nz', "only", "w"]
    assert table.series("b").to_list() == [1, None, 2]


def test_a_workbook(tmp_path: Path) -> None:
    path = tmp_path / "t.xlsx"
    with xlsxwriter.Workbook(path) as book:
        sheet, other = book.add_worksheet("Trips"), book.add_worksheet("Other")
        day = book.add_format({"num_format": "yyyy-mm-dd"})
        sheet.write_row(0, 0, ["n", "when", "who"])
        for i in range(12):
            sheet.write_row(i + 1, 0, [i * 1.5])
            sheet.write_datetime(i + 1, 1, dt.datetime(2024, 3, i + 1), day)
            sheet.write(i + 1, 2, f"crew {i % 3}")
        other.write(0, 0, "x")
    table, notes = load(path)
    assert [c.kind for c in table.columns] == [Kind.NUMBER, Kind.DATE, Kind.CATEGORY]
    assert table.series("when")[11] == dt.date(2024, 3, 12)
    assert "Read from the sheet “Trips”." in notes and parts(path, "t.xlsx") == ["Trips", "Other"]


def test_a_data_set_of_a_general_library(tmp_path: Path) -> None:
    iris = load_iris(as_frame=True)
    path = tmp_path / "iris.csv"
    iris.frame.to_csv(path, index=False)
    table, _ = load(path)
    assert [c.kind for c in table.columns] == [Kind.NUMBER] * 4 + [Kind.WHOLE]
    for name in iris.data.columns:
        assert table.series(name).to_list() == iris.data[name].tolist()


@pytest.mark.parametrize(
    ("content", "says"),
    [
        (b"", "t.csv: the file is empty"),
        (b"\n\n  \n", "only blank lines"),
        (b"%PDF-1.7 ...", "a PDF document"),
        (b"\x7fELF\x02\x01" + bytes(100), "a program"),
        (b"a,b\n\x00\x01\x02\n", "not text"),
        (gzip.compress(b"a,b\n1,2\n" * 99)[:-20], "compressed file is broken"),
        (b"\xd0\xcf\x11\xe0" + bytes(600), "an old document, no workbook"),
        (b"\xd0\xcf\x11\xe0" + "EncryptedPackage".encode("utf-16-le"), "protected by a password"),
        (b"PK\x03\x04" + bytes(60), "a broken archive"),
        (b"<!doctype html><table>", "a web page"),
        (b"PAR1" + bytes(60), "Parquet file cannot be read"),
        (b"SQLite format 3\x00" + bytes(60), "database cannot be read"),
        (b'[{"a": 1}, {"a": ', "JSON breaks off in line 1"),
        (b'["a", "b"]', "no records"),
        (gzip.compress(bytes(400_000_000), 9), "unpacks to more than"),
    ],
    # a compressed file holds the time it was made, which would name the test otherwise each time
    ids=lambda part: part if isinstance(part, str) else "",
)
def test_refusals_say_what_and_the_way_on(tmp_path: Path, content: bytes, says: str) -> None:
    with pytest.raises(Unreadable, match=says) as refusal:
        load(write(tmp_path, content))
    assert refusal.value.way_on


def test_a_broken_workbook_is_refused(tmp_path: Path) -> None:
    path = tmp_path / "broken.xlsx"
    with zipfile.ZipFile(path, "w") as archive:
        archive.writestr("xl/workbook.xml", "<nonsense>")
    with pytest.raises(Unreadable, match=r"broken\.xlsx: the workbook"):
        load(path)


def test_only_a_header_and_only_one_row(tmp_path: Path) -> None:
    table, _ = load(write(tmp_path, "a,b\n"))
    assert table.height == 0 and len(table.columns) == 2
    table, _ = load(write(tmp_path, "a,b\n1,x\n"))
    assert table.height == 1 and table.series("a").to_list() == [1]


def test_five_hundred_columns_and_hostile_names(tmp_path: Path) -> None:
    hostile = ["<script>alert(1)</script>", 'say "hi"', "it's", "🚌 bus", "x" * 200, "*", "^a$", "a;b"]
    names = [*hostile, *(f"c{i}" for i in range(492))]
    header = ",".join('"' + n.replace('"', '""') + '"' for n in names)
    path = write(tmp_path, header + "\n" + "\n".join(",".join(["1.5"] * 500) for _ in range(50)))
    table, _ = load(path)
    assert [c.name for c in table.columns] == names
    assert all(table.series(n).sum() == 75.0 for n in names)
