"""What adds up: whole words, units, values, fellows; scales; years as time."""

from __future__ import annotations

import numpy as np
import polars as pl
import pytest

from night_trail.core.language.spans import plain
from night_trail.core.measure import Measure
from night_trail.core.questions.compare.question import Compare
from night_trail.core.questions.over_time.question import OverTime
from night_trail.core.questions.registry import answer, words_of
from night_trail.core.questions.shared.measures import first_measure
from night_trail.core.reading.kinds import typed
from night_trail.core.reading.read import load_part
from night_trail.core.reading.scales import known_order
from night_trail.core.rows import Rows
from night_trail.core.sentence import read
from night_trail.core.table import Kind

MONEY = ["1000.5", "2000.25", "1500", "88"]
BIG = ["120", "0", "45", "1800"]
FEW = ["1", "2", "3", "4"]

NAMED = [
    # money and counts add up, whatever else their names say
    ("weekly sales", MONEY, True), ("total price", MONEY, True), ("Hourly revenue", MONEY, True),
    ("target amount", MONEY, True), ("price_total", MONEY, True), ("passengers", BIG, True),
    ("n_visits", FEW, True), ("number of rooms", FEW, True), ("children", ["0", "1", "2", "3"], True),
    ("takings_eur", MONEY, True), ("cases", BIG, True), ("qty", FEW, True), ("staff cost", MONEY, True),
    ("unit_sold", BIG, True), ("monthly_count", BIG, True), ("levelTotals", BIG, True),
    # rates, prices, places, codes and parts of the calendar do not
    ("price", MONEY, False), ("average sales", MONEY, False), ("sales per visit", MONEY, False),
    ("conversion rate", MONEY, False), ("temperature", MONEY, False), ("Store", FEW, False),
    ("month", FEW, False), ("dept number", BIG, False), ("lat", ["50.1", "50.2", "50.3"], False),
    ("year", ["1999", "2001", "2002"], False), ("cylinders", ["4", "6", "8"], False),
    ("horsepower", BIG, False), ("grade", FEW, False), ("rank", FEW, False), ("glucose", BIG, False),
    ("hour", ["0", "13", "23"], False), ("population", BIG, False), ("balance", MONEY, False),
]  # fmt: skip


@pytest.mark.parametrize(("name", "cells", "adds"), NAMED)
def test_whole_words_decide_what_adds_up(name: str, cells: list[str], adds: bool) -> None:
    column, _ = typed(name, pl.Series(cells * 12))
    assert column.additive == adds, column.summing
    assert column.summing or not column.kind.numeric
    first = first_measure(column).aggregate
    assert first == ("sum" if adds else "distinct" if column.code else "mean")


@pytest.mark.parametrize("name", ["horsepower", "glucose", "price", "size_x"])
def test_a_guess_never_blames_the_analyst(name: str) -> None:
    path_cells = pl.Series(["12", "340", "55", "7"] * 10)
    column, cells = typed(name, path_cells)
    from tests.core.tables import table_of

    table = table_of(**{name: cells, "g": ["a", "b"] * 20})
    table.columns = (column, *table.columns[1:])
    words = words_of(answer(Compare(Measure("sum", name), "g", "bars"), Rows(table)), table)
    assert not any("means little" in c for c in words.cautions)


def test_flags_are_yes_no_and_counts_are_not() -> None:
    bits = pl.Series(["0", "1", "1", "0"] * 4)
    assert typed("survived", bits)[0].kind == Kind.YES_NO
    assert typed("am", bits.cast(pl.Int64))[0].kind == Kind.YES_NO
    assert typed("goals", bits)[0].kind == Kind.WHOLE
    assert typed("x", bits.head(4))[0].kind == Kind.WHOLE  # four cells say little
    from night_trail.core.reading.settings import ColumnSetting

    column, cells = typed("goals", bits, ColumnSetting(kind=Kind.YES_NO))
    assert column.failed == column.missing == 0 and cells.sum() == 8
    column, cells = typed("goals", pl.Series([1, 0, 0, 1]), ColumnSetting(kind=Kind.YES_NO))
    assert column.missing == 0 and cells.to_list() == [True, False, False, True]


def test_clock_times_without_a_colon() -> None:
    times = ["517", "533", "1730", "2359", "5", "1200", "945", "1815", "30"]
    column, cells = typed("dep_time", pl.Series(times * 3))
    assert column.kind == Kind.TIME and cells[0] == pytest.approx(5 + 17 / 60) and cells[2] == 17.5
    # minutes on the way are none: some of them end in 60 to 99
    assert typed("air_time", pl.Series([*times, "165", "187"] * 3))[0].kind == Kind.WHOLE
    assert typed("dep_delay", pl.Series(times * 3))[0].kind == Kind.WHOLE


@pytest.mark.parametrize(
    "order",
    [
        ["Thur", "Fri", "Sat", "Sun"],
        ["Strongly disagree", "Disagree", "Neither agree nor disagree", "Agree", "Strongly agree"],
        ["Below College", "College", "Bachelor", "Master", "Doctor"],
        ["High school", "Bachelor's degree", "Master's degree", "PhD"],
        ["Fair", "Good", "Very Good", "Premium", "Ideal"],
        ["Po", "Fa", "TA", "Gd", "Ex"],
        ["1: poor", "2: fair", "3: good"],
        ["daily", "weekly", "monthly", "yearly"],
        ["Under 18", "18-24", "25-34", "65+"],
        ["< $10k", "$10k - $50k", "$50k or more"],
        ["low", "medium", "high", "unknown"],
        ["Jan", "Feb", "Sept", "Dec"],
    ],
)
def test_known_scales_are_ordered(order: list[str]) -> None:
    assert known_order(sorted(order, key=lambda s: s[::-1])) == order


@pytest.mark.parametrize(
    "labels",
    [
        ["02139-1234", "10001-4567"],
        ["2020-01-05", "2020-02-30"],
        ["A", "B", "C"],
        ["red", "green"],
        ["low", "Low"],
        ["Boeing 737", "Airbus 320"],
        ["10-5", "3-1"],
        ["a1", "a2"],
    ],
)
def test_what_has_no_order_is_given_none(labels: list[str]) -> None:
    assert known_order(labels) is None


# ---- relations between columns ----


def written(tmp_path, **columns: object):
    path = tmp_path / "t.csv"
    pl.DataFrame({k: list(v) for k, v in columns.items()}).write_csv(path)
    return load_part(path).table


def test_totals_products_and_one_value_an_entity(tmp_path) -> None:
    rng = np.random.default_rng(4)
    n = 400
    casual, booked = rng.integers(0, 90, n), rng.integers(5, 300, n)
    pieces, each = rng.integers(1, 9, n), np.round(rng.uniform(1, 40, n), 2)
    stop = rng.integers(0, 12, n)
    wing = np.round(rng.normal(30, 5, n), 1)
    table = written(
        tmp_path,
        casual=casual, booked=booked, riders_x=casual + booked, pieces_x=pieces, each=each,
        line_value=np.round(pieces * each, 2), stop=[f"S{s}" for s in stop],
        shelters=np.array([40, 17, 33, 21, 90, 14, 77, 52, 61, 28, 35, 49])[stop], wing=wing,
    )  # fmt: skip
    column = {c.name: c for c in table.columns}
    assert all(column[c].additive and column[c].sure for c in ("casual", "booked", "riders_x", "line_value"))
    assert column["riders_x"].summing == "it is the total of casual and booked"
    assert (
        not column["each"].additive
        and "price of each: line_value is pieces_x × each" in column["each"].summing
    )
    assert not column["shelters"].additive and "one value for each stop" in column["shelters"].summing
    # independent numbers are no totals of each other
    assert not column["wing"].sure and not column["wing"].additive


def test_noise_has_no_totals(tmp_path) -> None:
    rng = np.random.default_rng(6)
    table = written(
        tmp_path, **{f"m{i}": rng.integers(0, 4, 200) for i in range(9)}, g=rng.integers(0, 3, 200)
    )
    assert not any(c.sure and c.additive for c in table.columns)


def test_a_stock_adds_across_groups_but_not_over_time(tmp_path) -> None:
    years = np.repeat(np.arange(2000, 2010), 4)
    table = written(
        tmp_path,
        year=years,
        island=["Ome", "Tarn", "Vell", "Skoy"] * 10,
        population=np.tile([100, 250, 70, 900], 10) + years - 2000,
    )
    column = table.column("population")
    assert column.stock and not column.additive and first_measure(column).aggregate == "mean"
    everything = answer(Compare(Measure("sum", "population"), "island", "bars"), Rows(table))
    assert any(
        "taken at 10 times: its sum counts it at each" in c for c in words_of(everything, table).cautions
    )
    one, only = read("sum of population by island only where year is 2003", table)
    assert not any("stock" in c for c in words_of(answer(one, Rows(table, only)), table).cautions)
    over = answer(OverTime(Measure("sum", "population"), "year"), Rows(table))
    assert over.snapshots == 1 and not any("stock" in c for c in words_of(over, table).cautions)


# ---- years are time ----


def test_years_are_an_axis_of_time_at_once(tmp_path) -> None:
    years = np.repeat(np.arange(1995, 2025), 7)
    rng = np.random.default_rng(1)
    moths = rng.integers(0, 500, len(years))
    table = written(tmp_path, year=years, moths=moths, trap=["a", "b", "c", "d", "e", "f", "g"] * 30)
    question, _ = read("sum of moths over time", table)
    assert question == OverTime(Measure("sum", "moths"), "year")
    found = answer(question, Rows(table))
    assert found.calendar.grain == "year" and found.whole.all() and found.calendar.n == 30
    theirs = [int(moths[years == y].sum()) for y in range(1995, 2025)]
    assert found.together.values.tolist() == theirs
    assert found.name(0) == "1995"
    # each period names its own rows
    for i in (0, 17, 29):
        rows = Rows(table, (found.condition(found.together, i),))
        assert (
            rows.n == 7
            and answer(OverTime(Measure("sum", "moths"), "year"), rows).together.values[0] == theirs[i]
        )
    assert "In 2024" in plain(
        words_of(
            answer(read("moths over time against the year before", table)[0], Rows(table)), table
        ).headline
    )
    assert question == read("moths over time", table)[0]


@pytest.mark.parametrize(
    ("name", "cells", "first"),
    [
        ("period", ["201101", "201102", "201103"], "2011-01-01"),
        ("when", ["Nov-5-2011", "Nov-6-2011", "Dec-16-2011"], "2011-11-05"),
        ("q", ["1998 Q1", "1998 Q2"], "1998-01-01"),
        ("m", ["Jan 2011", "Feb 2011"], "2011-01-01"),
    ],
)
def test_months_and_quarters_are_dates(name: str, cells: list[str], first: str) -> None:
    column, series = typed(name, pl.Series(cells * 6))
    assert column.kind == Kind.DATE and series[0].isoformat() == first


def test_codes_of_six_digits_are_no_months() -> None:
    codes = pl.Series(["200103", "201907", "203511", "190012"] * 5)
    assert typed("part", codes)[0].kind == Kind.WHOLE
