"""Two categories, several measures, baselines and parts of a whole: against pandas, and adding up."""

from __future__ import annotations

import itertools
import math
import re

import numpy as np
import pandas as pd
import polars as pl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from night_trail.core.conditions import AllOf, Between, OneOf, mask
from night_trail.core.errors import BadQuestion
from night_trail.core.language.spans import plain
from night_trail.core.measure import Measure
from night_trail.core.question import decode, to_json
from night_trail.core.questions.compare.answer import CompareAnswer, shapes_for
from night_trail.core.questions.compare.crossed import CrossAnswer
from night_trail.core.questions.compare.question import Baseline, Compare, Rule
from night_trail.core.questions.compare.several import SeveralAnswer
from night_trail.core.questions.registry import answer, check, figures_of, sentence, short_name, words_of
from night_trail.core.questions.shared.basis import grouping
from night_trail.core.questions.shared.measure_slots import measure_from
from night_trail.core.questions.shared.slot_forms import read_form
from night_trail.core.questions.ways import changed
from night_trail.core.rows import Rows
from night_trail.core.sentence import read
from night_trail.core.table import Table
from night_trail.draw import draw
from tests.core.tables import table_of
from tests.core.test_compare import typed


@pytest.fixture(scope="module")
def data() -> pd.DataFrame:
    rng = np.random.default_rng(12)
    n = 800
    return pd.DataFrame(
        {
            "line": rng.choice(["N1", "N2", "N3", "N4"], n, p=[0.4, 0.3, 0.2, 0.1]),
            "depot": rng.choice(["Gannet", "Northgate", "Tallow"], n),
            "late": np.where(rng.random(n) < 0.05, np.nan, np.round(rng.gamma(2, 2, n), 1)),
            "riders": rng.poisson(20, n),
            "planned": rng.poisson(18, n),
            "wet": rng.random(n) < 0.3,
            "when": pd.Timestamp("2024-01-01") + pd.to_timedelta(rng.integers(0, 120, n), unit="D"),
        }
    )


@pytest.fixture(scope="module")
def table(data: pd.DataFrame) -> Table:
    columns = {c: data[c].tolist() for c in ("line", "depot", "riders", "planned", "wet")}
    made = table_of(
        **columns,
        late=pl.Series(data["late"].to_numpy()).fill_nan(None),
        when=[d.date() for d in data["when"]],
    )
    return typed(made, late={"unit": "min"}, riders={"additive": True}, planned={"additive": True})


MEAN, SUM, COUNT = Measure("mean", "late"), Measure("sum", "riders"), Measure("count")


# ---- two categories ----

BY_PANDAS = {
    "mean": (MEAN, lambda g: g["late"].mean()),
    "sum": (SUM, lambda g: g["riders"].sum()),
    "median": (Measure("median", "late"), lambda g: g["late"].median()),
    "ratio": (Measure("ratio", "riders", "planned"), lambda g: g["riders"].sum() / g["planned"].sum()),
    "share": (Measure("share", where=OneOf("wet", ("yes",))), lambda g: g["wet"].mean()),
    "distinct": (Measure("distinct", "planned"), lambda g: g["planned"].nunique()),
}


@pytest.mark.parametrize("aggregate", list(BY_PANDAS))
@pytest.mark.parametrize("shape", ["bars", "grid"])
def test_every_pair_is_that_of_pandas(aggregate: str, shape: str, table: Table, data: pd.DataFrame) -> None:
    measure, theirs = BY_PANDAS[aggregate]
    only = (OneOf("wet", ("no",)),) if aggregate != "share" else ()
    kept = data[~data["wet"]] if only else data
    found = answer(Compare(measure, "line", shape, also="depot"), Rows(table, only))
    assert isinstance(found, CrossAnswer)
    ours = {
        (lane.label, series.label): cell.value
        for lane, row in zip(found.lanes, found.cells, strict=True)
        for series, cell in zip(found.series, row, strict=True)
        if cell is not None
    }
    assert ours == pytest.approx(theirs(kept.groupby(["line", "depot"])).to_dict())
    lanes = {lane.label: lane.value for lane in found.lanes}
    assert lanes == pytest.approx(theirs(kept.groupby("line")).to_dict())


def test_parts_sum_to_wholes_and_each_names_its_rows(table: Table) -> None:
    lit = Between("late", 5.0, None)
    found = answer(Compare(SUM, "line", "stacked", also="depot"), Rows(table, (), lit))
    for lane, row in zip(found.lanes, found.cells, strict=True):
        assert sum(c.value for c in row if c) == pytest.approx(lane.value)
        assert sum(c.n for c in row if c) == lane.n
    assert sum(lane.value for lane in found.lanes) == pytest.approx(found.overall)
    lit_rows = mask(lit, table)
    for (i, lane), (j, series) in itertools.product(enumerate(found.lanes), enumerate(found.series)):
        cell = found.cells[i][j]
        rows = mask(found.condition(lane, series), table)
        assert cell.n == rows.sum() and cell.lit_n == (rows & lit_rows).sum() <= cell.n
    assert found.basis.lit == lit_rows.sum()


def test_the_words_name_the_highest_pair_and_what_leads_everywhere() -> None:
    made = table_of(g=["a", "a", "b", "b"] * 20, h=["x", "y"] * 40, v=[1.0, 5.0, 2.0, 9.0] * 20)
    found = answer(Compare(Measure("mean", "v"), "g", "bars", also="h"), Rows(made))
    said = plain(words_of(found, made).headline)
    assert "highest for b with y at 9 and lowest for a with x at 1" in said
    assert "y is highest everywhere" in said


@given(order=st.permutations(list(range(60))))
@settings(max_examples=25)
def test_the_order_of_rows_changes_no_pair(order: list[int]) -> None:
    rng = np.random.default_rng(5)
    g, h, v = rng.choice(list("abc"), 60), rng.choice(list("xy"), 60), rng.normal(0, 1, 60)
    plain_, mixed = (
        answer(
            Compare(Measure("median", "v"), "g", "bars", also="h"),
            Rows(table_of(g=g[at].tolist(), h=h[at].tolist(), v=v[at])),
        )
        for at in (np.arange(60), np.array(order))
    )
    assert [[c and c.value for c in row] for row in plain_.cells] == [
        [c and c.value for c in row] for row in mixed.cells
    ]


# ---- bands ----


def test_a_number_of_many_values_groups_by_bands_that_cover_all_rows(
    table: Table, data: pd.DataFrame
) -> None:
    found = answer(Compare(COUNT, "late"), Rows(table))
    assert sum(g.n for g in found.groups) == data["late"].notna().sum()
    assert found.question.order == "value"
    assert read("number of trips by late", table)[0].order == "own"
    for group in found.groups:
        assert mask(found.condition(group), table).sum() == group.n
    labels = [g.label for g in grouping(Rows(table), "late", 40).groups]
    assert labels[0].endswith("min") and len(labels) > 4


def test_dates_group_by_the_calendar(table: Table, data: pd.DataFrame) -> None:
    found = answer(Compare(COUNT, "when", "figure"), Rows(table))
    weekly = data.groupby(data["when"].dt.to_period("W")).size()
    assert sorted(g.n for g in found.groups) == sorted(weekly)
    assert "week from" in found.groups[0].label
    for group in found.groups[:5]:
        assert mask(found.condition(group), table).sum() == group.n


# ---- several measures ----


def test_several_measures_stand_in_one_order_and_say_whether_they_agree(
    table: Table, data: pd.DataFrame
) -> None:
    question = Compare(MEAN, "line", "table", more=(SUM, COUNT), by=1)
    found = answer(question, Rows(table))
    assert isinstance(found, SeveralAnswer)
    sums = data.groupby("line")["riders"].sum().sort_values(ascending=False)
    assert list(found.labels) == list(sums.index)
    assert all([g.label for g in part.groups] == list(sums.index) for part in found.parts)
    theirs = data.groupby("line").size().corr(data.groupby("line")["riders"].sum(), method="spearman")
    assert found.agreement[2] == pytest.approx(theirs) and found.agreement[1] is None
    assert "orders the groups nearly the same way" in plain(words_of(found, table).headline)
    rows = figures_of(found).rows
    assert rows[0][0] == sums.index[0] and rows[0][3] == sums.iloc[0]


def test_a_rule_marks_what_lies_above_the_whole_or_a_figure(table: Table) -> None:
    found = answer(Compare(MEAN, "line", "table", rule=Rule("above")), Rows(table))
    assert [found.marked(g.value) for g in found.groups] == [g.value > found.overall for g in found.groups]
    found = answer(Compare(MEAN, "line", "table", rule=Rule("below", 4.0)), Rows(table))
    assert [found.marked(g.value) for g in found.groups] == [g.value < 4 for g in found.groups]


# ---- baselines ----


def test_a_plan_column_a_group_and_earlier_rows(table: Table, data: pd.DataFrame) -> None:
    plan = answer(Compare(SUM, "line", "bars", baseline=Baseline(column="planned")), Rows(table))
    theirs = data.groupby("line")["riders"].sum() - data.groupby("line")["planned"].sum()
    assert {g.label: plan.difference(g) for g in plan.groups} == pytest.approx(theirs.to_dict())
    assert [plan.difference(g) for g in plan.groups] == sorted(theirs, reverse=True)
    assert sum(theirs) == pytest.approx(plan.overall - plan.overall_base)

    group = answer(Compare(MEAN, "line", "dots", baseline=Baseline(group="N3", show="relative")), Rows(table))
    means = data.groupby("line")["late"].mean()
    assert {g.label: group.difference(g) for g in group.groups} == pytest.approx(
        (means / means["N3"] - 1).to_dict()
    )

    march = Between("when", "2024-03-01", "2024-04-01")
    february = Between("when", "2024-02-01", "2024-03-01")
    only = (OneOf("depot", ("Tallow",)), march)
    earlier = answer(
        Compare(SUM, "line", "stair", baseline=Baseline(where=february, called="the period before")),
        Rows(table, only),
    )
    tallow = data[data["depot"] == "Tallow"]
    now = tallow[tallow["when"].dt.month == 3].groupby("line")["riders"].sum()
    then = tallow[tallow["when"].dt.month == 2].groupby("line")["riders"].sum()
    assert {g.label: g.base for g in earlier.groups} == pytest.approx(then.to_dict())
    assert earlier.overall == now.sum() and earlier.overall_base == then.sum()


def test_one_figure_is_held_against_a_target_and_groups_are_not(table: Table) -> None:
    asked = Compare(SUM, "line", "figure", baseline=Baseline(target=5.0))
    found = answer(asked, Rows(table))
    total = sum(g.value for g in found.groups)
    assert found.overall == pytest.approx(total) and found.overall_base == 5.0
    assert found.difference_of(found.overall, 5.0) == pytest.approx(total - 5.0)
    said = str(sentence(asked, table))
    assert "against a target of 5" in said and read(said, table)[0] == asked
    assert "against a target of 5" in plain(words_of(found, table).headline)
    # drawn in another way, or of another measure, it has no target
    assert changed(asked, "shape", "bars", table)[0].baseline is None
    assert changed(asked, "aggregate", "mean", table)[0].baseline is None
    with pytest.raises(BadQuestion, match="one figure"):
        check(Compare(SUM, "line", "bars", baseline=Baseline(target=5.0)), table)
    assert read_form("baseline", {"target": "1,200"}) == to_json(Baseline(target=1200.0))
    for text in ("", "many"):
        with pytest.raises(BadQuestion):
            read_form("baseline", {"target": text})


def test_shares_of_the_whole_difference_sum_to_one(table: Table) -> None:
    baseline = Baseline(column="planned", show="share")
    found = answer(Compare(SUM, "line", "bars", baseline=baseline), Rows(table))
    assert sum(found.difference(g) for g in found.groups) == pytest.approx(1.0)
    said = plain(words_of(found, table).headline)
    assert "of planned: +" in said and "lies most above it" in said


def test_a_group_that_is_gone_still_counts_against_its_past() -> None:
    made = table_of(g=["a"] * 5 + ["b"] * 5, x=[2] * 10, year=[1] * 3 + [0] * 2 + [0] * 5)
    made = typed(made, x={"additive": True})
    question = Compare(
        Measure("sum", "x"),
        "g",
        "stair",
        baseline=Baseline(where=Between("year", 0.0, 0.0, high_closed=True), called="0"),
    )
    found = answer(question, Rows(made, (Between("year", 1.0, 1.0, high_closed=True),)))
    assert {g.label: (g.value, g.base) for g in found.groups} == {"a": (6.0, 4.0), "b": (0.0, 10.0)}
    assert sum(g.value - g.base for g in found.groups) == found.overall - found.overall_base == -8


# ---- parts of a whole, cautions ----


def test_small_parts_are_gathered_and_one_click_opens_them() -> None:
    names = [f"g{i:02d}" for i in range(20)]
    made = typed(table_of(g=names, x=list(range(1, 21))), x={"additive": True})
    found = answer(Compare(Measure("sum", "x"), "g", "ring"), Rows(made))
    assert len(found.groups) == 8 and found.groups[-1].others == 13
    assert sum(g.value for g in found.groups) == found.overall == 210
    caution = next(c for c in words_of(found, made).cautions if "gathered" in c)
    assert caution.way == "keep more apart"
    kept, _ = changed(found.question, "keep", "15", made)
    opened = answer(kept, Rows(made))
    assert (
        len(opened.groups) == 16
        and mask(opened.condition(opened.groups[-1]), made).sum() == opened.groups[-1].n
    )
    with pytest.raises(BadQuestion, match="can be kept"):
        changed(found.question, "keep", "9999", made)


def test_a_bar_carried_by_one_row_is_named_one_click_away() -> None:
    made = typed(
        table_of(g=["a"] * 10 + ["b"] * 10, x=[1.0] * 9 + [500.0] + [20.0] * 10), x={"additive": True}
    )
    found = answer(Compare(Measure("sum", "x"), "g", "bars"), Rows(made))
    caution = next(c for c in words_of(found, made).cautions if "makes up" in c)
    assert caution.startswith("1 row makes up 98") and caution.way == "light them"
    rows = decode(caution.post, dict, "turn")["rows"]
    assert (
        mask(decode(to_json_of(rows), AllOf, "condition"), made).tolist()
        == [False] * 9 + [True] + [False] * 10
    )


def to_json_of(value: object) -> str:
    import json

    return json.dumps(value)


def test_a_mean_of_a_code_and_bars_of_averages_are_cautioned_with_a_way_on() -> None:
    made = typed(table_of(g=["a", "b"] * 40, route_code=list(range(80))), route_code={"code": True})
    found = answer(Compare(Measure("mean", "route_code"), "g", "bars"), Rows(made))
    ways = {c.way for c in words_of(found, made).cautions if hasattr(c, "way")}
    assert {"count the different ones", "draw dots"} <= ways


# ---- sentences ----

TYPED = {
    "average late by line and depot as a heat grid": Compare(MEAN, "line", "grid", also="depot"),
    "sum of riders by depot and line as stacked bars": Compare(SUM, "depot", "stacked", also="line"),
    "sum of riders by depot and line as bars of shares": Compare(SUM, "depot", "shares", also="line"),
    "average late and sum of riders by line as a table": Compare(MEAN, "line", "table", more=(SUM,)),
    "sum of riders by line as a ring": Compare(SUM, "line", "ring"),
    "sum of riders by line as one bar, the largest 3 kept": Compare(SUM, "line", "strip", keep=3),
    "sum of riders by line against planned": Compare(
        SUM, "line", "bars", baseline=Baseline(column="planned")
    ),
    "average late by line against N2": Compare(MEAN, "line", baseline=Baseline(group="N2")),
    "average late by line as a table marking what is above 4": Compare(
        MEAN, "line", "table", rule=Rule("above", 4.0)
    ),
    "average late by when as one figure": Compare(MEAN, "when", "figure", "own"),
}


@pytest.mark.parametrize("text", list(TYPED))
def test_typed_words_ask_for_it_and_its_sentence_reads_back(text: str, table: Table) -> None:
    question, only = read(text, table)
    assert (question, only) == (TYPED[text], ())
    again, _ = read(str(sentence(question, table)), table)
    assert again == question
    assert decode(to_json(question), Compare, "question") == question
    assert short_name(question)
    for shape in shapes_for(question):
        turned, _ = changed(question, "shape", shape, table)
        found = answer(turned, Rows(table, (), Between("late", 5.0, None)))
        assert plain(words_of(found, table).headline) and figures_of(found).rows


def test_a_named_measure_is_said_read_and_chosen_by_its_name(table: Table) -> None:
    named = Table(
        key="named",
        name="t",
        columns=table.columns,
        height=table.height,
        source=table._source,
        row_noun=("trip", "trips"),
        measures={"late share": measure_from("the share of trips where late above 5", table)},
    )
    question, _ = read("late share by line", named)
    assert question.measure == Measure("share", where=Between("late", 5.0, None, low_open=True))
    assert str(sentence(question, named)).startswith("How does late share compare across line")
    chosen, label = changed(Compare(MEAN, "line"), "aggregate", "named: late share", named)
    assert chosen.measure == question.measure and label == "late share"
    for words in ("moon", "the average of moon", "late", "average of late by line"):
        with pytest.raises(BadQuestion):
            measure_from(words, table)


@pytest.mark.parametrize(
    ("question", "what"),
    [
        (Compare(MEAN, "line", "stacked", also="depot"), "cannot be drawn"),
        (Compare(MEAN, "line", "ring"), "cannot be drawn"),
        (Compare(SUM, "line", "stair"), "cannot be drawn"),
        (Compare(MEAN, "line", also="line"), "there already"),
        (Compare(MEAN, "line", also="depot", more=(SUM,)), "do not go together"),
        (Compare(COUNT, "line", baseline=Baseline(column="planned")), "plan is another column"),
        (Compare(MEAN, "line", more=(Measure("mean", "depot"),)), "no mean"),
    ],
)
def test_what_makes_no_sense_is_refused(question: Compare, what: str, table: Table) -> None:
    with pytest.raises(BadQuestion, match=what):
        check(question, table)


def test_another_form_keeps_a_shape_that_fits(table: Table) -> None:
    ring = Compare(SUM, "line", "ring")
    assert changed(ring, "also", "depot", table)[0].shape == "bars"
    assert changed(ring, "baseline", to_json(Baseline(column="planned")), table)[0].shape == "bars"
    table_shape = Compare(MEAN, "line", "table", rule=Rule("above"))
    assert changed(table_shape, "shape", "dots", table)[0].rule in (None, Rule("above"))
    several, _ = changed(Compare(MEAN, "line"), "more", "the sum of riders", table)
    assert several.more == (SUM,) and several.shape == "dots"
    back, _ = changed(several, "more", "the sum of riders", table)
    assert back.more == ()
    for value in ('{"column": "planned", "group": "N1"}', "{}", "[]"):
        with pytest.raises(BadQuestion):
            changed(ring, "baseline", value, table)


def test_empty_one_row_and_all_missing_are_said_plainly() -> None:
    empty = table_of(
        g=pl.Series([], dtype=pl.String), h=pl.Series([], dtype=pl.String), x=pl.Series([], dtype=pl.Float64)
    )
    one = table_of(g=["a"], h=["b"], x=[1.0])
    none = table_of(g=["a", "b"], h=["c", "c"], x=pl.Series([None, None], dtype=pl.Float64))
    for made in (empty, one, none):
        for question in (
            Compare(Measure("mean", "x"), "g", also="h"),
            Compare(Measure("mean", "x"), "g", more=(Measure("count"),)),
            Compare(Measure("mean", "x"), "g", "figure"),
            Compare(Measure("sum", "x"), "g", "ring"),
        ):
            try:
                found = answer(question, Rows(made))
            except BadQuestion:
                continue
            assert plain(words_of(found, made).headline)
            assert isinstance(found, CompareAnswer | CrossAnswer | SeveralAnswer)
            assert not isinstance(found, CompareAnswer) or all(math.isfinite(g.value) for g in found.groups)


def test_what_lies_in_one_group_only_stands_under_it_and_is_drawn_once() -> None:
    lines = [f"N{i}" for i in range(6)]
    rows = [(line, "up" if i % 2 else "down", 3 * i + k) for i, line in enumerate(lines) for k in range(12)]
    line, valley, riders = zip(*rows, strict=True)
    table = typed(table_of(line=line, valley=valley, riders=list(riders)), riders={"additive": True})
    asked = Compare(Measure("sum", "riders"), "line", "bars", also="valley")
    found = answer(asked, Rows(table))
    assert found.nested and [g.label for g in found.lanes] == ["N4", "N2", "N0", "N5", "N3", "N1"]
    told = words_of(found, table)
    assert "Each line drawn goes with one valley only." in map(str, told.cautions)
    assert "no row at all" not in " ".join(map(str, told.cautions))
    heights = [float(h) for h in re.findall(r'class="bar hue-\d"[^>]*height="([\d.]+)"', draw(found, table))]
    beside = answer(Compare(Measure("sum", "riders"), "valley", "bars", also="line"), Rows(table))
    assert not beside.nested and len(heights) == 6
    # one row elsewhere, and it is no longer so
    torn = typed(
        table_of(line=[*line, "N0"], valley=[*valley, "up"], riders=[*riders, 1]), riders={"additive": True}
    )
    found = answer(asked, Rows(torn))
    assert not found.nested and "one valley only" not in " ".join(map(str, words_of(found, torn).cautions))
    thin = [float(h) for h in re.findall(r'class="bar hue-\d"[^>]*height="([\d.]+)"', draw(found, torn))]
    assert max(thin) < 0.7 * min(heights)


def test_pairs_at_random_are_no_nesting() -> None:
    rng = np.random.default_rng(5)
    for n in (40, 400):
        table = table_of(a=rng.choice(["p", "q", "r"], n).tolist(), b=rng.choice(["x", "y"], n).tolist())
        assert not answer(Compare(Measure("count"), "a", "bars", also="b"), Rows(table)).nested
    # one row each says nothing of what lies in what
    table = table_of(a=["p", "q", "r"], b=["x", "y", "z"])
    assert not answer(Compare(Measure("count"), "a", "bars", also="b"), Rows(table)).nested
