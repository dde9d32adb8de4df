"""Relations: what is drawn stands for exactly its rows, what is said is so."""

from __future__ import annotations

import datetime as dt

import numpy as np
import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats

from night_trail.core.conditions import Between, mask
from night_trail.core.errors import BadQuestion
from night_trail.core.language.spans import plain
from night_trail.core.question import Question, decode, to_json
from night_trail.core.questions.compare.question import Compare
from night_trail.core.questions.registry import answer, sentence, words_of
from night_trail.core.questions.relate.answer import RelateAnswer
from night_trail.core.questions.relate.layers import MOST_ON_TOP, MOST_POINTS
from night_trail.core.questions.relate.question import Relate
from night_trail.core.questions.spread.question import Spread
from night_trail.core.questions.ways import changed
from night_trail.core.rows import Rows
from night_trail.core.sentence import read
from night_trail.core.stats.relation import Correlation, alike
from night_trail.core.table import Table
from tests.core.tables import table_of


def related(table: Table, question: Relate, *only: object, lit: object = None) -> RelateAnswer:
    found = answer(question, Rows(table, only, lit))
    assert isinstance(found, RelateAnswer)
    return found


def many(n: int, seed: int = 1) -> Table:
    rng = np.random.default_rng(seed)
    rain = rng.gamma(1, 4, n)
    late = 2 + 0.7 * rain + rng.normal(0, 2, n)
    late[:3] = 900.0
    late[rng.random(n) < 0.05] = np.nan
    return table_of(
        rain=rain,
        late=pl.Series(late).fill_nan(None),
        night=[dt.date(2023, 1, 1) + dt.timedelta(days=int(d)) for d in rng.integers(0, 500, n)],
        depot=rng.choice(["a", "b", "c"], n).tolist(),
        n=rng.integers(0, 40, n),
    )


@pytest.mark.parametrize(
    ("n", "against"), [(400, "rain"), (20_000, "rain"), (20_000, "night"), (20_000, "n")]
)
def test_points_and_cells_stand_for_every_row_once_and_name_it(n: int, against: str) -> None:
    table = many(n)
    found = related(table, Relate("late", against), lit=Between("rain", 5, None))
    rows = len(found.points.x) + sum(c.count for c in found.cells)
    assert rows == found.basis.used == n - table.column("late").missing and found.basis.missing == n - rows
    lit = int(found.points.lit.sum()) + sum(c.lit for c in found.cells)
    assert lit == found.basis.lit and all(0 <= c.lit <= c.count for c in found.cells)
    if n <= MOST_POINTS:
        assert found.cells == ()
    else:
        assert found.cells and len(found.points.x) <= MOST_ON_TOP
    for cell in found.cells[:: max(1, len(found.cells) // 40)]:
        assert int(mask(found.cell_condition(cell), table).sum()) == cell.count
    for i in range(0, len(found.points.x), max(1, len(found.points.x) // 40)):
        assert mask(found.point_condition(i), table)[int(found.points.row[i])]


def test_far_tails_stand_at_the_edge_and_are_said() -> None:
    table = many(20_000)
    found = related(table, Relate("late", "rain"))
    assert found.y.ends[1] < 100 and found.y.above >= 1 and found.y.below == 0
    cautions = " ".join(words_of(found, table).cautions)
    assert "at the edge" in cautions and "Too many rows to draw each" in cautions and "left out" in cautions


@given(order=st.permutations(list(range(300))))
def test_the_order_of_the_rows_changes_nothing(order: list[int]) -> None:
    table = many(300)
    mixed = table_of(**{c: table.series(c).gather(order).cast(pl.Float64) for c in ("late", "rain")})
    plain_ = table_of(**{c: table.series(c).cast(pl.Float64) for c in ("late", "rain")})
    for fit in ("line", "robust", "curve"):
        ours, theirs = (related(t, Relate("late", "rain", fit=fit)) for t in (mixed, plain_))
        assert ours.correlation.pearson == pytest.approx(theirs.correlation.pearson)
        assert ours.correlation.spearman == pytest.approx(theirs.correlation.spearman)
        if fit == "curve":
            assert np.allclose(ours.curve, theirs.curve)
        else:
            assert ours.line.slope == pytest.approx(theirs.line.slope)


def test_a_relation_that_turns_within_groups_names_the_column() -> None:
    rng = np.random.default_rng(3)
    group = rng.integers(0, 4, 800)
    x = group * 3 + rng.normal(0, 1, 800)
    y = group * 3 - 0.8 * x + 0.8 * group * 3 + rng.normal(0, 0.5, 800)
    table = table_of(x=x, y=y, line=[f"N{g}" for g in group], other=rng.choice(["p", "q"], 800).tolist())
    found = related(table, Relate("y", "x"))
    assert found.line.slope > 0 and found.turning.column == "line" and found.turning.within < 0
    assert "Within each line the relation turns around" in " ".join(words_of(found, table).cautions)
    fair = table_of(x=x, y=x + rng.normal(0, 1, 800), line=rng.choice(["p", "q"], 800).tolist())
    assert related(fair, Relate("y", "x")).turning is None


@pytest.mark.parametrize(
    ("make", "says"),
    [
        (lambda x, e: 2 * x + e / 3, "y rises strongly with x: correlation 0.9"),
        (lambda x, e: -2 * x + e / 3, "y falls strongly with x"),
        (lambda x, e: e, "y hardly moves with x"),
        (lambda x, e: np.cos(3 * x), "y depends on x, but not by rising or falling"),
    ],
)
def test_how_strong_it_is_in_words(make: object, says: str) -> None:
    rng = np.random.default_rng(2)
    x = rng.uniform(-2, 2, 600)
    table = table_of(x=x, y=make(x, rng.normal(0, 1, 600)))
    assert says in plain(words_of(related(table, Relate("y", "x")), table).headline)


@pytest.mark.parametrize(
    "text",
    [
        "How does late move with rain, drawn as points with a line?",
        "How does late move with night, coloured by depot, drawn as points with a curve?",
        "How does n move with late, drawn as points with a robust line?",
        "How does n move with late, drawn as points with no fit?",
    ],
)
def test_sentences_are_read_back(text: str) -> None:
    table = many(50)
    question, _ = read(text, table)
    assert isinstance(question, Relate) and str(sentence(question, table)) == text
    assert decode(to_json(question), Question, "question") == question
    assert read("late vs rain coloured by depot", table)[0] == Relate("late", "rain", "depot")


def test_slots_swap_axes_and_lead_there_and_away() -> None:
    table = many(50)
    question, _ = changed(Spread("late", across="depot"), "way", "relate", table)
    assert isinstance(question, Relate) and question.coloured == "depot" and question.column == "late"
    assert changed(question, "against", "late", table)[0].against == "late"
    swapped, label = changed(Relate("late", "rain"), "column", "rain", table)
    assert swapped == Relate("rain", "late") and label == "axes swapped: rain with late"
    assert changed(question, "fit", "curve", table)[0].fit == "curve"
    assert changed(question, "coloured", None, table)[0].coloured is None
    assert isinstance(changed(question, "way", "compare", table)[0], Compare)
    for slot, value, says in (
        ("fit", "spline", "does not fit"),
        ("moon", "x", "no slot"),
        ("against", "x", "no column"),
    ):
        with pytest.raises(BadQuestion, match=says):
            changed(question, slot, value, table)
    for wrong, says in (
        (Relate("late", "late"), "moves with itself"),
        (Relate("late", "depot"), "has no axis"),
        (Relate("late", "rain", "night"), "too many|Choose"),
    ):
        with pytest.raises(BadQuestion, match=says):
            related(table, wrong)


@pytest.mark.parametrize(
    "columns",
    [
        {"x": pl.Series([], dtype=pl.Float64), "y": pl.Series([], dtype=pl.Float64)},
        {"x": [1.0], "y": [2.0]},
        {"x": [1.0, None], "y": [None, 2.0]},
        {"x": [3.0] * 9, "y": [float(i) for i in range(9)]},
        {"x": [5, 5, 6], "y": [-0.0, 0.0, 1e300]},
    ],
)
def test_tables_with_little_to_relate(columns: dict[str, object]) -> None:
    table = table_of(**columns)
    for fit in ("line", "robust", "curve", "none"):
        found = related(table, Relate("y", "x", fit=fit), lit=Between("x", 0, None))
        assert plain(words_of(found, table).headline)


def test_correlations_of_panels_differ_beyond_chance_only_where_they_do() -> None:
    wrong = 0
    for seed in range(60):
        rng = np.random.default_rng(seed)
        group, x = rng.choice([*"abcd"], 400), rng.normal(size=400)
        noise = rng.normal(size=400)
        turned = np.where(group == "b", -x, x) + noise
        for y, differ in ((noise, False), (x + noise, False), (turned, True)):
            table = table_of(x=x.tolist(), y=y.tolist(), g=group.tolist())
            said = plain(words_of(answer(Relate("y", "x", panels="g"), Rows(table)), table).headline)
            claimed = "They lie further apart than chance" in said
            assert "It is highest for" in said and claimed != ("they may lie by chance" in said)
            wrong += claimed != differ
    assert wrong <= 12, "5 % of 120 without a difference, none of 60 with one"
    # hand calculation: z of 0.5 and of 0.2, 28 rows each: (0.5493 − 0.2027)² × 25 / 2 = 1.501, p 0.22
    pair = [Correlation(28, r, 0.0, 0.0, r, 0.0) for r in (0.5, 0.2)]
    assert alike(pair) == pytest.approx(stats.chi2.sf(1.5013, 1), rel=1e-3)
    assert alike(pair[:1]) is None and alike([*pair, Correlation(9, 1.0, 1.0, 1.0, 1.0, 1.0)]) is None


def test_a_slope_is_told_for_a_step_in_which_it_can_be_read() -> None:
    x = np.arange(0.0, 20_000, 100)
    for slope, step in ((0.0004, "further 1,000 of x, 0.4 more"), (3.0, "further one of x, 3 more")):
        table = table_of(x=x.tolist(), y=(slope * x).tolist())
        assert step in plain(words_of(answer(Relate("y", "x"), Rows(table)), table).headline)
    small = table_of(x=(x / 1e5).tolist(), y=(x * 1e-9).tolist())
    assert "further one of x" in plain(words_of(answer(Relate("y", "x"), Rows(small)), small).headline)
