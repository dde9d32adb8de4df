"""What intervals are made of: the 95 % quantiles, and shares."""

from __future__ import annotations

import math

from scipy import special

Z95 = 1.959963984540054
"""The 97.5 % quantile of the normal distribution: 95 % lie within it to either side."""


def t95(freedom: float) -> float:
    """Return the 97.5 % quantile of Student's t.

    >>> round(t95(10), 3)
    2.228
    """
    return float(special.stdtrit(freedom, 0.975))


def wilson(k: int, n: int) -> tuple[float, float]:
    """Return the 95 % interval of a share k of n (Wilson 1927, without continuity correction).

    >>> [round(x, 4) for x in wilson(5, 10)]
    [0.2366, 0.7634]
    """
    if n == 0:
        return (0.0, 1.0)
    share = k / n
    centre = (share + Z95**2 / (2 * n)) / (1 + Z95**2 / n)
    half = Z95 / (1 + Z95**2 / n) * math.sqrt(share * (1 - share) / n + Z95**2 / (4 * n * n))
    return (max(0.0, centre - half), min(1.0, centre + half))
