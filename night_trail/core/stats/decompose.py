"""A series taken apart: trend, seasons, remainder, and how much each explains."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

import numpy as np

from night_trail.core.stats.changes import Change, changes, spikes
from night_trail.core.table import Bools, Floats

Way = Literal["added", "multiplied"]
LEAST = 8
"""Fewer values are not taken apart."""

MOST = 20_000
MOST_ROBUST = 60
"""Longer seasons are not fitted robustly point by point, which would take seconds."""

SEEN = 0.1
"""A season whose strength is less is not one."""

EVEN = 0.1
"""How much more even the remainder must be before the parts are multiplied."""


@dataclass(frozen=True)
class Apart:
    """The parts of a series: added up (multiplied) they give its values, gaps filled.

    ``seasons`` are those of ``periods``, the shortest first. ``filled`` marks
    values that were gaps. Strengths lie between 0 and 1 (Wang, Smith & Hyndman
    2006): how much of what trend (season) and remainder vary together the
    remainder leaves over.
    """

    values: Floats
    filled: Bools
    trend: Floats
    seasons: tuple[Floats, ...]
    rest: Floats
    periods: tuple[int, ...]
    way: Way
    trend_strength: float
    strengths: tuple[float, ...]
    changes: tuple[Change, ...]
    spikes: Bools
    chosen_way: bool
    unevenness: tuple[float, float]

    @property
    def season(self) -> Floats:
        """All seasons together."""
        if not self.seasons:
            return np.zeros(len(self.values)) if self.way == "added" else np.ones(len(self.values))
        together = np.sum if self.way == "added" else np.prod
        return np.asarray(together(self.seasons, axis=0))

    @property
    def adjusted(self) -> Floats:
        """The values without their seasons."""
        return self.values - self.season if self.way == "added" else self.values / self.season


def take_apart(values: Floats, candidates: tuple[int, ...], way: Way | None = None) -> Apart | None:
    """Return a series taken apart; None where it is too short or does not vary.

    STL (Cleveland et al. 1990) for one season, MSTL (Bandara, Hyndman &
    Bergmeir 2021) for several, robust against spikes. Of the candidate periods
    those are kept that fit at least twice and whose season shows. With ``way``
    None the parts are multiplied (on the log scale) where that leaves the
    remainder clearly more even: where its size hangs less on the trend.

    Parameters
    ----------
    values
        One dimension; NaN for gaps, which are filled by trend and season.
    candidates
        How many periods the seasons last, as the calendar has them.
    """
    has = ~np.isnan(values)
    n = len(values)
    if n < LEAST or np.count_nonzero(has) < LEAST or n > MOST or float(np.ptp(values[has])) == 0:
        return None
    periods = seasons_of(values, candidates)
    added = _parts(values, periods)
    uneven = (_unevenness(added), math.nan)
    logs = None
    # parts are tried on the log scale only where the remainder's size hangs on the level at all
    if way != "added" and float(values[has].min()) > 0 and (way == "multiplied" or uneven[0] > EVEN):
        logs = _parts(np.log(values), periods)
        uneven = (uneven[0], _unevenness(logs))
    multiplied = logs is not None and (way == "multiplied" or uneven[1] < uneven[0] - EVEN)
    found = logs if multiplied and logs is not None else added
    trend, seasons, rest, filled_values = found
    strengths = tuple(_strength(season, rest) for season in seasons)
    # a level lasts half a season at least, or two weeks of days: less is a stretch that stands out
    shortest = periods[0] if periods else 0
    least = max(5, 14 if shortest == 7 else min(shortest, 26) // 2)
    marked = spikes(np.where(has, rest, np.nan))
    # a spike is no change of level; but beside a step the trend is too smooth, and what is off it is
    # no spike: both are told apart by their neighbours
    adjusted = trend + rest
    reach = min(least, len(adjusted) - 1)
    nearby = np.lib.stride_tricks.sliding_window_view(np.pad(adjusted, reach, mode="reflect"), 2 * reach + 1)
    steps = changes(np.where(marked, np.median(nearby, axis=1), adjusted), least)
    shown = np.exp if multiplied else np.asarray
    if multiplied:
        # a step on the log scale is a factor; in the values' unit it is that of the level around it
        level = np.exp(trend)
        steps = [
            Change(
                c.at,
                float(level[max(c.at - 1, 0)] * math.expm1(c.step)),
                float(level[max(c.at - 1, 0)] * c.slope_before),
                float(level[c.at] * c.slope_after),
                c.level,
            )
            for c in steps
        ]
    return Apart(
        values=shown(filled_values),
        filled=~has,
        trend=shown(trend),
        seasons=tuple(shown(season) for season in seasons),
        rest=shown(rest),
        periods=periods,
        way="multiplied" if multiplied else "added",
        trend_strength=_strength(trend, rest),
        strengths=strengths,
        changes=tuple(steps),
        spikes=marked,
        chosen_way=way is None,
        unevenness=uneven,
    )


@dataclass(frozen=True)
class Parts:
    """The parts of a series that add up to its values, gaps filled by trend and seasons."""

    values: Floats
    trend: Floats
    seasons: tuple[Floats, ...]
    rest: Floats
    periods: tuple[int, ...]


def fitted(values: Floats, periods: tuple[int, ...]) -> Parts:
    """Return the parts of a series fitted in one go: quick, and less robust than ``take_apart``."""
    trend, seasons, rest, filled = _parts(values, periods, quick=True)
    return Parts(filled, trend, tuple(seasons), rest, periods)


def multiplies(values: Floats, parts: Parts) -> bool:
    """Whether a series above 0 leaves a clearly more even remainder on the log scale."""
    uneven = _unevenness((parts.trend, list(parts.seasons), parts.rest, parts.values))
    if uneven <= EVEN or float(np.nanmin(values)) <= 0:
        return False
    return _unevenness(_parts(np.log(values), parts.periods, quick=True)) < uneven - EVEN


def seasons_of(values: Floats, candidates: tuple[int, ...]) -> tuple[int, ...]:
    """Return the candidate periods whose season shows, shortest first; one from the data where none is given.

    A period is kept where the series, freed of its trend and of shorter
    seasons, is like itself a period later: its autocorrelation there lies over
    0.1 and over what chance gives (1.645/√n).
    """
    n = len(values)
    filled = interpolated(values)
    able = [p for p in candidates if 2 * p <= n and p >= 2]
    if not candidates:
        own = _own_period(filled)
        return (own,) if own else ()
    kept: list[int] = []
    rest = filled - _smooth(filled, max(able, default=7))
    for period in able:
        if _autocorrelation(rest, period) > max(SEEN, 1.645 / math.sqrt(n)):
            kept.append(period)
            means = np.array([rest[i::period].mean() for i in range(period)])
            rest = rest - means[np.arange(n) % period]
    return tuple(kept)


def _own_period(values: Floats) -> int | None:
    """Return the period after which a series is most like itself; None where it never clearly is."""
    n = len(values)
    if n < 24:
        return None
    rest = values - _smooth(values, n // 3)
    lags = range(1, n // 3)
    like = np.array([_autocorrelation(rest, lag) for lag in lags])
    peaks = [i for i in range(1, len(like) - 1) if like[i] >= like[i - 1] and like[i] > like[i + 1]]
    best = max(peaks, key=lambda i: like[i], default=None)
    return best + 1 if best is not None and best >= 1 and like[best] > 0.3 else None


def _autocorrelation(values: Floats, lag: int) -> float:
    centred = values - values.mean()
    whole = float(centred @ centred)
    return float(centred[:-lag] @ centred[lag:]) / whole if whole > 0 and lag < len(values) else 0.0


def _smooth(values: Floats, window: int) -> Floats:
    """Return a centred moving mean, its ends over what is there."""
    window = max(3, window | 1)
    kernel = np.ones(min(window, len(values)))
    return np.convolve(values, kernel, "same") / np.convolve(np.ones(len(values)), kernel, "same")


def interpolated(values: Floats) -> Floats:
    """Return values with gaps bridged by straight lines."""
    has = ~np.isnan(values)
    if has.all():
        return values.astype(np.float64)
    at = np.arange(len(values))
    return np.asarray(np.interp(at, at[has], values[has]))


def _parts(
    values: Floats, periods: tuple[int, ...], quick: bool = False
) -> tuple[Floats, list[Floats], Floats, Floats]:
    """Return trend, seasons, remainder and the values, gaps filled by what trend and seasons say there."""
    filled, gaps = interpolated(values), np.isnan(values)
    cleaned = filled
    if periods and max(periods) > MOST_ROBUST and not quick:
        # a long season has few rounds, and one that stands out would be taken for the season
        expected = _roughly(filled, periods)
        cleaned = np.where(gaps | spikes(np.where(gaps, np.nan, filled - expected)), expected, filled)
    elif gaps.any():
        cleaned = np.where(gaps, filled - _stl(filled, periods, quick)[2], filled)
    trend, seasons, _ = _stl(cleaned, periods, quick)
    expected = trend + (np.sum(seasons, axis=0) if seasons else 0.0)
    filled = np.where(gaps, expected, filled)
    return trend, seasons, filled - expected, filled


def _roughly(values: Floats, periods: tuple[int, ...]) -> Floats:
    """Return what a moving mean and the medians of the seasons' places expect of each value."""
    n, longest = len(values), max(periods)
    # whole rounds of the longest season only, carried on at both ends by the slope of all
    whole = np.convolve(values, np.ones(longest) / longest, "valid")
    middles = np.arange(len(whole)) + (longest - 1) / 2
    slope = float(np.polyfit(middles, whole, 1)[0]) if len(whole) > 1 else 0.0
    at = np.arange(n)
    beyond = np.minimum(at - middles[0], 0.0) + np.maximum(at - middles[-1], 0.0)
    rest = values - np.interp(at, middles, whole) - slope * beyond
    for period in periods:
        rounds = np.full(-(-n // period) * period, np.nan)
        rounds[:n] = rest
        usual = np.nanmedian(rounds.reshape(-1, period), axis=0)
        if period > MOST_ROBUST:
            wide = max(3, period // 25)
            usual = _smooth(np.tile(usual, 3), wide)[period : 2 * period]
        rest = rest - usual[at % period]
    return np.asarray(values - rest)


def _stl(
    values: Floats, periods: tuple[int, ...], quick: bool = False
) -> tuple[Floats, list[Floats], Floats]:
    if not periods:
        from statsmodels.nonparametric.smoothers_lowess import lowess  # noqa: PLC0415  (slow import)

        n = len(values)
        at = np.arange(n, dtype=np.float64)
        share = min(0.5, max(0.15, 12 / n))
        trend = np.asarray(lowess(values, at, frac=share, it=2, delta=0.01 * n, return_sorted=False))
        return trend, [], values - trend
    if len(periods) == 1 and periods[0] <= MOST_ROBUST:
        from statsmodels.tsa.seasonal import STL  # noqa: PLC0415  (slow import)

        found = STL(values, period=periods[0], robust=not quick).fit()
        return np.asarray(found.trend), [np.asarray(found.seasonal)], np.asarray(found.resid)
    from statsmodels.tsa.seasonal import MSTL  # noqa: PLC0415  (slow import)

    several = MSTL(values, periods=periods, stl_kwargs=_thrift(max(periods))).fit()
    seasonal = np.asarray(several.seasonal).reshape(len(values), -1)
    return np.asarray(several.trend), [seasonal[:, i] for i in range(len(periods))], np.asarray(several.resid)


def _thrift(period: int) -> dict[str, int]:
    """Return how far apart the local fits are made: long seasons need not be fitted at every point."""
    jump = max(1, period // 25)
    return {"seasonal_jump": 2, "trend_jump": jump, "low_pass_jump": jump} if jump > 1 else {}


def _unevenness(parts: tuple[Floats, list[Floats], Floats, Floats]) -> float:
    """Return how much the remainder's size hangs on the level: |rank correlation| of both."""
    from scipy import stats  # noqa: PLC0415  (slow import)

    trend, seasons, rest, _ = parts
    level = trend + (np.sum(seasons, axis=0) if seasons else 0.0)
    if float(np.ptp(level)) == 0 or float(np.ptp(rest)) == 0:
        return 0.0
    return abs(float(stats.spearmanr(np.abs(rest), level).statistic))


def _strength(part: Floats, rest: Floats) -> float:
    whole = float(np.var(part + rest))
    return max(0.0, 1 - float(np.var(rest)) / whole) if whole > 0 else 0.0
