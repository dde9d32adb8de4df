"""Forecasts: candidates, coverage and totals of made series; agreement of groups; refusals; answers end to end."""

from __future__ import annotations

import datetime as dt
import re

import numpy as np
import polars as pl
import pytest
from msgspec.structs import replace
from statsmodels.datasets import co2

from night_trail.core.conditions import mask
from night_trail.core.errors import BadQuestion
from night_trail.core.language.spans import plain
from night_trail.core.measure import Measure
from night_trail.core.questions.decomposition.answer import DIFFERENT
from night_trail.core.questions.decomposition.question import Decomposition
from night_trail.core.questions.forecast.answer import groups_alone, horizon_for
from night_trail.core.questions.forecast.question import Forecast
from night_trail.core.questions.over_time.question import Event, OverTime
from night_trail.core.questions.registry import answer, check, figures_of, sentence, words_of
from night_trail.core.recipe import apply
from night_trail.core.recipe.steps import PartOf, decode_step
from night_trail.core.rows import Rows
from night_trail.core.sentence import read
from night_trail.core.stats.forecast import ALL, LEVELS, NAIVE, NAIVE_PLAIN, _autoregression, _naive, forecast
from night_trail.core.table import Kind, Table
from tests.core.tables import table_of
from tests.core.test_compare import typed


def seasonal(n: int, seed: int, noise: float = 3.0) -> np.ndarray:
    rng = np.random.default_rng(seed)
    at = np.arange(n)
    return 100 + 0.3 * at + 15 * np.sin(2 * np.pi * at / 12) + rng.normal(0, noise, n)


def test_a_season_and_a_trend_go_on() -> None:
    values = seasonal(120, 1)
    found = forecast(values[:108], 12, (12,))
    expected = 100 + 0.3 * np.arange(108, 120) + 15 * np.sin(2 * np.pi * np.arange(108, 120) / 12)
    assert found is not None and found.better and found.naive == NAIVE
    assert np.abs(found.mean - expected).mean() < 3
    assert {c.name for c in found.candidates} >= {NAIVE, "theta", "exponential smoothing", ALL}
    assert [c.mase for c in found.candidates] == sorted(c.mase for c in found.candidates)


def test_bands_cover_what_they_promise_on_made_series() -> None:
    covered = np.zeros(3)
    count = 12
    for seed in range(count):
        values = seasonal(96, seed)
        found = forecast(values[:84], 12, (12,))
        covered += ((values[84:] >= found.low) & (values[84:] <= found.high)).mean(axis=1)
    half, most, nearly = covered / count
    # the bands are made from six origins, and rather too wide than too narrow
    assert 0.45 <= half <= 0.75 and 0.75 <= most <= 0.95 and 0.92 <= nearly <= 1.0


def test_bands_lie_inside_each_other_and_grow() -> None:
    found = forecast(np.cumsum(np.random.default_rng(3).normal(0, 1, 120)) + 500, 12, (12,))
    wide = found.high - found.low
    assert (np.diff(wide, axis=0) > 0).all() and (np.diff(wide, axis=1) > 0).all()
    assert LEVELS == (50, 80, 95)


def test_a_total_has_an_interval_of_its_own_and_not_the_sum_of_bands() -> None:
    values = seasonal(96, 5)
    found = forecast(values, 12, (12,))
    mean, low, high = found.total(0, 12, 80)
    assert mean == pytest.approx(found.mean.sum())
    # errors of the months partly cancel: the sum is surer than all months at their ends
    assert high - low < 0.8 * float((found.high[1] - found.low[1]).sum())
    sums = found.paths.sum(axis=1)
    assert (low, high) == pytest.approx(tuple(np.quantile(sums, (0.1, 0.9))))
    # one step alone has just its own band
    _, low, high = found.total(3, 4, 80)
    assert (low, high) == pytest.approx((found.low[1][3], found.high[1][3]), abs=1.0)


def test_where_nothing_beats_repeating_it_says_so() -> None:
    walk = np.cumsum(np.random.default_rng(8).normal(0, 1, 80))
    found = [forecast(np.cumsum(np.random.default_rng(k).normal(0, 1, 80)), 8, ()) for k in range(12)]
    assert any(not f.better for f in found)
    for f in found:
        if not f.better:
            assert f.mase >= f.naive_mase
    assert forecast(walk, 8, ()).naive in (NAIVE, NAIVE_PLAIN)


def test_too_little_is_refused() -> None:
    assert forecast(np.array([1.0, 2.0, 3.0]), 2, (12,)) is None
    assert forecast(np.full(40, 7.0), 2, (12,)) is None
    assert forecast(np.full(40, np.nan), 2, (12,)) is None
    assert forecast(np.arange(10.0), 3, (12,)) is not None


def test_counts_do_not_fall_below_nothing_and_growth_is_by_shares() -> None:
    rng = np.random.default_rng(2)
    counts = rng.poisson(1.5, 90).astype(float)
    found = forecast(counts, 14, (7,))
    assert (found.low >= 0).all() and (found.paths >= 0).all()
    grows = 10 * np.exp(np.arange(60) * 0.05) * np.exp(rng.normal(0, 0.05, 60))
    found = forecast(grows, 12, (12,))
    # on the log scale the upper half of a band is the longer one
    assert (found.high[1] - found.mean > found.mean - found.low[1]).all()


def test_gaps_are_no_zeros() -> None:
    values = seasonal(96, 6)
    values[[40, 41, 60]] = np.nan
    found = forecast(values, 12, (12,))
    assert found is not None and (found.mean > 80).all()


def test_what_is_known_of_the_future_moves_the_forecast() -> None:
    rng = np.random.default_rng(4)
    n, h = 200, 20
    holiday = np.zeros((n + h, 1))
    holiday[::23] = 1
    values = 50 + rng.normal(0, 1, n) + 30 * holiday[:n, 0]
    plain_, told = forecast(values, h, (7,)), forecast(values, h, (7,), (holiday[:n], holiday[n:]))
    on = np.flatnonzero(holiday[n:, 0])
    assert (told.mean[on] - plain_.mean[on] > 20).all()
    assert told.mean[on[0] + 1] == pytest.approx(50, abs=4)


@pytest.mark.parametrize("weights", [(0.6,), (0.5, -0.3), (0.3, 0.0, 0.4)])
def test_an_autoregression_is_that_of_statsmodels(weights: tuple[float, ...]) -> None:
    from statsmodels.tsa.ar_model import AutoReg

    noise = np.random.default_rng(3).normal(size=400)
    values = np.zeros(400)
    for i in range(3, 400):
        values[i] = 5 + sum(w * (values[i - k] - 5) for k, w in enumerate(weights, 1)) + noise[i]
    values = values[10:]
    # all orders up to six are fitted to the same values, the first six left out
    theirs = [AutoReg(values, lags=k, hold_back=6).fit() for k in range(7)]
    n = len(values) - 6
    aicc = [
        n * np.log(float((fit.resid**2).mean())) + 2 * (k + 2) + 2 * (k + 2) * (k + 3) / (n - k - 3)
        for k, fit in enumerate(theirs)
    ]
    best = theirs[int(np.argmin(aicc))]
    np.testing.assert_allclose(_autoregression(values, 12), best.forecast(12), rtol=1e-6)


def test_the_naive_method_and_an_autoregression_by_hand() -> None:
    assert _naive(np.array([1.0, 2.0, 3.0, 4.0]), 5, 3).tolist() == [2, 3, 4, 2, 3]
    rng = np.random.default_rng(0)
    values = np.zeros(600)
    for i in range(1, 600):
        values[i] = 0.7 * values[i - 1] + rng.normal()
    ahead = _autoregression(values + 10, 30)
    assert ahead[0] == pytest.approx(10 + 0.7 * values[-1], abs=0.5) and ahead[-1] == pytest.approx(
        10, abs=0.5
    )


# ---- answers ----


def monthly(values: np.ndarray, first: int = 2015, **more: object) -> Table:
    days = [dt.date(first + m // 12, m % 12 + 1, 1) for m in range(len(values))]
    return typed(table_of(month=pl.Series(days), x=values, **more), x={"additive": True})


SUM = Measure("sum", "x")


def test_a_forecast_begins_where_the_covered_periods_end_and_sums_up_its_year() -> None:
    values = seasonal(101, 9)
    table = monthly(values)  # to May 2023
    found = answer(Forecast(SUM, "month", horizon=12), Rows(table))
    assert found.name(found.end) == "June 2023" and found.horizon == 12
    year, so_far, total, low, high = found.rest_of_year
    assert year == 2023 and so_far == pytest.approx(values[96:].sum())
    assert total == pytest.approx(so_far + found.forecast.mean[:7].sum()) and low < total < high
    assert (
        answer(Forecast(SUM, "month", horizon=3), Rows(table)).rest_of_year is None
    )  # it does not reach December
    assert (
        horizon_for(Forecast(SUM, "month"), "month", 101) == 12
        and horizon_for(Forecast(SUM, "month"), "month", 15) == 5
    )
    said = words_of(found, table)
    assert "in 2023, between" in plain(said.headline) and any(f.key.startswith("error:") for f in said.facts)


def test_a_plan_is_held_against_what_happened() -> None:
    values = seasonal(48, 1)
    table = monthly(values, plan=values + 10)
    table = typed(table, x={"additive": True}, plan={"additive": True})
    found = answer(Forecast(SUM, "month", plan="plan"), Rows(table))
    np.testing.assert_allclose(found.plan[:48], values + 10)
    assert "480 below plan in all" in plain(words_of(found, table).headline)


def test_forecasts_of_groups_add_up_to_that_of_all() -> None:
    parts = {g: seasonal(72, k, 2.0) * (k + 1) for k, g in enumerate("abc")}
    months = [dt.date(2018 + m // 12, m % 12 + 1, 1) for m in range(72)]
    table = typed(
        table_of(
            month=pl.Series(months * 3),
            g=[g for g in parts for _ in months],
            x=np.concatenate(list(parts.values())),
        ),
        x={"additive": True},
    )
    question = Forecast(SUM, "month", split="g", horizon=6)
    found = answer(question, Rows(table))
    np.testing.assert_allclose(np.sum([g.mean for g in found.groups], axis=0), found.forecast.mean)
    alone = list(groups_alone(question, Rows(table)))
    assert [a.label for a in alone] == ["a", "b", "c"]
    # what is least sure is moved most
    whole = answer(replace(question, split=None), Rows(table)).forecast
    gap = whole.mean - np.sum([a.mean for a in alone], axis=0)
    moves = np.array([np.abs(np.array(g.mean) - a.mean) for g, a in zip(found.groups, alone, strict=True)])
    widths = np.array([a.wide for a in alone])
    assert (np.argmax(moves, axis=0) == np.argmax(widths, axis=0))[np.abs(gap) > 1e-9].all()
    # bands and totals move along, and a total has the interval of its own joint paths
    for group, one in zip(found.groups, alone, strict=True):
        by = group.mean - np.array(one.mean)
        np.testing.assert_allclose(group.low - np.array(one.low), np.tile(by, (3, 1)), atol=1e-9)
        assert (group.low[2] <= group.low[1]).all() and (group.high[1] <= group.high[2]).all()
        assert group.total is None  # six months do not reach the end of the year
    year = answer(replace(question, horizon=12), Rows(table))
    assert sum(g.total[0] for g in year.groups) == pytest.approx(year.rest_of_year[2])
    for group in year.groups:
        steps = group.high[1] - group.low[1]
        assert steps.max() < group.total[2] - group.total[1] < steps.sum()
    named = {f.key: f.value for f in words_of(year, table).facts}
    assert named["year total:b"] == year.groups[1].total[0]
    made = figures_of(found)
    assert len(made.rows) == 72 + 6 + 3 * 6
    at = made.names.index("80 % from")
    assert [row[at] for row in made.rows[-6:]] == pytest.approx(found.groups[2].low[1].tolist())


def test_holidays_are_shares_of_their_periods() -> None:
    days = [dt.date(2023, 1, 1) + dt.timedelta(days=i) for i in range(120)]
    rng = np.random.default_rng(5)
    feasts = [days[i] for i in range(10, 120, 11)]
    x = [40 + rng.normal() + (25 if d in feasts else 0) for d in days]
    table = typed(table_of(day=pl.Series(days), x=x), x={"additive": True})
    ahead_ = dt.date(2023, 5, 5)
    events = tuple(Event("feast", d.isoformat(), d.isoformat()) for d in [*feasts, ahead_])
    found = answer(Forecast(SUM, "day", "day", horizon=14, events=events), Rows(table))
    at = (ahead_ - days[-1]).days - 1
    assert found.forecast.mean[at] > 55 and found.forecast.mean[at + 1] < 50


def feasts(known_ahead: bool) -> tuple[Table, np.ndarray]:
    """400 days of 100 and 50 more on feasts, and 28 days to come; which of all days are feasts."""
    rng = np.random.default_rng(9)
    feast = rng.random(428) < 0.12
    x = [100 + rng.normal(0, 2) + 50 * f for f in feast[:400]]
    n = 428 if known_ahead else 400
    days = [dt.date(2023, 1, 1) + dt.timedelta(days=i) for i in range(n)]
    columns = {
        "day": pl.Series(days),
        "feast": ["yes" if f else "no" for f in feast[:n]],
        "rain": (np.arange(n) % 9).astype(float),
        "x": pl.Series([*x, *[None] * (n - 400)], dtype=pl.Float64),
        "plan": [120.0] * n,
    }
    kinds = {"feast": {"kind": Kind.YES_NO}, "x": {"additive": True}, "plan": {"additive": True}}
    return typed(table_of(**columns), **kinds), feast


def test_a_yes_no_column_with_rows_to_come_is_known_ahead() -> None:
    table, feast = feasts(known_ahead=True)
    found = answer(Forecast(SUM, "day", "day", known="feast"), Rows(table))
    # rows without a figure are what is to come: the past ends before them, the way ahead with them
    assert (found.end, found.horizon, len(found.values)) == (400, 28, 400)
    ahead_ = feast[400:]
    gap = found.forecast.mean[ahead_].mean() - found.forecast.mean[~ahead_].mean()
    assert gap == pytest.approx(50, abs=4) and found.assumed is None
    blind = answer(Forecast(SUM, "day", "day"), Rows(table))
    # looking back it would have known as well
    assert found.forecast.last[feast[372:400]] == pytest.approx([150] * int(feast[372:400].sum()), abs=4)
    assert feast[372:400].any() and found.forecast.off < 0.5 * blind.forecast.off


def test_without_rows_to_come_no_is_taken_and_said_unless_days_are_named() -> None:
    table, _ = feasts(known_ahead=False)
    question = Forecast(SUM, "day", "day", horizon=14, known="feast")
    found = answer(question, Rows(table))
    assert found.assumed == 400 and found.forecast.mean == pytest.approx([100] * 14, abs=4)
    assert any(
        "From 5 February 2024 on nothing is known of feast" in c for c in words_of(found, table).cautions
    )
    day = dt.date(2023, 1, 1) + dt.timedelta(days=405)
    named = answer(replace(question, events=(Event("feast", str(day), str(day)),)), Rows(table))
    assert named.assumed is None and named.forecast.mean[5] == pytest.approx(150, abs=6)
    assert named.forecast.mean[6] == pytest.approx(100, abs=4)


def test_a_number_is_known_ahead_only_with_its_values() -> None:
    table, _ = feasts(known_ahead=False)
    with pytest.raises(BadQuestion, match="“rain” has no rows in 5 February 2024"):
        answer(Forecast(SUM, "day", "day", known="rain"), Rows(table))
    with pytest.raises(BadQuestion, match="not known ahead"):
        check(Forecast(SUM, "day", known="x"), table)
    days = table.series("day")
    with pytest.raises(BadQuestion, match="is date"):
        check(Forecast(Measure("count"), "day", known="other"), table_of(day=days, other=days))
    table, _ = feasts(known_ahead=True)
    question = Forecast(SUM, "day", "day", known="rain")
    assert answer(question, Rows(table)).forecast.mean == pytest.approx([106] * 28, abs=25)
    assert read(str(sentence(question, table)), table)[0] == question


def test_a_plan_to_come_is_held_against_the_forecast() -> None:
    table, _ = feasts(known_ahead=True)
    found = answer(Forecast(SUM, "day", "day", plan="plan"), Rows(table))
    assert found.plan.tolist() == [120.0] * 428
    off = found.forecast.mean.sum() - 28 * 120
    assert off < 0
    words = plain(words_of(found, table).headline)
    assert re.search(rf"Over 28 planned days to come it is expected {-off:.4g}\d* below plan", words)
    # and no picture takes days without a figure for days of nothing
    line = answer(OverTime(SUM, "day", "day"), Rows(table)).together.values
    assert np.isnan(line[400:]).all() and not np.isnan(line[:400]).any()


def test_a_month_that_figures_break_off_in_is_unfinished_though_rows_go_on() -> None:
    table, _ = feasts(known_ahead=True)  # figures end on 4 February 2024, rows on 3 March
    line = answer(OverTime(SUM, "day", "month"), Rows(table))
    assert [line.name(i) for i in np.flatnonzero(~line.whole)] == ["February 2024", "March 2024"]
    parts = answer(Decomposition(SUM, "day", "month"), Rows(table))
    assert parts.name(len(parts.values) - 1) == "February 2024" and not parts.whole[-1]
    assert len(parts.parts.values) == 13
    found = answer(Forecast(SUM, "day", "month"), Rows(table))
    assert found.name(found.end) == "February 2024" and found.end == 13


def test_no_forecast_is_said_with_its_reason() -> None:
    table = monthly(np.arange(6.0))
    found = answer(Forecast(SUM, "month"), Rows(table))
    assert found.forecast is None
    assert "only 6 whole periods" in plain(words_of(found, table).headline)
    same = monthly(np.full(40, 3.0))
    assert "the same in every period" in plain(
        words_of(answer(Forecast(SUM, "month"), Rows(same)), same).headline
    )


def test_a_spike_says_what_was_different_on_its_rows() -> None:
    rng = np.random.default_rng(7)
    days = [dt.date(2024, 1, 1) + dt.timedelta(days=i) for i in range(90) for _ in range(6)]
    storm = dt.date(2024, 2, 20)
    x = [100 + rng.normal() + (80 if d == storm else 0) for d in days]
    rain = [12.0 + rng.normal() if d == storm else rng.normal(1, 0.5) for d in days]
    table = typed(
        table_of(day=pl.Series(days), x=x, rain=rain, dull=rng.normal(0, 1, len(days)).tolist()),
        rain={"unit": "mm"},
    )
    found = answer(Decomposition(Measure("mean", "x"), "day"), Rows(table))
    spike = found.spikes[0]
    assert found.name(spike.at) == "20 February 2024" and spike.by == pytest.approx(80, abs=5)
    assert [d.column.name for d in spike.different] == ["rain"] and spike.different[0].effect > DIFFERENT
    assert int(mask(found.condition(spike.at), table).sum()) == 6
    assert "on its rows rain is" in plain(words_of(found, table).headline)


def test_a_part_is_a_column_by_a_recipe_step() -> None:
    values = co2.load().data["co2"].resample("MS").mean().dropna().to_numpy()[:120]
    days = [dt.date(1990 + m // 12, m % 12 + 1, 1) for m in range(120)]
    table = table_of(day=pl.Series(days), x=values)
    question = Decomposition(Measure("mean", "x"), "day", "month", "added")
    found = answer(question, Rows(table))
    made = {
        p: apply([PartOf(p, p, question)], table).table("t").series(p).to_numpy()
        for p in ("trend", "season", "rest", "adjusted")
    }
    np.testing.assert_allclose(made["trend"], found.parts.trend)
    np.testing.assert_allclose(made["trend"] + made["season"] + made["rest"], values, rtol=1e-9)
    np.testing.assert_allclose(made["adjusted"], values - made["season"], rtol=1e-9)
    step = decode_step(
        '{"step":"part of","name":"t","part":"trend","question":{"measure":{"column":"x"},"time":"day"}}'
    )
    assert step.words() == "t is the trend of x over day"


def test_the_shape_of_a_season_goes_round_the_calendar() -> None:
    days = [dt.date(2024, 1, 3) + dt.timedelta(days=i) for i in range(140)]
    x = [10.0 + (5 if d.weekday() == 5 else 0) + 0.01 * i for i, d in enumerate(days)]
    table = table_of(day=pl.Series(days), x=x)
    found = answer(Decomposition(Measure("mean", "x"), "day", "day"), Rows(table))
    names, mean, low, high = found.season_shape()
    assert names[int(np.argmax(mean))] == "Saturday" and (low <= mean).all() and (mean <= high).all()
