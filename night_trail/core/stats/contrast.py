"""How far two sets of rows lie apart in one column, from what each has of every value."""

from __future__ import annotations

import math

import numpy as np
from scipy import special

from night_trail.core.table import Floats, Ints

LEAST_EXPECTED = 1.0
"""Values of which chance would give either set fewer rows than this are tested together."""


def distance(ones: Ints, others: Ints) -> float:
    """Return how far two sets lie apart: 0 with equal shares, 1 without a value in common.

    The root of ½ Σ (p − q)² / (p + q) over the shares of each value (the
    triangular discrimination of Le Cam 1986; Topsøe 2000), which is Cramér's V
    of two sets of one size. What chance alone gives, (k − 1)(1/n + 1/m) / 4, is
    taken off as Bergsma (2013) does. Sizes of the sets do not matter to it.

    Both have shape (values,): how many rows of each set have each value.
    """
    n, m = int(ones.sum()), int(others.sum())
    if n == 0 or m == 0:
        return 0.0
    p, q = ones / n, others / m
    used = (p + q) > 0
    p, q = p[used], q[used]
    squared = float(((p - q) ** 2 / (p + q)).sum()) / 2
    return math.sqrt(max(0.0, squared - (len(p) - 1) * (1 / n + 1 / m) / 4))


def chance(ones: Ints, others: Ints) -> float:
    """Return the probability of shares at least so different by chance: χ² of two rows (Pearson 1900).

    Both have shape (values,). 1 where nothing can be told apart.
    """
    n, m = int(ones.sum()), int(others.sum())
    pooled = (ones + others).astype(np.float64)
    if n == 0 or m == 0:
        return 1.0
    rare = pooled * min(n, m) / (n + m) < LEAST_EXPECTED
    table = np.array([[*side[~rare], side[rare].sum()] for side in (ones, others)], dtype=np.float64)
    table = table[:, table.sum(axis=0) > 0]
    if table.shape[1] < 2:
        return 1.0
    expected = np.outer(table.sum(axis=1), table.sum(axis=0)) / (n + m)
    statistic = float(((table - expected) ** 2 / expected).sum())
    return float(special.chdtrc(table.shape[1] - 1, statistic))


def higher(ones: Floats, others: Floats) -> tuple[float, float]:
    """Return Cliff's delta (1993) of two sets of values, and how likely it is by chance.

    Delta is how much oftener a value of the first is above one of the second
    than below it, from −1 to 1. Its chance is that of Mann & Whitney (1947)
    with ties, by the normal distribution. Both have shape (rows,) without NaN.
    """
    n, m = len(ones), len(others)
    if n == 0 or m == 0:
        return 0.0, 1.0
    values, inverse, counts = np.unique(
        np.concatenate([ones, others]), return_inverse=True, return_counts=True
    )
    if len(values) < 2:
        return 0.0, 1.0
    before = np.cumsum(counts) - counts
    ranks = before + (counts + 1) / 2
    u = float(ranks[inverse[:n]].sum()) - n * (n + 1) / 2
    total = n + m
    ties = float((counts.astype(np.float64) ** 3 - counts).sum()) / (total * (total - 1))
    spread = math.sqrt(n * m / 12 * (total + 1 - ties))
    z = (abs(u - n * m / 2) - 0.5) / spread if spread > 0 else 0.0
    return 2 * u / (n * m) - 1, min(1.0, 2 * float(special.ndtr(-max(z, 0.0))))
