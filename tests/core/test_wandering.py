"""Seasons, trends, changes and spikes: on series that only wander, and on made ones whose truth is known.

The rates are those of docs/statistics.md; seeds are fixed, and the numbers of
series small enough for every run. ``bench.wandering`` counts on more.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pytest
from scipy.signal import lfilter

from night_trail.core.language.spans import plain
from night_trail.core.measure import Measure
from night_trail.core.questions.decomposition.question import Decomposition
from night_trail.core.questions.registry import answer, words_of
from night_trail.core.rows import Rows
from night_trail.core.stats.changes import changes
from night_trail.core.stats.decompose import seasons_of, take_apart
from night_trail.core.stats.seasons import chance, own_period
from night_trail.core.stats.spikes import spikes
from tests.core.tables import table_of


def wandering(rng: np.random.Generator, n: int, tied: float) -> np.ndarray:
    if tied == 1:
        return np.cumsum(rng.normal(size=n))
    return lfilter([1], [1, -tied], rng.normal(size=n + 200))[200:]


def wave(n: int, period: int) -> np.ndarray:
    at = 2 * np.pi * np.arange(n) / period
    found = np.cos(at) + 0.5 * np.sin(2 * at + 1)
    return found / found.std()


@pytest.mark.parametrize(("n", "candidates"), [(365, (7,)), (730, (7, 365)), (120, (12,)), (720, (24, 168))])
def test_what_wanders_has_no_season(n: int, candidates: tuple[int, ...]) -> None:
    rng = np.random.default_rng(n)
    seen = {
        tied: sum(bool(seasons_of(wandering(rng, n, tied), candidates)) for _ in range(40))
        for tied in (0.8, 0.95, 1.0)
    }
    assert max(seen.values()) <= 4 and sum(seen.values()) <= 6, seen  # 5 of 100, on 120 series
    white = sum(bool(seasons_of(rng.normal(size=n), candidates)) for _ in range(100))
    assert white <= 3, white


@pytest.mark.parametrize(
    ("n", "period", "tied"), [(730, 7, 0.0), (730, 7, 0.5), (1461, 365, 0.0), (1440, 24, 0.0)]
)
def test_a_planted_season_of_a_twentieth_of_the_variance_is_found(n: int, period: int, tied: float) -> None:
    # a slow wave in red noise of its own speed cannot be told from it
    rng = np.random.default_rng(period)
    found = 0
    for _ in range(20):
        noise = wandering(rng, n, tied)
        found += period in seasons_of(noise + wave(n, period) * noise.std() * np.sqrt(0.05 / 0.95), (period,))
    assert found >= 19


def test_a_cycle_that_only_nearly_fits_is_no_season_and_two_steps_are_none() -> None:
    rng = np.random.default_rng(2)
    t = np.arange(730)
    # not quite a week
    assert seasons_of(np.cos(2 * np.pi * t / 7.6) + rng.normal(0, 0.5, 730), (7,)) == ()
    steps = rng.normal(size=730) + np.select([t < 243, t < 486], [0.0, 8.0], 3.0)
    assert 365 not in seasons_of(steps, (7, 365))


def test_red_noise_keeps_its_level() -> None:
    """p is uniform enough: about one in twenty wandering series is under 0.05."""
    rng = np.random.default_rng(8)
    low = sum(chance(wandering(rng, 300, 0.9), 7)[0] < 0.05 for _ in range(100))
    assert 1 <= low <= 11


def test_short_yearly_series_have_no_period_of_their_own() -> None:
    rng = np.random.default_rng(3)
    assert not any(own_period(wandering(rng, 30, 0.9)) for _ in range(50))
    assert sum(own_period(wandering(rng, 80, 0.9)) is not None for _ in range(60)) <= 3


@pytest.mark.parametrize("tied", [0.0, 0.7, 1.0])
def test_a_trend_rises_only_beyond_chance(tied: float) -> None:
    rng = np.random.default_rng(11)
    claims = sum(take_apart(wandering(rng, 150, tied), (12,)).moves for _ in range(30))
    assert claims <= 4
    rising = sum(
        take_apart(wandering(rng, 150, min(tied, 0.7)) + np.arange(150) / 15, (12,)).moves for _ in range(12)
    )
    assert rising >= 11


def test_no_trend_is_said_of_a_series_without_one() -> None:
    rng = np.random.default_rng(1)
    months = np.datetime64("2015-01") + np.arange(96)
    days = months.astype("datetime64[D]").tolist()
    flat = table_of(day=days, x=100 + rng.normal(0, 3, 96))
    said = plain(words_of(answer(Decomposition(Measure("sum", "x"), "day"), Rows(flat)), flat).headline)
    assert "There is no trend to speak of" in said and "No season shows" in said and "rises" not in said
    risen = table_of(day=days, x=100 + rng.normal(0, 3, 96) + np.arange(96) * 0.5)
    said = plain(words_of(answer(Decomposition(Measure("sum", "x"), "day"), Rows(risen)), risen).headline)
    assert "The trend rises from" in said


# ---- changes ----


def score(found: list[int], truth: list[int], within: int) -> tuple[int, int, int]:
    left, hits = list(truth), 0
    for at in found:
        near = [t for t in left if abs(t - at) <= within]
        if near:
            left.remove(near[0])
            hits += 1
    return hits, len(found) - hits, len(left)


@pytest.mark.parametrize(("n", "periods", "within"), [(730, (7, 365), 8), (120, (12,), 3), (200, (), 5)])
@pytest.mark.parametrize("tied", [0.0, 0.5])
def test_shifts_and_breaks_are_found_beside_long_seasons(
    n: int, periods: tuple[int, ...], within: int, tied: float
) -> None:
    rng = np.random.default_rng(n)
    season = sum((4 * wave(n, p) for p in periods), np.zeros(n))
    counts = np.zeros((2, 3), dtype=int)
    for k in range(12):
        noise = wandering(rng, n, tied)
        at = int(rng.integers(n // 3, 2 * n // 3))
        if k % 2:
            values = noise + season + np.where(np.arange(n) >= at, 20.0, 0.0)
            found = changes(values, 6, periods).changes
            # one step of 20 is one step of 20
            assert any(abs(c.step - 20) < 3 for c in found if c.level)
            counts[0] += score([c.at for c in found], [at], within)
        else:
            values = noise + season + np.maximum(np.arange(n) - at, 0) * (60 / n)
            found = changes(values, 6, periods).changes
            counts[1] += score([c.at for c in found if not c.level], [at], n // 12)
            counts[1][1] += sum(c.level for c in found)
    for hits, wrong, missed in counts.tolist():
        assert 2 * hits / (2 * hits + wrong + missed) >= 0.85


@pytest.mark.parametrize(
    "make",
    [
        lambda rng, n: rng.normal(size=n),
        lambda rng, n: wandering(rng, n, 0.5),
        lambda rng, n: wandering(rng, n, 1.0),
        lambda rng, n: np.exp(np.linspace(0, 3, n)) + rng.normal(size=n),
        lambda rng, n: 5 * np.sin(np.linspace(0, 6, n)) + rng.normal(size=n),
    ],
    ids=["white", "tied", "wandering", "growing", "curved"],
)
def test_what_does_not_change_at_one_time_has_no_change(make: Callable[..., np.ndarray]) -> None:
    rng = np.random.default_rng(5)
    found = sum(bool(changes(make(rng, 150), 6, (12,)).changes) for _ in range(30))
    assert found <= 4


# ---- spikes ----


@pytest.mark.parametrize(
    ("make", "most", "least"),
    [
        (lambda rng, n: rng.normal(size=n), 0.5, 0.9),
        (lambda rng, n: rng.gamma(3, 1, n), 0.8, 0.8),
        (lambda rng, n: wandering(rng, n, 1.0), 0.6, 0.85),
        (lambda rng, n: rng.normal(size=n) * (1 + 3 * (np.arange(n) % 365 < 180)), 1.5, 0.85),
    ],
    ids=["even", "skewed", "wandering", "restless half the year"],
)
def test_spikes_are_those_that_were_planted(
    make: Callable[..., np.ndarray], most: float, least: float
) -> None:
    rng = np.random.default_rng(9)
    n, none = 500, 0
    counts = np.zeros(3, dtype=int)
    for _ in range(30):
        values = make(rng, n)
        none += int(spikes(values).sum())
        at = rng.choice(np.arange(8, n - 8), 5, replace=False)
        # so many times what neighbours around the place differ by
        size = np.array([np.std(np.diff(values[i - 8 : i + 9])) / np.sqrt(2) for i in at])
        values[at] += rng.uniform(9, 14, 5) * size
        counts += score(np.flatnonzero(spikes(values)).tolist(), at.tolist(), 0)
    hits, wrong, missed = counts.tolist()
    assert none / 30 <= most
    assert 2 * hits / (2 * hits + wrong + missed) >= least


@pytest.mark.parametrize(
    "make",
    [
        lambda rng, n: np.array([rng.lognormal(0, 1.5, k).sum() for k in rng.poisson(2, n)]),
        lambda rng, n: rng.lognormal(0, 1.0, n),
        lambda rng, n: -rng.lognormal(0, 1.5, n),
        lambda rng, n: rng.exponential(size=n),
    ],
    ids=["sums of a few", "amounts", "losses", "waits"],
)
def test_what_is_only_lopsided_has_no_spikes(make: Callable[..., np.ndarray]) -> None:
    rng = np.random.default_rng(3)
    assert sum(bool(spikes(make(rng, 365)).any()) for _ in range(40)) <= 8


def test_a_step_has_no_spikes_and_a_stretch_that_stands_out_is_one() -> None:
    rng = np.random.default_rng(4)
    step = rng.normal(size=300) + np.where(np.arange(300) >= 150, 20.0, 0.0)
    assert spikes(step).sum() <= 1
    stretch = rng.normal(size=300)
    stretch[100:108] += 12
    assert spikes(stretch)[100:108].all() and spikes(stretch).sum() <= 9


# ---- added or multiplied ----


@pytest.mark.parametrize(("n", "periods"), [(120, (12,)), (730, (7,))])
@pytest.mark.parametrize("way", ["added", "multiplied"])
def test_parts_are_joined_as_they_were_made(n: int, periods: tuple[int, ...], way: str) -> None:
    rng = np.random.default_rng(7)
    right = 0
    for _ in range(10):
        trend = 100 * (1 + 1.5 * np.arange(n) / n)
        season = sum(wave(n, p) for p in periods)
        if way == "added":
            values = trend + 12 * season + rng.normal(0, 6, n)
        else:
            values = trend * np.exp(0.15 * season + rng.normal(0, 0.06, n))
        right += take_apart(values, periods).way == way
    assert right >= 9


def test_gaps_have_no_season_of_their_own_and_hide_none() -> None:
    rng = np.random.default_rng(11)
    claimed = found = 0
    for _ in range(25):
        gaps = rng.random(700) < 0.5
        claimed += bool(take_apart(np.where(gaps, np.nan, rng.normal(size=700)), (7, 365)).periods)
        week = 0.5 * np.sin(2 * np.pi * np.arange(700) / 7)
        found += 7 in take_apart(np.where(gaps, np.nan, week + rng.normal(size=700)), (7, 365)).periods
    assert claimed <= 1 and found >= 23
