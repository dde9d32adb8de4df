"""Relations by group, in panels, on other scales, zoomed; many numbers together; categories against chance."""

from __future__ import annotations

import datetime as dt
import math

import numpy as np
import pandas as pd
import polars as pl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import stats
from sklearn.datasets import load_iris
from statsmodels.datasets import fair

from night_trail.core.conditions import Between, OneOf, mask
from night_trail.core.errors import BadQuestion
from night_trail.core.language.spans import plain
from night_trail.core.measure import Measure
from night_trail.core.question import decode, to_json
from night_trail.core.questions.compare.question import Compare
from night_trail.core.questions.correlation.answer import CorrelationAnswer
from night_trail.core.questions.correlation.question import Correlations
from night_trail.core.questions.crosstab.answer import CrosstabAnswer, against_chance
from night_trail.core.questions.crosstab.question import Crosstab
from night_trail.core.questions.registry import answer, check, figures_of, sentence, words_of
from night_trail.core.questions.relate.answer import RelateAnswer
from night_trail.core.questions.relate.layers import MOST_POINTS
from night_trail.core.questions.relate.question import Relate
from night_trail.core.questions.shared.axes import BinnedAxis
from night_trail.core.questions.spread.question import Spread
from night_trail.core.questions.ways import changed
from night_trail.core.rows import Rows
from night_trail.core.sentence import read
from night_trail.core.stats.relation import correlations
from night_trail.core.table import Table
from night_trail.draw import draw
from tests.core.tables import table_of
from tests.core.test_compare import typed
from tests.core.test_relate import related


@pytest.fixture(scope="module")
def data() -> pd.DataFrame:
    rng = np.random.default_rng(21)
    n = 6_000
    rain = rng.gamma(1, 4, n)
    return pd.DataFrame(
        {
            "line": rng.choice([f"N{i}" for i in range(12)], n),
            "depot": rng.choice(["Gannet", "Northgate", "Tallow"], n),
            "rain": rain,
            "late": 1 + 0.5 * rain + rng.normal(0, 2, n),
            "riders": rng.poisson(20, n),
        }
    )


@pytest.fixture(scope="module")
def table(data: pd.DataFrame) -> Table:
    made = table_of(**{c: data[c].tolist() for c in data.columns})
    return typed(made, late={"unit": "min"}, riders={"additive": True})


# ---- a point for each group ----


def test_a_point_for_each_group_is_its_average_or_its_sum(table: Table, data: pd.DataFrame) -> None:
    found = related(table, Relate("late", "riders", each="line", sized="riders"))
    groups = data.groupby("line")
    assert dict(zip(found.points.names, found.points.y, strict=True)) == pytest.approx(
        groups["late"].mean().to_dict()
    )
    assert dict(zip(found.points.names, found.points.x, strict=True)) == pytest.approx(
        groups["riders"].sum().to_dict()
    )
    sums = groups["riders"].sum()
    assert found.points.size == pytest.approx((sums / sums.max()).to_numpy())
    theirs = stats.pearsonr(groups["riders"].sum(), groups["late"].mean())
    assert found.correlation.pearson == pytest.approx(theirs.statistic)
    assert found.basis.used == len(data) and found.cells == () and found.turning is None
    for i, name in enumerate(found.points.names):
        assert found.point_condition(i) == OneOf("line", (name,))
    cautions = words_of(found, table).cautions
    assert "Only 12 groups: the relation may be chance." in cautions
    assert any("single rows do not" in c for c in cautions)


def test_lit_rows_are_counted_within_each_group(table: Table, data: pd.DataFrame) -> None:
    found = related(
        table, Relate("late", "rain", each="line", coloured="depot"), lit=Between("rain", 8.0, None)
    )
    theirs = (data["rain"] >= 8).groupby(data["line"]).sum()
    assert dict(zip(found.points.names, found.points.n_lit, strict=True)) == theirs.to_dict()
    assert found.basis.lit == theirs.sum()
    most = data.groupby("line")["depot"].agg(lambda d: d.value_counts().index[0])
    labels = [found.grouping.groups[g].label for g in found.points.group]
    counts = data.groupby(["line", "depot"]).size()
    for name, label in zip(found.points.names, labels, strict=True):
        assert counts[name, label] == counts[name, most[name]]


# ---- panels ----


def test_panels_part_the_rows_and_have_their_own_strength(table: Table, data: pd.DataFrame) -> None:
    found = related(table, Relate("late", "rain", panels="depot"), lit=Between("rain", 8.0, None))
    assert [p.label for p in found.panels] == ["Gannet", "Northgate", "Tallow"]
    for panel in found.panels:
        part = data[data["depot"] == panel.label]
        assert panel.n == len(part) == len(panel.points.x) + sum(c.count for c in panel.cells)
        assert panel.correlation.pearson == pytest.approx(
            stats.pearsonr(part["rain"], part["late"]).statistic
        )
        slope = np.polyfit(part["rain"], part["late"], 1)[0]
        assert panel.line.slope == pytest.approx(slope)
        for cell in panel.cells[::60]:
            assert mask(found.cell_condition(cell, panel), table).sum() == cell.count
        for i in range(0, len(panel.points.x), 40):
            assert mask(found.point_condition(i, panel), table)[int(panel.points.row[i])]
    assert sum(len(p.points.x) for p in found.panels) <= MOST_POINTS
    assert "highest for" in plain(words_of(found, table).headline)
    rows = figures_of(found).rows
    assert sum(row[-2] for row in rows) == len(data) and rows[0][0] == "Gannet"


# ---- scales and zoom ----


def test_a_log_scale_fits_on_logarithms_and_counts_what_it_leaves_out() -> None:
    rng = np.random.default_rng(6)
    x = 10 ** rng.uniform(0, 3, 3_000)
    y = 2 * x**1.5 * 10 ** rng.normal(0, 0.05, 3_000)
    x[:7] = 0.0
    y[7:10] = -1.0
    made = table_of(x=x, y=y)
    found = related(made, Relate("y", "x", scale="log"))
    assert found.not_positive == 10 and found.basis.used == 2_990
    slope, intercept = np.polyfit(np.log10(x[10:]), np.log10(y[10:]), 1)
    assert found.line.slope == pytest.approx(slope) and slope == pytest.approx(1.5, abs=0.01)
    middle = len(found.line.x) // 2
    assert math.log10(found.line.y[middle]) == pytest.approx(
        intercept + slope * math.log10(found.line.x[middle])
    )
    said = words_of(found, made)
    assert f"is {2**slope:.3g} times as large" in plain(said.headline)
    assert any(
        c.startswith("10 rows have no value above 0") and c.way == "plain scales" for c in said.cautions
    )
    for cell in found.cells[::40]:
        met = mask(found.cell_condition(cell), made)
        assert (met & (x > 0) & (y > 0)).sum() == cell.count
    half = related(made, Relate("y", "x", scale="log x"))
    assert half.not_positive == 7 and half.x.log and not half.y.log


@pytest.mark.parametrize(("scale", "total"), [("index", False), ("share", True)])
def test_index_and_share_change_the_labels_only(
    scale: str, total: bool, table: Table, data: pd.DataFrame
) -> None:
    found = related(table, Relate("riders", "rain", each="line", scale=scale))
    sums = data.groupby("line")["riders"].sum()
    assert found.y.factor == pytest.approx(100 / (sums.sum() if total else sums.mean()))
    plain_ = related(table, Relate("riders", "rain", each="line"))
    assert (plain_.points.y == found.points.y).all() and found.y.words


def test_zooming_keeps_what_lies_inside_and_says_so(table: Table, data: pd.DataFrame) -> None:
    found = related(table, Relate("late", "rain", window=(2.0, 4.0, 0.0, 5.0)))
    inside = data[data["rain"].between(2, 4) & data["late"].between(0, 5)]
    assert found.basis.used == len(inside) and found.outside == len(data) - len(inside)
    assert found.x.ends == (2.0, 4.0) and found.y.ends == (0.0, 5.0)
    assert found.correlation.pearson == pytest.approx(
        stats.pearsonr(inside["rain"], inside["late"]).statistic
    )
    assert any(
        "outside the part zoomed into" in c and c.way == "zoom out" for c in words_of(found, table).cautions
    )


def test_points_that_coincide_are_moved_apart_and_it_is_said() -> None:
    rng = np.random.default_rng(2)
    made = table_of(a=rng.integers(1, 6, 300), b=rng.integers(1, 6, 300))
    found = related(made, Relate("a", "b"))
    assert found.jitter == (0.35, 0.35)
    assert any("moved a little apart" in c for c in words_of(found, made).cautions)
    assert related(table_of(a=rng.normal(0, 1, 300), b=rng.normal(0, 1, 300)), Relate("a", "b")).jitter == (
        0.0,
        0.0,
    )


def test_spreads_at_the_edges_count_every_row(table: Table) -> None:
    found = related(table, Relate("late", "rain", margins=True), lit=Between("rain", 8.0, None))
    assert found.margins.x.sum() == found.margins.y.sum() == found.basis.used
    assert found.margins.x_lit.sum() == found.margins.y_lit.sum() == found.basis.lit
    assert (found.margins.x_lit <= found.margins.x).all()


RELATED = {
    "late vs rain for each line": Relate("late", "rain", each="line"),
    "late vs rain sized by riders coloured by depot": Relate("late", "rain", "depot", sized="riders"),
    "late vs rain in panels by depot with a curve": Relate("late", "rain", fit="curve", panels="depot"),
    "late vs rain on log scales": Relate("late", "rain", scale="log"),
    "late vs rain, spreads at the edges": Relate("late", "rain", margins=True),
    "late vs rain, zoomed into rain 2 to 4 and late 0 to 5 min": Relate(
        "late", "rain", window=(2.0, 4.0, 0.0, 5.0)
    ),
}


@pytest.mark.parametrize("text", list(RELATED))
def test_typed_words_ask_for_it_and_its_sentence_reads_back(text: str, table: Table) -> None:
    question, _ = read(text, table)
    assert question == RELATED[text]
    assert read(str(sentence(question, table)), table)[0] == question
    assert decode(to_json(question), Relate, "question") == question


def test_swapping_the_axes_swaps_what_belongs_to_them(table: Table) -> None:
    question = Relate("late", "rain", scale="log x", window=(2.0, 4.0, 0.0, 5.0))
    asked, label = changed(question, "column", "rain", table)
    assert asked == Relate("rain", "late", scale="log y", window=(0.0, 5.0, 2.0, 4.0)) and "swapped" in label


@pytest.mark.parametrize(
    ("question", "what"),
    [
        (Relate("late", "rain", each="rain"), "too many for one point each"),
        (Relate("late", "rain", sized="depot"), "is no number"),
        (Relate("late", "rain", panels="late"), "too many to set side by side"),
        (Relate("late", "rain", scale="log", window=(0.0, 1.0, 1.0, 2.0)), "begins above 0"),
    ],
)
def test_relations_that_cannot_be_are_refused(question: Relate, what: str, table: Table) -> None:
    with pytest.raises(BadQuestion, match=what):
        check(question, table)
    days = table_of(x=[1.0, 2.0], d=[dt.date(2024, 1, 1), dt.date(2024, 1, 2)])
    with pytest.raises(BadQuestion, match="no such scale"):
        check(Relate("x", "d", scale="log"), days)


def test_a_relation_of_few_or_no_rows_stays_whole() -> None:
    for n in (0, 1, 2):
        made = table_of(g=pl.Series(["a"] * n, dtype=pl.String), x=np.arange(n, dtype=float), y=np.ones(n))
        for question in (
            Relate("x", "y"),
            Relate("x", "y", each="g"),
            Relate("x", "y", scale="log"),
            Relate("x", "y", margins=True),
        ):
            found = answer(question, Rows(made))
            assert isinstance(found, RelateAnswer) and plain(words_of(found, made).headline)


# ---- many numbers together ----


def test_many_rows_of_one_value_are_drawn_and_every_cell_names_its_rows() -> None:
    y = np.random.default_rng(4).normal(0, 1, 3_000)
    rows = Rows(table_of(one=[7] * 2_999 + [None], y=y, kind=["a", "b"] * 1_500))
    for question in (Relate("y", "one"), Relate("one", "y"), Relate("y", "one", panels="kind")):
        found = answer(question, rows)
        named = sum(
            int(mask(found.cell_condition(cell, panel), rows.table).sum()) == cell.count
            for panel in found.panels
            for cell in panel.cells
        )
        # the ends of the other axis are open, and what stands beyond them counts in a point of its own
        assert named == sum(len(panel.cells) for panel in found.panels) > 20
        assert "<svg" in str(draw(found, rows.table))
    one_group = table_of(x=[1, 2, 4], y=[3.0, 1.0, 2.0], kind=["a"] * 3)
    assert "<svg" in str(draw(answer(Relate("y", "x", each="kind"), Rows(one_group)), one_group))


def test_correlations_are_those_of_pandas_with_gaps() -> None:
    rng = np.random.default_rng(7)
    matrix = rng.normal(1e6, 1, (500, 6)) + rng.normal(0, 1, (500, 1))
    matrix[rng.random((500, 6)) < 0.2] = np.nan
    matrix[:, 5] = 3.0
    r, n = correlations(matrix)
    theirs = pd.DataFrame(matrix).corr().to_numpy()
    assert r[:5, :5] == pytest.approx(theirs[:5, :5], abs=1e-9) and np.isnan(r[5]).all()
    has = ~np.isnan(matrix)
    assert (n == has.T.astype(int) @ has.astype(int)).all()


@pytest.mark.parametrize("by", ["line", "rank"])
def test_iris_together_is_what_pandas_says_and_like_stands_by_like(by: str) -> None:
    iris = load_iris(as_frame=True).frame.drop(columns="target")
    made = table_of(**{c: iris[c].to_numpy() for c in iris.columns})
    found = answer(Correlations(by=by), Rows(made))
    assert isinstance(found, CorrelationAnswer)
    names = [c.name for c in found.columns]
    theirs = iris.corr("spearman" if by == "rank" else "pearson").loc[names, names].to_numpy()
    assert found.r == pytest.approx(theirs)
    at = {name: i for i, name in enumerate(names)}
    assert abs(at["petal length (cm)"] - at["petal width (cm)"]) == 1
    assert "petal" in plain(words_of(found, made).headline)
    assert len(figures_of(found).rows) == 6


def test_pairs_of_noise_are_mostly_not_found() -> None:
    rng = np.random.default_rng(11)
    made = table_of(**{f"x{i}": rng.normal(0, 1, 400) for i in range(20)})
    found = answer(Correlations(), Rows(made))
    assert found.found.sum() / 2 <= 4
    quiet = table_of(**{f"x{i}": rng.normal(0, 1, 100) for i in range(4)})
    nothing = answer(Correlations(), Rows(quiet))
    assert not nothing.found.any()
    assert plain(words_of(nothing, quiet).headline).startswith("No pair goes together beyond chance")
    assert any("about one in twenty" in c for c in words_of(found, made).cautions)


def test_together_changes_its_numbers_and_is_read(table: Table) -> None:
    question, _ = read("how do the numbers move together, by ranks", table)
    assert question == Correlations(by="rank")
    assert read(str(sentence(question, table)), table)[0] == question
    fewer, label = changed(question, "columns", "rain", table)
    assert fewer.columns == ("late", "riders") and label == "without rain"
    assert changed(fewer, "columns", None, table)[0].columns == ()
    assert changed(Spread("late"), "way", "together", table)[0] == Correlations()
    with pytest.raises(BadQuestion, match="Fewer than two"):
        check(Correlations(), table_of(g=["a", "b"]))


def test_a_lit_part_has_its_own_correlations(table: Table, data: pd.DataFrame) -> None:
    found = answer(Correlations(), Rows(table, (), Between("rain", 8.0, None)))
    names = [c.name for c in found.columns]
    part = data[data["rain"] >= 8][names].corr().to_numpy()
    assert found.lit_r == pytest.approx(part)


# ---- which goes with which ----


def test_rare_pairs_of_noise_go_together_no_oftener_than_chance_gives() -> None:
    rng = np.random.default_rng(9)
    shares = 1 / np.arange(1, 21) ** 1.5
    shares /= shares.sum()
    low = 0
    for _ in range(100):
        one, other = (rng.choice(20, 200, p=shares) for _ in range(2))
        counts = np.bincount(one * 20 + other, minlength=400).reshape(20, 20)
        p = against_chance(counts, 200)[3]
        low += p is not None and p < 0.05
    assert low <= 11, "Pearson's chi-square has a quarter of them"
    tied = np.bincount(one * 20 + np.where(rng.random(200) < 0.5, one, other), minlength=400).reshape(20, 20)
    assert (against_chance(tied, 200)[3] or 1.0) < 0.001


def test_which_goes_with_which_is_scipys_chi_square() -> None:
    frame = fair.load_pandas().data
    made = table_of(
        religious=[f"r{int(v)}" for v in frame["religious"]],
        marriage=[f"m{int(v)}" for v in frame["rate_marriage"]],
    )
    found = answer(Crosstab("religious", "marriage"), Rows(made))
    assert isinstance(found, CrosstabAnswer)
    counts = pd.crosstab(made.series("religious").to_numpy(), made.series("marriage").to_numpy()).to_numpy()
    theirs = stats.chi2_contingency(counts, correction=False)
    assert (found.counts == counts).all() and found.expected == pytest.approx(theirs.expected_freq)
    assert found.p == pytest.approx(theirs.pvalue)
    n = counts.sum()
    spread = np.sqrt(theirs.expected_freq * np.outer(1 - counts.sum(axis=1) / n, 1 - counts.sum(axis=0) / n))
    assert found.residuals == pytest.approx((counts - theirs.expected_freq) / spread)
    assert "more often than chance" in plain(words_of(found, made).headline)
    for i, j in ((0, 0), (3, 4), (2, 1)):
        assert mask(found.condition(i, j), made).sum() == counts[i, j]


@given(seed=st.integers(0, 400))
@settings(max_examples=20)
def test_counts_sum_to_the_rows_and_what_is_expected_to_them_too(seed: int) -> None:
    rng = np.random.default_rng(seed)
    made = table_of(a=rng.choice(list("abc"), 90).tolist(), b=rng.choice(list("xy"), 90).tolist())
    found = answer(Crosstab("a", "b"), Rows(made, (), OneOf("a", ("a",))))
    assert found.counts.sum() == pytest.approx(found.expected.sum()) == 90
    assert found.lit.sum() == (np.array(made.series("a").to_list()) == "a").sum()
    assert (found.lit <= found.counts).all()


def test_categories_are_read_swapped_and_refused(table: Table) -> None:
    question, _ = read("which line goes with which depot", table)
    assert question == Crosstab("line", "depot")
    assert read(str(sentence(question, table)), table)[0] == question
    assert changed(question, "column", "depot", table)[0] == Crosstab("depot", "line")
    assert changed(Compare(Measure("count"), "line", also="depot"), "way", "goes", table)[0] == question
    assert changed(question, "way", "spread", table)[0].column == "line"
    for bad in (Crosstab("line", "line"), Crosstab("line", "missing")):
        with pytest.raises(BadQuestion):
            check(bad, table)
    alone = answer(Crosstab("line", "depot"), Rows(table, (OneOf("line", ("none",)),)))
    assert plain(words_of(alone, table).headline) == "No row that is kept has both groups."


def test_a_row_is_called_by_what_is_its_own_or_by_its_number_once_zoomed_into() -> None:
    numbers = {"x": [1.0, 2.0, 3.0, 4.0], "y": [2.0, 1.0, 4.0, 3.0]}
    window = (1.5, 3.5, 0.0, 5.0)
    bare = table_of(g=["a", "a", "b", "b"], **numbers)
    assert related(bare, Relate("y", "x")).panels[0].points.names == ()
    assert related(bare, Relate("y", "x", window=window)).panels[0].points.names == ("row 2", "row 3")
    called = typed(table_of(g=["oak", "elm", "ash", "yew"], **numbers), g={"distinct": 4})
    assert related(called, Relate("y", "x")).panels[0].points.names == ("oak", "elm", "ash", "yew")


@given(st.integers(2, 60), st.sampled_from(["mean", "sum", "count", "median"]))
@settings(max_examples=25)
def test_what_stands_beside_all_pairs_is_the_figure_of_their_rows(n: int, aggregate: str) -> None:
    rng = np.random.default_rng(n)
    frame = pd.DataFrame(
        {"g": rng.choice(list("abc"), n), "h": rng.choice(list("xy"), n), "v": rng.normal(1e6, 1, n)}
    )
    table = typed(table_of(**{c: frame[c].tolist() for c in frame}), v={"additive": True})
    measure = Measure(aggregate, None if aggregate == "count" else "v")
    lit = OneOf("h", ("x",))
    found = answer(Compare(measure, "g", "bars", also="h"), Rows(table, (), lit))
    for groups, name in ((found.lanes, "g"), (found.series, "h")):
        expected = frame.groupby(name)["v"].agg(aggregate)
        assert {one.label: one.value for one in groups} == pytest.approx(expected.to_dict(), rel=1e-12)
        part = frame[frame.h == "x"].groupby(name)["v"].agg(aggregate).to_dict()
        got = {one.label: one.lit_value for one in groups if one.lit_value is not None}
        assert got == pytest.approx(part, rel=1e-12)


@settings(max_examples=30)
@given(
    st.lists(st.floats(-1e6, 1e6) | st.integers(-50, 50).map(float) | st.just(math.nan), min_size=1),
    st.sampled_from([(-50.0, 1.0, 100), (0.0, 0.1, 44), (-3.0, 2.5, 7), (1e5, 1e-3, 12)]),
)
def test_every_value_lies_in_the_cell_whose_edges_hold_it(
    values: list[float], ground: tuple[float, float, int]
) -> None:
    low, wide, n = ground
    edges = low + np.arange(n + 1) * wide
    # edges themselves, and what lies right beside them
    given_ = np.concatenate([values, edges, np.nextafter(edges, -np.inf), np.nextafter(edges, np.inf)])
    has = ~np.isnan(given_)
    expected = np.clip(np.searchsorted(edges, given_[has], side="right") - 1, 0, n - 1)
    found = BinnedAxis(edges).cell_of(given_)
    assert found[has].tolist() == expected.tolist() and (found[~has] == 0).all()
    whole = np.rint(given_)
    assert BinnedAxis(edges).cell_of_whole(whole).tolist() == BinnedAxis(edges).cell_of(whole).tolist()


def test_the_axis_that_stays_is_that_of_the_column_and_tails_are_counted_in_the_pair() -> None:
    rng = np.random.default_rng(8)
    y = np.append(rng.normal(0, 1, 3_000), [400.0, 500.0])
    x = np.append(rng.normal(10, 2, 3_000), [math.nan, 10.0])
    rows = Rows(table_of(x=[None if math.isnan(v) else v for v in x], y=y, z=rng.normal(5, 1, 3_002)))
    first, second = answer(Relate("y", "x"), rows), answer(Relate("y", "z"), rows)
    # far values stand at the end of both axes, and only those with both columns are counted
    assert first.y.edges.tolist() == second.y.edges.tolist()
    assert (first.y.above, second.y.above) == (1, 2)
    fresh = answer(Relate("y", "z"), Rows(rows.table))
    assert [p.cells for p in fresh.panels] == [p.cells for p in second.panels]
