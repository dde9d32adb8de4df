"""Histograms, box plots and bars against values computed by others."""

from __future__ import annotations

import statistics

import numpy as np
import pandas as pd
import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays
from matplotlib.cbook import boxplot_stats
from statsmodels.stats.proportion import proportion_confint

from night_trail.core.conditions import Between, OneOf, mask
from night_trail.core.errors import BadQuestion
from night_trail.core.language.spans import plain
from night_trail.core.questions.registry import answer, words_of
from night_trail.core.questions.spread.question import Bins, Spread
from night_trail.core.rows import Rows
from night_trail.core.sentence import read, sentence
from night_trail.core.stats import bins as binning
from night_trail.core.stats.intervals import wilson
from night_trail.core.stats.quantiles import box, quantiles
from night_trail.core.table import Table
from tests.core.tables import table_of

values_strategy = arrays(
    np.float64,
    st.integers(1, 200),
    elements=st.floats(-1e6, 1e6, allow_nan=False).map(lambda x: round(x, 3)),
)


@given(arrays(np.float64, st.integers(2, 60), elements=st.floats(-1e5, 1e5)))
def test_quartiles_are_type_7(values: np.ndarray) -> None:
    # the standard library's "inclusive" method is type 7, written independently
    expected = statistics.quantiles(values.tolist(), n=4, method="inclusive")
    assert quantiles(np.sort(values), (0.25, 0.5, 0.75)).tolist() == pytest.approx(
        expected, rel=1e-9, abs=1e-9
    )


@given(values_strategy)
def test_box_figures_agree_with_matplotlib(values: np.ndarray) -> None:
    values = np.sort(values)
    theirs, ours = boxplot_stats(values)[0], box(values)
    assert (ours.q1, ours.median, ours.q3) == pytest.approx((theirs["q1"], theirs["med"], theirs["q3"]))
    assert (ours.low_whisker, ours.high_whisker) == pytest.approx((theirs["whislo"], theirs["whishi"]))
    assert (ours.notch_low, ours.notch_high) == pytest.approx((theirs["cilo"], theirs["cihi"]))
    outside = [*values[: ours.below], *values[ours.n - ours.above :]]
    assert outside == sorted(theirs["fliers"])


def test_a_box_by_hand() -> None:
    # 1..9 and 30: quartiles 3.25, 5.5, 7.75; the fence is 7.75 + 1.5 · 4.5 = 14.5
    figures = box(np.array([1, 2, 3, 4, 5, 6, 7, 8, 9, 30.0]))
    assert (figures.q1, figures.median, figures.q3) == (3.25, 5.5, 7.75)
    assert (figures.low_whisker, figures.high_whisker) == (1.0, 9.0)
    assert figures.notch_high - figures.median == pytest.approx(1.57 * 4.5 / 10**0.5)


@given(values_strategy, st.sampled_from([0.1, 0.25, 1.0, 2.5, 1000.0, 5e5]))
def test_bins_are_left_closed_like_pandas_cut(values: np.ndarray, width: float) -> None:
    if np.ptp(values) / width > 1500:
        values = values[:1]
    found = answer(Spread("v", bins=Bins(width=width), ends="open"), Rows(table_of(v=values)))
    theirs = pd.cut(values, found.edges, right=False).value_counts().to_numpy()
    assert found.groups[0].counts[1:-1].tolist() == theirs.tolist()
    assert found.groups[0].counts.sum() == len(values)


@pytest.mark.parametrize("edge", [0.1, 0.3, 0.7, 1.1, 2.3])
def test_a_value_on_an_edge_belongs_to_the_bin_at_its_right(edge: float) -> None:
    edges = binning.even_edges(0.0, 3.0, 0.1)
    # the first stretch that holds the value begins with the edge itself
    place = int(np.flatnonzero(np.diff(binning.cuts(np.array([edge]), edges)))[0])
    assert edges[place - 1] == edge


def test_default_width_is_freedman_diaconis_rounded() -> None:
    values = np.random.default_rng(5).normal(50, 10, 8_000)
    edges = np.histogram_bin_edges(values, "fd")  # theirs stretches to whole bins, so nearly ours
    q1, q3 = quantiles(np.sort(values), (0.25, 0.75))
    ours = binning.default_width(len(values), q1, q3, values.min(), values.max(), whole=False)
    assert ours == 1.0 and 0.9 < (edges[1] - edges[0]) / ours < 1.5


@given(values_strategy)
def test_default_bins_are_few_enough_and_whole_numbers_get_whole_widths(values: np.ndarray) -> None:
    found = answer(Spread("v"), Rows(table_of(v=values)))
    assert 1 <= len(found.edges) - 1 <= binning.MOST
    whole = answer(Spread("v"), Rows(table_of(v=values.astype(int))))
    assert np.allclose(whole.edges, np.round(whole.edges))


@given(values_strategy, st.floats(-1e6, 1e6), st.sampled_from(["histogram", "boxes"]))
def test_lit_is_never_more_than_all_and_parts_sum_to_the_whole(
    values: np.ndarray, cut: float, shape: str
) -> None:
    groups = np.array(["a", "b", "c"])[np.arange(len(values)) % 3]
    rows = Rows(table_of(v=values, g=np.repeat(groups, 2)[: len(values)]), lit=Between("v", cut))
    across = "g" if rows.table.column("g").distinct > 1 else None
    found = answer(Spread("v", across=across, shape=shape), rows)
    assert found.basis.used + found.basis.missing + found.basis.groupless == len(values)
    if shape == "histogram":
        assert sum(int(g.counts.sum()) for g in found.groups) == found.basis.used
        assert all((g.lit <= g.counts).all() for g in found.groups)
        assert sum(int(g.lit.sum()) for g in found.groups) == found.basis.lit
    else:
        assert sum(b.figures.n for b in found.boxes) == found.basis.used
        assert all(b.n_lit <= b.figures.n for b in found.boxes)
        assert all(p.lit <= p.count for b in found.boxes for p in b.outlying)
        assert all(sum(p.count for p in b.outlying) == b.figures.below + b.figures.above for b in found.boxes)


@given(values_strategy)
def test_every_mark_names_exactly_its_rows(values: np.ndarray) -> None:
    table = table_of(v=values)
    found = answer(Spread("v"), Rows(table))
    for place, count in enumerate(found.groups[0].counts):
        if count:
            assert mask(found.condition(0, place), table).sum() == count
    boxes = answer(Spread("v", shape="boxes"), Rows(table))
    for one in boxes.boxes:
        assert mask(boxes.condition(one), table).sum() == one.figures.n
        for point in one.outlying:
            assert mask(boxes.outlying_condition(one, point), table).sum() == point.count


def test_heights() -> None:
    table = table_of(v=[0.0, 0.5, 1.0, 1.5, 5.0])
    for height, expected in (("count", [2, 2, 1]), ("share", [0.4, 0.4, 0.2]), ("density", [0.2, 0.2, 0.1])):
        found = answer(Spread("v", bins=Bins(width=2.0, start=-1.0), height=height), Rows(table))
        heights = found.heights(0)[1:-1]
        assert heights[heights > 0].tolist() == pytest.approx(expected)
    areas = found.heights(0)[1:-1] * np.diff(found.edges)
    assert areas.sum() == pytest.approx(1.0)


def test_count_of_bins_and_start_are_obeyed() -> None:
    found = answer(Spread("v", bins=Bins(count=7, start=0.0)), Rows(table_of(v=np.arange(50.0))))
    assert len(found.edges) == 8 and found.edges[0] == 0.0
    assert found.groups[0].counts.tolist() == [0, 8, 7, 7, 7, 7, 7, 7, 0]


@pytest.mark.parametrize(
    ("rule", "theirs"), [("sturges", "sturges"), ("scott", "scott"), ("freedman", "fd"), ("root", "sqrt")]
)
def test_named_rules_cut_as_numpy_cuts(rule: str, theirs: str) -> None:
    rng = np.random.default_rng(3)
    for values in (rng.normal(size=777), rng.gamma(1.0, 2.0, 50), np.array([1.0, 2.0, 9.0])):
        edges = np.histogram_bin_edges(values, theirs)
        found = answer(Spread("v", bins=Bins(rule=rule), ends="open"), Rows(table_of(v=values)))
        assert found.edges == pytest.approx(edges, rel=1e-7, abs=1e-7)
        said = str(sentence(found.question, table_of(v=values), found))
        assert "after" in said and read(said, table_of(v=values)) == (found.question, ())
    logs = answer(
        Spread("v", bins=Bins(rule=rule), scale="log"), Rows(table_of(v=np.exp(rng.normal(size=400))))
    )
    assert len(logs.edges) > 5 and logs.basis.used == 400
    assert len(answer(Spread("v", bins=Bins(rule=rule)), Rows(table_of(v=[4.0] * 9))).edges) == 2
    assert answer(Spread("v", bins=Bins(rule=rule)), Rows(table_of(v=[None] * 3))).basis.used == 0


def test_far_tails_are_gathered_and_can_be_opened() -> None:
    values = np.concatenate([np.random.default_rng(1).normal(0, 1, 5_000), [400.0, 900.0]])
    gathered = answer(Spread("v"), Rows(table_of(v=values)))
    assert gathered.above == 2 and gathered.edges[-1] < 20
    opened = answer(Spread("v", ends="open"), Rows(table_of(v=values)))
    assert opened.above == 0 and opened.edges[-1] > 900
    boxes = answer(Spread("v", shape="boxes"), Rows(table_of(v=values)))
    assert boxes.gathered(1) == 2 and boxes.highest == 900 and boxes.high < 20


def test_months_follow_the_calendar_and_are_uneven() -> None:
    days = pd.date_range("2023-01-01", "2024-12-31", freq="D")
    table = table_of(d=pl.Series(days.to_numpy()).cast(pl.Date))
    found = answer(Spread("d", bins=Bins(calendar="month")), Rows(table))
    theirs = pd.Series(1, index=days).resample("MS").sum()
    assert found.groups[0].counts[1:-1].tolist() == theirs.tolist()
    assert not found.even
    weeks = answer(Spread("d", bins=Bins(calendar="week")), Rows(table))
    mondays = (weeks.edges / 86_400 + 3) % 7  # 1970-01-01 was a Thursday
    assert weeks.even and set(mondays.tolist()) == {0.0}


@given(st.integers(0, 500), st.integers(1, 500))
def test_wilson_agrees_with_statsmodels(k: int, n: int) -> None:
    k = min(k, n)
    assert wilson(k, n) == pytest.approx(proportion_confint(k, n, method="wilson"), abs=1e-12)


def test_bars_gather_the_rare_and_count_the_missing() -> None:
    names = [f"v{i}" for i in range(30) for _ in range(30 - i)] + [None] * 5
    found = answer(Spread("g", shape="bars"), Rows(table_of(g=names), lit=OneOf("g", ("v0", "v29"))))
    assert len(found.bars) == 20 and found.bars[-1].group.others == 11
    assert sum(b.count for b in found.bars) == found.basis.used == 465
    assert found.basis.missing == 5 and found.basis.lit == 31
    assert [b.count for b in found.bars[:3]] == [30, 29, 28]
    assert mask(found.condition(found.bars[-1]), table_of(g=names)).sum() == found.bars[-1].count


@pytest.mark.parametrize(
    ("question", "says"),
    [
        (Spread("g", shape="histogram"), "cannot be drawn as a histogram"),
        (Spread("v", shape="bars"), "cannot be drawn as bars"),
        (Spread("v", across="v"), "across itself"),
        (Spread("v", across="nope"), "no column “nope”"),
        (Spread("v", bins=Bins(calendar="month")), "no calendar"),
        (Spread("v", bins=Bins(width=1e-5)), "more than can be drawn"),
    ],
)
def test_impossible_questions_are_refused_in_words(question: Spread, says: str) -> None:
    with pytest.raises(BadQuestion, match=says):
        answer(question, Rows(table_of(v=np.arange(100.0), g=["a", "b"] * 50)))


@pytest.mark.parametrize("shape", ["histogram", "boxes"])
@pytest.mark.parametrize("cells", [[], [None, None], [3.0], [5.0] * 40, [1e-9, 2e-9], [1e15, 1e15 + 4]])
def test_odd_columns_have_answers(cells: list[float | None], shape: str) -> None:
    series = pl.Series(cells, dtype=pl.Float64)
    found = answer(Spread("v", shape=shape), Rows(table_of(v=series), lit=Between("v", 0.0)))
    assert found.basis.used == series.drop_nulls().len()


def test_demo_table_by_group_against_pandas(buses: Table) -> None:
    frame = pd.DataFrame({n: buses.series(n).to_numpy(allow_copy=True) for n in ("late_min", "depot")})
    found = answer(Spread("late_min", across="depot", shape="boxes"), Rows(buses))
    theirs = frame.groupby("depot")["late_min"].quantile([0.25, 0.5, 0.75])
    for one in found.boxes:
        ours = (one.figures.q1, one.figures.median, one.figures.q3)
        assert ours == pytest.approx(tuple(theirs[one.label]))


@pytest.mark.parametrize("shape", ["histogram", "boxes", "density", "running", "strip", "letters"])
def test_every_shape_says_whether_middles_differ_beyond_chance(shape: str) -> None:
    wrong = 0
    for seed in range(40):
        rng = np.random.default_rng(seed)
        group, noise = rng.choice([*"abcdef"], 900), rng.gamma(2, 3, 900)
        for values, differ in ((noise, False), (noise + 4 * (group == "d"), True)):
            table = table_of(g=group.tolist(), v=values.tolist())
            said = plain(words_of(answer(Spread("v", "g", shape=shape), Rows(table)), table).headline)
            claimed = "further apart than chance would put them" in said
            assert claimed != ("may lie by chance" in said), said
            wrong += claimed != differ
    assert wrong <= 4
