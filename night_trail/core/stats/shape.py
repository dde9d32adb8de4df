"""What is striking about the shape of a distribution: humps, heaps, zeros."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from night_trail.core.table import Floats, Ints

SAMPLE = 60_000
"""Rows the dip test looks at; a fixed random part of larger columns."""


@dataclass(frozen=True)
class Heaping:
    """Last digits that are too common: every ``step``-th value, ``share`` of all, ``expected`` by chance."""

    step: int
    share: float
    expected: float


def sample(values: Floats, size: int = SAMPLE) -> Floats:
    """Return a fixed random part of the values (seed 7), or all of few.

    Shape (n,) in any order; the order of those chosen is random.
    """
    if len(values) <= size:
        return values
    return np.asarray(np.random.default_rng(7).choice(values, size, replace=False))


def humps(values: Floats, step: float = 0.0) -> tuple[float, ...]:
    """Return where the humps of the values lie, one place or several.

    That there is more than one is decided by the dip test (Hartigan &
    Hartigan 1985) at p < 0.01 on the values between the 0.5 % and 99.5 %
    quantiles; where they lie, by the peaks of a smoothed histogram that stand
    out by a fiftieth of the highest and by five standard errors. Values
    recorded in steps are spread evenly over their step first, or every tie
    would count as a hump; ``step`` names a coarser one (values rounded to
    tens). Fewer than 50 values, or fewer than 30 different ones, are not judged,
    nor are columns where zero or the median alone is 30 % of the values.

    ``values`` has shape (n,) without NaN.
    """
    if len(values) < 50:
        return ()
    from diptest import diptest  # noqa: PLC0415  (slow import, only here)
    from scipy.ndimage import gaussian_filter1d  # noqa: PLC0415
    from scipy.signal import find_peaks  # noqa: PLC0415

    part = sample(values)
    low, high = np.quantile(part, (0.005, 0.995))
    part = part[(part >= low) & (part <= high)]
    if high <= low or len(np.unique(_few(part))) < 30:
        return ()
    if max(np.count_nonzero(part == 0), np.count_nonzero(part == np.median(part))) > 0.3 * len(part):
        return ()
    recorded = step or resolution(part)
    part = part + np.random.default_rng(7).uniform(-0.5, 0.5, len(part)) * recorded
    counts, edges = np.histogram(part, bins=256)
    q1, q3 = np.quantile(part, (0.25, 0.75))
    # bandwidth after Silverman (1986)
    bandwidth = 0.9 * min(float(np.std(part)), (q3 - q1) / 1.34 or math.inf) * len(part) ** -0.2
    sigma = max(1.0, bandwidth / (edges[1] - edges[0]))
    smooth = np.concatenate([[0.0], gaussian_filter1d(counts.astype(float), sigma, mode="constant"), [0.0]])
    peaks, found = find_peaks(smooth, prominence=0.02 * smooth.max())
    # a smoothed count varies like a Poisson count averaged over 2·√π·σ bins
    noise = np.sqrt(smooth[peaks] / (2 * math.sqrt(math.pi) * sigma))
    peaks = peaks[found["prominences"] > 5 * noise]
    centres = (edges[:-1] + edges[1:]) / 2
    if len(peaks) < 2:
        return (float(centres[peaks[0] - 1]),) if len(peaks) else ()
    if diptest(part)[1] >= 0.01:
        return (float(centres[int(np.argmax(smooth)) - 1]),)
    return tuple(float(centres[p - 1]) for p in peaks)


def _few(values: Floats) -> Floats:
    """Return about two thousand values from all over, sorted or not."""
    return values[:: max(1, len(values) // 2_000)]


def resolution(values: Floats) -> float:
    """Return the decimal step values are recorded in, 0 where they share none.

    Shape (n,) without NaN, in the column's unit.
    """
    for places in range(4):
        if np.allclose(_few(values), np.round(_few(values), places), atol=1e-9):
            return float(10.0**-places)
    return 0.0


def heaping(values: Floats) -> Heaping | None:
    """Return whether multiples of 10 or 5 are too common among whole numbers.

    Terminal digits are compared with their neighbours rather than with an even
    share, so that a steep distribution is not taken for rounding: expected is
    what the values just beside the multiples hold on average. The difference
    must be significant (chi-square with one degree of freedom, p < 0.0001, the
    chance in both neighbours counted) and the multiples half as common again.

    ``values`` has shape (n,) without NaN.
    """
    if len(values) < 200 or np.ptp(values) < 20:
        return None
    values = sample(values)
    for step in (10, 5):
        rest = np.mod(values, step).astype(int)
        at = int(np.count_nonzero(rest == 0))
        beside = int(np.count_nonzero((rest == 1) | (rest == step - 1))) / 2
        if beside == 0:
            if at == len(values):
                return None
            continue
        # a count varies by itself, the mean of its two neighbours by a half
        chi = (at - beside) ** 2 / (1.5 * beside)
        if chi > 15.14 and at > 1.5 * beside:
            return Heaping(step, at / len(values), beside / len(values))
    return None


def zeros(values: Floats) -> float:
    """Return the share of values that are exactly 0.

    Shape (n,) without NaN; at least one value.
    """
    return float(np.count_nonzero(values == 0)) / len(values) if len(values) else 0.0


def peaks(counts: Ints) -> int:
    """Return how many peaks the counts of neighbouring bins show, steps within chance left out.

    Shape (bins,), bins of one width.
    """
    from scipy.signal import find_peaks  # noqa: PLC0415  (slow import)

    tall = np.concatenate([[0], counts, [0]]).astype(float)
    # of two peaks as high as each other one is the higher: else both would stand on the ground
    tall[1:-1] += 1e-6 * np.arange(len(counts))
    at, found = find_peaks(tall, prominence=0.04 * (tall.max() or 1.0))
    # a peak and the valley beside it vary by themselves, and the widest of many pairs is looked at:
    # four and a half standard errors of their difference
    valleys = tall[at] - found["prominences"]
    return max(1, int(np.count_nonzero(found["prominences"] >= 4.5 * np.sqrt(tall[at] + valleys))))
