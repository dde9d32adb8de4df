"""What some shapes show of a series beside its figures: shades, ranks, distances from its own middle."""

from __future__ import annotations

import itertools

import numpy as np

from night_trail.core.questions.over_time.answer import OverTimeAnswer
from night_trail.core.questions.shared.rolled import Line
from night_trail.core.table import Floats, Ints

SHADES = 6


def shades(values: Floats) -> Ints:
    """Return a shade from 1 to ``SHADES`` for each value by its rank, 0 where it is missing.

    By rank, so that one spike does not pale all other days: the cuts are the
    sixths of the values that are there.
    """
    has = values[~np.isnan(values)]
    if not len(has):
        return np.zeros(len(values), dtype=np.int64)
    cuts = np.quantile(has, np.linspace(0, 1, SHADES + 1)[1:-1])
    found = np.searchsorted(cuts, values, side="right") + 1
    return np.where(np.isnan(values), 0, found).astype(np.int64)


def from_own_median(answer: OverTimeAnswer, one: Line) -> tuple[float, Floats]:
    """Return a line's median over whole periods, and each one's distance from it, NaN where none is."""
    values = np.where(answer.whole, one.values, np.nan)
    has = values[~np.isnan(values)]
    median = float(np.median(has)) if len(has) else 0.0
    return median, values - median


def ranks(answer: OverTimeAnswer) -> Floats:
    """Return the rank of each line (rows) in each whole period (columns), 1 the largest, NaN where none is.

    The line of gathered groups is none of them. Of equal figures the line named first is ahead.
    """
    lines = [one for one in answer.lines if not one.others]
    values = np.array([np.where(answer.whole, one.values, np.nan) for one in lines])
    found = np.full(values.shape, np.nan)
    for j in range(values.shape[1] if lines else 0):
        has = ~np.isnan(values[:, j])
        order = np.argsort(-values[has, j], kind="stable")
        place = np.empty(len(order))
        place[order] = np.arange(1, len(order) + 1)
        found[has, j] = place
    return found


def largest_step(values: Floats, has: Ints) -> tuple[int, float, float] | None:
    """Return where the largest step between neighbouring periods ends, the step, and the usual one.

    ``has`` are the periods with a figure; None where fewer than five are neighbours. The usual
    step is the median of their sizes.

    ``values`` has shape (periods,), NaN where there is none.
    """
    steps = [(int(b), float(values[b] - values[a])) for a, b in itertools.pairwise(has) if b == a + 1]
    if len(steps) <= 4:
        return None
    at, step = max(steps, key=lambda s: abs(s[1]))
    return at, step, float(np.median([abs(s) for _, s in steps]))


def usual_change(values: Floats) -> float | None:
    """Return the median change from one figure to the next as a share of the earlier; None for one alone.

    Shape (n,) without NaN.
    """
    if len(values) < 2:
        return None
    return float(np.median(np.abs(np.diff(values)) / np.maximum(np.abs(values[:-1]), 1e-300)))
