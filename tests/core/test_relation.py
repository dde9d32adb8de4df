"""Correlations and fits against scipy and statsmodels."""

from __future__ import annotations

import math

import numpy as np
import pandas as pd
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats
from sklearn.linear_model import LinearRegression
from statsmodels.nonparametric.smoothers_lowess import lowess as their_lowess
from statsmodels.regression.linear_model import OLS

from night_trail.core.stats import relation


def pair(n: int, ties: bool = False, seed: int = 1) -> tuple[np.ndarray, np.ndarray]:
    rng = np.random.default_rng(seed)
    x = rng.gamma(2, 3, n)
    y = 1.5 + 0.4 * x + rng.normal(0, 2, n)
    return (np.round(x), np.round(y)) if ties else (x, y)


@pytest.mark.parametrize("ties", [False, True])
@pytest.mark.parametrize("n", [5, 60, 3_000])
def test_correlations_are_those_of_scipy(n: int, ties: bool) -> None:
    x, y = pair(n, ties)
    found = relation.correlation(x, y)
    theirs = stats.pearsonr(x, y)
    interval = theirs.confidence_interval()
    assert (found.pearson, found.low, found.high) == pytest.approx(
        (theirs.statistic, interval.low, interval.high)
    )
    assert found.spearman == pytest.approx(stats.spearmanr(x, y).statistic)
    if not ties:
        assert found.xi == pytest.approx(stats.chatterjeexi(x, y).statistic)


@pytest.mark.parametrize("seed", range(3))
def test_xi_with_equal_values_is_the_mean_over_the_orders_they_could_have(seed: int) -> None:
    rng = np.random.default_rng(seed)
    x, y = rng.poisson(2, 40).astype(float), np.round(rng.normal(0, 2, 40))
    found = relation.correlation(x, y).xi
    drawn = []
    for _ in range(4_000):
        shuffled = rng.permutation(40)
        ordered = y[shuffled][np.argsort(x[shuffled], kind="stable")]
        last = stats.rankdata(ordered, method="max")
        above = 40 + 1 - stats.rankdata(ordered, method="min")
        drawn.append(1 - 40 * np.abs(np.diff(last)).sum() / (2 * (above * (40 - above)).sum()))
    assert found == pytest.approx(np.mean(drawn), abs=4 * np.std(drawn) / math.sqrt(4_000))
    turned = rng.permutation(40)
    assert relation.correlation(x[turned], y[turned]).xi == pytest.approx(found, rel=1e-12)


def test_a_column_that_hardly_varies_has_no_rank_correlation_in_the_part_that_is_ranked() -> None:
    rare = np.zeros(200_000)
    rare[np.setdiff1d(np.arange(200_000), relation._some(200_000))[0]] = 1.0
    other = np.random.default_rng(3).normal(0, 1, 200_000)
    with np.errstate(invalid="ignore"):
        for x, y in ((other, rare), (rare, other)):
            found = relation.correlation(x, y)
            assert abs(found.pearson) < 0.02 and math.isnan(found.spearman)
        assert math.isnan(relation.correlation(other, rare).xi)


def test_xi_sees_what_r_does_not() -> None:
    x = np.linspace(-3, 3, 2_000)
    found = relation.correlation(x, np.cos(2 * x))
    assert abs(found.pearson) < 0.01 and found.xi > 0.95


@pytest.mark.parametrize("values", [([1.0, 2.0], [1.0, 2.0]), ([1.0] * 9, list(range(9))), ([], [])])
def test_what_cannot_be_related_is_none(values: tuple[list[float], list[float]]) -> None:
    x, y = np.array(values[0], dtype=float), np.array(values[1], dtype=float)
    assert relation.correlation(x, y) is None and relation.lowess(x, y) is None
    if len(x) != 2 or len(x) == 0:
        assert relation.least_squares(x, y) is None and relation.theil_sen(x, y) is None


def test_lines_are_those_of_statsmodels_and_scipy() -> None:
    x, y = pair(200)
    line = relation.least_squares(x, y)
    model = OLS(y, np.column_stack([np.ones(200), x])).fit()
    assert (line.intercept, line.slope) == pytest.approx(tuple(model.params))
    band = model.get_prediction(np.column_stack([np.ones(41), line.x])).conf_int(alpha=0.05)
    assert np.allclose(np.column_stack([line.low, line.high]), band)
    robust = relation.theil_sen(x, y)
    theirs = stats.theilslopes(y, x)
    assert (robust.slope, robust.intercept) == pytest.approx((theirs.slope, theirs.intercept))
    spoiled = np.where(np.arange(200) < 20, 900.0, y)
    assert relation.theil_sen(x, spoiled).slope == pytest.approx(robust.slope, abs=0.15)


def test_the_curve_is_that_of_statsmodels() -> None:
    x, _ = pair(400)
    y = np.sin(x / 3) + np.random.default_rng(3).normal(0, 0.2, 400)
    at, fitted = relation.lowess(x, y)
    theirs = their_lowess(y, x, frac=0.5, it=2, xvals=at)
    assert np.abs(fitted - theirs).max() < 0.03
    many = np.random.default_rng(4).uniform(0, 9, 200_000)
    at, fitted = relation.lowess(many, many**2)
    inner = (at > 1) & (at < 8)
    assert np.allclose(fitted[inner], at[inner] ** 2, atol=1.0)


@given(st.integers(0, 10_000))
def test_within_groups_the_slope_is_that_of_a_regression_with_dummies(seed: int) -> None:
    rng = np.random.default_rng(seed)
    codes = rng.integers(0, 4, 80)
    x = rng.normal(0, 1, 80) + codes
    y = -0.5 * x + 3 * codes + rng.normal(0, 1, 80)
    dummies = np.eye(4)[codes]
    theirs = LinearRegression(fit_intercept=False).fit(np.column_stack([x, dummies]), y).coef_[0]
    assert relation.within_slope(x, y, codes) == pytest.approx(theirs)


@pytest.mark.parametrize("offset", [0.0, 5.0, 1e4, 1e9])
@pytest.mark.parametrize("size", [1e-6, 1.0, 1e6])
def test_sums_around_means_keep_their_digits_wherever_the_columns_lie(offset: float, size: float) -> None:
    x, y = pair(3_000)
    moved = offset * size + x * size, -offset * size + y * size
    exact = [np.asarray(column, dtype=np.longdouble) for column in moved]
    off, above = (column - column.mean() for column in exact)
    found = relation.pair_of(*moved)
    assert found.sxx == pytest.approx(float(off @ off), rel=1e-9)
    assert found.syy == pytest.approx(float(above @ above), rel=1e-9)
    assert found.sxy == pytest.approx(float(off @ above), rel=1e-7)


def test_ranks_of_a_pair_are_those_of_the_rows_that_have_both() -> None:
    rng = np.random.default_rng(9)
    x = rng.gamma(1, 3, (400, 3))
    x[:, 1] += 0.5 * x[:, 0]
    x[rng.random(400) < 0.5, 0] = np.nan
    x[rng.random(400) < 0.3, 2] = np.nan
    ours, n = relation.rank_correlations(x)
    theirs = pd.DataFrame(x).corr(method="spearman").to_numpy()
    assert np.allclose(ours[np.triu_indices(3, 1)], theirs[np.triu_indices(3, 1)])
    assert n[0, 2] == int((~np.isnan(x[:, 0]) & ~np.isnan(x[:, 2])).sum())


def test_what_has_one_value_goes_with_nothing() -> None:
    one, other = np.full(50, 2013.0), np.arange(50.0)
    assert all(np.isnan(relation.pearson(*pair)) for pair in ((one, other), (other, one), (one, one)))
