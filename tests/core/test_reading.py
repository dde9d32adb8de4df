"""Files as they come: encodings, dialects, kinds, refusals."""

from __future__ import annotations

import datetime as dt
import gzip
import zipfile
from collections.abc import Callable
from pathlib import Path

import polars as pl
import pytest
import xlsxwriter
from sklearn.datasets import load_iris

from attack.bombs import HOSTILE
from night_trail.core.errors import Unreadable
from night_trail.core.language.spans import plain
from night_trail.core.questions.registry import answer, words_of
from night_trail.core.questions.spread.question import Spread
from night_trail.core.reading import columnar, load, load_part, packed, parts
from night_trail.core.reading.kinds import typed
from night_trail.core.rows import Rows
from night_trail.core.table import Kind
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


def merged_book(path: Path, row: int = 0, column: int = 0) -> Path:
    """A table with names of groups over columns and depots over rows, away from the sheet's corner."""
    with xlsxwriter.Workbook(path) as book:
        book.add_worksheet("Notes").write(0, 0, "nothing here")
        sheet = book.add_worksheet("Night & day")
        at = (row, column)
        sheet.merge_range(row, column, row + 1, column, "depot")
        sheet.merge_range(row, column + 1, row, column + 2, "spring")
        sheet.merge_range(row, column + 3, row, column + 4, "autumn")
        for i in range(4):
            sheet.write(row + 1, column + 1 + i, ("trips", "late")[i % 2])
        for block, depot in enumerate(("Aldermoor", "Breck", "Corrie")):
            top = at[0] + 2 + 4 * block
            sheet.merge_range(top, column, top + 3, column, depot)
            for i in range(4):
                sheet.write_row(top + i, column + 1, [10 * block + i, i, 20 * block + i, i + 1])
    return path


@pytest.mark.parametrize(("row", "column"), [(0, 0), (5, 3)])
def test_merged_cells_stand_in_each_of_their_rows(tmp_path: Path, row: int, column: int) -> None:
    path = merged_book(tmp_path / "m.xlsx", row, column)
    found = load_part(path, part="Night & day")
    table, notes = found.table, found.understood.notes()
    assert [c.name for c in table.columns] == [
        "depot",
        *(f"{s} {m}" for s in ("spring", "autumn") for m in ("trips", "late")),
    ]
    assert table.series("depot").to_list() == ["Aldermoor"] * 4 + ["Breck"] * 4 + ["Corrie"] * 4
    assert "Cells merged over several rows stand in each of these rows." in notes
    # nothing is said, or filled, where nothing is merged
    plain = tmp_path / "plain.xlsx"
    with xlsxwriter.Workbook(plain) as book:
        sheet = book.add_worksheet()
        sheet.write_row(0, 0, ["depot", "trips"])
        for i in range(12):
            sheet.write(i + 1, 1, i)
            if i % 4 == 0:
                sheet.write(i + 1, 0, f"depot {i}")
    table, notes = load(plain)
    assert table.series("depot").null_count() == 9 and not any("merged" in n for n in notes)


@pytest.mark.parametrize(
    "second", [",min,°C,km", "Breck,3,x,5", "Breck,east,x,5"], ids=["units", "values", "a row of words"]
)
def test_a_header_with_a_gap_is_no_row_of_groups(tmp_path: Path, second: str) -> None:
    rows = "\n".join(f"Aldermoor,{i},y{i % 3},{i}" for i in range(9))
    table, _ = load(write(tmp_path, f"depot,,word,far\n{second}\n{rows}\n"))
    assert [c.name for c in table.columns] == ["depot", "column 2", "word", "far"]


def test_promises_beyond_measure_are_refused_before_they_are_read(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    corner = write(tmp_path, HOSTILE["corner.xlsx"](), "corner.xlsx")
    with pytest.raises(Unreadable, match="over 1,048,576 rows and 16,384 columns and holds 2 cells"):
        parts(corner, "corner.xlsx")
    # a table of a row a second has few cells for its height, and is one
    long = tmp_path / "long.xlsx"
    with xlsxwriter.Workbook(long, {"constant_memory": True}) as book:
        sheet = book.add_worksheet()
        for i in range(0, 1_000_000, 1_000):
            sheet.write_row(i, 0, [i, i % 7])
    assert parts(long, "long.xlsx") == ["Sheet1"]
    keys = write(tmp_path, HOSTILE["keys.json"](), "keys.json")
    with pytest.raises(Unreadable, match="after 4,001 records there are more than 4,000 keys"):
        load(keys)
    monkeypatch.setattr(columnar, "MOST_ROWS", 100)
    for write_it, name in ((pl.DataFrame.write_parquet, "r.parquet"), (pl.DataFrame.write_ipc, "r.arrow")):
        write_it(pl.DataFrame({"a": range(101)}), tmp_path / name)
        with pytest.raises(Unreadable, match="has 101 rows, more than the 100"):
            load(tmp_path / name)
        write_it(pl.DataFrame({"a": range(100)}), tmp_path / name)
        assert load(tmp_path / name)[0].height == 100


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


# ---- headers that are easily misread ----


@pytest.mark.parametrize(
    ("text", "names"),
    [
        ("name,riders,,\nHill,3,,\nQuay,5,,\nMill,8,,\n", ["name", "riders"]),
        ("name,riders,a,b\nHill,3,,\nQuay,5,,\nMill,8,,\n", ["name", "riders", "a", "b"]),
        ("stop,riders,2011\nHill,3,4\nQuay,5,6\nMill,8,9\n", ["stop", "riders", "2011"]),
        ("stop,riders,5%\nHill,3,4\nQuay,5,6\nMill,8,9\n", ["stop", "riders", "5%"]),
        (
            ",,Sales,,Cost,\nstop,n,2011,2012,2011,2012\nHill,1,3,4,5,6\nQuay,2,5,6,7,8\nMill,3,8,9,1,2\n",
            ["stop", "n", "Sales 2011", "Sales 2012", "Cost 2011", "Cost 2012"],
        ),
    ],
)
def test_names_are_names_though_some_look_like_values_or_stand_over_nothing(
    tmp_path: Path, text: str, names: list[str]
) -> None:
    table, _ = load(write(tmp_path, text))
    assert [c.name for c in table.columns] == names and table.height == 3


def test_rows_without_names_are_still_rows(tmp_path: Path) -> None:
    table, _ = load(write(tmp_path, "Hill,3,2011\nQuay,NA,2012\nMill,8,2013\n"))
    assert [c.name for c in table.columns] == ["column 1", "column 2", "column 3"] and table.height == 3


def test_a_row_of_units_nobody_knows(tmp_path: Path) -> None:
    table, _ = load(write(tmp_path, "name,dist,wt\n,furlong,st\nHill,3,4\nQuay,5,6\nMill,8,9\n"))
    assert table.height == 3 and [c.unit for c in table.columns] == ["", "furlong", "st"]


def test_na_among_codes_of_countries_is_namibia() -> None:
    column, cells = typed("land", pl.Series(["NA", "DE", "FR", "US", "NA"] * 4))
    assert column.missing == 0 and "NA" in cells.cast(str).to_list()
    column, _ = typed("land", pl.Series(["NA", "Hill", "Quay", "Mill"] * 4))
    assert column.missing == 4
    column, _ = typed("riders", pl.Series(["NA", "1", "2"] * 4))
    assert column.missing == 4


def test_one_stray_cell_does_not_turn_the_decimals_of_a_column() -> None:
    column, cells = typed("price", pl.Series([*["1,234.50", "12.75"] * 60, "12,5"]))
    assert cells[0] == 1234.5 and cells[1] == 12.75 and column.failed == 1
    column, cells = typed("price", pl.Series([*["1.234", "12.345"] * 60, "1.2.3"]))
    assert cells[0] == 1.234 or cells[0] == 1234.0


def test_few_rows_of_few_values_are_a_category_and_east_is_counted_around() -> None:
    assert typed("side", pl.Series(["left", "right", "left", "up"]))[0].kind == Kind.CATEGORY
    assert typed("lon", pl.Series(["190.5", "12.25", "359.0"] * 5))[0].kind == Kind.LONGITUDE


def test_what_tells_about_the_tables_of_an_archive_stands_behind_them(tmp_path: Path) -> None:
    path = tmp_path / "nights.zip"
    inside = ["README.txt", "docs/about.md", "LICENSE", "nights.csv", "readings.csv"]
    with zipfile.ZipFile(path, "w") as archive:
        for name in inside:
            archive.writestr(name, "a,b\n1,2\n")
    found = packed.members(path, "nights.zip")
    assert found[:2] == ["nights.csv", "readings.csv"] and sorted(found) == sorted(inside)


@pytest.mark.parametrize(
    "cell",
    [
        lambda i: str(i % 40),
        lambda i: f"{i % 977}.{i % 10}",
        lambda i: f"{i % 50}.0",
        lambda i: f"{i % 50}.",
        lambda i: f"{i}e2",
        lambda i: f"0{i % 90}",
        lambda i: f"-0{i % 90}",
        lambda i: f"+{i % 90}",
        lambda i: str(2**53 + i),
        lambda i: str(2**63 + i),
        lambda i: "inf" if i == 9 else str(i),
        lambda i: "NaN" if i % 7 == 0 else str(i % 12),
        lambda i: None if i % 7 == 0 else str(i % 12),
        lambda i: ("DE", "NA", "FR", "IT", "ES")[i % 5],
        lambda i: ("low", "NA", "high")[i % 3],
        lambda i: ("Tarn", "Fen", "-", "n/a")[i % 4],
        lambda i: ("yes", "no")[i % 2],
        lambda i: str(i % 2),
        lambda i: f"20{10 + i % 9}{1 + i % 9:02d}{1 + i % 27:02d}",
        lambda i: f"{i % 28 + 1:02d}.03.2024",
        lambda i: f"trap {i}",
        lambda i: "abc" if i == 5_500 else str(i % 300),
    ],
)
@pytest.mark.parametrize("name", ["x", "trip_id", "year", "share"])
def test_cells_that_need_no_trimming_are_decided_on_as_those_that_do(
    cell: Callable[[int], str | None], name: str
) -> None:
    plain = [cell(i) for i in range(6_000)]
    padded = [None if one is None else f" {one} " for one in plain]
    (column, cells), (other, others) = (
        typed(name, pl.Series("cells", texts, dtype=pl.String)) for texts in (plain, padded)
    )
    assert column == other
    assert cells.dtype == others.dtype and cells.equals(others)


def test_points_in_brackets_are_no_negative_numbers_and_losses_are() -> None:
    def kind(texts: list[str]) -> tuple[Kind, float | None]:
        column, cells = typed("x", pl.Series("cells", texts))
        return column.kind, float(cells.min()) if column.kind.numeric else None  # type: ignore[arg-type]

    assert kind([f"({i},{i})" for i in range(400)])[0] == Kind.IDENTIFIER
    assert kind([f"({i % 9}, -{i % 7}.5)" for i in range(400)])[0] == Kind.CATEGORY
    assert kind([f"({i}.50)" for i in range(1, 400)]) == (Kind.NUMBER, -399.5)
    assert kind([f"({i % 9 + 1},{i:03d})" for i in range(400)])[1] == -9_395.0
    assert kind(["12.5", "(3.5)", "7.25"] * 40) == (Kind.NUMBER, -3.5)
