"""Calculated columns: what they give is what SQLite gives; what is wrong is pointed at."""

from __future__ import annotations

import datetime as dt
import math
import sqlite3

import polars as pl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from night_trail.core.errors import BadQuestion
from night_trail.core.recipe.example import by_example
from night_trail.core.recipe.sql import MOST_CHARACTERS, compile_sql, completions, quoted
from night_trail.core.recipe.sql_words import FUNCTIONS, BadExpression
from night_trail.core.table import Table
from tests.core.tables import table_of

LATE = [0.5, -2.0, None, 14.25, 7.0, 0.0]
RIDERS = [3, 0, 11, None, 40, 7]
STOP = ["Old Mills", "quay side", None, "Foundry (north)", "ÉCOLE", " Hillfoot "]
NIGHT = [dt.date(2024, 2, 29), dt.date(2023, 12, 31), dt.date(2024, 1, 1), None, dt.date(2024, 7, 6), None]


@pytest.fixture(scope="module")
def table() -> Table:
    moments = [d and dt.datetime(d.year, d.month, d.day, 23, 5, 30) for d in NIGHT]
    return table_of(
        **{"late": LATE, "riders": RIDERS, "stop": STOP, "night": NIGHT, "seen at": moments},
        wet=[True, False, None, True, False, True],
    )


@pytest.fixture(scope="module")
def sqlite() -> sqlite3.Connection:
    base = sqlite3.connect(":memory:")
    base.execute("PRAGMA case_sensitive_like = ON")
    base.execute("CREATE TABLE t (n INTEGER, late REAL, riders INTEGER, stop TEXT, night TEXT, wet INTEGER)")
    wet = [1, 0, None, 1, 0, 1]
    nights = [d and d.isoformat() for d in NIGHT]
    rows = zip(range(6), LATE, RIDERS, STOP, nights, wet, strict=True)
    base.executemany("INSERT INTO t VALUES (?, ?, ?, ?, ?, ?)", rows)
    return base


def computed(sql: str, table: Table) -> list[object]:
    return compile_sql(sql, table).compute(table).to_list()


def same(ours: list[object], theirs: list[object]) -> bool:
    def alike(a: object, b: object) -> bool:
        if isinstance(a, bool) and b is not None:
            return a == bool(b)
        if isinstance(a, (int, float)) and isinstance(b, (int, float)):
            return math.isclose(a, b, rel_tol=1e-12, abs_tol=1e-12)
        return a == b

    return all(map(alike, ours, theirs))


@pytest.mark.parametrize(
    "sql",
    [
        "late + riders * 2 - 1",
        "-late / 4.0",
        "riders % 4",
        "ABS(late) + SIGN(late)",
        "ROUND(late, 1)",
        "ROUND(late)",
        "FLOOR(late) + CEIL(late)",
        "SQRT(riders)",
        "POWER(late, 2)",
        "late > 0 AND NOT riders = 3",
        "late IS NULL OR riders IS NOT NULL",
        "riders IN (3, 7, 40)",
        "riders NOT IN (3, 7)",
        "late BETWEEN -2 AND 7",
        "stop LIKE '%o%' OR stop LIKE 'quay_side'",
        "CASE WHEN late > 5 THEN 'late' WHEN late < 0 THEN 'early' ELSE 'on time' END",
        "CASE riders WHEN 3 THEN 'three' WHEN 7 THEN 'seven' END",
        "COALESCE(late, riders, 0)",
        "NULLIF(riders, 0)",
        "LENGTH(stop)",
        "TRIM(stop) || '!'",
        "REPLACE(stop, 'o', '0')",
        "SUBSTR(stop, 2, 3)",
        "UPPER(SUBSTR(stop, 1, 3))",
        "IIF(wet, 'wet', 'dry')",
        "AVG(late) OVER ()",
        "SUM(riders) OVER (PARTITION BY wet)",
        "late - AVG(late) OVER (PARTITION BY wet)",
        "COUNT(*) OVER (PARTITION BY wet)",
        "COUNT(late) OVER ()",
        "MAX(riders) OVER () - MIN(riders) OVER ()",
        "CAST(riders AS TEXT) || ' riders'",
        "CAST(late AS INTEGER)",
        "night >= '2024-01-01'",
        "NULL",
        "1 + 2",
    ],
)
def test_it_gives_what_sqlite_gives(sql: str, table: Table, sqlite: sqlite3.Connection) -> None:
    theirs = [row[0] for row in sqlite.execute(f"SELECT {sql} FROM t ORDER BY n")]
    ours = computed(sql.replace("IIF(", "IF(").replace("SUBSTR(", "SUBSTRING("), table)
    assert same(ours, theirs), (ours, theirs)


numbers = st.sampled_from(["late", "riders", "2", "0.5", "(-3)"])
arithmetic = st.recursive(
    numbers,
    lambda inner: st.one_of(
        st.tuples(inner, st.sampled_from("+-*"), inner).map(lambda t: f"({t[0]} {t[1]} {t[2]})"),
        inner.map(lambda a: f"ABS({a})"),
        st.tuples(inner, inner).map(lambda t: f"COALESCE({t[0]}, {t[1]})"),
    ),
    max_leaves=6,
)
conditions = st.recursive(
    st.tuples(arithmetic, st.sampled_from(["<", "<=", "=", "<>", ">", ">="]), arithmetic).map(" ".join),
    lambda inner: st.one_of(
        inner.map(lambda a: f"(NOT ({a}))"),
        st.tuples(inner, st.sampled_from(["AND", "OR"]), inner).map(lambda t: f"({t[0]} {t[1]} {t[2]})"),
        inner.map(lambda a: f"(({a}) IS NULL)"),
    ),
    max_leaves=4,
)


@settings(max_examples=60, deadline=None)
@given(condition=conditions, yes=arithmetic, no=arithmetic)
def test_nested_expressions_agree_with_sqlite_missing_cells_included(
    table: Table, sqlite: sqlite3.Connection, condition: str, yes: str, no: str
) -> None:
    sql = f"CASE WHEN {condition} THEN {yes} ELSE {no} END"
    theirs = [row[0] for row in sqlite.execute(f"SELECT {sql} FROM t ORDER BY n")]
    assert same(computed(sql, table), theirs), sql


def test_division_gives_fractions_and_what_has_no_value_is_missing(table: Table) -> None:
    assert computed("riders / 2", table)[:2] == [1.5, 0.0]
    assert computed("1 / riders", table)[1] is None and computed("LN(late)", table)[1] is None
    assert computed("SQRT(-1)", table) == [None] * 6 and computed("riders % 0", table) == [None] * 6


@pytest.mark.parametrize(
    ("sql", "first"),
    [
        ("EXTRACT(YEAR FROM night)", 2024),
        ("MONTH(night)", 2),
        ("EXTRACT(ISODOW FROM night)", 4),
        ('HOUR("seen at") + MINUTE("seen at") / 60', 23 + 5 / 60),
        ("DATE_TRUNC('month', night)", dt.date(2024, 2, 1)),
        ("night + INTERVAL '1' DAY", dt.date(2024, 3, 1)),
        ("night - DATE '2024-02-01'", 28.0),
        ('CAST("seen at" AS DATE)', dt.date(2024, 2, 29)),
        ("night BETWEEN '2024-02-01' AND '2024-02-29'", True),
        ("SPLIT_PART(stop, ' ', 2)", "Mills"),
        ("SPLIT_PART(stop, ' ', -1)", "Mills"),
        ("REGEXP_EXTRACT(stop, '(\\w+)$', 1)", "Mills"),
        ("POSITION('Mills' IN stop)", 5),
        ("LEFT(stop, 3) || '-' || RIGHT(stop, 2)", "Old-ls"),
        ("INITCAP(LOWER(stop))", "Old Mills"),
        ("CONCAT(stop, ' ', riders)", "Old Mills 3"),
        ("STARTS_WITH(stop, 'Old')", True),
        ("CONTAINS(stop, 'ill')", True),
        ("GREATEST(late, riders)", 3.0),
        ("LEAST(late, riders)", 0.5),
        ("MEDIAN(late) OVER ()", 0.5),
        ("LOG(1000)", 3.0),
        ("LATE * 2", 1.0),
    ],
)
def test_functions_by_hand(sql: str, first: object, table: Table) -> None:
    found = computed(sql, table)[0]
    assert math.isclose(found, first) if isinstance(first, float) else found == first


@pytest.mark.parametrize(
    ("sql", "says", "marked"),
    [
        ("late + stop", "stop is text; a number is needed here", "stop"),
        ("UPPER(late)", "late is number; text is needed here", "late"),
        ("latte * 2", "There is no column “latte”. Did you mean late", "latte"),
        ("late + ", "missing", None),
        ("late + 2E", "“2E” is not a number", None),
        ("(late + 1", "closing bracket", None),
        ("late late2 3", "not expected here", None),
        ("UPER(stop)", "no function UPER. Did you mean UPPER", None),
        ("AVG(late)", "over which rows", "AVG(late)"),
        ("IF(late > 1, 'a', 2)", "text is needed here", None),
        ("late = stop", "compared with text", "late = stop"),
        ("night + 1", "night is a date", "night + 1"),
        ("night = 'yesterday'", "no date", None),
        ("EXTRACT(HOUR FROM night)", "a date and time is needed", "night"),
        ("CAST(late AS GEOMETRY)", "no type", None),
        ("INTERVAL '1' DAY", "span of time", None),
        ("REGEXP_EXTRACT(stop, '(', 1)", "pattern cannot be read", None),
        ("", "no expression yet", None),
        ("late; DROP TABLE t", "Only one expression", None),
    ],
)
def test_what_is_wrong_is_said_and_pointed_at(sql: str, says: str, marked: str | None, table: Table) -> None:
    with pytest.raises(BadExpression) as refused:
        compile_sql(sql, table)
    assert says in str(refused.value), str(refused.value)
    if marked is not None:
        assert sql[refused.value.start : refused.value.end] == marked


@pytest.mark.parametrize(
    "sql",
    [
        "(SELECT 1)",
        "late IN (SELECT late FROM other)",
        "EXISTS (SELECT 1)",
        "other.late",
        "read_csv('/etc/passwd')",
        "load_extension('x')",
        "CAST(readfile('/etc/passwd') AS TEXT)",
        "DELETE FROM t",
        "DROP TABLE t",
        "ATTACH 'x' AS y",
        "COPY t TO 'x'",
        "SUM(late) OVER (ORDER BY late ROWS BETWEEN 1 PRECEDING AND 1 FOLLOWING)",
        "GENERATE_SERIES(1, 1000000000)",
        "REPEAT(stop, 1000000000)",
        "LPAD(stop, 1000000000, 'x')",
        "late -- and more\n; late",
        "REPLACE(REPLACE(REPLACE(REPLACE(stop,'o','oooooooo'),'o','oooooooo'),'o','oooooooo'),'o','oooooooo')",
        "+".join(["late"] * 300),
        "(" * 900 + "late" + ")" * 900,
        "late" + " " * MOST_CHARACTERS,
    ],
)
def test_no_file_other_table_or_unbounded_work_is_reached(sql: str, table: Table) -> None:
    with pytest.raises(BadExpression) as refused:
        compile_sql(sql, table)
    assert str(refused.value).endswith(".")


def test_names_that_are_hard_to_write_are_quoted() -> None:
    names = ['a "quoted" name', "select", "<script>", "late min", "🌙", "x" * 200, "{brace}", "^a$"]
    odd = table_of(**{name: [1, 2] for name in names})
    for name in names:
        assert computed(f"{quoted(name)} + 1", odd) == [2, 3]
    words = completions(odd)
    assert words[0] == '"a ""quoted"" name"' and f"{FUNCTIONS[0]}(" in words


@given(text=st.text(max_size=60))
@settings(max_examples=60, deadline=None)
def test_whatever_is_typed_is_computed_or_refused_in_a_sentence(table: Table, text: str) -> None:
    try:
        found = compile_sql(text, table).compute(table)
    except BadQuestion as refused:
        assert str(refused)
    else:
        assert len(found) == 6


@pytest.mark.parametrize(
    ("given_", "wanted", "other", "gives"),
    [
        (["Quayside", "Old Mills", "Foundry"], ["QUAY", "OLD"], 2, "FOUN"),
        (["ann@moth.example", "bo@night.example", "c@x.test"], ["moth", "night"], 2, "x"),
        (["4 km (north)", "12 km (south)", "7 km (east)"], ["4", "12"], 2, "7"),
        (["4 km (north)", "12 km (south)", "7 km (east)"], ["north", "south"], 2, "east"),
        (["line 12: late", "line 7: on time", "line 31: x"], ["12", "7"], 2, "31"),
        (["2024-01-02_a", "2023-11-30_b", "2022-07-01_c"], ["a", "b"], 2, "c"),
        (["Moth, Ann", "Bat, Bo", "Owl, Cy"], ["Ann", "Bo"], 2, "Cy"),
    ],
)
def test_two_wanted_results_find_the_expression(
    given_: list[str], wanted: list[str], other: int, gives: str
) -> None:
    table = table_of(text=given_)
    sql = by_example(table, "text", dict(enumerate(wanted)))[0]
    found = compile_sql(sql, table).compute(table)
    assert str(pl.Series(found).cast(pl.String)[other]).removesuffix(".0") == gives, sql


def test_examples_of_dates_and_numbers_and_their_refusals() -> None:
    table = table_of(night=NIGHT[:3], late=[1.26, 3.94, 2.0], text=["a", "b", "c"])
    assert "EXTRACT(YEAR" in by_example(table, "night", {0: "2024", 1: "2023"})[0]
    assert by_example(table, "late", {0: "1.3", 1: "3.9"}) == ["ROUND(late, 1)"]
    for wanted, says in (
        ({0: "x"}, "Two wanted results"),
        ({0: "zzz", 1: "yyy"}, "No expression"),
        ({0: "a", 9: "b"}, "no such row"),
    ):
        with pytest.raises(BadQuestion, match=says):
            by_example(table, "text", wanted)
