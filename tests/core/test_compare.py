"""Comparisons, against pandas and by hand; their sentences; what is said beside them."""

from __future__ import annotations

import re

import msgspec
import numpy as np
import pandas as pd
import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats

from night_trail.core.conditions import Between, Not, mask
from night_trail.core.errors import BadQuestion
from night_trail.core.language.spans import plain
from night_trail.core.measure import Measure
from night_trail.core.question import Question, decode, to_json
from night_trail.core.questions.compare.answer import CompareAnswer
from night_trail.core.questions.compare.question import Compare
from night_trail.core.questions.registry import answer, check, sentence, short_name, words_of
from night_trail.core.questions.spread.question import Spread
from night_trail.core.questions.ways import changed
from night_trail.core.rows import Rows
from night_trail.core.sentence import read
from night_trail.core.table import Kind, Table
from tests.core.tables import table_of

LATE = Between("late", 3.0, None)


def typed(table: Table, **said: dict[str, object]) -> Table:
    columns = [msgspec.structs.replace(c, **said.get(c.name, {})) for c in table.columns]
    return Table(
        key=table.key,
        name="t",
        columns=columns,
        height=table.height,
        source=table._source,
        row_noun=("trip", "trips"),
    )


@pytest.fixture(scope="module")
def frame() -> pd.DataFrame:
    rng = np.random.default_rng(9)
    line = np.array(["N1", "N2", "N3", "N4", None], dtype=object)[
        rng.choice(5, 600, p=[0.4, 0.3, 0.2, 0.05, 0.05])
    ]
    late = rng.gamma(2, 2, 600) + (line == "N2")
    late[rng.random(600) < 0.1] = np.nan
    return pd.DataFrame(
        {
            "line": line,
            "late": np.round(late, 1),
            "riders": rng.poisson(20, 600),
            "planned": rng.poisson(22, 600),
            "crew": rng.integers(0, 9, 600).astype(str),
            "wet": rng.random(600) < 0.3,
        }
    )


@pytest.fixture(scope="module")
def table(frame: pd.DataFrame) -> Table:
    late = pl.Series(frame["late"].to_numpy()).fill_nan(None)
    made = table_of(**{c: late if c == "late" else objects(frame[c]) for c in frame.columns})
    return typed(made, late={"unit": "min"}, riders={"additive": True}, planned={"additive": True})


def objects(cells: pd.Series) -> list[object]:
    return [None if pd.isna(cell) else cell for cell in cells.tolist()]


def asked(question: Compare, table: Table, *only: object, lit: object = None) -> CompareAnswer:
    found = answer(question, Rows(table, only, lit))
    assert isinstance(found, CompareAnswer)
    return found


def figures(found: CompareAnswer) -> dict[str, float]:
    return {g.label: g.value for g in found.groups}


BY_PANDAS = {
    "mean": lambda g: g["late"].mean(),
    "median": lambda g: g["late"].median(),
    "sum": lambda g: g["late"].sum(),
    "quantile": lambda g: g["late"].quantile(0.9),
    "count": lambda g: g.size(),
    "distinct": lambda g: g["crew"].nunique(),
    "ratio": lambda g: g["riders"].sum() / g["planned"].sum(),
    "share": lambda g: g.apply(lambda part: (part["late"] >= 3).mean()),
}


def measure_for(aggregate: str) -> Measure:
    return {
        "count": Measure("count"),
        "distinct": Measure("distinct", "crew"),
        "ratio": Measure("ratio", "riders", per="planned"),
        "share": Measure("share", where=LATE),
    }.get(aggregate) or Measure(aggregate, "late")


@pytest.mark.parametrize("aggregate", list(BY_PANDAS))
def test_each_aggregate_is_that_of_pandas_also_under_filter_and_lantern(
    aggregate: str, table: Table, frame: pd.DataFrame
) -> None:
    question = Compare(measure_for(aggregate), "line")
    theirs = BY_PANDAS[aggregate](frame.groupby("line"))
    found = asked(question, table)
    assert figures(found) == pytest.approx(theirs.to_dict())
    assert [g.value for g in found.groups] == pytest.approx(sorted(theirs, reverse=True))
    few = Between("riders", 15, 25)
    kept = frame[(frame["riders"] >= 15) & (frame["riders"] < 25)]
    lit = asked(question, table, few, lit=Between("planned", 20, None))
    assert figures(lit) == pytest.approx(BY_PANDAS[aggregate](kept.groupby("line")).to_dict())
    theirs_lit = BY_PANDAS[aggregate](kept[kept["planned"] >= 20].groupby("line")).to_dict()
    assert {g.label: g.lit_value for g in lit.groups if g.lit_value is not None} == pytest.approx(theirs_lit)
    basis = found.basis
    assert basis.used + basis.missing + basis.groupless == basis.rows == 600
    assert all(g.low is None or g.low <= g.value <= g.high for g in found.groups)
    for group in found.groups:
        assert int(mask(found.condition(group), table).sum()) == int((frame["line"] == group.label).sum())


@given(order=st.permutations(list(range(600))))
def test_the_order_of_the_rows_never_changes_an_answer(
    order: list[int], table: Table, frame: pd.DataFrame
) -> None:
    late = pl.Series(frame["late"].to_numpy()).fill_nan(None)
    mixed = table_of(line=objects(frame["line"].iloc[order]), late=late.gather(order))
    for aggregate in ("mean", "median", "sum"):
        question = Compare(Measure(aggregate, "late"), "line")
        ours, theirs = asked(question, mixed), asked(question, table)
        for a, b in zip(ours.groups, theirs.groups, strict=True):
            assert (a.label, a.n) == (b.label, b.n)
            assert [a.value, a.low or 0, a.high or 0] == pytest.approx([b.value, b.low or 0, b.high or 0])


def test_sums_and_counts_of_groups_add_up_to_the_whole_and_lit_is_a_part(
    table: Table, frame: pd.DataFrame
) -> None:
    for measure in (Measure("sum", "riders"), Measure("count")):
        found = asked(Compare(measure, "line"), table, lit=LATE)
        assert sum(g.value for g in found.groups) == pytest.approx(found.overall)
        assert all((g.lit_value or 0) <= g.value and g.lit_n <= g.n for g in found.groups)
        against = asked(Compare(measure, "line"), table, lit=Not(LATE))
        both = [
            (a.lit_value or 0) + (b.lit_value or 0) for a, b in zip(found.groups, against.groups, strict=True)
        ]
        assert both == pytest.approx([g.value for g in found.groups])


def test_many_groups_are_gathered_and_keep_their_rows() -> None:
    rng = np.random.default_rng(1)
    line = [f"L{i:03d}" for i in rng.zipf(1.3, 3_000) % 150]
    found = asked(Compare(Measure("count"), "line", "bars"), table_of(line=line, x=[1.5] * 3_000))
    assert len(found.groups) == 25 and found.groups[-1].others > 0
    assert sum(g.value for g in found.groups) == 3_000
    assert "125 groups lower down, with" in " ".join(words_of(found, table_of(line=line)).cautions)


SENTENCES = [
    "How does the average of late compare across line, drawn as dots with intervals, sorted by value?",
    "How does the median of late compare across crew, drawn as bars, in its own order?",
    "How does the sum of riders compare across line, drawn as bars, sorted by value?",
    "How does the number of trips compare across line, drawn as bars, sorted by value?",
    "How does the number of different crew compare across line, drawn as bars, sorted by value?",
    "How does the share of yes in wet compare across line, drawn as dots with intervals, sorted by value?",
    "How does the ratio of riders to planned compare across line, drawn as dots with intervals, sorted by value?",
    "How does the 90\u2009% quantile of late compare across line, drawn as dots with intervals, sorted by value?",
    "How does the share of trips where late from 3 compare across line, drawn as dots with intervals, sorted by value?",
]


@pytest.mark.parametrize("text", SENTENCES)
def test_sentences_are_read_back_as_they_are_said(text: str, table: Table) -> None:
    question, only = read(text, table)
    assert isinstance(question, Compare) and only == ()
    assert str(sentence(question, table)).replace("at least", "from") == text or "share of trips" in text
    assert read(str(sentence(question, table)), table)[0] == question
    assert decode(to_json(question), Question, "question") == question
    assert short_name(question).endswith(question.across)


@pytest.mark.parametrize(
    ("words", "measure", "across"),
    [
        ("average late by line", Measure("mean", "late"), "line"),
        ("mean of late across line", Measure("mean", "late"), "line"),
        ("total riders by line", Measure("sum", "riders"), "line"),
        ("number of rows by line", Measure("count"), "line"),
        ("share of rows with late above 3 by line", None, "line"),
    ],
)
def test_short_forms(words: str, measure: Measure | None, across: str, table: Table) -> None:
    question, _ = read(f"{words} only where riders above 3", table)
    assert isinstance(question, Compare) and question.across == across
    assert question.measure == measure or (measure is None and question.measure.aggregate == "share")


@pytest.mark.parametrize(
    ("words", "says"),
    [
        ("average late", "names no groups"),
        ("average late by moon", "not a column"),
        ("average crew by line", "no mean of “crew”"),
        ("average late by line, upside down", "was not understood"),
        ("sum of late by late", "across itself"),
    ],
)
def test_what_cannot_be_compared_is_said(words: str, says: str, table: Table) -> None:
    with pytest.raises(BadQuestion, match=says):
        read(words, table)


def test_slots_lead_from_spread_to_compare_and_back(table: Table) -> None:
    question, label = changed(Spread("late"), "way", "compare", table)
    assert isinstance(question, Compare) and label == "average of late across line"
    for slot, value in (("aggregate", "median"), ("across", "crew"), ("shape", "bars"), ("order", "own")):
        question, _ = changed(question, slot, value, table)
    assert question == Compare(Measure("median", "late"), "crew", "bars", "own")
    assert changed(question, "aggregate", "share", table, LATE)[0].measure == Measure("share", where=LATE)
    ratio = changed(question, "aggregate", "ratio", table)[0].measure
    assert ratio.per in ("riders", "planned") and ratio.column == "late"
    summed, _ = changed(question, "column", "wet", table)
    assert summed.measure == Measure("mean", "wet") and summed.shape == "dots"
    assert changed(question, "way", "spread", table)[0] == Spread("late")
    for slot, value, says in (
        ("aggregate", "share", "Nothing is lit"),
        ("aggregate", "mode", "does not fit"),
        ("shape", "pie", "does not fit"),
        ("moon", "x", "no slot"),
        ("way", "moon", "does not fit"),
        ("column", "crew2", "There is no column"),
    ):
        with pytest.raises(BadQuestion, match=says):
            changed(question, slot, value, table)


def test_the_words_go_further_than_the_picture() -> None:
    line = ["a"] * 300 + ["b"] * 100 + ["c"] * 100
    riders = [10.0] * 500
    table = typed(table_of(line=line, riders=riders), riders={"additive": True})
    said = plain(words_of(asked(Compare(Measure("sum", "riders"), "line", "bars"), table), table).headline)
    assert "a has the most: 3,000, 60\u2009% of all 5,000; b and 1 other the least: 1,000." in said
    assert "It leads by its number of trips, 1.8 times the usual; each is 1 times." in said
    riders = [10.0] * 300 + [90.0] * 100 + [10.0] * 100
    table = typed(table_of(line=line, riders=riders), riders={"additive": True})
    said = plain(words_of(asked(Compare(Measure("sum", "riders"), "line", "bars"), table), table).headline)
    assert "leads by what each trip brings, 3.5 times the usual, not by their number" in said


def test_a_gap_and_who_stands_apart_are_named_only_where_they_are_sure() -> None:
    rng = np.random.default_rng(4)
    line = np.repeat(list("abcdef"), 80)
    far = rng.normal(0, 1, 480) + np.repeat([9, 9.1, 3, 3.2, 2.9, 3.1], 80)
    table = table_of(line=line.tolist(), x=far)
    found = asked(Compare(Measure("mean", "x"), "line"), table)
    assert found.gap_after() == 1 and found.p < 1e-9
    assert "A wide gap lies between" in plain(words_of(found, table).headline)
    near = table_of(line=line.tolist(), x=rng.normal(0, 1, 480))
    found = asked(Compare(Measure("mean", "x"), "line"), near)
    assert found.gap_after() is None and "may be chance" in plain(words_of(found, near).headline)


def test_cautions_where_a_comparison_could_mislead() -> None:
    rng = np.random.default_rng(5)
    line = ["a"] * 50 + ["b"] * 50 + ["c"] * 5
    x = rng.gamma(2, 2, 105)
    x[0] = 4_000.0
    table = typed(table_of(line=line, x=x), x={"unit": "%", "sure": True, "summing": "% does not add up"})
    cautions = " ".join(words_of(asked(Compare(Measure("sum", "x"), "line", "bars"), table), table).cautions)
    assert (
        "The sum of x means little: % does not add up." in cautions
        and "c has fewer than 10 trips" in cautions
    )
    assert "1 row makes up 9" in cautions and "of the sum of a" in cautions
    cautions = " ".join(words_of(asked(Compare(Measure("mean", "x"), "line", "bars"), table), table).cautions)
    assert "average of per cents" in cautions and "The bars begin at 0" in cautions and "overlap" in cautions


@pytest.mark.parametrize(
    "columns",
    [
        {"g": pl.Series([], dtype=pl.String), "x": pl.Series([], dtype=pl.Float64)},
        {"g": ["a"], "x": [1.0]},
        {"g": ["a", "b"], "x": [None, None]},
        {"g": [None, None], "x": [1.0, 2.0]},
        {"g": ["a", "a", "b"], "x": [2.0, 2.0, 2.0]},
        {"g": ["<b>", "{x}", "🌙"], "x": [-1.0, 0.0, -0.0]},
    ],
)
def test_tables_with_little_to_compare(columns: dict[str, object]) -> None:
    table = table_of(**columns)
    table = typed(table, g={"kind": Kind.CATEGORY}, x={"kind": Kind.NUMBER})
    for aggregate in ("mean", "median", "sum", "quantile", "count", "distinct"):
        question = Compare(Measure(aggregate, None if aggregate == "count" else "x"), "g")
        check(question, table)
        found = asked(question, table, lit=Between("x", 0, None))
        assert plain(words_of(found, table).headline)


def test_only_plain_bars_can_be_cut_and_the_sentence_says_so() -> None:
    table = table_of(g=["a", "b"] * 5, x=[float(i) for i in range(10)])
    question, _ = read("average of x by g as bars with bars cut off below", table)
    assert question.axis == "cut" and "with bars cut off below" in str(sentence(question, table))
    assert read(str(sentence(question, table)), table)[0] == question
    dots, _ = changed(question, "shape", "dots", table)
    assert dots.axis == "zero"
    with pytest.raises(BadQuestion, match="plain bars"):
        check(msgspec.structs.replace(dots, axis="cut"), table)


def test_against_a_group_nothing_rises_it_lies_above() -> None:
    table = table_of(g=["a", "b", "c"] * 5, x=[1.0, 2.0, 3.0] * 5)
    question, _ = read("average of x by g against b", table)
    said = plain(words_of(answer(question, Rows(table)), table).headline)
    assert "c lies most above it, by +1" in said and "a lies most below it, by −1" in said


def test_words_of_several_measures_name_the_one_they_speak_of() -> None:
    rng = np.random.default_rng(2)
    group = np.repeat(["a", "b", "c"], 60)
    apart = np.repeat([1.0, 5.0, 9.0], 60) + rng.normal(0, 0.1, 180)
    table = table_of(
        apart=apart, alike=rng.normal(5, 1, 180), rate=rng.gamma(2, 1, 180), group=group.tolist()
    )
    table = typed(table, rate={"sure": True, "summing": "it is a rate"})
    question = Compare(
        Measure("mean", "apart"), "group", more=(Measure("mean", "alike"), Measure("sum", "rate"))
    )
    words = words_of(answer(question, Rows(table)), table)
    assert plain(words.headline).startswith("The average of apart is highest for c")
    overlap = [str(c) for c in words.cautions if "overlap" in c]
    assert overlap and all(c.startswith("In the average of alike, the intervals of") for c in overlap)
    # what a click would change is the first measure, so another's caution has none
    sums = next(c for c in words.cautions if "sum of rate" in c)
    assert not getattr(sums, "post", "")
    alone = words_of(answer(Compare(Measure("sum", "rate"), "group"), Rows(table)), table)
    assert next(c for c in alone.cautions if "sum of rate" in c).post


def test_figures_of_one_picture_have_as_many_decimals_as_their_intervals_support() -> None:
    rng = np.random.default_rng(4)
    line = np.repeat(["a", "b", "c"], 60)
    late = rng.normal(np.repeat([9.96, 12.31, 9.5], 60), 3.0)
    table = typed(table_of(line=line.tolist(), late=late), late={"unit": "min"})
    found = asked(Compare(Measure("mean", "late"), "line"), table)
    texts = [f.text for f in words_of(found, table).facts if f.key.startswith("group:")]
    assert len(texts) == 3 and all(re.fullmatch(r"\d+\.\d\u00a0min", t) for t in texts)
    whole = typed(
        table_of(line=line.tolist(), riders=np.repeat([10.0, 20.0, 30.0], 60)), riders={"additive": True}
    )
    sums = words_of(asked(Compare(Measure("sum", "riders"), "line", "bars"), whole), whole)
    assert {f.text for f in sums.facts if f.key.startswith("group:")} == {"600", "1,200", "1,800"}


def test_the_highest_of_pairs_may_be_chance_and_a_planted_pair_is_not() -> None:
    rng = np.random.default_rng(12)
    a, b = rng.choice([*"pqr"], 3_000), rng.choice([*"xyz"], 3_000)
    noise = rng.normal(size=3_000)
    for values, chance in ((noise, True), (noise + 1.5 * ((a == "q") & (b == "y")), False)):
        table = table_of(a=a.tolist(), b=b.tolist(), v=values.tolist())
        found = answer(Compare(Measure("mean", "v"), "a", also="b"), Rows(table))
        pairs = [values[(a == i) & (b == j)] for i in "pqr" for j in "xyz"]
        assert found.tested.p == pytest.approx(stats.f_oneway(*pairs, equal_var=False).pvalue)
        assert ("The differences may be chance" in plain(words_of(found, table).headline)) == chance
    counted = answer(Compare(Measure("count"), "a", also="b"), Rows(table))
    assert "chance" not in plain(words_of(counted, table).headline)
