"""Conditions, sentences, turns: laws that hold for all of them."""

from __future__ import annotations

import datetime as dt

import numpy as np
import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from night_trail.core.conditions import (
    AllOf,
    AnyOf,
    Between,
    Condition,
    Contains,
    Missing,
    Not,
    OneOf,
    mask,
    toggle,
)
from night_trail.core.errors import BadQuestion
from night_trail.core.language.conditions import from_words, in_words
from night_trail.core.question import Scene, decode, key, to_json
from night_trail.core.questions.registry import check, sentence
from night_trail.core.questions.spread.question import Bins, Spread
from night_trail.core.sentence import read, scene_in_words
from night_trail.core.table import Table
from night_trail.core.turns import (
    Beside,
    Change,
    KeepLit,
    Light,
    LightRange,
    Only,
    PutOut,
    SetAside,
    Slot,
    Swap,
    TakeAway,
    turn,
)
from tests.core.tables import table_of

TABLE = table_of(
    late_min=[-1.0, 0.0, 2.5, 9.0, None, 30.0],
    boardings=[1, 2, 3, 4, 5, 6],
    depot=["Gannet", "Tallow", "Gannet", None, "North", "North"],
    wet=[True, False, None, True, False, True],
    night=[dt.date(2023, 1, d) for d in (1, 2, 3, 4, 5, 31)],
)
numbers = st.one_of(st.integers(-50, 50).map(float), st.floats(-1e5, 1e5).map(lambda x: round(x, 2)))
names = st.sampled_from(["Gannet", "Tallow", "North", "nowhere"])
dates = st.dates(dt.date(2022, 1, 1), dt.date(2024, 12, 31)).map(str)


def ranges(column: str, ends: st.SearchStrategy) -> st.SearchStrategy[Condition]:
    both = st.tuples(ends, ends).map(sorted)
    return st.one_of(
        st.builds(lambda e, c: Between(column, e[0], e[1], high_closed=c), both, st.booleans()),
        st.builds(lambda e, o: Between(column, e, low_open=o), ends, st.booleans()),
        st.builds(lambda e, c: Between(column, None, e, high_closed=c), ends, st.booleans()),
    )


simple = st.one_of(
    ranges("late_min", numbers),
    ranges("night", dates),
    st.lists(names, min_size=1, max_size=3, unique=True).map(lambda v: OneOf("depot", tuple(v))),
    st.just(Missing("depot")),
    st.just(OneOf("wet", ("yes",))),
)
conditions = st.recursive(
    simple,
    lambda inner: st.one_of(
        inner.map(Not),
        st.lists(inner, min_size=1, max_size=3).map(lambda p: AllOf(tuple(p))),
        st.lists(inner, min_size=1, max_size=3).map(lambda p: AnyOf(tuple(p))),
    ),
    max_leaves=5,
)


def expression(condition: Condition) -> pl.Expr:
    """The same condition written a second time, as an expression of polars."""
    match condition:
        case Not(part):
            return ~expression(part)
        case AllOf(parts):
            return pl.all_horizontal([expression(p) for p in parts])
        case AnyOf(parts):
            return pl.any_horizontal([expression(p) for p in parts])
        case OneOf("wet", _):
            return pl.col("wet").fill_null(False)
        case OneOf(column, values):
            return pl.col(column).cast(pl.String).is_in(values).fill_null(False)
        case Missing(column):
            return pl.col(column).is_null()
        case Between(column, low, high, low_open, high_closed):
            to = dt.date.fromisoformat if column == "night" else float
            tests = []
            if low is not None:
                tests.append(pl.col(column) > to(low) if low_open else pl.col(column) >= to(low))
            if high is not None:
                tests.append(pl.col(column) <= to(high) if high_closed else pl.col(column) < to(high))
            return pl.all_horizontal(tests).fill_null(False)
    raise AssertionError(condition)


@given(conditions)
def test_masks_agree_with_expressions_and_survive_json(condition: Condition) -> None:
    frame = pl.DataFrame([TABLE.series(c.name).alias(c.name) for c in TABLE.columns])
    expected = frame.select(expression(condition)).to_series().to_list()
    assert mask(condition, TABLE).tolist() == expected
    assert decode(to_json(condition), Condition, "condition") == condition


@given(simple)
def test_conditions_read_back_from_their_words(condition: Condition) -> None:
    again = from_words(in_words(condition, TABLE), TABLE)
    assert mask(again, TABLE).tolist() == mask(condition, TABLE).tolist()


@given(simple, simple)
def test_lighting_twice_puts_out_and_adding_is_or(first: Condition, second: Condition) -> None:
    assert toggle(toggle(None, first), first) is None
    both = toggle(first, second)
    either = mask(first, TABLE) | mask(second, TABLE)
    if isinstance(first, OneOf) and isinstance(second, OneOf) and first.column == second.column:
        return  # values already listed are taken away
    if both is not None and first != second:
        assert mask(both, TABLE).tolist() == either.tolist()


def test_neighbouring_ranges_grow_together() -> None:
    grown = toggle(Between("late_min", 0.0, 1.0), Between("late_min", 1.0, 2.0))
    assert grown == Between("late_min", 0.0, 2.0)


questions = st.one_of(
    st.builds(
        Spread,
        st.sampled_from(["late_min", "boardings"]),
        st.sampled_from([None, "depot", "wet"]),
        st.just("histogram"),
        st.one_of(
            st.just(Bins()),
            st.builds(
                Bins, st.sampled_from([0.5, 1.0, 2.5, 1000.0]), st.none(), st.sampled_from([None, 2.0])
            ),
            st.builds(Bins, st.none(), st.integers(1, 90), st.sampled_from([None, -4.0])),
            st.builds(
                lambda rule: Bins(rule=rule), st.sampled_from(["sturges", "scott", "freedman", "root"])
            ),
        ),
        st.sampled_from(["count", "share", "density"]),
        st.sampled_from(["gathered", "open"]),
    ),
    st.builds(
        lambda c, a, e, o: Spread(c, a, "boxes", ends=e, order=o if a else "frequent"),
        st.sampled_from(["late_min", "night"]),
        st.sampled_from([None, "depot"]),
        st.sampled_from(["gathered", "open"]),
        st.sampled_from(["frequent", "own"]),
    ),
    st.builds(
        lambda h, o: Spread("depot", None, "bars", height=h, order=o),
        st.sampled_from(["count", "share"]),
        st.sampled_from(["frequent", "own"]),
    ),
    st.just(Spread("night", None, "histogram", Bins(calendar="week"))),
)
scenes = st.builds(
    Scene,
    questions,
    st.lists(questions, max_size=3).map(tuple),
    st.lists(conditions, max_size=3).map(tuple),
    st.one_of(st.none(), conditions),
)


@given(scenes)
def test_a_scene_survives_json_and_keeps_its_key(scene: Scene) -> None:
    again = decode(to_json(scene), Scene, "scene")
    assert again == scene and key(again) == key(scene)


@given(questions)
def test_the_word_box_reads_the_sentences_that_pictures_stand_under(question: Spread) -> None:
    check(question, TABLE)
    assert read(str(sentence(question, TABLE)), TABLE) == (question, ())


def test_the_word_box_reads_a_whole_exported_title() -> None:
    scene = Scene(Spread("late_min"), only=(OneOf("depot", ("Gannet", "North")), Between("late_min", 0.0)))
    assert read(scene_in_words(scene, TABLE), TABLE) == (scene.main, scene.only)


@pytest.mark.parametrize(
    ("words", "question"),
    [
        ("late_min", Spread("late_min")),
        ("late_min by depot", Spread("late_min", "depot")),
        ("LATE_MIN across depot as box plots", Spread("late_min", "depot", "boxes")),
        ("late_min in bins of 2 by share", Spread("late_min", bins=Bins(2.0), height="share")),
        ("depot", Spread("depot", shape="bars")),
    ],
)
def test_short_forms(words: str, question: Spread) -> None:
    assert read(words, TABLE) == (question, ())


@pytest.mark.parametrize(
    ("words", "says"),
    [
        ("moonlight", "No column is named"),
        ("late_min by depoe", "Did you mean depot"),
        ("late_min as pie", "not a shape"),
        ("late_min sideways", "was not understood"),
        ("late_min only where depot wobbles", "not a condition"),
    ],
)
def test_words_that_make_no_sense_are_answered_in_one_sentence(words: str, says: str) -> None:
    with pytest.raises(BadQuestion, match=says):
        read(words, TABLE)


START = Scene(Spread("late_min"), lit=Between("late_min", 2.0))


@pytest.mark.parametrize(
    ("there", "back"),
    [
        (Beside(Spread("boardings")), TakeAway(0)),
        (Slot("across", "depot"), Slot("across")),
        (Slot("shape", "boxes"), Slot("shape", "histogram")),
        (Slot("height", "share"), Slot("height", "count")),
    ],
)
def test_back_after_a_turn_is_the_same_scene(there: Change, back: Change) -> None:
    after, label = turn(START, there, TABLE)
    assert after != START and label
    assert turn(after, back, TABLE)[0] == START


def test_swapping_twice_is_nothing() -> None:
    scene, _ = turn(START, Beside(Spread("boardings")), TABLE)
    once, _ = turn(scene, Swap(0), TABLE)
    assert once.main == Spread("boardings") and turn(once, Swap(0), TABLE)[0] == scene


def test_the_lantern_filters() -> None:
    kept, label = turn(START, KeepLit(), TABLE)
    assert kept.only == (START.lit,) and kept.lit is None and label == "only late_min at least 2"
    aside, label = turn(START, SetAside(), TABLE)
    assert aside.only == (Not(START.lit),) and label == "set aside: late_min at least 2"
    assert turn(START, PutOut(), TABLE)[0].lit is None
    with pytest.raises(BadQuestion, match="Nothing is lit"):
        turn(Scene(Spread("late_min")), KeepLit(), TABLE)


def test_a_swept_range_is_rounded_to_what_a_hand_can_aim_at() -> None:
    scene, _ = turn(START, LightRange("late_min", 9.123456, 3.0789, grain=0.05), TABLE)
    assert scene.lit == Between("late_min", 3.08, 9.12)
    day = 86_400.0
    scene, _ = turn(START, LightRange("night", 19_358.3 * day, 19_360.7 * day, grain=900.0), TABLE)
    assert scene.lit == Between("night", "2023-01-01", "2023-01-04")
    with pytest.raises(BadQuestion, match="outside the calendar"):
        turn(START, LightRange("night", -1e18, 1e18), TABLE)


@pytest.mark.parametrize(
    ("change", "says"),
    [
        (Slot("column", "moon"), "no column “moon”"),
        (Slot("shape", "ring"), "does not fit"),
        (Slot("depth", "1"), "no slot"),
        (Swap(4), "no such"),
        (Light(Between("depot", 1.0)), "has no range"),
        (Only(Between("late_min", "2023-01-01")), "not a number"),
    ],
)
def test_turns_that_do_not_fit_are_refused(change: Change, says: str) -> None:
    with pytest.raises(BadQuestion, match=says):
        turn(START, change, TABLE)


@pytest.mark.parametrize(
    ("text", "names"),
    [
        ('{"type":"spread"}', "column"),
        ('{"type":"spread","column":"a","colour":"red"}', "colour"),
        ('{"type":"spread","column":"a","bins":{"width":-1}}', "width above 0"),
        ('{"type":"spread","column":"a","bins":{"width":1,"count":4}}', "set twice"),
        ("{", "not valid JSON"),
        ("[" * 100_000, "question"),
    ],
)
def test_a_question_that_cannot_be_read_names_the_field(text: str, names: str) -> None:
    with pytest.raises(BadQuestion, match=names):
        decode(text, Spread, "question")


def test_a_column_whose_name_is_a_pattern_is_just_a_column() -> None:
    odd = table_of(**{"*": [1, 2], "^a.*$": ["x", "y"], "a'\"<b>": [1.0, 2.0]})
    assert mask(Between("*", 2), odd).tolist() == [False, True]
    assert mask(OneOf("^a.*$", ("x",)), odd).tolist() == [True, False]
    assert mask(Contains("^a.*$", "Y"), odd).tolist() == [False, True]
    question, _ = read("a'\"<b> by ^a.*$ as box plots", odd)
    assert (question.column, question.across) == ("a'\"<b>", "^a.*$")


def test_unused_numbers_do_not_crash_a_table_without_rows() -> None:
    empty: Table = table_of(v=np.array([], dtype=float))
    assert mask(Between("v", 1.0), empty).tolist() == []
