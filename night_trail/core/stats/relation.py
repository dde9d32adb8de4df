"""How two columns of numbers move together: correlations and fits."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from scipy import special

from night_trail.core.stats.intervals import Z95, t95
from night_trail.core.table import Floats, Ints

MOST_PAIRS = 1_000
"""Rows whose pairs Theil–Sen looks at; half a million slopes settle the median."""

MOST_RANKED = 30_000
"""Rows that are ranked; ρ and ξ of so many are those of all to about a hundredth."""

BLOCK = 65_536
"""Rows that are summed at once."""

KEEPS = 0.02
"""Sums of squares around the mean are differences where they are at least so much of those around 0."""

CURVE_POINTS = 60
MOST_CURVE = 4_000
SEED = 20_110


FINE = 1e-200
"""Sums of squares between this and its inverse neither overflow nor vanish in a product."""

CLOSE_FIT = 1e-6
"""A line that leaves a smaller share of the variance has its remainder summed value by value."""


@dataclass(frozen=True)
class Correlation:
    """Pearson's r with its 95 % interval (Fisher 1921), Spearman's ρ, Chatterjee's ξ."""

    n: int
    pearson: float
    low: float
    high: float
    spearman: float
    xi: float


def alike(found: Sequence[Correlation]) -> float | None:
    """Return how likely correlations of groups differ as much by chance (Fisher 1921; Rao 1973, 6g.2).

    Chi-square of their z values, each weighted by its rows less three; None for fewer than two that
    have four rows, or where one is a line without spread.
    """
    known = [c for c in found if c.n > 3]
    if len(known) < 2 or any(abs(c.pearson) >= 1 for c in known):
        return None
    weights = np.array([c.n - 3.0 for c in known])
    z = np.arctanh([c.pearson for c in known])
    apart = float(weights @ (z - np.average(z, weights=weights)) ** 2)
    return float(special.chdtrc(len(known) - 1, apart))


@dataclass(frozen=True)
class FittedLine:
    """A straight fit, and the 95 % band of its mean where it has one: at ``x``, from ``low`` to ``high``."""

    slope: float
    intercept: float
    x: Floats
    y: Floats
    low: Floats | None = None
    high: Floats | None = None


@dataclass(frozen=True)
class Pair:
    """Two columns and the sums around their means that correlation and line both rest on."""

    x: Floats
    y: Floats
    x_mean: float
    y_mean: float
    x_ends: tuple[float, float]
    y_ends: tuple[float, float]
    sxx: float
    sxy: float
    syy: float

    @property
    def centred(self) -> tuple[Floats, Floats]:
        """Both columns around their means."""
        return self.x - self.x_mean, self.y - self.y_mean

    @property
    def varies(self) -> bool:
        """Whether neither column has one value only."""
        return self.x_ends[0] < self.x_ends[1] and self.y_ends[0] < self.y_ends[1]


def pair_of(x: Floats, y: Floats) -> Pair:
    """Return two columns of at least one row around their means.

    Both have shape (rows,) without NaN.
    """
    x_mean, y_mean = float(x.mean()), float(y.mean())
    ends = (float(x.min()), float(x.max())), (float(y.min()), float(y.max()))
    with np.errstate(over="ignore", invalid="ignore"):
        xx, yy, n = float(x @ x), float(y @ y), len(x)
        sxx, syy = xx - n * x_mean * x_mean, yy - n * y_mean * y_mean
        sxy = float(x @ y) - n * x_mean * y_mean
        if not (sxx > KEEPS * xx and syy > KEEPS * yy):
            # far from 0 the difference of two sums keeps few digits; block by block, so that
            # what is made on the way stays near the processor
            sxx = sxy = syy = 0.0
            for start in range(0, n, BLOCK):
                off, above = x[start : start + BLOCK] - x_mean, y[start : start + BLOCK] - y_mean
                sxx, sxy, syy = sxx + float(off @ off), sxy + float(off @ above), syy + float(above @ above)
    return Pair(x, y, x_mean, y_mean, *ends, sxx, sxy, syy)


def correlation(x: Floats, y: Floats, known: Pair | None = None) -> Correlation | None:
    """Return how two columns are correlated; None under 4 rows or where one does not vary.

    ``known`` are their sums where they are at hand.

    Both have shape (rows,) without NaN; ranks are those of the part ``some_of`` takes.
    """
    n = len(x)
    if n < 4 or not (pair := known or pair_of(x, y)).varies:
        return None
    r = _pearson(pair)
    z, half = math.atanh(min(max(r, -1 + 1e-15), 1 - 1e-15)), Z95 / math.sqrt(n - 3)
    low, high = math.tanh(z - half), math.tanh(z + half)
    some_x, some_y = (_Ranked.of(part) for part in some_of(x, y))
    return Correlation(n, r, low, high, pearson(some_x.means, some_y.means), _xi(some_x, some_y))


def some_of(*columns: np.ndarray) -> tuple[np.ndarray, ...]:
    """Return the rows of columns, a fixed random part of 30,000 where there are more."""
    if len(columns[0]) <= MOST_RANKED:
        return columns
    chosen = _some(len(columns[0]))
    return tuple(column[chosen] for column in columns)


@lru_cache(maxsize=16)
def _some(n: int) -> Ints:
    """Return which of ``n`` rows make up the fixed part."""
    chosen: Ints = np.random.default_rng(SEED).choice(n, MOST_RANKED, replace=False)
    # in order, since rows that lie close together are fetched together
    return np.sort(chosen)


def pearson(x: Floats, y: Floats) -> float:
    """Return Pearson's r, NaN where a column has one value; both have shape (rows,) without NaN."""
    return _pearson(pair_of(x, y))


def _pearson(pair: Pair) -> float:
    aa, bb, ab = pair.sxx, pair.syy, pair.sxy
    if not (FINE < aa < 1 / FINE and FINE < bb < 1 / FINE):
        # of one size, so that the squares of very large values do not overflow
        a, b = pair.centred
        if not (a.any() and b.any()):
            return math.nan  # what has one value goes with nothing
        a /= max(float(a.max()), -float(a.min()))
        b /= max(float(b.max()), -float(b.min()))
        aa, bb, ab = float(a @ a), float(b @ b), float(a @ b)
    return ab / (math.sqrt(aa) * math.sqrt(bb))


def correlations(matrix: Floats) -> tuple[Floats, Ints]:
    """Return Pearson's r of every pair of columns, and the rows each rests on: those that have both.

    Parameters
    ----------
    matrix
        Shape (rows, columns); NaN where missing.
    """
    has = ~np.isnan(matrix)
    weight = has.astype(np.float64)
    n = weight.T @ weight
    with np.errstate(invalid="ignore", divide="ignore"):
        # around each column's middle and of one size, so that sums keep their digits
        centre = np.where(has, matrix, 0.0).sum(axis=0) / np.maximum(weight.sum(axis=0), 1)
        filled = np.where(has, matrix - centre, 0.0)
        size = np.abs(filled).max(axis=0) if len(matrix) else np.ones(matrix.shape[1])
        filled = filled / np.where(size > 0, size, 1.0)
        sums, squares = filled.T @ weight, (filled**2).T @ weight
        means = sums / n
        covariance = filled.T @ filled / n - means * means.T
        variance = squares / n - means**2
        r = covariance / np.sqrt(variance * variance.T)
        r = np.where((variance > 1e-14) & (variance.T > 1e-14) & (n >= 4), np.clip(r, -1, 1), np.nan)
    return r, n.astype(np.int64)


def rank_correlations(matrix: Floats) -> tuple[Floats, Ints]:
    """Return Spearman's ρ of every pair of columns, and the rows each rests on.

    Ranks are those among the rows that have both: taken over more they are no
    ranks of the pair.

    ``matrix`` has shape (rows, columns), NaN where missing; ρ is NaN under 4 rows.
    """
    has = ~np.isnan(matrix)
    ranked = np.full(matrix.shape, np.nan)
    for i in range(matrix.shape[1]):
        ranked[has[:, i], i] = ranks(matrix[has[:, i], i]) if has[:, i].any() else 0.0
    r, n = correlations(ranked)
    holes = np.flatnonzero(~has.all(axis=0))
    for i in holes.tolist():
        for j in range(matrix.shape[1]):
            both = has[:, i] & has[:, j]
            if i == j or (j in holes and j < i) or n[i, j] < 4:
                continue
            pair = np.column_stack([ranks(matrix[both, i]), ranks(matrix[both, j])])
            r[i, j] = r[j, i] = correlations(pair)[0][0, 1]
    return r, n


@dataclass(frozen=True)
class _Ranked:
    """Ranks from 1: ``first``, ``last`` and the mean of them where values are equal.

    ``group`` numbers the different values, ascending from 0; ``sizes`` is how often each occurs.
    """

    group: Ints
    sizes: Ints
    first: Ints
    last: Ints

    @classmethod
    def of(cls, values: Floats) -> _Ranked:
        n = len(values)
        order = np.argsort(values)
        ascending = values[order]
        starts = np.flatnonzero(np.concatenate([[True], ascending[1:] != ascending[:-1]]))
        lengths = np.diff(np.append(starts, n))
        group = np.empty(n, dtype=np.int64)
        group[order] = np.repeat(np.arange(len(starts)), lengths)
        return cls(group, lengths, (starts + 1)[group], (starts + lengths)[group])

    @property
    def means(self) -> Floats:
        return (self.first + self.last) / 2


def ranks(values: Floats) -> Floats:
    """Return ranks from 1, the mean of them for equal values.

    Shape (n,) without NaN.
    """
    return _Ranked.of(values).means


def _xi(x: _Ranked, y: _Ranked) -> float:
    """Return ξ (Chatterjee 2021), near 1 where y is a function of x of any shape, near 0 without relation.

    It orders equal values of x at random; this is its mean over all such
    orders, so that the order of the rows does not matter.
    """
    n, sizes = len(x.group), x.sizes
    group, ranks_ = x.group, y.last
    above = n + 1 - y.first
    most = float(2 * (above * (n - above)).sum()) / n
    if most == 0:
        return math.nan  # of a part in which y happens to have one value
    if len(sizes) == n:
        by_x = np.empty(n, dtype=np.int64)
        by_x[group] = ranks_
        return 1 - float(np.abs(np.diff(by_x)).sum()) / most
    # a step within equal values is one of their pairs, a step between neighbours one of theirs
    within = _pair_sums(group, ranks_, sizes)
    not_last, not_first = group < len(sizes) - 1, group > 0
    both = _pair_sums(
        np.concatenate([group[not_last], group[not_first] - 1]),
        np.concatenate([ranks_[not_last], ranks_[not_first]]),
        sizes[:-1] + sizes[1:],
    )
    between = (both - within[:-1] - within[1:]) / (sizes[:-1] * sizes[1:])
    return 1 - float((2 * within / sizes).sum() + between.sum()) / most


def _pair_sums(group: Ints, values: Ints, sizes: Ints) -> Floats:
    """Return for each group the sum of the distances of all its pairs; ``values`` are from 0 on."""
    # in order within their groups, in which the k-th lies above k others and below the rest
    wide = int(values.max()) + 1 if len(values) else 1
    keyed = np.sort(group * wide + values)
    group = np.repeat(np.arange(len(sizes)), sizes)
    k = np.arange(len(group)) - np.repeat(np.cumsum(sizes) - sizes, sizes)
    lies_above = 2.0 * k - np.repeat(sizes - 1, sizes)
    found = np.bincount(group, weights=(keyed - group * wide) * lies_above, minlength=len(sizes))
    return np.asarray(found, dtype=np.float64)


def least_squares(x: Floats, y: Floats, known: Pair | None = None) -> FittedLine | None:
    """Return the line of least squares with the 95 % band of its mean.

    ``known`` are the columns' sums where they are at hand.

    Both have shape (rows,) without NaN; None under 3 rows, or where x does not vary.
    """
    n = len(x)
    if n < 3:
        return None
    pair = known or pair_of(x, y)
    (low, high), sxx, sxy, syy = pair.x_ends, pair.sxx, pair.sxy, pair.syy
    if low == high:
        return None
    with np.errstate(over="ignore", invalid="ignore", divide="ignore"):
        slope = float(np.float64(sxy) / sxx)
        left = syy - slope * sxy
        if not left > CLOSE_FIT * syy:
            # of values so close to the line the difference of two sums keeps no digits
            off, above = pair.centred
            residuals = above - slope * off
            left = float(residuals @ residuals)
        error = math.sqrt(left / (n - 2))
    if not math.isfinite(error) or not math.isfinite(slope):
        return None  # beyond what a double holds
    at = np.linspace(low, high, 41)
    level, centre = pair.y_mean, pair.x_mean
    fitted = level + slope * (at - centre)
    half = t95(n - 2) * error * np.sqrt(1 / n + (at - centre) ** 2 / sxx)
    return FittedLine(slope, level - slope * centre, at, fitted, fitted - half, fitted + half)


def theil_sen(x: Floats, y: Floats) -> FittedLine | None:
    """Return the line whose slope is the median of the slopes of pairs (Theil 1950, Sen 1968).

    Both have shape (rows,) without NaN; of more than 1,000 rows a fixed random part. None where x does not
    vary.
    """
    if len(x) < 3 or float(np.ptp(x)) == 0:
        return None
    if len(x) > MOST_PAIRS:
        chosen = np.random.default_rng(SEED).choice(len(x), MOST_PAIRS, replace=False)
        x, y = x[chosen], y[chosen]
    from scipy.stats import theilslopes  # noqa: PLC0415  (slow import)

    low, span = float(x.min()), float(np.ptp(x))
    # averages of equal values may differ in their last digit
    x = low + np.round((x - low) / span, 12) * span
    found = theilslopes(y, x)
    slope, intercept = float(found.slope), float(found.intercept)
    at = np.array([x.min(), x.max()])
    return FittedLine(slope, intercept, at, intercept + slope * at)


def lowess(x: Floats, y: Floats, share: float = 0.5) -> tuple[Floats, Floats] | None:
    """Return a curve by locally weighted lines (Cleveland 1979): places along x, and its heights there.

    Tricube weights over the nearest ``share`` of the points, two robust
    rounds; more than 4,000 points are first averaged in as many bins.

    Both have shape (rows,) without NaN; None under 8 rows, or where x does not vary.
    """
    if len(x) < 8 or float(np.ptp(x)) == 0:
        return None
    order = np.argsort(x, kind="stable")
    x, y = x[order], y[order]
    weight = np.ones(len(x))
    if len(x) > MOST_CURVE:
        cuts = np.linspace(0, len(x), MOST_CURVE + 1).astype(int)
        weight = np.diff(cuts).astype(float)
        x, y = np.add.reduceat(x, cuts[:-1]) / weight, np.add.reduceat(y, cuts[:-1]) / weight
    near = max(4, math.ceil(share * len(x)))
    robust = np.ones(len(x))
    # some places where the rows are, some where they are few
    crowded = np.quantile(x, np.linspace(0, 1, CURVE_POINTS))
    at = np.unique(np.concatenate([crowded, np.linspace(x[0], x[-1], CURVE_POINTS // 2)]))
    for rounds in range(3):
        fitted = np.array([_local(x, y, weight * robust, place, near) for place in at])
        if rounds == 2:
            break
        residuals = np.abs(y - np.interp(x, at, fitted))
        scale = 6 * float(np.median(residuals))
        if scale == 0:
            break
        robust = np.clip(1 - (residuals / scale) ** 2, 0, None) ** 2
    return at, fitted


def _local(x: Floats, y: Floats, weight: Floats, place: float, near: int) -> float:
    distance = np.abs(x - place)
    reach = float(np.partition(distance, near - 1)[near - 1]) or 1.0
    w = weight * np.clip(1 - (distance / (reach * 1.0000001)) ** 3, 0, None) ** 3
    total = w.sum()
    if total <= 0:
        return float(y[np.argmin(distance)])
    centre = (w @ x) / total
    sxx = w @ (x - centre) ** 2
    level = (w @ y) / total
    slope = (w @ ((x - centre) * y)) / sxx if sxx > 1e-12 * max(1.0, float(np.ptp(x)) ** 2) else 0.0
    return float(level + slope * (place - centre))


def within_slope(x: Floats, y: Floats, codes: np.ndarray) -> float | None:
    """Return the slope that groups share: of the deviations from their own means.

    All have shape (rows,) without NaN; ``codes`` from 0. None where x does not vary within groups.
    """
    n = np.bincount(codes)
    used = n > 0
    means_x, means_y = np.zeros(len(n)), np.zeros(len(n))
    means_x[used] = np.bincount(codes, weights=x)[used] / n[used]
    means_y[used] = np.bincount(codes, weights=y)[used] / n[used]
    a, b = x - means_x[codes], y - means_y[codes]
    spread = float(a @ a)
    return float(a @ b) / spread if spread > 0 else None
