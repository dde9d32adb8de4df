"""What the hands do: break down, search, name a group, draw a loop, find rows like one, hold against earlier."""

from __future__ import annotations

import datetime as dt

import msgspec
import numpy as np
import pandas as pd
import polars as pl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from matplotlib.path import Path as Outline

from night_trail.core.breakdown import down, ranked
from night_trail.core.conditions import (
    AllOf,
    AnyOf,
    Between,
    Condition,
    Contains,
    Loop,
    Missing,
    Not,
    OneOf,
    Recent,
    check,
    columns_of,
    mask,
)
from night_trail.core.errors import BadQuestion
from night_trail.core.language.conditions import from_words, in_words, parts_from_words
from night_trail.core.likeness import like_row, this_row
from night_trail.core.measure import Measure
from night_trail.core.periods import BEFORE, YEAR_BEFORE, baselines, before, year_before
from night_trail.core.question import Scene, decode, to_json
from night_trail.core.questions.compare.question import Compare
from night_trail.core.questions.relate.question import Relate
from night_trail.core.questions.spread.question import Spread
from night_trail.core.recipe import apply
from night_trail.core.recipe.steps import Group
from night_trail.core.rows import Rows
from night_trail.core.search import search
from night_trail.core.sentence import read, scene_in_words, scene_sentence
from night_trail.core.stats.groups import cramers_v
from night_trail.core.table import Kind, Table
from night_trail.core.turns import (
    BreakDown,
    ClearAll,
    Drop,
    Light,
    OnlyWords,
    Reword,
    StepUp,
    Zoom,
    turn,
    zoomed_out,
)
from tests.core.tables import table_of


@pytest.fixture(scope="module")
def table() -> Table:
    rng = np.random.default_rng(4)
    n = 900
    depot = rng.choice(["Gannet", "Tallow"], n)
    line = rng.choice(["N1", "N2", "N3"], n)
    crew = rng.choice([f"c{i}" for i in range(30)], n)
    late = rng.normal(2, 1, n) + 4 * (depot == "Tallow") + 1.0 * (line == "N2")
    made = table_of(
        trip=[f"T{i:04d}" for i in range(n)],
        depot=depot.tolist(),
        line=line.tolist(),
        crew=crew.tolist(),
        late=np.round(late, 2),
        rain=pl.Series([None if i % 9 == 0 else float(x) for i, x in enumerate(rng.gamma(1, 3, n))]),
        night=[dt.date(2024, 1, 1) + dt.timedelta(days=int(d)) for d in np.sort(rng.integers(0, 200, n))],
    )
    columns = [
        msgspec.structs.replace(c, kind=Kind.IDENTIFIER) if c.name == "trip" else c for c in made.columns
    ]
    return Table(
        key="hands", name="trips", columns=columns, height=n, source=made._source, row_noun=("trip", "trips")
    )


def frame(table: Table) -> pd.DataFrame:
    return pd.DataFrame({c.name: table.series(c.name).to_list() for c in table.columns})


# ---- break down ----


def test_columns_are_ranked_by_what_they_tell_apart(table: Table) -> None:
    found = ranked(Compare(Measure("mean", "late"), "crew"), Rows(table))
    assert [one.column.name for one in found] == ["depot", "line"]
    assert found[0].effect > 0.5 > found[1].effect > 0
    # epsilon squared by hand
    data = frame(table)
    groups = data.groupby("depot")["late"]
    within = ((data["late"] - groups.transform("mean")) ** 2).sum()
    whole = ((data["late"] - data["late"].mean()) ** 2).sum()
    n, k = len(data), 2
    assert found[0].effect == pytest.approx(1 - (within / (n - k)) / (whole / (n - 1)))
    assert found[0].groups == 2


def test_chance_tells_nothing_apart(table: Table) -> None:
    rng = np.random.default_rng(8)
    made = table_of(x=rng.normal(0, 1, 3000), many=rng.choice([f"g{i}" for i in range(150)], 3000).tolist())
    assert ranked(Spread("x"), Rows(made))[0].effect < 0.01


def test_a_category_is_told_apart_by_cramers_v_as_scipy_has_it(table: Table) -> None:
    from scipy.stats import chi2_contingency

    rng = np.random.default_rng(3)
    a = rng.integers(0, 4, 500)
    b = np.where(rng.random(500) < 0.5, a, rng.integers(0, 3, 500))
    counts = pd.crosstab(a, b).to_numpy()
    phi2 = chi2_contingency(counts, correction=False)[0] / 500
    r, c = counts.shape
    corrected = max(0, phi2 - (r - 1) * (c - 1) / 499)
    rows, columns = r - (r - 1) ** 2 / 499, c - (c - 1) ** 2 / 499
    assert cramers_v(a, b) == pytest.approx((corrected / (min(rows, columns) - 1)) ** 0.5)
    assert cramers_v(a, np.zeros(500, dtype=int)) is None


def test_down_and_up_again_is_the_scene_one_came_from(table: Table) -> None:
    main = Compare(Measure("mean", "late"), "depot")
    scene = Scene(main=main, only=(Between("rain", 0.0, None),))
    lit, _ = turn(scene, Light(OneOf("depot", ("Tallow",))), table)
    below, label = turn(lit, BreakDown("line"), table)
    assert below.main.across == "line" and below.lit is None and label == "into depot is Tallow, by line"
    assert below.only == (Between("rain", 0.0, None), OneOf("depot", ("Tallow",)))
    assert "within Tallow?" in str(scene_sentence(below, table))
    deeper, _ = turn(turn(below, Light(OneOf("line", ("N2",))), table)[0], BreakDown("crew"), table)
    assert "within Tallow › N2?" in str(scene_sentence(deeper, table))
    assert "depot is Tallow and line is N2" in scene_in_words(deeper, table)
    up, _ = turn(deeper, StepUp(0), table)
    assert up == lit
    assert decode(to_json(deeper), Scene, "scene") == deeper


@pytest.mark.parametrize(
    ("question", "expected"),
    [
        (Spread("late"), Spread("late", "line")),
        (Spread("late", shape="boxes"), Spread("late", "line", "boxes")),
        (Spread("depot", shape="bars"), Spread("line", shape="bars")),
        (Relate("late", "rain", fit="curve"), Relate("late", "rain", "line", "curve")),
    ],
)
def test_every_picture_can_be_broken_down(question: object, expected: object, table: Table) -> None:
    assert down(question, "line", table) == expected
    with pytest.raises(BadQuestion, match="makes no groups"):
        down(question, "late", table)


def test_lifting_a_condition_of_the_path_leaves_that_level(table: Table) -> None:
    scene, _ = turn(Scene(main=Spread("late")), Light(OneOf("depot", ("Tallow",))), table)
    scene, _ = turn(scene, BreakDown("line"), table)
    assert turn(scene, Drop(0), table)[0].within == ()
    cleared, label = turn(scene, ClearAll(), table)
    assert (cleared.only, cleared.within, cleared.lit) == ((), (), None) and "lifted" in label
    with pytest.raises(BadQuestion, match="Nothing is lit"):
        turn(scene, BreakDown("crew"), table)
    with pytest.raises(BadQuestion, match="no such level"):
        turn(scene, StepUp(3), table)


# ---- conditions in one line ----

LINES = [
    "depot is Tallow and rain above 2",
    "depot is Tallow or (line is N1 and rain above 2)",
    "(depot is Tallow or line is N1) and rain above 2",
    "not (rain from 1 to under 3)",
    "night in the last 3 weeks",
    "night in the last month",
    "crew contains “c1” or rain is missing",
    "depot is Gannet or Tallow",
    "not (depot is Tallow and rain above 2)",
]


@pytest.mark.parametrize("text", LINES)
def test_a_line_of_conditions_reads_back_as_it_is_said(text: str, table: Table) -> None:
    found = from_words(text, table)
    assert in_words(found, table) == text
    assert from_words(in_words(found, table), table) == found


def test_and_binds_closer_than_or_and_brackets_decide(table: Table) -> None:
    data = frame(table)
    first, second, wet = data["depot"] == "Tallow", data["line"] == "N1", data["rain"] > 2
    assert (
        mask(from_words("depot is Tallow or line is N1 and rain above 2", table), table)
        == (first | (second & wet))
    ).all()
    assert (mask(from_words(LINES[2], table), table) == ((first | second) & wet)).all()
    assert from_words("rain between 2 and 5", table) == Between("rain", 2.0, 5.0, high_closed=True)
    assert parts_from_words("depot is Tallow and rain between 2 and 5", table) == (
        OneOf("depot", ("Tallow",)),
        Between("rain", 2.0, 5.0, high_closed=True),
    )
    question, only = read("late by line only where depot is Tallow and rain above 2", table)
    assert question == Spread("late", "line") and len(only) == 2


names = st.sampled_from(["depot", "line"])
leaf = st.one_of(
    st.builds(
        OneOf, names, st.lists(st.sampled_from(["Tallow", "N1", "N2"]), min_size=1, unique=True).map(tuple)
    ),
    st.builds(Between, st.just("rain"), st.floats(0, 9), st.none()),
    st.builds(Missing, st.just("rain")),
    st.builds(
        Recent, st.just("night"), st.integers(1, 40), st.sampled_from(["day", "week", "month", "year"])
    ),
)
conditions = st.recursive(
    leaf,
    lambda part: st.one_of(
        st.builds(Not, part),
        st.builds(AllOf, st.lists(part, min_size=2, max_size=3).map(tuple)),
        st.builds(AnyOf, st.lists(part, min_size=2, max_size=3).map(tuple)),
    ),
    max_leaves=6,
)


@given(condition=conditions)
@settings(max_examples=60)
def test_a_condition_and_its_negation_part_the_rows(condition: Condition, table: Table) -> None:
    check(condition, table)
    met, not_met = mask(condition, table), mask(Not(condition), table)
    assert (met ^ not_met).all()
    assert set(columns_of(condition)) <= {"depot", "line", "rain", "night"}
    assert decode(to_json(condition), Condition, "condition") == condition


@pytest.mark.parametrize(
    ("count", "unit", "days"),
    [(1, "day", 1), (7, "day", 7), (2, "week", 14), (1, "month", 31), (1, "year", 366)],
)
def test_the_last_so_many_days_count_back_from_the_newest(count: int, unit: str, days: int) -> None:
    newest = dt.date(2024, 8, 31)
    nights = [newest - dt.timedelta(days=i) for i in range(500)]
    made = table_of(night=[*nights, None])
    assert int(mask(Recent("night", count, unit), made).sum()) == days
    with pytest.raises(BadQuestion, match="no days"):
        check(Recent("x", 1, "day"), table_of(x=[1.0]))


def test_a_condition_is_put_otherwise_and_words_that_fail_change_nothing(table: Table) -> None:
    scene, _ = turn(Scene(main=Spread("late")), OnlyWords("rain above 2"), table)
    after, label = turn(scene, Reword(0, "rain above 3 and depot is Tallow"), table)
    assert after.only == (Between("rain", 3.0, None, low_open=True), OneOf("depot", ("Tallow",)))
    assert label == "only rain above 3 and depot is Tallow"
    for words in ("rain above moon", "(rain above 2", "moon is full", "rain above 2 and"):
        with pytest.raises(BadQuestion):
            turn(scene, Reword(0, words), table)


# ---- a loop ----


@given(
    corners=st.lists(st.tuples(st.floats(-3, 9), st.floats(0, 12)), min_size=3, max_size=12),
)
@settings(max_examples=30)
def test_a_loop_holds_what_matplotlib_finds_inside(corners: list[tuple[float, float]], table: Table) -> None:
    loop = Loop("late", "rain", tuple(corners), (-50.0, 50.0, -50.0, 50.0))
    data = frame(table).dropna()
    inside = Outline([*corners, corners[0]]).contains_points(data[["late", "rain"]].to_numpy())
    found = mask(loop, table)[data.index]
    # points on an edge may fall to either side; random corners have almost none
    assert (found != inside).sum() <= 2
    assert not mask(loop, table)[frame(table)["rain"].isna()].any()


def test_a_loop_around_the_edge_holds_what_stands_there() -> None:
    made = table_of(x=[0.0, 5.0, 900.0], y=[1.0, 1.0, 1.0])
    square = ((8.0, 0.0), (10.0, 0.0), (10.0, 2.0), (8.0, 2.0))
    assert mask(Loop("x", "y", square, (0.0, 9.0, 0.0, 2.0)), made).tolist() == [False, False, True]
    assert in_words(Loop("x", "y", square, (0.0, 9.0, 0.0, 2.0)), made) == "inside a loop over x and y"
    with pytest.raises(BadQuestion, match="no axis"):
        check(Loop("x", "g", square, (0.0, 9.0, 0.0, 2.0)), table_of(x=[1.0], g=["a"]))


# ---- search ----


def test_what_is_typed_is_found_among_the_values_of_all_columns(table: Table) -> None:
    hits = search("tall", Rows(table))
    assert [h.words for h in hits] == ["depot is Tallow"]
    assert hits[0].rows == int((frame(table)["depot"] == "Tallow").sum())
    many = search("c1", Rows(table))
    assert many[0].words == "crew is c1" and many[1].condition == Contains("crew", "c1")
    assert search("T0003", Rows(table))[0].rows == 1
    assert [h.words for h in search("rain above 2", Rows(table))] == ["rain above 2"]
    assert search("  ", Rows(table)) == [] == search("moon", Rows(table))
    number = float(table.series("late")[5])
    assert Between("late", number, number, high_closed=True) in [
        h.condition for h in search(str(number), Rows(table))
    ]


def test_what_the_filter_leaves_nothing_of_is_not_offered(table: Table) -> None:
    kept = Rows(table, (OneOf("depot", ("Gannet",)),))
    assert search("Tallo", kept) == []
    assert [h.rows for h in search("Tallow", kept)] == [0]


# ---- a group, a row, rows like it ----


def test_a_group_becomes_a_column_of_yes_and_no(table: Table) -> None:
    wet = Between("rain", 2.0, None)
    made = apply([Group("wet nights", wet)], table).table()
    column = made.column("wet nights")
    assert column.kind == Kind.YES_NO and column.missing == 0
    assert (np.array(made.series("wet nights").to_list()) == mask(wet, table)).all()
    with pytest.raises(BadQuestion, match="already"):
        apply([Group("late", wet)], table)
    assert mask(OneOf("wet nights", ("yes",)), made).sum() == mask(wet, table).sum()


def test_one_row_is_named_by_its_identifier_or_by_what_it_takes(table: Table) -> None:
    assert this_row(table, 7) == OneOf("trip", ("T0007",))
    plain = table_of(g=["a", "a", "b", "b"], x=[1.0, 2.0, 1.0, 2.0])
    for at in range(4):
        assert mask(this_row(plain, at), plain).tolist() == [i == at for i in range(4)]
    with pytest.raises(BadQuestion, match="no such row"):
        this_row(plain, 9)
    with pytest.raises(BadQuestion, match="alike"):
        this_row(table_of(g=["a", "a"]), 0)


def test_rows_like_one_share_its_groups_and_lie_near_it_in_rank(table: Table) -> None:
    at = 40
    found = mask(like_row(table, ["depot", "late", "trip"], at), table)
    data = frame(table)
    assert found[at] and set(data["depot"][found]) == {data["depot"][at]}
    ranks = data["late"].rank()
    assert (ranks[found] - ranks[at]).abs().max() <= 0.05 * len(data) + 2
    with pytest.raises(BadQuestion, match="like"):
        like_row(table, ["trip"], at)


# ---- earlier ----


def test_the_period_before_and_the_year_before() -> None:
    def days(*dates: str) -> tuple[dt.datetime, ...]:
        return tuple(dt.datetime.fromisoformat(d) for d in dates)

    assert before(*days("2024-03-01", "2024-04-01")) == days("2024-02-01", "2024-03-01")
    assert before(*days("2024-01-01", "2024-04-01")) == days("2023-10-01", "2024-01-01")
    assert before(*days("2024-03-05", "2024-03-12")) == days("2024-02-27", "2024-03-05")
    assert year_before(*days("2024-02-29", "2024-03-01")) == days("2023-02-28", "2023-03-01")


def test_a_filter_on_dates_can_be_held_against_earlier_rows(table: Table) -> None:
    march = Between("night", "2024-03-01", "2024-04-01")
    found = list(baselines((OneOf("depot", ("Tallow",)), march), table))
    assert [b.called for b in found] == [BEFORE, YEAR_BEFORE]
    assert found[0].where == Between("night", "2024-02-01", "2024-03-01")
    closed = Between("night", "2024-03-01", "2024-03-31", high_closed=True)
    assert next(baselines((closed,), table)).where == found[0].where
    assert list(baselines((Between("rain", 1.0, 2.0), Between("night", None, "2024-03-01")), table)) == []
    assert next(baselines((Recent("night", 7, "day"),), table)).called == BEFORE


# ---- zoom ----


def test_zoom_rounds_to_what_a_hand_can_aim_at_and_only_works_between_axes(table: Table) -> None:
    scene = Scene(main=Relate("late", "rain"))
    after, label = turn(scene, Zoom((1.23456789, 4.5, 0.1, 3.3333333333)), table)
    assert after.main.window == (1.235, 4.5, 0.1, 3.333) and label == "zoomed in"
    assert turn(after, Zoom(None), table)[0] == zoomed_out(after) == scene
    assert zoomed_out(Scene(main=Spread("late"))) == Scene(main=Spread("late"))
    with pytest.raises(BadQuestion, match="zoomed into"):
        turn(Scene(main=Spread("late")), Zoom((0.0, 1.0, 0.0, 1.0)), table)
    with pytest.raises(BadQuestion, match="nothing to zoom"):
        turn(scene, Zoom((4.0, 4.0, 0.0, 1.0)), table)
