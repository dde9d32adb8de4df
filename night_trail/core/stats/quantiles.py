"""Quantiles, whiskers and notches."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from night_trail.core.table import Bools, Floats


def quantiles(values: Floats, at: tuple[float, ...]) -> Floats:
    """Return quantiles by linear interpolation, type 7 of Hyndman & Fan (1996).

    Parameters
    ----------
    values
        One dimension, at least one value, no NaN; any order.
    at
        Shares between 0 and 1.

    Examples
    --------
    >>> quantiles(np.array([1.0, 2.0, 3.0, 4.0]), (0.25, 0.5)).tolist()
    [1.75, 2.5]
    """
    return np.asarray(np.quantile(values, at, method="linear"), dtype=np.float64)


@dataclass(frozen=True)
class Summary:
    """Five numbers, mean and standard deviation (n − 1) of ``n`` values."""

    n: int
    low: float
    q1: float
    median: float
    q3: float
    high: float
    mean: float
    sd: float


def summary(values: Floats) -> Summary | None:
    """Return the summary of values without NaN, or None where there are none."""
    if not len(values):
        return None
    q1, median, q3 = quantiles(values, (0.25, 0.5, 0.75))
    # a mean of a million large numbers (seconds since 1970) keeps its digits around a shift
    shift = float(values[0])
    mean = shift + float(np.mean(values - shift))
    sd = float(np.std(values - shift, ddof=1)) if len(values) > 1 else math.nan
    return Summary(
        len(values), float(values.min()), float(q1), float(median), float(q3), float(values.max()), mean, sd
    )


@dataclass(frozen=True)
class BoxFigures:
    """What a box plot shows of one group; ``outside`` marks values beyond the whiskers."""

    n: int
    q1: float
    median: float
    q3: float
    low_whisker: float
    high_whisker: float
    notch_low: float
    notch_high: float
    outside: Bools


def box(values: Floats) -> BoxFigures:
    """Return the figures of a box plot.

    Whiskers reach to the furthest value within 1.5 interquartile ranges of
    the box (Tukey 1977), and never inside the box. The notch is the median
    ± 1.57 · IQR / √n (McGill, Tukey & Larsen 1978).

    Parameters
    ----------
    values
        One dimension, at least one value, no NaN.
    """
    q1, median, q3 = (float(q) for q in quantiles(values, (0.25, 0.5, 0.75)))
    reach = 1.5 * (q3 - q1)
    outside = (values < q1 - reach) | (values > q3 + reach)
    inside = values[~outside]
    low = min(float(inside.min()), q1) if len(inside) else q1
    high = max(float(inside.max()), q3) if len(inside) else q3
    half_notch = 1.57 * (q3 - q1) / math.sqrt(len(values))
    return BoxFigures(
        len(values), q1, median, q3, low, high, median - half_notch, median + half_notch, outside
    )
