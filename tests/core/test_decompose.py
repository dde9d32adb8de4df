"""Series taken apart, against statsmodels on its shipped series; changes and spikes of made series."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from statsmodels.datasets import co2, elnino, nile, sunspots
from statsmodels.tsa.seasonal import MSTL, STL

from night_trail.core.stats.changes import changes
from night_trail.core.stats.decompose import fitted, interpolated, seasons_of, take_apart
from night_trail.core.stats.spikes import spikes

RNG = np.random.default_rng(4)


@pytest.fixture(scope="module")
def carbon() -> np.ndarray:
    return co2.load().data["co2"].resample("MS").mean().interpolate().to_numpy()


def test_stl_is_that_of_statsmodels(carbon: np.ndarray) -> None:
    found = take_apart(carbon, (12,), "added")
    expected = STL(carbon, period=12, robust=True).fit()
    assert found is not None and found.periods == (12,)
    np.testing.assert_allclose(found.trend, expected.trend)
    np.testing.assert_allclose(found.seasons[0], expected.seasonal)
    np.testing.assert_allclose(found.rest, expected.resid)
    # strengths after Wang, Smith & Hyndman, by hand
    rest, season = np.asarray(expected.resid), np.asarray(expected.seasonal)
    assert found.strengths[0] == pytest.approx(1 - rest.var() / (rest + season).var())


def test_several_seasons_are_those_of_mstl() -> None:
    n = np.arange(24 * 7 * 6)
    values = 50 + 8 * np.sin(2 * np.pi * n / 24) + 5 * np.cos(2 * np.pi * n / 168) + RNG.normal(0, 1, len(n))
    found = fitted(values, (24, 168))
    expected = MSTL(
        values, periods=(24, 168), stl_kwargs={"seasonal_jump": 2, "trend_jump": 6, "low_pass_jump": 6}
    ).fit()
    np.testing.assert_allclose(found.trend, expected.trend)
    np.testing.assert_allclose(np.array(found.seasons).T, expected.seasonal)
    assert seasons_of(values, (24, 168)) == (24, 168)


@pytest.mark.parametrize(
    ("values", "candidates", "expected"),
    [
        (elnino.load_pandas().data.set_index("YEAR").to_numpy().ravel(), (12,), (12,)),
        (nile.load_pandas().data["volume"].to_numpy(), (), ()),
        (RNG.normal(0, 1, 400), (7, 365), ()),
    ],
)
def test_seasons_are_seen_where_they_are(
    values: np.ndarray, candidates: tuple[int, ...], expected: tuple[int, ...]
) -> None:
    assert seasons_of(values, candidates) == expected


def test_a_cycle_the_calendar_does_not_know_is_found_by_its_autocorrelation() -> None:
    found = seasons_of(sunspots.load_pandas().data["SUNACTIVITY"].to_numpy(), ())
    assert found and 10 <= found[0] <= 11


@settings(max_examples=20)
@given(st.integers(24, 150), st.sampled_from([(), (4,), (12,)]), st.integers(0, 2**31))
def test_the_parts_make_up_the_values(n: int, candidates: tuple[int, ...], seed: int) -> None:
    rng = np.random.default_rng(seed)
    values = rng.gamma(3, 2, n) + 5 * np.sin(np.arange(n) * 2 * np.pi / 12)
    values[rng.random(n) < 0.1] = np.nan
    for way in ("added", "multiplied"):
        found = take_apart(values, candidates, way)
        if found is None:
            continue
        whole = (
            found.trend + found.season + found.rest
            if found.way == "added"
            else found.trend * found.season * found.rest
        )
        np.testing.assert_allclose(whole, found.values, rtol=1e-6, atol=1e-9)
        has = ~np.isnan(values)
        np.testing.assert_allclose(found.values[has], values[has])
        assert found.filled.tolist() == (~has).tolist()


def test_what_swings_with_its_level_is_multiplied_and_what_does_not_is_added() -> None:
    n = np.arange(144)
    level = 100 * np.exp(n / 60)
    swings = level * (1 + 0.3 * np.sin(2 * np.pi * n / 12)) * np.exp(RNG.normal(0, 0.08, 144))
    steady = 100 + n + 20 * np.sin(2 * np.pi * n / 12) + RNG.normal(0, 3, 144)
    assert take_apart(swings, (12,)).way == "multiplied"
    assert take_apart(steady, (12,)).way == "added"
    asked = take_apart(swings, (12,), "added")
    assert asked.way == "added" and not asked.chosen_way


def test_too_little_is_not_taken_apart() -> None:
    assert take_apart(np.array([1.0, 2.0, 3.0]), (12,)) is None
    assert take_apart(np.full(30, 4.0), (12,)) is None
    assert take_apart(np.full(30, np.nan), (12,)) is None


@pytest.mark.parametrize("size", [-15.0, 20.0])
def test_a_change_of_level_is_dated_with_its_size(size: float) -> None:
    values = 100 + RNG.normal(0, 3, 200)
    values[120:] += size
    found = changes(values, 10).changes
    assert len(found) == 1 and found[0].level
    assert abs(found[0].at - 120) <= 2 and found[0].step == pytest.approx(size, abs=3)


def test_a_change_of_slope_is_no_change_of_level() -> None:
    n = np.arange(200.0)
    values = np.where(n < 100, n * 0.1, 10 + (n - 100) * 0.8) + RNG.normal(0, 0.5, 200)
    found = changes(values, 10).changes
    assert len(found) == 1 and not found[0].level and abs(found[0].at - 100) <= 8
    assert found[0].slope_before == pytest.approx(0.1, abs=0.05)
    assert found[0].slope_after == pytest.approx(0.8, abs=0.05)


def test_noise_does_not_change_even_where_it_clings_to_itself() -> None:
    quiet = sum(not changes(np.random.default_rng(k).normal(0, 1, 150), 6).changes for k in range(40))
    assert quiet >= 39
    tied = 0
    for k in range(30):
        noise = np.random.default_rng(k).normal(0, 1, 200)
        for i in range(1, 200):
            noise[i] += 0.5 * noise[i - 1]
        tied += not changes(noise, 6).changes
    assert tied >= 28


def test_the_nile_fell_in_1899() -> None:
    values = nile.load_pandas().data["volume"].to_numpy()
    found = changes(values, 5).changes
    assert [1871 + c.at for c in found] in ([1898], [1899], [1900]) and found[0].step < -150


def test_spikes_by_hand() -> None:
    rest = np.array([0.1, -0.2, 0.0, 0.3, -0.1, 9.0, np.nan, 0.2, -0.3])
    assert np.flatnonzero(spikes(rest)).tolist() == [5]
    assert not spikes(np.zeros(9)).any() and not spikes(np.array([1.0, 50.0])).any()


def test_gaps_are_bridged() -> None:
    assert interpolated(np.array([1.0, np.nan, 3.0])).tolist() == [1.0, 2.0, 3.0]


def test_a_step_is_no_spike_though_the_trend_smooths_it_and_a_spike_is_no_step() -> None:
    rng = np.random.default_rng(6)
    steps = rng.normal(10, 0.3, 96) + np.select([np.arange(96) < 40, np.arange(96) < 64], [0, 9], 20)
    found = take_apart(steps, (12,), "added")
    assert [c.at for c in found.changes if c.level] == [40, 64]
    assert [c.step for c in found.changes] == pytest.approx([9, 11], abs=1.5)
    lone = rng.normal(10, 0.3, 96)
    lone[50] += 12
    found = take_apart(lone, (12,), "added")
    assert found.changes == () and 50 in np.flatnonzero(found.spikes)


def test_one_odd_fortnight_is_not_taken_for_the_season_of_the_year() -> None:
    """Ten days at half of what is usual, once in four years, stand out there and nowhere else."""
    rng = np.random.default_rng(12)
    at = np.arange(4 * 365)
    usual = 700 + 150 * np.sin(2 * np.pi * at / 365) + np.tile([0, 0, 20, 40, 150, 200, 60], 209)[: len(at)]
    values = usual + rng.normal(0, 15, len(at))
    odd = slice(430, 440)
    values[odd] *= 0.5
    found = take_apart(values, (7, 365), "added")
    assert found is not None and found.periods == (7, 365)
    season = found.seasons[1]
    for other in (odd.start - 365, odd.start + 365, odd.start + 730):
        near = season[other : other + 10] - 150 * np.sin(2 * np.pi * at[other : other + 10] / 365)
        assert np.abs(near).max() < 45, "the odd days are no part of other years"
    assert found.spikes[odd].all() and found.spikes.sum() < 25
    assert not [c for c in found.changes if c.level]


def test_a_gap_between_two_days_that_were_cut_off_is_no_fall_of_level() -> None:
    rng = np.random.default_rng(8)
    at = np.arange(3 * 365)
    values = (
        700 + 80 * np.sin(2 * np.pi * at / 365) + 40 * np.isin(at % 7, (4, 5)) + rng.normal(0, 15, len(at))
    )
    values[400:414] = np.nan
    values[[399, 414]] = 120.0
    found = take_apart(values, (7, 365))
    assert found is not None and found.changes == () and found.periods == (7, 365)
    assert {399, 414} <= set(np.flatnonzero(found.spikes).tolist())
