"""Whether a series has a season, or only wanders.

A wandering series is like itself a little later, and so at every lag: its
autocorrelation alone shows seasons that are none. Here a season is held against
red noise fitted to the same series.
"""

from __future__ import annotations

import numpy as np
from scipy import special

from night_trail.core.table import Floats

SURE = 0.005
"""How unlikely a season must be by chance: with two candidates, so in one of a hundred white series."""

MOST_ORDER = 3
WINSOR = 3.5
LOW = 0.04
"""Cycles a step below which a wave moves as slowly as a trend, and takes persistence for its own."""

SHORT = 24
LEAST_TIED = 8
"""Values with all of those before them, under which no autoregression is fitted."""

FEW_ROUNDS, ALIKE = 4, 0.5
"""With so few rounds the earlier and the later ones must agree: a step seen once is no season."""


def waves(n: int, period: int, order: int) -> Floats:
    """Return cosines and sines of a period and its overtones, one a column."""
    at = np.arange(n)
    found = []
    for k in range(1, order + 1):
        if 2 * k == period:
            found.append(np.cos(np.pi * at))
        else:
            found += [np.cos(2 * np.pi * k * at / period), np.sin(2 * np.pi * k * at / period)]
    return np.column_stack(found)


def overtones(n: int, period: int) -> int:
    """Return how many overtones a season is fitted with: all of a short one, a few of a long one."""
    if period <= 12:
        return max(1, period // 2)
    if period <= SHORT:
        return 6
    return min(6 if period <= 60 else 4, max(1, n // 40))


def shown(values: Floats, period: int, others: tuple[int, ...] = ()) -> bool:
    """Whether a season of this period shows in a series, NaN for gaps, beside ``others`` found before.

    Its waves must explain more than red noise would (``chance``), more than
    those of neighbouring periods that can be told apart, and, where there are
    few rounds, the same in the earlier ones as in the later.
    """
    n = len(values)
    p, gain = chance(values, period, others)
    if p >= SURE:
        return False
    rounds = n / period
    apart = max(1, int(np.ceil(period / rounds)))
    for near in (period - apart, period + apart):
        taken = any(near % q == 0 or q % near == 0 for q in (*others, period)) if near > 1 else True
        if near >= 2 and not taken and 2 * near <= n and chance(values, near, others)[1] > gain:
            return False
    return rounds >= FEW_ROUNDS or _repeats(values, period)


def chance(
    values: Floats, period: int, others: tuple[int, ...] = (), most: int = MOST_ORDER, order: int = 0
) -> tuple[float, float]:
    """Return p that red noise shows such a season, and the F statistic it is of.

    The season's waves and a quadratic trend are fitted by least squares with
    errors that are an autoregression of order 0 to 3, by BIC (Cochrane & Orcutt
    1949); under no season F has its usual distribution. Fitting waves as slow
    as a trend takes persistence away: the autoregression is corrected for it
    (Kendall 1954; after a unit root its bias grows with each such wave). What
    stands out is pulled in, so that a few odd values make no season and hide none. Gaps
    are left out: what they were filled with would be like the season it was filled by.
    """
    n, has = len(values), ~np.isnan(values)
    if 2 * period > n or np.count_nonzero(has) < 12 or float(np.ptp(values[has])) == 0:
        return 1.0, 0.0
    at = np.linspace(-1, 1, n)
    own = waves(n, period, order or overtones(n, period))
    beside = [waves(n, q, overtones(n, q)) for q in others if q != period]
    every = np.column_stack([np.ones(n), at, at * at, *beside, own])
    if every.shape[1] + 8 > np.count_nonzero(has):
        return 1.0, 0.0
    slow = 3 + 2 * sum(sum(k / q < LOW for k in range(1, overtones(n, q) + 1)) for q in (*others, period))
    rest = values - every @ np.linalg.lstsq(every[has], values[has], rcond=None)[0]
    tied = _tied(_pulled(rest), min(most, max(1, n // 20)), slow)
    y, x = _freed(values, tied), _freed(every, tied)
    known = ~np.isnan(y)
    y, x = y[known], x[known]
    fit = x @ np.linalg.lstsq(x, y, rcond=None)[0]
    y = fit + _pulled(y - fit, around=0.0)
    full = _squares(x, y)
    plain = _squares(x[:, : -own.shape[1]], y)
    freedom = len(y) - x.shape[1]
    if freedom < 5 or full <= 1e-12 * float(y @ y):
        return (0.0, np.inf) if plain > full and freedom >= 5 else (1.0, 0.0)
    gain = max(0.0, (plain - full) / own.shape[1] / (full / freedom))
    return float(special.fdtrc(own.shape[1], freedom, gain)), gain


def own_period(values: Floats) -> int | None:
    """Return the period after which a series of no known season repeats itself; None where none shows.

    The period at which it is most like itself, where one or two waves of it
    explain more than red noise of order 1 does, with the number of periods that
    were looked at taken into account (Bonferroni). Under 40 values or four
    rounds none is looked for.

    Shape (periods,), NaN for gaps.
    """
    n, has = len(values), ~np.isnan(values)
    if np.count_nonzero(has) < 40:
        return None
    at = np.linspace(-1, 1, n)
    trend = np.column_stack([np.ones(n), at, at * at])
    rest = values - trend @ np.linalg.lstsq(trend[has], values[has], rcond=None)[0]
    rest = np.where(has, rest, 0.0)
    whole = float(rest @ rest)
    lags = np.arange(2, n // 4 + 1)
    like = np.array([float(rest[:-lag] @ rest[lag:]) for lag in lags]) / (whole or 1.0)
    peaks = [i for i in range(1, len(like) - 1) if like[i] >= like[i - 1] and like[i] > like[i + 1]]
    best = max(peaks, key=lambda i: like[i], default=None)
    if best is None or like[best] <= 0.3:
        return None
    period = int(lags[best])
    p, _ = chance(values, period, most=1, order=min(2, period // 2))
    return period if p * len(lags) < SURE else None


def _tied(rest: Floats, most: int, slow: int) -> Floats:
    """Return the coefficients of the autoregression that BIC chooses, corrected for waves fitted before."""
    n = len(rest)
    best = np.inf
    chosen: Floats = np.empty(0)
    # each value with those before it, where none of them is a gap
    rows = np.column_stack([rest[most - j : n - j] for j in range(most + 1)])
    rows = rows[~np.isnan(rows).any(axis=1)]
    if len(rows) < LEAST_TIED:
        return _tied(rest, most - 1, slow) if most > 1 else chosen
    for order in range(most + 1):
        found, fresh = np.zeros(0), rows[:, 0]
        if order:
            x = rows[:, 1 : order + 1]
            found = np.asarray(np.linalg.lstsq(x, rows[:, 0], rcond=None)[0], dtype=np.float64)
            fresh = rows[:, 0] - x @ found
        bic = len(fresh) * np.log(max(float(fresh @ fresh) / len(fresh), 1e-300)) + order * np.log(len(fresh))
        if bic < best:
            best, chosen = bic, found
    if len(chosen):
        whole = float(chosen.sum())
        upward = max(whole, 0.0)
        chosen = chosen.copy()
        chosen[0] += min(1.0, whole + (1 + 3 * upward + 4 * slow * upward**2) / n) - whole
    return chosen


def _freed(values: Floats, tied: Floats) -> Floats:
    """Return values, or columns of them, without what the values before say of each."""
    found = values[len(tied) :].copy()
    for j, part in enumerate(tied, 1):
        found -= part * values[len(tied) - j : len(values) - j]
    return found


def _pulled(rest: Floats, around: float | None = None) -> Floats:
    middle = float(np.nanmedian(rest)) if around is None else around
    spread = 1.4826 * float(np.nanmedian(np.abs(rest - middle)))
    return np.clip(rest, middle - WINSOR * spread, middle + WINSOR * spread) if spread > 0 else rest


def _squares(x: Floats, y: Floats) -> float:
    off = y - x @ np.linalg.lstsq(x, y, rcond=None)[0]
    return float(off @ off)


def _repeats(values: Floats, period: int) -> bool:
    """Whether the season of the first rounds is like that of the last."""
    n = len(values)
    half = max(period, n // 2)
    shapes = []
    order = min(overtones(n, period), max(1, half // 20))
    season = waves(period, period, order)
    for start in (0, n - half):
        part, at = values[start : start + half], np.arange(start, start + half)
        # phases count from the beginning of the series
        own = waves(start + half, period, order)[start:]
        x, known = np.column_stack([np.ones(half), at - at.mean(), own]), ~np.isnan(part)
        shapes.append(season @ np.linalg.lstsq(x[known], part[known], rcond=None)[0][2:])
    a, b = shapes
    size = float(np.sqrt((a @ a) * (b @ b)))
    return size > 0 and float(a @ b) / size >= ALIKE
