"""Figures of groups and their intervals, against scipy, statsmodels and pandas."""

from __future__ import annotations

import numpy as np
import pandas as pd
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats
from statsmodels.stats.oneway import anova_oneway

from night_trail.core.measure import Measure
from night_trail.core.questions.shared import measures
from night_trail.core.questions.shared.cells import Cells
from night_trail.core.stats import groups


def sample(seed: int, sizes: tuple[int, ...], ties: bool = False) -> tuple[np.ndarray, np.ndarray]:
    rng = np.random.default_rng(seed)
    codes = np.repeat(np.arange(len(sizes)), sizes)
    values = rng.gamma(2.0, 2.0 + 0.3 * codes) + 0.2 * codes
    return (np.round(values) if ties else values), codes


@pytest.mark.parametrize("seed", range(4))
def test_moments_and_tests_are_those_of_others(seed: int) -> None:
    values, codes = sample(seed, (40, 3, 90, 12))
    found = groups.moments(values, codes, 5)
    frame = pd.DataFrame({"v": values, "c": codes}).groupby("c")["v"]
    assert np.allclose(found.sums[:4], frame.sum()) and np.allclose(found.variances[:4], frame.var())
    assert found.n[4] == 0 and np.isnan(found.means[4])
    parts = [values[codes == i] for i in range(4)]
    assert groups.welch(found) == pytest.approx(anova_oneway(parts, use_var="unequal").pvalue)
    total = ((values - values.mean()) ** 2).sum()
    between = sum(len(p) * (p.mean() - values.mean()) ** 2 for p in parts)
    assert groups.eta_squared(found) == pytest.approx(between / total)


def test_moments_of_shares_follow_from_their_means() -> None:
    values, codes = (np.random.default_rng(5).random(200) < 0.3).astype(float), np.arange(200) % 3
    codes[:1] = 3  # alone in its group
    found, long = groups.moments_of_shares(values, codes, 5), groups.moments(values, codes, 5)
    for part in ("n", "sums", "means", "variances"):
        assert np.allclose(getattr(found, part), getattr(long, part), equal_nan=True)


@pytest.mark.parametrize("ties", [False, True])
def test_kruskal_is_that_of_scipy(ties: bool) -> None:
    values, codes = sample(7, (30, 50, 20), ties)
    order = np.argsort(values, kind="stable")
    theirs = stats.kruskal(*(values[codes == i] for i in range(3))).pvalue
    ranks, lengths = groups.ranked(values[order])
    assert ranks == pytest.approx(stats.rankdata(values[order])) and lengths.sum() == len(values)
    assert groups.kruskal(ranks, lengths, codes[order], 3) == pytest.approx(theirs)
    assert groups.kruskal(np.full(3, 2.0), np.array([3.0]), np.array([0, 1, 1]), 2) is None


@pytest.mark.parametrize("n", [2, 5, 29, 400])
def test_intervals_of_a_mean(n: int) -> None:
    values, _ = sample(n, (n,))
    found = groups.mean_interval(n, float(values.mean()), float(values.var(ddof=1)))
    assert found == pytest.approx(stats.t.interval(0.95, n - 1, values.mean(), stats.sem(values)))
    if 5 <= n < 100:
        theirs = stats.bootstrap(
            (values,), np.mean, n_resamples=20_000, method="BCa", rng=1
        ).confidence_interval
        width = theirs.high - theirs.low
        assert np.allclose(groups.bootstrapped_interval(values), theirs, atol=0.06 * width)
        assert groups.bootstrapped_interval(values) == groups.bootstrapped_interval(values)


@given(n=st.integers(6, 3_000), level=st.sampled_from([0.1, 0.5, 0.9]))
def test_order_statistics_cover_a_quantile_as_often_as_they_say(n: int, level: float) -> None:
    ascending = np.arange(1.0, n + 1)  # a value is its own rank
    low, high = groups.quantile_interval(ascending, level)
    coverage = stats.binom.cdf(high - 1, n, level) - stats.binom.cdf(low - 1, n, level)
    at_an_end = low == 1.0 or high == n
    assert coverage >= 0.949 or at_an_end
    if not at_an_end and n < 2_000:
        narrower = stats.binom.cdf(high - 2, n, level) - stats.binom.cdf(low, n, level)
        assert narrower < 0.95, "not wider than need be"


def test_ratios_shares_and_what_cannot_be_computed() -> None:
    rng = np.random.default_rng(2)
    below = rng.gamma(4, 5, 300)
    above = 0.7 * below + rng.normal(0, 1, 300)
    low, high = groups.ratio_interval(above, below)
    draws = rng.integers(0, 300, (4_000, 300))
    resampled = above[draws].sum(axis=1) / below[draws].sum(axis=1)
    assert np.allclose([low, high], np.quantile(resampled, [0.025, 0.975]), atol=0.15 * (high - low))
    hits, n = np.array([20, 35, 11]), np.array([100, 90, 80])
    theirs = stats.chi2_contingency(np.array([hits, n - hits]), correction=False).pvalue
    assert groups.chi_square_of_shares(hits, n) == pytest.approx(theirs)
    assert groups.chi_square_of_shares(np.array([0, 0]), np.array([5, 5])) is None
    one = groups.moments(np.array([1.0, 2.0]), np.array([0, 1]), 2)
    assert groups.welch(one) is None and groups.eta_squared(one) == 1.0
    assert (
        groups.mean_interval(1, 3.0, float("nan")) is None
        and groups.bootstrapped_interval(np.ones(1)) is None
    )
    assert (
        groups.quantile_interval(np.arange(5.0), 0.5) is None
        and groups.ratio_interval(above, 0 * below) is None
    )


def test_shares_of_few_rows_differ_no_oftener_than_chance_gives() -> None:
    rng = np.random.default_rng(5)
    for sizes in (
        [1, 2],
        [2, 2],
        [5, 5],
        [3, 5, 4],
        [1, 1, 20],
        [2] * 10,
        [3] * 40,
        [1] * 100,
        [1, 2, 9] * 50,
    ):
        n = np.array(sizes)
        for share in (0.5, 0.2, 0.05):
            drawn = [groups.chi_square_of_shares(rng.binomial(n, share), n) for _ in range(120)]
            known = [p for p in drawn if p is not None]
            assert sum(p < 0.05 for p in known) <= 0.05 * len(known) + 7, (sizes[:3], share)
    # of one row each there is nothing to tell apart
    assert groups.chi_square_of_shares(np.array([1, 0]), np.array([1, 1])) == 1.0
    assert groups.chi_square_of_shares(rng.binomial(1, 0.3, 100), np.ones(100, dtype=np.int64)) == 1.0


@pytest.mark.parametrize(
    ("hits", "n"), [((5, 0), (5, 5)), ((4, 0), (4, 6)), ((3, 1), (4, 4)), ((2, 9), (12, 12))]
)
def test_few_rows_in_two_groups_are_judged_as_by_fisher(hits: tuple[int, int], n: tuple[int, int]) -> None:
    theirs = stats.fisher_exact([[hits[0], n[0] - hits[0]], [hits[1], n[1] - hits[1]]]).pvalue
    mine = groups.chi_square_of_shares(np.array(hits), np.array(n))
    assert mine == pytest.approx(theirs, abs=0.025)


def test_what_differs_in_many_small_groups_is_found() -> None:
    rng = np.random.default_rng(6)
    for groups_of in (20, 150):
        n = np.full(groups_of, 6)
        shares = np.where(np.arange(groups_of) % 2, 0.9, 0.1)
        assert (groups.chi_square_of_shares(rng.binomial(n, shares), n) or 1.0) < 0.01


@pytest.mark.parametrize("sizes", [(3, 50), (2, 200), (1, 2, 30), (500, 5), (40, 400, 6)], ids=str)
@pytest.mark.parametrize("shape", ["normal", "skewed", "few values"])
def test_means_of_very_unequal_groups_differ_no_oftener_than_chance_gives(
    sizes: tuple[int, ...], shape: str
) -> None:
    rng = np.random.default_rng(7)
    draw = {
        "normal": lambda n: rng.normal(size=n),
        "skewed": lambda n: rng.exponential(size=n) ** 2,
        "few values": lambda n: rng.integers(0, 3, n).astype(float),
    }[shape]
    codes = np.repeat(np.arange(len(sizes)), sizes)
    told = [
        measures.tested(Measure("mean", "x"), Cells(draw(len(codes)), codes), len(sizes), False)
        for _ in range(100)
    ]
    assert sum(one.p is not None and one.p < 0.05 for one in told) <= 11


def test_ranks_of_a_few_rows_differ_no_oftener_than_chance_gives() -> None:
    rng = np.random.default_rng(10)
    for sizes in ((3, 3), (2, 4), (5, 5, 5), (1, 2, 20)):
        codes = np.repeat(np.arange(len(sizes)), sizes)
        told = []
        for _ in range(150):
            values = rng.normal(size=len(codes))
            order = np.argsort(values)
            told.append(groups.kruskal(*groups.ranked(values[order]), codes[order], len(sizes)))
        assert sum(p is not None and p < 0.05 for p in told) <= 15, sizes
    # all of one group above all of the other: 2 of the 252 ways to choose five of ten
    ranks, lengths = groups.ranked(np.arange(10.0))
    apart = groups.kruskal(ranks, lengths, np.repeat([0, 1], 5), 2)
    assert apart == pytest.approx(2 / 252, abs=0.01)


def test_what_differs_beside_a_group_of_a_few_rows_is_found_all_the_same() -> None:
    rng = np.random.default_rng(8)
    codes = np.repeat([0, 1, 2], (400, 400, 2))
    # a few large amounts, and ranks that hardly differ: the larger groups alone tell
    values = rng.normal(size=802) + np.where((codes == 1) & (rng.random(802) < 0.1), 12.0, 0.0)
    found = measures.tested(Measure("mean", "x"), Cells(values, codes), 3, False)
    assert found.p is not None and found.p < 0.001 and found.test != "Kruskal–Wallis"
    small = np.repeat([0, 1], (300, 8))
    away = measures.tested(
        Measure("mean", "x"), Cells(rng.exponential(size=308) + 3.0 * small, small), 2, False
    )
    assert away.p is not None and away.p < 0.001


def test_who_stands_apart_after_false_discovery() -> None:
    values, codes = sample(11, (60, 80, 70, 40))
    found = groups.moments(values, codes, 4)
    p = []
    for i in range(4):
        a, b = values[codes == i], values[codes != i]
        # a group's spread counts as no less than that of the rest
        spread = max(a.std(ddof=1), b.std(ddof=1))
        p.append(
            stats.ttest_ind_from_stats(
                a.mean(), spread, len(a), b.mean(), b.std(ddof=1), len(b), equal_var=False
            ).pvalue
        )
    assert groups.apart(found) == (stats.false_discovery_control(p) <= 0.05).tolist()
    assert groups.discoveries(np.array([0.01, 0.04, 0.03, 0.9])) == [True, False, False, False]
    assert groups.apart(groups.moments(np.ones(4), np.array([0, 0, 1, 1]), 2)) == [False, False]
