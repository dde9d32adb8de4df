"""The figures a textbook has for a sample, for groups, for a pair of columns, for a series.

Each keeps its digits where values lie far from 0 or nearly along one line:
values are taken from their middle on, and lines are fitted by QR.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from scipy import special

from night_trail.core.stats.intervals import Z95, t95
from night_trail.core.stats.quantiles import quantiles
from night_trail.core.table import Bools, Floats, Ints

Value = float | int


@dataclass(frozen=True)
class Named:
    """A figure with its name."""

    label: str
    value: Value


def _centred(values: Floats) -> tuple[float, Floats]:
    """Return the mean and the values from it on, exact in their differences."""
    pivot = float(values[0])
    off = values - pivot
    middle = float(off.mean())
    off = off - middle
    # what rounding left over of the mean
    rest = float(off.mean())
    return pivot + (middle + rest), off - rest


def of_sample(values: Floats) -> list[Named]:
    """Return what describes a sample: n − 1 variance, quantiles of type 7, G1 and G2, Tukey's fences.

    Parameters
    ----------
    values
        One dimension, no NaN.
    """
    n = len(values)
    found = [Named("n", n)]
    if not n:
        return found
    ascending = np.sort(values)
    mean, off = _centred(values)
    found.append(Named("mean", mean))
    squares = float(off @ off)
    if n > 1:
        variance = squares / (n - 1)
        error = math.sqrt(variance / n)
        half = t95(n - 1) * error
        found += [
            Named("standard deviation", math.sqrt(variance)),
            Named("variance", variance),
            Named("standard error of the mean", error),
            Named("mean, 95 % from", mean - half),
            Named("mean, 95 % to", mean + half),
        ]
        if mean:
            found.append(Named("coefficient of variation", math.sqrt(variance) / abs(mean)))
    q1, middle, q3 = (float(q) for q in quantiles(ascending, (0.25, 0.5, 0.75)))
    spread = q3 - q1
    found += [
        Named("smallest", float(ascending[0])),
        Named("lower quartile", q1),
        Named("median", middle),
        Named("upper quartile", q3),
        Named("largest", float(ascending[-1])),
        Named("interquartile range", spread),
        Named("lower fence", q1 - 1.5 * spread),
        Named("upper fence", q3 + 1.5 * spread),
        Named("median absolute deviation", float(np.median(np.abs(ascending - middle)))),
        Named("sum", math.fsum(values.tolist()) if n < 100_000 else float(values.sum())),
    ]
    if n > 2 and squares > 0:
        m2, m3 = squares / n, float((off**3).mean())
        found.append(Named("skewness G1", m3 / m2**1.5 * math.sqrt(n * (n - 1)) / (n - 2)))
    if n > 3 and squares > 0:
        g2 = float((off**4).mean()) / (squares / n) ** 2 - 3
        found.append(Named("excess kurtosis G2", ((n + 1) * g2 + 6) * (n - 1) / ((n - 2) * (n - 3))))
    return found


def of_groups(members: list[Floats]) -> list[Named]:
    """Return the tests that the means or the middles of groups are alike; groups of no values are left out.

    Analysis of variance (Fisher 1925), Welch (1951), Brown & Forsythe (1974),
    Kruskal & Wallis (1952); for two groups Student's and Welch's t and Mann &
    Whitney's U (normal approximation with ties, no continuity correction).

    Each of ``members`` has shape (rows of the group,) without NaN.
    """
    members = [m for m in members if len(m)]
    k, n = len(members), sum(map(len, members))
    if k < 2 or n <= k:
        return []
    pivot = float(members[0][0])
    parts = [_centred(m - pivot) for m in members]
    sizes = np.array([len(m) for m in members], dtype=np.float64)
    means = np.array([mean for mean, _ in parts])
    squares = np.array([float(off @ off) for _, off in parts])
    whole = float((sizes * means).sum() / n)
    between, within = float((sizes * (means - whole) ** 2).sum()), float(squares.sum())
    found = [
        Named("groups", k),
        Named("n", n),
        Named("sum of squares between", between),
        Named("degrees of freedom between", k - 1),
        Named("sum of squares within", within),
        Named("degrees of freedom within", n - k),
    ]
    if within > 0:
        f = between / (k - 1) / (within / (n - k))
        found += [
            Named("F", f),
            Named("p of F", float(special.fdtrc(k - 1, n - k, f))),
            Named("η²", between / (between + within)),
            Named("residual standard deviation", math.sqrt(within / (n - k))),
        ]
    variances = np.divide(squares, sizes - 1, out=np.zeros(k), where=sizes > 1)
    if (sizes > 1).all() and (variances > 0).all():
        found += _unequal(sizes, means, variances)
    found += _by_ranks(members)
    if k == 2 and (sizes > 1).all() and within > 0:
        found += _of_two(sizes, means, variances, within)
    return found


def _unequal(n: Floats, means: Floats, variances: Floats) -> list[Named]:
    k, weights = len(n), n / variances
    total = weights.sum()
    centre = (weights * means).sum() / total
    lack = float((((1 - weights / total) ** 2) / (n - 1)).sum())
    welch = float((weights * (means - centre) ** 2).sum() / (k - 1)) / (1 + 2 * (k - 2) * lack / (k * k - 1))
    freedom = (k * k - 1) / (3 * lack)
    parts = (1 - n / n.sum()) * variances
    middle = (n * means).sum() / n.sum()
    star = float((n * (means - middle) ** 2).sum() / parts.sum())
    star_freedom = float(parts.sum() ** 2 / (parts**2 / (n - 1)).sum())
    return [
        Named("Welch's F", welch),
        Named("Welch's degrees of freedom", freedom),
        Named("p of Welch's F", float(special.fdtrc(k - 1, freedom, welch))),
        Named("Brown–Forsythe F", star),
        Named("Brown–Forsythe degrees of freedom", star_freedom),
        Named("p of Brown–Forsythe F", float(special.fdtrc(k - 1, star_freedom, star))),
    ]


def _by_ranks(members: list[Floats]) -> list[Named]:
    from scipy import stats  # noqa: PLC0415  (slow import)

    together = np.concatenate(members)
    if float(np.ptp(together)) == 0:
        return []
    h, p = stats.kruskal(*members)
    found = [Named("Kruskal–Wallis H", float(h)), Named("p of H", float(p))]
    if len(members) == 2:
        u = stats.mannwhitneyu(*members, method="asymptotic", use_continuity=False)
        found += [Named("Mann–Whitney U", float(u.statistic)), Named("p of U", float(u.pvalue))]
    return found


def _of_two(n: Floats, means: Floats, variances: Floats, within: float) -> list[Named]:
    gap, pooled = float(means[0] - means[1]), within / float(n.sum() - 2)
    error = math.sqrt(pooled * float((1 / n).sum()))
    parts = variances / n
    welch_error = math.sqrt(float(parts.sum()))
    freedom = float(parts.sum() ** 2 / (parts**2 / (n - 1)).sum())
    found = [Named("difference of means", gap)]
    for name, t, df, width in (
        ("pooled t", gap / error, float(n.sum() - 2), error),
        ("Welch's t", gap / welch_error if welch_error else math.inf, freedom, welch_error),
    ):
        half = t95(df) * width
        found += [
            Named(name, t),
            Named(f"degrees of freedom of {name}", df),
            Named(f"p of {name}", float(2 * special.stdtr(df, -abs(t)))),
            Named(f"difference, 95 % from, by {name}", gap - half),
            Named(f"difference, 95 % to, by {name}", gap + half),
        ]
    shrunk = 1 - 3 / (4 * float(n.sum()) - 9)
    return [*found, Named("Hedges' g", gap / math.sqrt(pooled) * shrunk)]


def of_differences(first: Floats, second: Floats) -> list[Named]:
    """Return the paired t test of two columns over the rows that have both.

    Both have shape (rows,), NaN where missing.
    """
    n = len(first)
    if n < 2:
        return []
    mean, off = _centred(first - second)
    spread = math.sqrt(float(off @ off) / (n - 1))
    found = [Named("pairs", n), Named("mean difference", mean), Named("its standard deviation", spread)]
    if spread > 0:
        error = spread / math.sqrt(n)
        t, half = mean / error, t95(n - 1) * error
        found += [
            Named("paired t", t),
            Named("degrees of freedom", n - 1),
            Named("p of paired t", float(2 * special.stdtr(n - 1, -abs(t)))),
            Named("mean difference, 95 % from", mean - half),
            Named("mean difference, 95 % to", mean + half),
        ]
    return found


MOST_TAU = 20_000


def of_pair(x: Floats, y: Floats) -> list[Named]:
    """Return the line of y on x with its analysis of variance, and the correlations of both.

    Least squares by QR of the centred columns; Fisher's interval of r; Kendall's
    τ-b on at most 20,000 pairs, a fixed random part of more.

    Both have shape (rows,) without NaN.
    """
    from scipy import stats  # noqa: PLC0415  (slow import)

    n = len(x)
    found = [Named("n", n)]
    if n < 3 or float(np.ptp(x)) == 0 or float(np.ptp(y)) == 0:
        return found
    x_mean, a = _centred(x)
    y_mean, b = _centred(y)
    q, r = np.linalg.qr(a[:, None])
    along = float(q[:, 0] @ b)
    slope = along / float(r[0, 0])
    rest = b - slope * a
    total, left = float(b @ b), float(rest @ rest)
    explained = max(total - left, along**2)
    freedom = n - 2
    residual = math.sqrt(left / freedom)
    slope_error = residual / math.sqrt(float(a @ a))
    intercept = y_mean - slope * x_mean
    intercept_error = residual * math.sqrt(1 / n + x_mean**2 / float(a @ a))
    t = t95(freedom)
    correlation = float(a @ b) / math.sqrt(float(a @ a)) / math.sqrt(total)
    found += [
        Named("slope", slope),
        Named("standard error of the slope", slope_error),
        Named("slope, 95 % from", slope - t * slope_error),
        Named("slope, 95 % to", slope + t * slope_error),
        Named("intercept", intercept),
        Named("standard error of the intercept", intercept_error),
        Named("intercept, 95 % from", intercept - t * intercept_error),
        Named("intercept, 95 % to", intercept + t * intercept_error),
        Named("R²", explained / (explained + left)),
        Named("residual standard deviation", residual),
        Named("sum of squares explained", explained),
        Named("sum of squares left", left),
        Named("degrees of freedom", freedom),
    ]
    if left > 0:
        f = explained / (left / freedom)
        found += [Named("F", f), Named("p of F", float(special.fdtrc(1, freedom, f)))]
    found.append(Named("Pearson's r", correlation))
    if n > 3 and abs(correlation) < 1:
        z, half = math.atanh(correlation), Z95 / math.sqrt(n - 3)
        found += [Named("r, 95 % from", math.tanh(z - half)), Named("r, 95 % to", math.tanh(z + half))]
    rho = stats.spearmanr(x, y)
    found += [Named("Spearman's ρ", float(rho.statistic)), Named("p of ρ", float(rho.pvalue))]
    chosen = np.arange(n)
    if n > MOST_TAU:
        chosen = np.random.default_rng(1).choice(n, MOST_TAU, replace=False)
    tau = stats.kendalltau(x[chosen], y[chosen])
    return [*found, Named("Kendall's τ-b", float(tau.statistic)), Named("p of τ", float(tau.pvalue))]


def partial_correlations(matrix: Floats) -> Floats:
    """Return the correlation of every two columns with all others held fixed; NaN where that cannot be said.

    From the inverse of the correlation matrix of rows that are complete.

    ``matrix`` has shape (rows, columns), NaN where missing.
    """
    complete = matrix[~np.isnan(matrix).any(axis=1)]
    k = matrix.shape[1]
    nothing = np.full((k, k), np.nan)
    if len(complete) < k + 2 or (complete.std(axis=0) == 0).any():
        return nothing
    centred = np.column_stack([_centred(column)[1] for column in complete.T])
    centred = centred / np.sqrt((centred**2).sum(axis=0))
    triangle = np.linalg.qr(centred, mode="r")
    if np.abs(np.diag(triangle)).min() < 1e-10:
        return nothing
    inverse = np.linalg.inv(triangle)
    precision = inverse @ inverse.T
    size = np.sqrt(np.diag(precision))
    found = -precision / np.outer(size, size)
    np.fill_diagonal(found, 1.0)
    return np.asarray(found)


def autocorrelations(values: Floats, most: int) -> Floats:
    """Return the autocorrelations at lags 1 to ``most`` (Box & Jenkins 1976), gaps left out.

    ``values`` has shape (periods,), NaN for gaps; the result shape (lags,), empty where nothing varies.
    """
    has: Bools = ~np.isnan(values)
    if has.sum() < 3:
        return np.empty(0)
    centred = np.where(has, values - np.nanmean(values), 0.0)
    whole = float(centred @ centred)
    if whole == 0:
        return np.empty(0)
    lags = range(1, min(most, len(values) - 2) + 1)
    return np.array([float(centred[:-lag] @ centred[lag:]) / whole for lag in lags])


def classical_seasons(values: Floats, places: Ints, period: int, way: str) -> Floats:
    """Return what each place of a season adds to, or multiplies, a centred moving average; shape (period,).

    The classical decomposition (Macaulay 1931): the mean deviation from the average over whole
    seasons, the means brought to add up to 0 ("add") or to average 1 ("multiply"). ``values`` has
    no gaps and at least two whole seasons, ``places`` counts from 0.
    """
    from statsmodels.tsa.seasonal import seasonal_decompose  # noqa: PLC0415  (slow import)

    model = "multiplicative" if way == "multiply" else "additive"
    season = seasonal_decompose(values, model, period=period).seasonal
    first = int(np.flatnonzero(places == 0)[0])
    return np.asarray(season[first : first + period])


def of_errors(truth: Floats, said: Floats, scale: float) -> list[Named]:
    """Return how far off what was said was; ``scale`` is the mean error of repeating the season.

    Both have shape (periods,) without NaN, in the measure's unit.
    """
    off = truth - said
    found = [
        Named("mean absolute error", float(np.mean(np.abs(off)))),
        Named("root mean squared error", math.sqrt(float(np.mean(off**2)))),
        Named("mean error", float(np.mean(off))),
    ]
    if (truth != 0).all():
        found.append(Named("mean absolute percentage error", float(100 * np.mean(np.abs(off / truth)))))
    if scale > 0:
        found.append(Named("mean absolute scaled error", float(np.mean(np.abs(off))) / scale))
    return found
