"""Values that lie apart from all others, judged by how the tail they would belong to falls off."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from night_trail.core.table import Floats

TAIL, LEAST_TAIL, MOST_TAIL = 0.1, 12, 250
"""Of the values a tenth at an end, of many so many, show how it falls off; of few a third, up to 100."""

MOST_APART, MOST_SHARE = 200, 0.01
"""More values than this, or a larger part of all, are no exceptions but a part of their own."""

HEADS = MOST_TAIL + MOST_APART + 1
"""So many of the outermost values are enough to look at one end."""

HEAVIEST = 2.0
DOUBT = 1.4
"""A tail is taken to be heavier than fitted by so many standard errors."""

TIED = 0.2
"""One value that is so large a part of a tail hides how it falls off."""

SKIPPED = 8
"""Gaps right below that are left out once: what lies apart may lie in several places."""


@dataclass(frozen=True)
class Apart:
    """The outermost values of one side: how many, from where on, and how unlikely the gap before them is.

    ``edge`` is the last value that belongs to the others, ``first`` the nearest
    beyond. ``chance`` is that of such a gap in a tail that falls off as this one.
    """

    n: int
    first: float
    edge: float
    chance: float


def apart(top: Floats, n: int, level: float, middle: float = -math.inf) -> Apart | None:
    """Return the values that lie apart at the upper end, the most that do; None where none does.

    The gaps between the largest values, each times its place from the top, are
    exponential with a mean that falls or grows with the place by the tail's
    shape (Rényi 1953; the exponential regression of Beirlant, Dierckx &
    Guillou 2005). Mean and shape are fitted to the gaps below, whatever is
    taken off above them, and doubted. Of values written with few digits a gap
    counts one step less. Where one value is much of the tail the gaps between
    different ones must show the same; where too few are different, those lie
    apart that are further from the others than twice these from their middle.

    Parameters
    ----------
    top
        The largest values in ascending order: all of them, or the last ``HEADS``.
    n
        How many values there are in all.
    level
        The chance allowed, over all numbers of values that may lie apart.
    middle
        The median of all values.
    """
    k = min(MOST_TAIL, max(int(TAIL * n), min(100, n // 3)))
    tried = min(MOST_APART, max(min(3, n // 30), int(MOST_SHARE * n)), len(top) - k - 1)
    if k < LEAST_TAIL or tried < 1:
        return None
    written = np.diff(top)[::-1]
    some = written[written > 0]
    if not len(some):
        return None
    gaps, step = written, 0.0
    if len(some) < len(written):
        # numbers that are written to tenths may be anything within a tenth
        step = float(some.min())
        spread = np.random.default_rng(len(top)).uniform(0, step, len(top))
        gaps = np.diff(np.sort(top + spread))[::-1]
    found: Apart | None = None
    usual = np.convolve(gaps * np.arange(1, len(gaps) + 1), np.ones(k) / k)[k - 1 :]
    for m in range(1, tried + 1):
        gap = m * (float(written[m - 1]) - step)
        # what is not even large beside the mean of those below is not fitted
        if gap <= 3 * usual[m] or gap <= 0:
            continue
        chance = _chance_of_both(gap, m, gaps[m : m + k])
        # of the chance allowed one value gets half, two a sixth, m of them 1 / m (m + 1)
        allowed = level / (m * (m + 1))
        reach = float(top[-m - 1]) - middle
        if chance < allowed and not _only_by_ties(written, m, m + k, step, reach, allowed):
            found = Apart(m, float(top[-m]), float(top[-m - 1]), chance)
    return found


def _only_by_ties(gaps: Floats, m: int, end: int, step: float, reach: float, level: float) -> bool:
    """Whether a gap stands out only since values below it stand many times; ``reach`` is how far they go."""
    below = gaps[m:end]
    different = below[below > 0]
    at = np.flatnonzero(below)
    most = int(np.diff(np.concatenate([[-1], at, [len(below)]])).max())
    if most <= TIED * len(below):
        return False
    gap = float(gaps[m - 1])
    if len(different) < LEAST_TAIL:
        return not gap > 2 * reach
    place = int(np.count_nonzero(gaps[:m] > 0))
    return _chance_of_both(place * (gap - step), place, different) >= level


def _chance_of_both(gap: float, m: int, below: Floats) -> float:
    """Return the chance of a gap by all those below it, or by all but the next: the smaller one, twice."""
    skip = min(SKIPPED, len(below) // 12)
    return min(1.0, 2 * min(_chance(gap, m, below[at:], m + at) for at in {0, skip}))


def _chance(gap: float, m: int, below: Floats, first: int) -> float:
    """Return the chance of a gap, times its place ``m``, by those below it from the place ``first`` on."""
    n = len(below)
    y = below * np.arange(first + 1, first + 1 + n)
    mean = float(y.sum()) / n
    if mean <= 0:
        return 1.0
    x, centre, squares = _logs_of_places(first, n)
    # exponential with the logarithm of the mean a line: Fisher scoring on both parameters
    level, slope = math.log(mean), 0.0
    for _ in range(25):
        ratio = y * np.exp(-level - slope * x) - 1
        up, turn = float(ratio.sum()) / n, float(ratio @ x) / squares
        level += min(max(up, -1.0), 1.0)
        slope += min(max(turn, -1.0), 1.0)
        if abs(up) + abs(turn) < 1e-6:
            break
    # shares of few values scatter more than exponential ones: the error is taken from what is seen
    noise = DOUBT * math.sqrt(max(float(ratio @ ratio) / n, 1.0) / squares)
    shape = min(-slope + noise, HEAVIEST)
    expected = math.exp(level - shape * (math.log(m) - centre))
    return math.exp(-min(gap / expected, 700.0))


@lru_cache(maxsize=512)
def _logs_of_places(first: int, n: int) -> tuple[Floats, float, float]:
    """Return the logarithms of ``n`` places behind the first so many around their mean, that, the squares."""
    logs = np.log(np.arange(first + 1, first + 1 + n))
    x = logs - float(logs.mean())
    return x, float(logs.mean()), float(x @ x)
