"""What is promised as a number, a case on each side of it: one more or less, and something else is said."""

from __future__ import annotations

import datetime as dt
import math

import msgspec
import numpy as np
import polars as pl
import pytest
from scipy import stats as reference

from night_trail.core.language.spans import plain
from night_trail.core.measure import Measure
from night_trail.core.questions.crosstab.question import Crosstab
from night_trail.core.questions.registry import answer, words_of
from night_trail.core.questions.relate.question import Relate
from night_trail.core.questions.shared.cells import Cells
from night_trail.core.questions.shared.group_figures import _carried
from night_trail.core.questions.shared.measures import MeasureFigures
from night_trail.core.reading.dates import from_numbers
from night_trail.core.recipe.joining import likely_keys
from night_trail.core.rows import Rows
from night_trail.core.stats import groups as figures
from night_trail.core.stats.bins import ruled_count, window_of_ascending
from night_trail.core.stats.forecast import LEVELS, _widths
from night_trail.core.stats.seasons import own_period
from night_trail.core.stats.shape import heaping, humps
from night_trail.core.stats.shifts import level_shift
from night_trail.core.table import Table
from tests.core.tables import table_of
from tests.core.test_findings import said

# ---- degrees of freedom ----


@pytest.mark.parametrize(("apart_by", "stands"), [(2.40, False), (2.50, True)])
def test_of_two_small_groups_each_is_apart_by_welchs_degrees_of_freedom(
    apart_by: float, stands: bool
) -> None:
    # of four values each, t over 2.447 is rarer than 5 % at six degrees of freedom; 1.96 would do at many
    low, high = (
        np.array([-1.5, -0.5, 0.5, 1.5]),
        np.array([-1.5, -0.5, 0.5, 1.5]) + apart_by * math.sqrt(5 / 6),
    )
    values, codes = np.concatenate([low, high]), np.repeat([0, 1], 4)
    p = float(reference.ttest_ind(low, high, equal_var=False).pvalue)
    found = figures.apart(figures.moments(values, codes, 2))
    assert found == [p < 0.05] * 2 == [stands] * 2


def test_the_bands_of_a_forecast_are_students_with_origins_less_two() -> None:
    rng = np.random.default_rng(1)
    truths = [rng.normal(size=4) for _ in range(6)]
    halves, _ = _widths(truths, [np.zeros(4)] * 6, 4, False)
    ratio = halves[LEVELS.index(95), 0] / halves[LEVELS.index(50), 0]
    assert ratio == pytest.approx(reference.t.ppf(0.975, 4) / reference.t.ppf(0.75, 4))


def test_an_empty_group_is_no_degree_of_freedom() -> None:
    left = ["a"] * 30 + ["b"] * 30 + ["c"] * 4
    # the rows of c have no other category: it is drawn, and counts nothing
    right = ["x"] * 20 + ["y"] * 10 + ["x"] * 10 + ["y"] * 20 + [None] * 4
    found = answer(Crosstab("left", "right"), Rows(table_of(left=left, right=right)))
    seen = np.array([[20, 10], [10, 20]])
    assert len(found.rows.groups) == 3
    assert found.p == pytest.approx(float(reference.chi2_contingency(seen, correction=False).pvalue))


def test_a_part_zoomed_into_holds_its_ends() -> None:
    table = table_of(x=[0.0, 1.0, 2.0, 3.0, 4.0] * 3, y=[0.0, 1.0, 2.0, 3.0, 4.0] * 3)
    found = answer(Relate("y", "x", window=(1.0, 3.0, 1.0, 3.0)), Rows(table))
    assert (found.basis.used, found.outside) == (9, 6)


def test_sturges_counts_one_more_than_the_logarithm() -> None:
    for n, bins in ((64, 7), (65, 8), (128, 8), (129, 9)):
        assert (
            ruled_count("sturges", np.arange(float(n)))
            == bins
            == len(np.histogram_bin_edges(np.arange(float(n)), "sturges")) - 1
        )


@pytest.mark.parametrize(("least", "found"), [(0.024, True), (0.026, False)])
def test_of_two_tests_the_surer_must_pass_at_half_the_rate(least: float, found: bool) -> None:
    assert figures.discoveries(np.array([0.2, least])) == [False, found]


# ---- shapes ----


@pytest.mark.parametrize(("far", "gathers"), [(9, True), (11, False)])
def test_a_tail_of_under_a_hundredth_is_gathered(far: int, gathers: bool) -> None:
    near = np.linspace(0, 10, 1_000 - far)
    assert window_of_ascending(np.append(near, np.linspace(90, 100, far))).gathers_high is gathers


@pytest.mark.parametrize(("extra", "heaps"), [(30, False), (80, True)])
def test_heaping_must_be_significant_and_half_as_common_again(extra: int, heaps: bool) -> None:
    even = np.tile(np.arange(100.0), 10)  # ten of each: a hundred of each last digit
    found = heaping(np.sort(np.append(even, np.tile(np.arange(0, 100, 10.0), extra // 10))))
    # (at − beside)² / 1.5 beside: 6 and 42.7 where 15.14 is p < 0.0001
    assert (found is not None) is heaps


def test_heaping_is_not_said_of_a_rare_chance() -> None:
    """Of 400 values 52 % more tens are half as common again, but χ² is 7."""
    rest = np.repeat(np.arange(1, 400, dtype=float), 1)
    beside = np.array([n for n in rest if n % 10 in (1, 9)])
    assert (
        heaping(np.sort(np.concatenate([rest, np.arange(10.0, 250.0, 10.0)]))) is None and len(beside) == 80
    )


@pytest.mark.parametrize(("third", "count"), [(20, 2), (60, 3)])
def test_a_hump_stands_out_by_five_standard_errors(third: int, count: int) -> None:
    rng = np.random.default_rng(2)
    # two that are beyond doubt, and a third of few values: 2 to 5 standard errors, or over 5
    parts = [rng.normal(at, 1, n) for at, n in ((0, 300), (8, 300), (16, third))]
    assert len(humps(np.concatenate(parts))) == count


@pytest.mark.parametrize(("step", "found"), [(3.2, None), (6.0, 30)])
def test_a_level_steps_by_over_four_standard_deviations(step: float, found: int | None) -> None:
    wiggle = np.tile([-1.0, 1.0, -0.5, 0.5, 1.0, -1.0], 10)
    spread = float(np.std(wiggle[:6], ddof=1))
    line = wiggle + np.where(np.arange(60) >= 30, step * spread, 0.0)
    assert level_shift(line) == found


@pytest.mark.parametrize(("rounds", "period"), [(3.9, None), (6, 13)])
def test_an_own_period_needs_four_rounds(rounds: float, period: int | None) -> None:
    rng = np.random.default_rng(3)
    at = np.arange(int(rounds * 13))
    assert own_period(10 * np.sin(2 * np.pi * at / 13) + rng.normal(0, 0.5, len(at))) == period


# ---- words ----


@pytest.mark.parametrize(
    ("r", "word"), [(0.26, "weakly"), (0.34, "clearly"), (0.66, "clearly"), (0.74, "strongly")]
)
def test_how_a_relation_is_called(r: float, word: str) -> None:
    rng = np.random.default_rng(4)
    x, e = rng.normal(size=2_000), rng.normal(size=2_000)
    x, e = (x - x.mean()) / x.std(), e - e.mean()
    e = e - (e @ x) / (x @ x) * x
    e = e / e.std()
    table = table_of(x=x, y=r * x + math.sqrt(1 - r * r) * e)
    found = answer(Relate("y", "x"), Rows(table))
    assert found.correlation.pearson == pytest.approx(r)
    assert f"rises {word} with x" in plain(words_of(found, table).headline)


@pytest.mark.parametrize(("each", "carried"), [(3.2, False), (3.4, True)])
def test_a_group_is_carried_by_three_rows_that_make_up_half_of_it(each: float, carried: bool) -> None:
    values = np.array([each] * 3 + [1.0] * 10)
    got = MeasureFigures(np.array([values.sum()]), np.array([len(values)]), [None])
    found = _carried(Measure("sum", "x"), Cells(values, np.zeros(len(values), dtype=np.int64)), got)
    assert bool(found) == carried == (3 * each / values.sum() >= 0.5)


# ---- a table as a whole ----


@pytest.mark.parametrize(("common", "offered"), [(19, False), (21, True)])
def test_a_key_that_is_not_called_alike_overlaps_by_a_fifth(common: int, offered: bool) -> None:
    left = table_of(stop_code=[f"S{i}" for i in range(100)])
    right = table_of(stop_name=[f"S{i}" for i in range(100 - common, 200 - common)])
    assert bool(likely_keys(left, right)) is offered


@pytest.mark.parametrize(("alone", "told"), [(0, True), (4, False)])
def test_missing_together_is_nine_tenths_of_the_rarer(alone: int, told: bool) -> None:
    a = [None if i < 20 else float(i) for i in range(200)]
    b = [None if alone <= i < 20 + alone else float(i % 7) for i in range(200)]
    text = f"a and b are missing together in {20 - alone} rows."
    assert (text in said(table_of(a=a, b=b, n=[float(i) for i in range(200)]))) is told


@pytest.mark.parametrize(("below", "told"), [(39, True), (41, False)])
def test_of_what_counts_things_few_below_zero_are_suspicious(below: int, told: bool) -> None:
    table = table_of(n=[-1 - i if i < below else i for i in range(200)])
    column = table.columns[0]
    counts = Table(
        key="c",
        name="t",
        columns=[msgspec.structs.replace(column, additive=True)],
        height=200,
        source=table._source,
    )
    assert any("below 0 in n" in text for text in said(counts)) is told


@pytest.mark.parametrize(
    ("serial", "day"),
    [(19_999, None), (20_000, dt.date(1954, 10, 3)), (69_999, dt.date(2091, 8, 24)), (70_000, None)],
)
def test_spreadsheet_dates_lie_between_1954_and_2091(serial: int, day: dt.date | None) -> None:
    found = from_numbers("date", pl.Series([serial, serial], dtype=pl.Float64))
    assert (None if found is None else found.cells[0]) == day
