"""Whether the parts of a round differ beyond chance: hours of days, weekdays of weeks, months of years."""

from __future__ import annotations

import numpy as np
from scipy import special

from night_trail.core.table import Floats

LEAST = 4
"""Whole rounds from which on anything is said."""


def drift(cells: Floats) -> float:
    """Return by how much a part lies higher than the one before, as rounds rise from one to the next.

    Least squares of the rounds' means. ``cells`` has shape (rounds, parts), without NaN; 0 for fewer
    than ``LEAST`` rounds.
    """
    rounds, parts = cells.shape
    if rounds < LEAST or parts < 2:
        return 0.0
    at = np.arange(rounds) - (rounds - 1) / 2
    return float(at @ cells.mean(axis=1) / (at @ at) / parts)


def without_drift(cells: Floats) -> Floats:
    """Return the parts of rounds without what a steady rise gives to them, of the same shape.

    What rises all the time is higher at the end of each round than at its beginning, and has no season.
    """
    return np.asarray(cells - drift(cells) * np.arange(cells.shape[1]))


def chance_of_parts(cells: Floats) -> float | None:
    """Return how likely parts differ as much by chance; None for fewer than ``LEAST`` rounds.

    The F test of repeated measures: each round is a block of its own, so that years may lie high or
    low as wholes. Degrees of freedom are cut by how unevenly the parts go together (Greenhouse &
    Geisser 1959), since neighbouring parts of a series that wanders are alike.

    ``cells`` has shape (rounds, parts), without NaN.
    """
    rounds, parts = cells.shape
    if rounds < LEAST or parts < 2:
        return None
    own = cells - cells.mean(axis=1, keepdims=True)
    middle = own.mean(axis=0)
    left = own - middle
    freedom = (parts - 1) * (rounds - 1)
    between, within = rounds * float((middle**2).sum()) / (parts - 1), float((left**2).sum()) / freedom
    least = 1e-18 * float((cells**2).mean())
    if within <= least:
        return 1.0 if between <= least else 0.0
    spread = left.T @ left / (rounds - 1)
    even = float(np.trace(spread)) ** 2 / ((parts - 1) * float((spread**2).sum()))
    even = min(1.0, max(even, 1 / (parts - 1)))
    return float(special.fdtrc(even * (parts - 1), even * freedom, between / within))
