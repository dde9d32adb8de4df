"""Density curves."""

from __future__ import annotations

import math

import numpy as np

from night_trail.core.stats.shape import resolution
from night_trail.core.table import Floats

GRID = 4_096
SHOWN = 256


def bandwidth(counts: Floats, n: int, span: float) -> float:
    """Return the Gaussian bandwidth of Botev, Grotowski & Kroese (2010) from counts on an even grid.

    Parameters
    ----------
    counts
        Shape (k,): how many of ``n`` values lie in each of k equal cells.
    n
        Number of different values; ties make the diffusion equation sharper than the data is.
    span
        Width of the grid, in the values' unit; the bandwidth has the same.
    """
    from scipy.fft import dct  # noqa: PLC0415  (slow import)
    from scipy.optimize import brentq  # noqa: PLC0415

    k = len(counts)
    a2 = (dct(counts / counts.sum())[1:] / 2) ** 2
    squares = np.arange(1, k, dtype=np.float64) ** 2

    def functional(order: int, time: float) -> float:
        with np.errstate(under="ignore"):
            terms = squares**order * a2 * np.exp(-squares * math.pi**2 * time)
        return float(2 * math.pi ** (2 * order) * terms.sum())

    def off(time: float) -> float:
        found = functional(7, time)
        for order in range(6, 1, -1):
            odd = math.prod(range(1, 2 * order, 2)) / math.sqrt(2 * math.pi)
            step = (2 * (1 + 0.5 ** (order + 0.5)) / 3 * odd / (n * found)) ** (2 / (3 + 2 * order))
            found = functional(order, step)
        return float(time - (2 * n * math.sqrt(math.pi) * found) ** (-2 / 5))

    try:
        time = brentq(off, 1e-12, 0.1)
    except (ValueError, ZeroDivisionError, OverflowError):
        # too few values for the equation to have a root: the authors' own start
        time = min(0.28 * n ** (-2 / 5), 0.01)
    return math.sqrt(time) * span


def density(
    values: Floats, low: float, high: float, width: float | None = None
) -> tuple[Floats, Floats, float]:
    """Return places, heights and the bandwidth of a density on a grid from ``low`` to ``high``.

    ``values`` ascend. No mass leaves the grid: it is reflected at both ends, as at a natural bound.
    The area under the curve is 1.
    """
    from scipy.fft import dct, idct  # noqa: PLC0415  (slow import)

    span = high - low
    different = max(2, 1 + int(np.count_nonzero(np.diff(values))))
    if step := resolution(values):
        # recorded in steps, every tie would be a peak: values are spread evenly over their step
        values = values + np.random.default_rng(7).uniform(-0.5, 0.5, len(values)) * step
        values = np.clip(values, low, high)
        different = len(values)
    counts, _ = np.histogram(values, GRID, (low, high))
    # no narrower than the places that are returned lie apart, or a peak could fall between them
    h = width or max(bandwidth(counts.astype(np.float64), different, span), step / 2, 1.5 * span / SHOWN)
    wave = dct(counts / counts.sum()) * np.exp(-(np.arange(GRID) ** 2) * math.pi**2 * (h / span) ** 2 / 2)
    heights = np.maximum(idct(wave) * GRID / span, 0.0)
    centres = low + (np.arange(GRID) + 0.5) * span / GRID
    every = GRID // SHOWN
    return centres[::every], heights[::every], h
