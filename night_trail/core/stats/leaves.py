"""A model of trees as the boxes its leaves are: means over rows that stand under many values, at once.

A leaf takes the rows that lie between its bounds in every column, and each row lies in one leaf of a
tree. With one or two columns set to other values only those bounds are asked anew, so that a partial
dependence (Friedman 2001) costs no walk down the trees for every value.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from night_trail.core.table import Bools, Floats, Ints


@dataclass(frozen=True)
class Leaves:
    """Leaves of all trees and ``rows`` of shape (rows, columns); each bound has shape (leaves, columns).

    A leaf takes what lies above ``low`` and at most at ``high``, and what is missing where ``bare`` says so.
    ``off`` says for each column that is split on, of shape (leaves, rows), which row lies outside of
    which leaf there, and ``outside`` in how many columns it does.
    """

    rows: Floats
    value: Floats
    low: Floats
    high: Floats
    bare: Bools
    off: dict[int, Bools]
    outside: Ints

    @classmethod
    def of(cls, model: Any, rows: Floats) -> Leaves:
        """Return the leaves of a fitted histogram-based boosting; ``rows`` has shape (rows, columns)."""
        found = [_boxes(tree.nodes, rows.shape[1]) for (tree,) in model._predictors]
        value, low, high, bare = (np.concatenate([tree[at] for tree in found]) for at in range(4))
        made = cls(rows, value, low, high, bare, {}, np.zeros((len(value), len(rows)), dtype=np.int16))
        for j in np.flatnonzero((np.isfinite(low) | np.isfinite(high) | ~bare).any(axis=0)).tolist():
            made.off[j] = ~made.takes(j, rows[:, j])
            made.outside[:] += made.off[j]
        return made

    def takes(self, j: int, values: Floats) -> Bools:
        """Return which leaves take values of a column, of shape (leaves, values)."""
        within = (values > self.low[:, j, None]) & (values <= self.high[:, j, None])
        return np.where(np.isnan(values), self.bare[:, j, None], within)

    def under(self, columns: Sequence[tuple[int, Floats]]) -> Floats:
        """Return mean predictions of the rows, less that of the start, with columns set to values.

        Of one column shape (values,), of two (values of the first, values of the second).
        """
        free = self.outside.copy()
        for j, _ in columns:
            if j in self.off:
                free -= self.off[j]
        share = self.value * (free == 0).mean(axis=1)
        taken = [self.takes(j, values) for j, values in columns]
        if len(taken) == 1:
            return np.asarray(share @ taken[0], dtype=np.float64)
        one, other = taken
        return np.asarray((one * share[:, None]).T @ other.astype(np.float64), dtype=np.float64)


def _boxes(nodes: Any, columns: int) -> tuple[Floats, Floats, Floats, Bools]:
    """Return values, lower bounds, upper bounds and what takes the missing, of the leaves of a tree."""
    n = len(nodes)
    low, high = np.full((n, columns), -np.inf), np.full((n, columns), np.inf)
    bare = np.ones((n, columns), dtype=np.bool_)
    leaf = nodes["is_leaf"].astype(np.bool_)
    names = ("feature_idx", "num_threshold", "missing_go_to_left", "left", "right")
    plain = [nodes[name].tolist() for name in names]
    # a node stands before those it parts into
    for at in np.flatnonzero(~leaf).tolist():
        j, edge, goes_left, left, right = (one[at] for one in plain)
        for side in (left, right):
            low[side], high[side], bare[side] = low[at], high[at], bare[at]
        high[left, j] = min(high[at, j], edge)
        low[right, j] = max(low[at, j], edge)
        (bare[right] if goes_left else bare[left])[j] = False
    return nodes["value"][leaf], low[leaf], high[leaf], bare[leaf]
