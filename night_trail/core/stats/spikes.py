"""Single values, or a few in a row, that stand out from those around them."""

from __future__ import annotations

import math
from statistics import NormalDist

import numpy as np

from night_trail.core.table import Bools, Floats

LEAST, SIDE = 7, 8
"""Among fewer values nothing stands out."""

BESIDE, STRETCH, CLINGING = 5, 25, 2
"""Values before and after that one is held against; many for a stretch, few where they cling."""

AROUND = 61
"""So many values around say how much values spread at a place."""

TAIL, FALSE = 0.2, 0.02
"""The part of each side that shows how its tail falls off; how many may lie beyond by chance in a series."""

MODIFIED_Z, DOUBT = 3.5, 8

SKEWED, EVENED_FALSE = 0.1, 0.05
"""Less lopsided values are taken as even; of others, evened, so many may lie beyond by chance."""


def spikes(rest: Floats) -> Bools:
    """Return which values stand out; NaN never does.

    A value is held against the medians of those right before and right after
    it, the nearer of the two: so neither a step nor a slow wandering has spikes.
    How far off it is counts in the spread of its place, since some times are
    more restless than others. Each side's tail is taken to fall off
    exponentially from its last fifth on, and a value stands out where only 0.02
    such are expected in the whole series. Tails of what is lopsided, as sums of
    a few very unequal amounts are, fall off slower than that: there a value must
    stand out among normal ones too, once all are evened (Tukey's g). Nothing
    under a modified z of 3.5 (Iglewicz & Hoaglin 1993) stands out.
    """
    found = np.zeros(len(rest), dtype=np.bool_)
    has = np.flatnonzero(~np.isnan(rest))
    values = rest[has]
    if len(values) < LEAST:
        return found
    centred = values - np.median(values)
    # one odd stretch is no persistence
    size = 4 * float(np.median(np.abs(centred)))
    centred = np.clip(centred, -size, size)
    whole = float(centred @ centred)
    clings = whole > 0 and float(centred[1:] @ centred[:-1]) / whole > 0.6
    for beside in (CLINGING,) if clings else (BESIDE, STRETCH):
        off = _off(values, min(beside, len(values) // 2))
        some = off[off != 0]
        if len(some) < 4:
            continue
        usual = float(np.median(np.abs(some)))
        z = off / np.maximum(_spread_around(np.where(off == 0, np.nan, np.abs(off)), usual), 0.5 * usual)
        sides = [np.flatnonzero(side * z > 0) for side in (1.0, -1.0)]
        # a side of a handful tells nothing of its tail: both together do
        for at in sides if min(map(len, sides)) >= SIDE else [np.flatnonzero(z)]:
            sizes = np.abs(z[at])
            found[has[at[sizes > _limit(sizes)]]] = True
    if found.any() and not clings:
        found[has] &= _far_when_evened(values)
    return found


def _far_when_evened(values: Floats) -> Bools:
    """Return which values are as far off those around them as 0.05 of so many normal ones would be.

    Where their middle shows them even, all are.
    """
    before, after = _medians_beside(values, min(STRETCH, len(values) // 2))
    evened = _evened(values - (before + after) / 2)
    if evened is None:
        return np.ones(len(values), dtype=np.bool_)
    limit = NormalDist().inv_cdf(1 - EVENED_FALSE / len(values)) * (1 + DOUBT / len(values))
    return np.abs(evened) > limit


def _evened(values: Floats) -> Floats | None:
    """Return lopsided values as normal ones would lie, by Tukey's g; None where they are even.

    A g-distribution is ``exp(g z) - 1`` of a normal z; its g is the logarithm of
    the upper to the lower half of a range of quantiles, per z (Hoaglin 1985).
    Here it is the mean of those at 10 and 20 %, a standard error nearer to 0.
    """
    middle, found = float(np.median(values)), []
    for share in (0.1, 0.2):
        low, high = np.quantile(values, (share, 1 - share))
        if not low < middle < high:
            return None
        found.append(math.log((high - middle) / (middle - low)) / NormalDist().inv_cdf(1 - share))
    mean = float(np.mean(found))
    g = math.copysign(max(0.0, abs(mean) - 1.6 / math.sqrt(len(values))), mean)
    if abs(g) < SKEWED:
        return None
    z = NormalDist().inv_cdf(0.8)
    scale = g * float(high - low) / (math.exp(g * z) - math.exp(-g * z))
    return np.asarray(np.log(np.maximum(1 + g * (values - middle) / scale, 0.05)) / g)


def far_off(rest: Floats) -> Bools:
    """Return which values lie far from the middle of all: a modified z over 3.5; NaN never does.

    Shape (periods,).
    """
    if np.isnan(rest).all():
        return np.zeros(len(rest), dtype=np.bool_)
    off = np.abs(rest - np.nanmedian(rest))
    spread = float(np.nanmedian(off))
    return np.asarray(0.6745 * np.nan_to_num(off) > MODIFIED_Z * spread) & (spread > 0)


def _off(values: Floats, beside: int) -> Floats:
    """Return how far each value is off the nearer of the medians before and after it; 0 between them."""
    before, after = _medians_beside(values, beside)
    a, b = values - before, values - after
    return np.where(a * b > 0, np.where(np.abs(a) < np.abs(b), a, b), 0.0)


def _medians_beside(values: Floats, beside: int) -> tuple[Floats, Floats]:
    """Return the medians of so many values right before and right after each."""
    n = len(values)
    padded = np.concatenate([np.full(beside, np.nan), values, np.full(beside, np.nan)])
    windows = np.lib.stride_tricks.sliding_window_view(padded, beside)
    before, after = _row_medians(windows[:n]), _row_medians(windows[beside + 1 : beside + 1 + n])
    return np.where(np.isnan(before), after, before), np.where(np.isnan(after), before, after)


def _row_medians(windows: Floats) -> Floats:
    """Return the median of the values of each row, NaN where it has none; shape (rows, values)."""
    # several times as fast as numpy's median that skips NaN, which goes row by row
    ordered = np.sort(windows, axis=1)
    n = np.count_nonzero(~np.isnan(ordered), axis=1)
    rows = np.arange(len(ordered))
    middle = (ordered[rows, np.maximum(n - 1, 0) // 2] + ordered[rows, np.minimum(n // 2, n - 1)]) / 2
    return np.asarray(np.where(n > 0, middle, np.nan))


def _spread_around(sizes: Floats, usual: float) -> Floats:
    n = len(sizes)
    half = min(AROUND, n - 1 + n % 2) // 2
    windows = np.lib.stride_tricks.sliding_window_view(np.pad(sizes, half, mode="reflect"), 2 * half + 1)
    around = _row_medians(windows)
    return np.where(np.isnan(around), usual, around)


def _limit(sizes: Floats) -> float:
    """Return beyond which size a value stands out among those of one side.

    What stands out is no part of the tail: it is left out, and the tail looked at again.
    """
    rest = np.sort(sizes)
    # of few values neither middle nor tail are known well
    doubt = 1 + DOUBT / len(rest)
    limit = doubt * _tail_limit(rest)
    while len(rest) > SIDE and rest[-1] > limit:
        rest = rest[rest <= limit]
        limit = min(limit, doubt * _tail_limit(rest))
    return limit


def _tail_limit(sizes: Floats) -> float:
    middle = float(np.median(sizes))
    start = float(np.quantile(sizes, 1 - TAIL))
    beyond = sizes[sizes >= start] - start
    # of an exponential tail the mean of the lower three fifths is 0.389 of the whole; the rest may stand out
    kept = max(1, min(int(0.6 * len(beyond)), len(beyond) - 1))
    fall = max(float(beyond[:kept].mean()) / 0.389, 0.35 * middle)
    limit = start + fall * math.log(max(len(beyond) / FALSE, 1.0))
    return max(limit, 0.9 * MODIFIED_Z / 0.6745 * middle)
