"""Rows drawn anew: how much a figure owes to the rows that happened to be there (Efron 1979).

Rows that belong together, as those of one day, are drawn together. What adds up
over rows is added once for each set of them, so that a thousand draws of a
million rows are one product of matrices.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from night_trail.core.table import Floats, Ints

DRAWS, SLOW_DRAWS = 400, 100
MOST_SETS = 2_000
"""Sets beyond this are drawn in bags of several, thrown together at random."""

LEAST_SETS = 2


def bags(codes: Ints | None, rows: int) -> tuple[Ints, int]:
    """Return the bag of each row and how many bags there are.

    ``codes`` are the sets of the rows, shape (rows,), from 0; None where each stands for itself.
    """
    rng = np.random.default_rng(rows)
    sets = rows if codes is None else int(codes.max(initial=-1)) + 1
    if sets <= MOST_SETS:
        return (np.arange(rows, dtype=np.int64) if codes is None else codes.astype(np.int64)), sets
    bag = rng.permutation(sets) % MOST_SETS
    return (bag if codes is None else bag[codes]).astype(np.int64), MOST_SETS


def draws(sets: int, count: int = DRAWS) -> Floats:
    """Return how often each set is in each draw, shape (count, sets); always the same ones."""
    rng = np.random.default_rng(sets)
    made = np.empty((count, sets))
    for at in range(count):
        made[at] = np.bincount(rng.integers(0, sets, sets), minlength=sets)
    return made


def sums(bag: Ints, n_bags: int, values: Floats) -> Floats:
    """Return the sum of each bag, shape (bags,); ``bag`` and ``values`` have shape (rows,), without NaN."""
    found: Floats = np.bincount(bag, weights=values, minlength=n_bags).astype(np.float64)
    return found


def weighed_quantiles(values: Floats, bag: Ints, drawn: Floats, level: float) -> Floats:
    """Return a quantile of each draw, shape (draws,).

    ``values`` ascend and ``bag`` says which bag each is of, both of shape
    (rows,); ``drawn`` is what ``draws`` returns. NaN of a draw without any.
    """
    found = np.full(len(drawn), np.nan)
    if not len(values):
        return found
    for at, counts in enumerate(drawn):
        reached = np.cumsum(counts[bag])
        if reached[-1] > 0:
            found[at] = values[min(int(np.searchsorted(reached, level * reached[-1])), len(values) - 1)]
    return found


def turned_by(influence: Floats, margin: Callable[[Ints], float]) -> int | None:
    """Return how few rows have to be left out until a margin is gone; None where half of them do not do it.

    Parameters
    ----------
    influence
        How much each row adds to the margin, shape (rows,).
    margin
        The margin without the rows at these places, shape (left out,).

    The rows that add most go first; the number is found by halving.
    """
    order = np.argsort(-influence, kind="stable")
    most = len(order) // 2
    if most < 1 or margin(order[:most]) > 0:
        return None
    low, high = 0, most
    while high - low > 1:
        middle = (low + high) // 2
        if margin(order[:middle]) > 0:
            low = middle
        else:
            high = middle
    return high
