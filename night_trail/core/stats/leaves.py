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
    ``outside`` counts, of shape (leaves, rows), in how many columns a row lies outside of a leaf.
    """

    rows: Floats
    value: Floats
    low: Floats
    high: Floats
    bare: Bools
    outside: Ints

    @classmethod
    def of(cls, model: Any, rows: Floats) -> Leaves:
        """Return the leaves of a fitted histogram-based boosting; ``rows`` has shape (rows, columns)."""
        found = [leaf for (tree,) in model._predictors for leaf in _boxes(tree.nodes, rows.shape[1])]
        value = np.array([leaf[0] for leaf in found])
        low, high, bare = (np.array([leaf[at] for leaf in found]) for at in (1, 2, 3))
        made = cls(rows, value, low, high, bare, np.zeros((len(found), len(rows)), dtype=np.int16))
        split = np.flatnonzero((np.isfinite(low) | np.isfinite(high) | ~bare).any(axis=0))
        for j in split:
            made.outside[:] += ~made.takes(int(j), rows[:, j])
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
            free -= ~self.takes(j, self.rows[:, j])
        share = self.value * (free == 0).mean(axis=1)
        taken = [self.takes(j, values) for j, values in columns]
        if len(taken) == 1:
            return np.asarray(share @ taken[0], dtype=np.float64)
        one, other = taken
        return np.asarray((one * share[:, None]).T @ other.astype(np.float64), dtype=np.float64)


def _boxes(nodes: Any, columns: int) -> list[tuple[float, Floats, Floats, Bools]]:
    """Return value, lower bounds, upper bounds and what takes the missing, of each leaf of a tree."""
    whole = np.full(columns, -np.inf), np.full(columns, np.inf), np.ones(columns, dtype=bool)
    waiting, found = [(0, *whole)], []
    while waiting:
        at, low, high, bare = waiting.pop()
        node = nodes[at]
        if node["is_leaf"]:
            found.append((float(node["value"]), low, high, bare))
            continue
        j, edge, left = (
            int(node["feature_idx"]),
            float(node["num_threshold"]),
            bool(node["missing_go_to_left"]),
        )
        for side, is_left in ((int(node["left"]), True), (int(node["right"]), False)):
            inner = low.copy(), high.copy(), bare.copy()
            if is_left:
                inner[1][j] = min(high[j], edge)
            else:
                inner[0][j] = max(low[j], edge)
            inner[2][j] &= left == is_left
            waiting.append((side, *inner))
    return found
