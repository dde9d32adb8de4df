"""All figures, against scipy and statsmodels, exact arithmetic and certified sets."""

from __future__ import annotations

import math
from fractions import Fraction

import numpy as np
import pandas as pd
import polars as pl
import pytest
from scipy import stats
from sklearn.datasets import load_diabetes, load_iris
from statsmodels.datasets import longley
from statsmodels.regression.linear_model import OLS
from statsmodels.stats.oneway import anova_oneway
from statsmodels.tools import add_constant
from statsmodels.tsa.stattools import acf

from night_trail.core.conditions import Between
from night_trail.core.measure import Measure
from night_trail.core.questions.compare.question import Baseline, Compare
from night_trail.core.questions.correlation.question import Correlations
from night_trail.core.questions.decomposition.question import Decomposition
from night_trail.core.questions.registry import answer
from night_trail.core.questions.relate.question import Relate
from night_trail.core.questions.spread.question import Spread
from night_trail.core.rows import Rows
from night_trail.core.sentence import read
from night_trail.core.stats import textbook
from night_trail.core.textbook import all_figures
from tests.core.tables import table_of


def of(named: list[textbook.Named]) -> dict[str, float]:
    return {f.label: f.value for f in named}


def exactly(values: list[float]) -> tuple[Fraction, Fraction]:
    """The mean and the n − 1 variance of decimal numbers, without rounding."""
    exact = [Fraction(str(v)) for v in values]
    mean = sum(exact) / len(exact)
    return mean, sum((v - mean) ** 2 for v in exact) / (len(exact) - 1)


# numbers far from 0 whose spread is known: certified accuracy sets have standard deviation 1 and 0.1
CERTIFIED = {
    "ones": ([10000001.0, 10000003.0, 10000002.0], 10000002.0, 1.0),
    "tenths from 1": ([1.2] + [1.1, 1.3] * 500, 1.2, 0.1),
    "tenths from a million": ([1000000.2] + [1000000.1, 1000000.3] * 500, 1000000.2, 0.1),
    "tenths from ten million": ([10000000.2] + [10000000.1, 10000000.3] * 500, 10000000.2, 0.1),
}


@pytest.mark.parametrize("name", CERTIFIED)
def test_means_and_spreads_of_certified_numbers(name: str) -> None:
    values, mean, spread = CERTIFIED[name]
    found = of(textbook.of_sample(np.array(values)))
    assert found["mean"] == pytest.approx(mean, rel=1e-14)
    # what the decimals lose when written in binary is all that is lost
    assert found["standard deviation"] == pytest.approx(spread, rel=1e-7)


@pytest.mark.parametrize("offset", [0, 10**6, 10**12])
def test_analysis_of_variance_is_exact_far_from_zero(offset: int) -> None:
    rng = np.random.default_rng(offset % 97)
    groups = [offset + (rng.integers(0, 64, 21) + 8 * i) / 64 for i in range(9)]
    exact = [[Fraction(float(v)) for v in g] for g in groups]
    n, k = sum(map(len, exact)), len(exact)
    whole = sum(map(sum, exact)) / n
    means = [sum(g) / len(g) for g in exact]
    between = sum(len(g) * (m - whole) ** 2 for g, m in zip(exact, means, strict=True))
    within = sum((v - m) ** 2 for g, m in zip(exact, means, strict=True) for v in g)
    f = float(between / (k - 1) / (within / (n - k)))
    found = of(textbook.of_groups(groups))
    assert found["F"] == pytest.approx(f, rel=1e-9)
    assert found["sum of squares between"] == pytest.approx(float(between), rel=1e-9)
    assert found["sum of squares within"] == pytest.approx(float(within), rel=1e-9)
    assert (found["degrees of freedom between"], found["degrees of freedom within"]) == (8, 180)


def test_a_sample_is_what_scipy_says() -> None:
    values = np.random.default_rng(2).gamma(2, 3, 137)
    found = of(textbook.of_sample(values))
    assert found["skewness G1"] == pytest.approx(stats.skew(values, bias=False))
    assert found["excess kurtosis G2"] == pytest.approx(stats.kurtosis(values, bias=False))
    assert found["interquartile range"] == pytest.approx(stats.iqr(values))
    assert found["median absolute deviation"] == pytest.approx(stats.median_abs_deviation(values))
    assert found["standard error of the mean"] == pytest.approx(stats.sem(values))
    low, high = stats.t.interval(0.95, 136, values.mean(), stats.sem(values))
    assert (found["mean, 95 % from"], found["mean, 95 % to"]) == pytest.approx((low, high))
    assert found["upper fence"] == pytest.approx(np.quantile(values, 0.75) + 1.5 * stats.iqr(values))


def test_iris_across_species_is_what_scipy_and_statsmodels_say() -> None:
    iris = load_iris(as_frame=True).frame
    parts = [g.to_numpy() for _, g in iris.groupby("target")["sepal width (cm)"]]
    found = of(textbook.of_groups(parts))
    f = stats.f_oneway(*parts)
    assert (found["F"], found["p of F"]) == pytest.approx((f.statistic, f.pvalue))
    welch = anova_oneway(parts, use_var="unequal", welch_correction=True)
    assert found["Welch's F"] == pytest.approx(welch.statistic)
    assert found["p of Welch's F"] == pytest.approx(welch.pvalue)
    brown = anova_oneway(parts, use_var="bf")
    assert found["Brown–Forsythe F"] == pytest.approx(brown.statistic)
    h = stats.kruskal(*parts)
    assert (found["Kruskal–Wallis H"], found["p of H"]) == pytest.approx((h.statistic, h.pvalue))
    two = of(textbook.of_groups(parts[:2]))
    for name, equal in (("pooled t", True), ("Welch's t", False)):
        t = stats.ttest_ind(*parts[:2], equal_var=equal)
        assert (two[name], two[f"p of {name}"], two[f"degrees of freedom of {name}"]) == pytest.approx(
            (t.statistic, t.pvalue, t.df)
        )
        low, high = t.confidence_interval()
        assert two[f"difference, 95 % from, by {name}"] == pytest.approx(low)
        assert two[f"difference, 95 % to, by {name}"] == pytest.approx(high)
    u = stats.mannwhitneyu(*parts[:2], method="asymptotic", use_continuity=False)
    assert (two["Mann–Whitney U"], two["p of U"]) == pytest.approx((u.statistic, u.pvalue))


@pytest.mark.parametrize("offset", [0.0, 1e6, 1e9])
def test_a_line_is_that_of_statsmodels_and_keeps_its_digits(offset: float) -> None:
    frame = load_diabetes(as_frame=True).frame
    x, y = np.round(frame["bmi"].to_numpy() * 1024) / 1024, frame["target"].to_numpy()
    theirs = OLS(y, add_constant(x)).fit()
    found = of(textbook.of_pair(x + offset, y))
    assert found["slope"] == pytest.approx(theirs.params[1], rel=1e-6)
    assert found["standard error of the slope"] == pytest.approx(theirs.bse[1], rel=1e-6)
    assert found["R²"] == pytest.approx(theirs.rsquared, rel=1e-6)
    assert found["residual standard deviation"] == pytest.approx(math.sqrt(theirs.scale), rel=1e-9)
    assert (found["F"], found["p of F"]) == pytest.approx((theirs.fvalue, theirs.f_pvalue), rel=1e-6)
    low, high = theirs.conf_int()[1]
    assert (found["slope, 95 % from"], found["slope, 95 % to"]) == pytest.approx((low, high), rel=1e-6)
    if offset == 0:
        assert found["intercept"] == pytest.approx(theirs.params[0])
        assert found["standard error of the intercept"] == pytest.approx(theirs.bse[0])
        tau = stats.kendalltau(x, y)
        assert (found["Kendall's τ-b"], found["p of τ"]) == pytest.approx((tau.statistic, tau.pvalue))


def test_paired_partial_and_auto_correlations() -> None:
    rng = np.random.default_rng(5)
    a = rng.normal(5, 2, 60)
    b = a + rng.normal(0.4, 1, 60)
    found, t = of(textbook.of_differences(a, b)), stats.ttest_rel(a, b)
    assert (found["paired t"], found["p of paired t"]) == pytest.approx((t.statistic, t.pvalue))
    # nearly along one line: the hard case of regressions
    data = longley.load_pandas().data
    ours = textbook.partial_correlations(data.to_numpy(dtype=float))
    names = list(data.columns)
    i, j = names.index("TOTEMP"), names.index("UNEMP")
    others = add_constant(data.drop(columns=["TOTEMP", "UNEMP"]))
    rest = [OLS(data[c], others).fit().resid for c in ("TOTEMP", "UNEMP")]
    assert ours[i, j] == pytest.approx(np.corrcoef(rest[0], rest[1])[0, 1], rel=1e-6)
    series = np.cumsum(rng.normal(size=200))
    assert textbook.autocorrelations(series, 20) == pytest.approx(acf(series, nlags=20)[1:])
    errors = of(textbook.of_errors(np.array([10.0, 20.0]), np.array([8.0, 24.0]), 2.0))
    assert errors["mean absolute error"] == 3 and errors["mean absolute scaled error"] == 1.5
    assert errors["mean absolute percentage error"] == 20 and errors["root mean squared error"] == math.sqrt(
        10
    )


# ---- from a picture ----


@pytest.fixture(scope="module")
def frame() -> pd.DataFrame:
    rng = np.random.default_rng(3)
    line = rng.choice(["a", "b", "c"], 300)
    late = rng.gamma(2, 2, 300) + (line == "c")
    riders = np.where(rng.random(300) < 0.1, np.nan, 20 + 2 * late + rng.normal(0, 5, 300))
    return pd.DataFrame({"line": line, "late": late, "riders": riders, "plan": 22 + rng.normal(0, 3, 300)})


def figures(frame: pd.DataFrame, question: object, *only: object) -> dict[str, dict[str, float]]:
    table = table_of(
        **{c: frame[c].tolist() if frame[c].dtype == object else frame[c].to_numpy() for c in frame}
    )
    rows = Rows(table, only)
    if isinstance(question, str):
        question = read(question, table)[0]
    return {
        p.title: {line.label: line.value for line in p.lines}
        for p in all_figures(answer(question, rows), rows)
    }


def test_figures_are_of_the_rows_that_are_kept(frame: pd.DataFrame) -> None:
    everything = figures(frame, Spread("riders", "line", "boxes"))
    assert everything["riders, all rows"]["n"] == frame.riders.count()
    assert everything["riders, c"]["mean"] == pytest.approx(frame[frame.line == "c"].riders.mean())
    some = figures(frame, Spread("riders"), Between("late", 3.0, None))
    kept = frame[frame.late >= 3].riders.dropna()
    assert some["riders, all rows"]["standard deviation"] == pytest.approx(kept.std())


def test_every_kind_of_picture_has_its_figures(frame: pd.DataFrame) -> None:
    compared = figures(frame, Compare(Measure("mean", "riders"), "line", baseline=Baseline(column="plan")))
    both = frame.dropna()
    t = stats.ttest_rel(both.riders, both.plan)
    assert compared["riders against plan, row by row"]["paired t"] == pytest.approx(t.statistic)
    parts = [g.riders.dropna() for _, g in frame.groupby("line")]
    assert compared["riders across line"]["F"] == pytest.approx(stats.f_oneway(*parts).statistic)
    related = figures(frame, Relate("riders", "late"))
    assert related["riders on late, row by row"]["slope"] == pytest.approx(
        np.polyfit(both.late, both.riders, 1)[0]
    )
    zoomed = figures(frame, Relate("riders", "late", window=(2.0, 6.0, 0.0, 100.0)))
    part = both[both.late.between(2, 6) & both.riders.between(0, 100)]
    assert zoomed["riders on late, row by row, in the part zoomed into"]["n"] == len(part)
    together = figures(frame, Correlations())
    assert together["Correlations"]["late with riders"] == pytest.approx(
        both[["late", "riders"]].corr().iloc[0, 1]
    )
    assert figures(frame, Spread("line", shape="bars")) == {}


def test_a_season_by_moving_averages_is_named_by_its_months() -> None:
    # April to March; shares of the year's mean by hand: even months 1.2, odd ones 0.8
    days = pd.date_range("2018-04-01", periods=72, freq="MS")
    truth = np.where(days.month % 2 == 0, 1.2, 0.8)
    table = table_of(day=pl.Series(days.to_numpy()).cast(pl.Date), riders=500 * truth)
    rows = Rows(table)
    found = {
        p.title: p
        for p in all_figures(answer(Decomposition(Measure("sum", "riders"), "day", "month"), rows), rows)
    }
    said = {line.label: line.value for line in found["Classical decomposition, multiplied: the season"].lines}
    assert said["January"] == pytest.approx(0.8) and said["April"] == pytest.approx(1.2) and len(said) == 12
    added = {line.label: line.value for line in found["Classical decomposition, added: the season"].lines}
    assert added["February"] == pytest.approx(100.0) and sum(added.values()) == pytest.approx(0, abs=1e-9)
    likeness = found["How like itself it is (autocorrelation)"].likeness
    assert likeness is not None and likeness.by_lag[1] > likeness.chance > 0 > likeness.by_lag[0]


@pytest.mark.parametrize("values", [[], [3.0], [2.0, 2.0, 2.0], [1.0, 2.0], [np.nan, np.nan]])
def test_little_has_few_figures_and_no_errors(values: list[float]) -> None:
    frame = pd.DataFrame({"x": np.array(values, dtype=float), "y": np.arange(float(len(values)))})
    frame["g"] = [f"g{i % 2}" for i in range(len(values))]
    asked = [
        Spread("x"),
        Relate("x", "y"),
        *([Compare(Measure("mean", "x"), "g")] if len(values) > 1 else []),
    ]
    for question in asked:
        for part in figures(frame, question).values():
            assert all(v is None or math.isfinite(v) for v in part.values())
