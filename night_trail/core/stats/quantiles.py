"""Quantiles, whiskers and notches."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy import special

from night_trail.core.many import Runs, place_in
from night_trail.core.stats.intervals import Z95
from night_trail.core.table import Bools, Floats


def quantiles(ascending: Floats | Runs, at: tuple[float, ...]) -> Floats:
    """Return quantiles by linear interpolation, type 7 of Hyndman & Fan (1996).

    Parameters
    ----------
    ascending
        One dimension, at least one value, no NaN, sorted.
    at
        Shares between 0 and 1.

    Examples
    --------
    >>> quantiles(np.array([1.0, 2.0, 3.0, 4.0]), (0.25, 0.5)).tolist()
    [1.75, 2.5]
    """
    places = (len(ascending) - 1) * np.asarray(at)
    below = np.floor(places).astype(np.int64)
    low = ascending[below]
    high = ascending[np.minimum(below + 1, len(ascending) - 1)]
    return np.asarray(low + (places - below) * (high - low), dtype=np.float64)


@dataclass(frozen=True)
class Summary:
    """Five numbers and the mean of ``n`` values."""

    n: int
    low: float
    q1: float
    median: float
    q3: float
    high: float
    mean: float


def summary(ascending: Floats) -> Summary | None:
    """Return the summary of sorted values without NaN, or None where there are none.

    ``ascending`` has shape (n,).
    """
    if not len(ascending):
        return None
    q1, median, q3 = quantiles(ascending, (0.25, 0.5, 0.75))
    # a mean of a million large numbers (seconds since 1970) keeps its digits around a shift
    return Summary(
        len(ascending),
        float(ascending[0]),
        float(q1),
        float(median),
        float(q3),
        float(ascending[-1]),
        float(median + np.mean(ascending - median)),
    )


def middle_of_part(ascending: Floats, part: Bools) -> float | None:
    """Return the median of a part of sorted values, or None where the part is empty.

    ``part`` says which of the values belong to it; both have shape (values,).

    >>> middle_of_part(np.array([1.0, 2.0, 3.0, 9.0]), np.array([False, True, False, True]))
    5.5
    """
    at = np.flatnonzero(part)
    if not len(at):
        return None
    low, high = ascending[at[[(len(at) - 1) // 2, len(at) // 2]]]
    return float(low + (high - low) / 2)


@dataclass(frozen=True)
class BoxFigures:
    """What a box plot shows of one group.

    ``below`` and ``above`` count the values beyond the low and high whisker:
    of the sorted values the first and the last ones.
    """

    n: int
    q1: float
    median: float
    q3: float
    low_whisker: float
    high_whisker: float
    notch_low: float
    notch_high: float
    below: int
    above: int


def box(ascending: Floats | Runs) -> BoxFigures:
    """Return the figures of a box plot.

    Whiskers reach to the furthest value within 1.5 interquartile ranges of
    the box (Tukey 1977), and never inside the box. The notch is the median
    ± 1.57 · IQR / √n (McGill, Tukey & Larsen 1978).

    Parameters
    ----------
    ascending
        One dimension, at least one value, no NaN, sorted.
    """
    q1, median, q3 = (float(q) for q in quantiles(ascending, (0.25, 0.5, 0.75)))
    reach = 1.5 * (q3 - q1)
    below, inside = place_in(ascending, q1 - reach), place_in(ascending, q3 + reach, "right")
    low = min(float(ascending[below]), q1) if below < inside else q1
    high = max(float(ascending[inside - 1]), q3) if below < inside else q3
    half_notch = 1.57 * (q3 - q1) / math.sqrt(len(ascending))
    return BoxFigures(
        len(ascending),
        q1,
        median,
        q3,
        low,
        high,
        median - half_notch,
        median + half_notch,
        below,
        len(ascending) - inside,
    )


def middles_apart(first: Floats | Runs, second: Floats | Runs, groups: int) -> bool:
    """Whether the median of the first lies above that of the second beyond chance, of so many groups.

    The two are the extremes of ``groups`` looked at: their distribution-free intervals (order
    statistics, David & Nagaraja 2003) keep apart at 5 % shared among all pairs (Bonferroni). Both
    are sorted, without NaN; too few values are never apart.
    """
    z = float(special.ndtri(1 - 0.025 / math.comb(groups, 2))) / math.sqrt(2)

    def end(values: Floats | Runs, side: int) -> float:
        at = (len(values) - 1) / 2 + side * z * math.sqrt(len(values)) / 2
        at = math.floor(at) if side < 0 else math.ceil(at)
        return float(values[at]) if 0 <= at < len(values) else side * math.inf

    return end(first, -1) > end(second, 1)


def extremes_apart(groups: Sequence[tuple[float, Floats | Runs]]) -> bool:
    """Whether the highest and the lowest median of groups differ beyond chance (``middles_apart``).

    Each group is its median and its values, sorted, of shape (rows,) without NaN.
    """
    if len(groups) < 2:
        return False
    low, high = min(groups, key=lambda g: g[0]), max(groups, key=lambda g: g[0])
    return middles_apart(high[1], low[1], len(groups))


def letter_values(ascending: Floats | Runs) -> tuple[tuple[float, float], ...]:
    """Return letter values from the fourths outwards: (low, high) pairs at depths halved again and again.

    As many as stay trustworthy (Hofmann, Wickham & Kafadar 2017): each beyond
    the 95 % interval of the next, which leaves about 2 · 3.84 values outside.

    ``ascending`` has shape (n,) without NaN.

    >>> letter_values(np.arange(1.0, 10.0))
    ((3.0, 7.0),)
    """
    n = len(ascending)
    if n < 4:
        return ()
    most = max(1, int(math.log2(n)) - int(math.log2(2 * Z95**2)) - 1)
    depth, found = (n + 1) / 2, []
    for _ in range(most):
        depth = (math.floor(depth) + 1) / 2
        if depth < 1:
            break
        below, above = math.floor(depth) - 1, math.ceil(depth) - 1
        low = (ascending[below] + ascending[above]) / 2
        high = (ascending[n - 1 - below] + ascending[n - 1 - above]) / 2
        found.append((float(low), float(high)))
    return tuple(found)
