"""Where a series changes its level or slope, and single values that stand out."""

from __future__ import annotations

import itertools
import math
from dataclasses import dataclass

import numpy as np

from night_trail.core.table import Bools, Floats

MOST_EXACT = 4_000
"""Longer series are looked at in blocks, each of them a mean."""

MODIFIED_Z = 3.5
STRICTNESS = (1.0, 2.0, 4.0, 8.0, 16.0, 32.0)
"""How many times the noise between neighbours a change may cost: where noise clings to itself, more."""


SLOPE_LASTS = 2
"""How many times as long as a level a slope must last on both sides of its turn."""

SHIFT_WINDOW, SHIFT_SIZE, SHIFT_APART, LEAST_SHIFTED = 6, 4.0, 2, 3


@dataclass(frozen=True)
class Change:
    """A change at a position: the step in level there, and the slopes before and after, per period."""

    at: int
    step: float
    slope_before: float
    slope_after: float
    level: bool


def pelt(values: Floats, penalty: float, least: int) -> list[int]:
    """Return where segments begin that straight lines fit, by pruned exact search.

    PELT (Killick, Fearnhead & Eckley 2012): the cost of a segment is the sum of
    squares around its own least-squares line, from running sums in constant
    time, and every further segment costs the penalty.

    Parameters
    ----------
    values
        One dimension, no NaN.
    penalty
        In squared units of the values.
    least
        The fewest values of a segment, 3 or more.
    """
    n = len(values)
    if n < 2 * least:
        return []
    y = values - values.mean()
    t = np.arange(n) - (n - 1) / 2
    sums = [np.concatenate([[0.0], np.cumsum(s)]) for s in (y, y * y, t * y, t, t * t)]

    def cost(starts: np.ndarray, end: int) -> Floats:
        sy, syy, sty, st, stt = (s[end] - s[starts] for s in sums)
        m = end - starts
        along = stt - st * st / m
        level = syy - sy * sy / m
        slope = np.where(along > 0, (sty - st * sy / m) ** 2 / np.where(along > 0, along, 1.0), 0.0)
        return np.asarray(np.maximum(level - slope, 0.0))

    best = np.full(n + 1, np.inf)
    best[0] = -penalty
    before = np.zeros(n + 1, dtype=np.int64)
    starts = np.array([0])
    for end in range(least, n + 1):
        costs = best[starts] + cost(starts, end)
        at = int(np.argmin(costs))
        best[end], before[end] = costs[at] + penalty, starts[at]
        starts = starts[costs <= best[end]]
        if end - least + 1 >= least:
            starts = np.append(starts, end - least + 1)
    found = []
    end = n
    while end > 0:
        end = int(before[end])
        if end > 0:
            found.append(end)
    return found[::-1]


def changes(values: Floats, least: int) -> list[Change]:
    """Return the changes of level and slope of a series without its seasons.

    Every change costs three parameters of BIC; how large the noise is for that,
    and how much it clings to itself, is judged around each candidate.

    Parameters
    ----------
    values
        One dimension, no NaN.
    least
        The fewest periods a level or slope must last.
    """
    n = len(values)
    block = math.ceil(n / MOST_EXACT)
    if block > 1:
        whole = values[: n // block * block].reshape(-1, block).mean(axis=1)
        found = changes(whole, max(3, least // block))
        return [
            Change(c.at * block, c.step, c.slope_before / block, c.slope_after / block, c.level)
            for c in found
        ]
    if n < max(2 * least, 12):
        return []
    least = max(3, least)
    noise = _noise(values)
    if noise <= 0:
        return []
    # candidates from few changes to many; which of them is right, the whole of the noise decides
    tried = {tuple(pelt(values, 3 * strict * noise * math.log(n), least)) for strict in STRICTNESS}
    at = list(min(sorted(tried), key=lambda cuts: _bic(values, list(cuts))))
    spread = float(np.var(values - _fit(values, at)))
    return _described(values, at, math.sqrt(max(spread, noise)), least)


def _bic(values: Floats, at: list[int]) -> float:
    """Return BIC of lines with changes, the noise around them an autoregression of order 1.

    Without the autoregression, the humps of noise that clings to itself would
    pass for changes.
    """
    n = len(values)
    rest = values - _fit(values, at)
    spread = float(rest @ rest) / n
    tied = float(rest[:-1] @ rest[1:]) / float(rest @ rest) if spread > 0 else 0.0
    fresh = max(spread * (1 - tied**2), 1e-300)
    return n * math.log(fresh) + 3 * (len(at) + 1) * math.log(n)


def _noise(values: Floats) -> float:
    """Return the variance of the noise from second differences, which no line moves; robustly."""
    steps = np.diff(values, 2)
    if not len(steps):
        return 0.0
    scale = 1.4826 * float(np.median(np.abs(steps - np.median(steps)))) / math.sqrt(6)
    return scale**2 if scale > 0 else float(np.var(steps)) / 6


def _lines(values: Floats, at: list[int]) -> list[tuple[int, int, float, float]]:
    """Return each segment with its own line: (start, end, slope, value at the start)."""
    edges = [0, *at, len(values)]
    found = []
    for start, end in itertools.pairwise(edges):
        t = np.arange(end - start)
        slope, level = np.polyfit(t, values[start:end], 1) if end - start > 2 else (0.0, values[start])
        found.append((start, end, float(slope), float(level)))
    return found


def _fit(values: Floats, at: list[int]) -> Floats:
    return np.concatenate([lv + s * np.arange(b - a) for a, b, s, lv in _lines(values, at)])


def _described(values: Floats, at: list[int], noise: float, least: int) -> list[Change]:
    lines = _lines(values, at)
    found = []
    for (a, b, slope, level), (_, end, after, begins) in itertools.pairwise(lines):
        step = begins - (level + slope * (b - a))
        reach = min(b - a, end - b)
        # what the slope adds over the shorter side, against the step itself
        level_moves = abs(step) >= max(noise, abs(after - slope) * reach / 2)
        # a slope is none before it has lasted for a while
        if level_moves or reach >= SLOPE_LASTS * least:
            found.append(Change(b, step, slope, after, level_moves))
    return found


def spikes(rest: Floats) -> Bools:
    """Return which values stand out: modified z over 3.5 (Iglewicz & Hoaglin 1993); NaN never does."""
    has = ~np.isnan(rest)
    found = np.zeros(len(rest), dtype=np.bool_)
    if np.count_nonzero(has) < 5:
        return found
    middle = float(np.median(rest[has]))
    mad = float(np.median(np.abs(rest[has] - middle)))
    if mad <= 0:
        return found
    found[has] = 0.6745 * np.abs(rest[has] - middle) / mad > MODIFIED_Z
    return found


def shared_shift(lines: Floats, season: int = 0) -> int | None:
    """Return the period in which every line changes its level; None where not all do.

    A line does where the means of the six periods before and after differ by
    over four of their standard deviations, and those after from the same part of
    the season before by half as much at least; all do where they do so within
    two periods of each other.

    Parameters
    ----------
    lines
        Shape (lines, periods), NaN for gaps.
    season
        How many periods the shortest season lasts, 0 where there is none.
    """
    return _shift(lines, season) if len(lines) >= LEAST_SHIFTED else None


def level_shift(line: Floats, season: int = 0) -> int | None:
    """Return the period in which one line changes its level by the same measure."""
    return _shift(line[None], season)


def _shift(lines: Floats, season: int) -> int | None:
    if lines.shape[1] < 2 * SHIFT_WINDOW:
        return None
    windows = np.lib.stride_tricks.sliding_window_view(lines, SHIFT_WINDOW, axis=1)
    means, variances = windows.mean(axis=2), windows.var(axis=2, ddof=1)
    step = np.abs(means[:, SHIFT_WINDOW:] - means[:, :-SHIFT_WINDOW])
    noise = np.sqrt((variances[:, SHIFT_WINDOW:] + variances[:, :-SHIFT_WINDOW]) / 2)
    size = np.nan_to_num(np.divide(step, noise, out=np.zeros_like(step), where=noise > 0))
    at = size.argmax(axis=1)
    if size.max(axis=1).min() <= SHIFT_SIZE or int(np.ptp(at)) > SHIFT_APART:
        return None
    found = int(np.median(at)) + SHIFT_WINDOW
    # half a season up and half a season down is no change of level
    for back in (k * season for k in range(1, 1 + -(-SHIFT_WINDOW // season))) if season else ():
        if found - back < 0:
            return None
        after, before = means[:, found], means[:, found - back]
        if (np.abs(after - before) < step[np.arange(len(lines)), at] / 2).any():
            return None
    return found
