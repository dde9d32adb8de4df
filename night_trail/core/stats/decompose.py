"""A series taken apart: trend, seasons, remainder, and how much each explains."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

import numpy as np

from night_trail.core.stats.changes import Change, Changed, changes
from night_trail.core.stats.seasons import overtones, own_period, shown, waves
from night_trail.core.stats.spikes import STRETCH, far_off, spikes
from night_trail.core.table import Bools, Floats, Ints

Way = Literal["added", "multiplied"]
LEAST = 8
"""Fewer values are not taken apart."""

MOST = 20_000
MOST_BENDS = 5
MOST_ROBUST = 60
"""Longer seasons are not fitted robustly point by point, which would take seconds."""

CLEARER, SURE = 2.0, 0.02
"""How much likelier (twice the log) parts must be multiplied than added; how unlikely a trend by chance."""


@dataclass(frozen=True)
class TakenApart:
    """The parts of a series: added up (multiplied) they give its values, gaps filled.

    ``seasons`` are those of ``periods``, the shortest first. ``filled`` marks
    values that were gaps. Strengths lie between 0 and 1 (Wang, Smith & Hyndman
    2006): how much of what trend (season) and remainder vary together the
    remainder leaves over. ``costs`` is the cost of both ways, ``moves`` says
    whether the trend goes anywhere beyond chance.
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
    costs: tuple[float, float]
    moves: bool = True

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


def take_apart(values: Floats, candidates: tuple[int, ...], way: Way | None = None) -> TakenApart | None:
    """Return a series taken apart; None where it is too short or does not vary.

    STL (Cleveland et al. 1990) for one season, MSTL (Bandara, Hyndman &
    Bergmeir 2021) for several, robust against spikes. Of the candidate periods
    those are kept that fit at least twice and whose season shows. With ``way``
    None the parts are multiplied (on the log scale) where the values are
    likelier so (Box & Cox 1964). Changes of level and slope are fitted first,
    together with the waves of all candidates, and belong to the trend.

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
    added = _Looked.at(values, candidates)
    logs = None
    if way != "added" and float(values[has].min()) > 0:
        logs = _Looked.at(np.log(values), candidates)
    costs = (added.cost(0.0), math.nan)
    if logs is not None:
        costs = (costs[0], logs.cost(float(logs.calm.sum())))
    multiplied = logs is not None and (way == "multiplied" or costs[1] < costs[0] - CLEARER)
    looked = logs if multiplied and logs is not None else added
    part, periods = looked.changed.part, looked.periods
    trend, seasons, rest, filled = _parts(looked.values - part, periods)
    trend, filled = trend + part, filled + part
    shown = np.exp if multiplied else np.asarray
    steps = looked.changed.changes
    if multiplied:
        # a step on the log scale is a factor; in the values' unit it is that of the level around it
        level = np.exp(trend)
        steps = tuple(
            Change(
                c.at,
                float(level[max(c.at - 1, 0)] * math.expm1(c.step)),
                float(level[max(c.at - 1, 0)] * c.slope_before),
                float(level[c.at] * c.slope_after),
                c.level,
            )
            for c in steps
        )
    return TakenApart(
        values=shown(filled),
        filled=~has,
        trend=shown(trend),
        seasons=tuple(shown(season) for season in seasons),
        rest=shown(rest),
        periods=periods,
        way="multiplied" if multiplied else "added",
        trend_strength=_strength(trend, rest),
        strengths=tuple(_strength(season, rest) for season in seasons),
        changes=steps,
        spikes=_standing_out(has, filled, rest),
        chosen_way=way is None,
        costs=costs,
        moves=moves((filled - sum(seasons, np.zeros(n)))[has], part[has], np.flatnonzero(has)),
    )


def _standing_out(has: Bools, values: Floats, rest: Floats) -> Bools:
    """Return which values stand out from trend and seasons; above 0, as a share of what is expected too.

    What is skewed because it cannot fall below 0 has high values now and then, and they are no spikes.
    """
    marked = spikes(np.where(has, rest, np.nan))
    if not marked.any() or float(values[has].min()) < 0:
        return marked
    expected = values - rest
    above = has & (values > 0)
    share = np.log(np.where(above, values, 1.0))
    if float(expected.min()) > 0:
        share -= np.log(expected)
    # what is nothing at all where something was expected stands out by being nothing
    return marked & (spikes(np.where(above, share, np.nan)) | ~above)


@dataclass(frozen=True)
class _Looked:
    """What a series has on one scale, before it is taken apart: changes of level and slope, then seasons."""

    values: Floats
    calm: Floats
    changed: Changed
    periods: tuple[int, ...]

    @classmethod
    def at(cls, values: Floats, candidates: tuple[int, ...]) -> _Looked:
        """Return the changes of a series, NaN for gaps, and the seasons of what is left without them."""
        able = tuple(p for p in candidates if 2 * p <= len(values))
        # a level lasts half a season at least, or two weeks of days: less is a stretch that stands out
        shortest = able[0] if able else 0
        least = max(5, 14 if shortest == 7 else min(shortest, 26) // 2)
        calm = _calmed(values, able)
        changed = changes(calm, least, able)
        # a gap was filled by the season that is looked for
        known = np.where(np.isnan(values), np.nan, calm - changed.part)
        return cls(values, calm, changed, seasons_of(known, candidates))

    def cost(self, jacobian: float) -> float:
        """Return how unlikely the values are on this scale."""
        return _cost(self.calm, self.periods, self.changed.part, jacobian)


def _cost(values: Floats, periods: tuple[int, ...], part: Floats, jacobian: float) -> float:
    """Return how unlikely values are (twice the log) with one season for all rounds and a smooth trend.

    A season that may change from round to round, as it does where a series is
    taken apart, would take over what swings with the level. ``jacobian`` is the
    sum of the logs of the values where these are logs (Box & Cox 1964).
    """
    n = len(values)
    bends = min(MOST_BENDS, max(1, n // 15))
    at = np.linspace(-1, 1, n)
    seasons = [waves(n, p, overtones(n, p)) for p in periods]
    x = np.column_stack(
        [np.polynomial.legendre.legvander(at, bends), *seasons, *([part] if part.any() else [])]
    )
    rest = values - x @ np.linalg.lstsq(x, values, rcond=None)[0]
    # a few values that stand out are no reason for one scale or the other
    spread = 1.4826 * float(np.median(np.abs(rest)))
    rest = np.clip(rest, -4 * spread, 4 * spread) if spread > 0 else rest
    return n * math.log(max(float(rest @ rest) / n, 1e-300)) + 2 * jacobian


def _calmed(values: Floats, periods: tuple[int, ...]) -> Floats:
    """Return values with gaps filled and what stands out replaced, both by what is usual there.

    A gap is not bridged from its last value to its next: days that were cut off
    beside it, and lie low, would make a low stretch of it.
    """
    filled, n = interpolated(values), len(values)
    at = np.linspace(-1, 1, n)
    x = np.column_stack([np.ones(n), at, *(waves(n, p, overtones(n, p)) for p in periods)])
    if x.shape[1] + 8 > n:
        return filled
    calm, reach = filled, min(STRETCH, n - 1)
    # what stood out pulled the first fit towards it
    for _ in range(3):
        fit = x @ np.linalg.lstsq(x, calm, rcond=None)[0]
        rest = values - fit
        marked = spikes(rest) | np.isnan(rest)
        if not marked.any():
            return filled
        rest = np.pad(np.where(marked, np.nan, rest), reach, mode="reflect")
        calm = filled.copy()
        for i in np.flatnonzero(marked):
            near = rest[i : i + 2 * reach + 1]
            if not np.isnan(near).all():
                calm[i] = fit[i] + float(np.nanmedian(near))
    return calm


def moves(adjusted: Floats, part: Floats, places: Ints) -> bool:
    """Whether the values without their seasons end higher or lower than they began, beyond chance.

    A straight trend with errors that are an autoregression of order 1, its
    coefficient corrected for the fit (Kendall 1954); where that is as good as 1
    the series wanders, and its steps must differ from 0 on average. Changes
    that were found are a move where they leave the level elsewhere. Values that
    were gaps say nothing; ``places`` are the periods of those that were none.

    All have shape (periods,), without NaN; ``part`` is the trend, in the unit of ``adjusted``.
    """
    from scipy import special  # noqa: PLC0415  (slow import)

    n = len(adjusted)
    if n < LEAST:
        return False
    plain = adjusted - part
    # a few extreme values are no trend
    middle = float(np.median(plain))
    reach = 5 * 1.4826 * float(np.median(np.abs(plain - middle)))
    plain = np.clip(plain, middle - reach, middle + reach) if reach > 0 else plain
    at = places - places.mean()
    rest = plain - plain.mean() - at * float(at @ plain) / float(at @ at)
    whole = float(rest @ rest)
    tied = float(rest[1:] @ rest[:-1]) / whole if whole > 0 else 0.0
    tied += (2 + 4 * tied) / n
    if whole > 0 and abs(part[-1] - part[0]) > 2 * math.sqrt(whole / n):
        return True
    if tied >= 1 - 20 / n:
        steps = np.diff(plain)
        spread = float(np.std(steps, ddof=1))
        t = abs(float(steps.mean())) / (spread / math.sqrt(n - 1)) if spread > 0 else math.inf
        return bool(2 * special.stdtr(n - 2, -t) < SURE)
    y, x = plain[1:] - tied * plain[:-1], at[1:] - tied * at[:-1]
    x = x - x.mean()
    y = y - y.mean()
    slope = float(x @ y) / float(x @ x)
    off = y - slope * x
    error = math.sqrt(float(off @ off) / max(n - 4, 1) / float(x @ x))
    t = abs(slope) / error if error > 0 else math.inf
    return bool(2 * special.stdtr(max(n - 4, 1), -t) < SURE)


@dataclass(frozen=True)
class Parts:
    """The parts of a series that add up to its values, gaps filled by trend and seasons."""

    values: Floats
    trend: Floats
    seasons: tuple[Floats, ...]
    rest: Floats
    periods: tuple[int, ...]


def fitted(values: Floats, periods: tuple[int, ...]) -> Parts:
    """Return the parts of a series fitted in one go: quick, and less robust than ``take_apart``.

    ``values`` has shape (periods,) without NaN; ``periods`` are in steps, shortest first.
    """
    trend, seasons, rest, filled = _parts(values, periods, quick=True)
    return Parts(filled, trend, tuple(seasons), rest, periods)


def multiplies(values: Floats, parts: Parts) -> bool:
    """Whether a series above 0 is clearly likelier with its parts multiplied than added.

    ``values`` has shape (periods,), all above 0, without NaN; ``parts`` are those added.
    """
    if float(np.nanmin(values)) <= 0 or float(parts.values.min()) <= 0:
        return False
    none = np.zeros(len(values))
    logs = np.log(parts.values)
    added = _cost(parts.values, parts.periods, none, 0.0)
    return _cost(logs, parts.periods, none, float(logs.sum())) < added - CLEARER


def seasons_of(values: Floats, candidates: tuple[int, ...]) -> tuple[int, ...]:
    """Return the candidate periods whose season shows, shortest first; without any, one of its own.

    ``values`` has shape (periods,), NaN for gaps; ``candidates`` are in steps.
    """
    if not candidates:
        own = own_period(values)
        return (own,) if own else ()
    kept: tuple[int, ...] = ()
    for period in candidates:
        if 2 <= period <= len(values) // 2 and shown(values, period, kept):
            kept = (*kept, period)
    return kept


def _smooth(values: Floats, window: int) -> Floats:
    """Return a centred moving mean, its ends over what is there."""
    window = max(3, window | 1)
    kernel = np.ones(min(window, len(values)))
    return np.convolve(values, kernel, "same") / np.convolve(np.ones(len(values)), kernel, "same")


def interpolated(values: Floats) -> Floats:
    """Return values with gaps bridged by straight lines.

    Shape (periods,); NaN are bridged between neighbours, and at the ends the nearest value goes on.
    """
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
        cleaned = np.where(gaps | far_off(np.where(gaps, np.nan, filled - expected)), expected, filled)
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


def _strength(part: Floats, rest: Floats) -> float:
    whole = float(np.var(part + rest))
    return max(0.0, 1 - float(np.var(rest)) / whole) if whole > 0 else 0.0
