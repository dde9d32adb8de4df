"""What each tree of a model says of some rows, so that rows changed in few columns are asked of few trees.

A tree that never splits on a column says the same whatever stands there: with one column mixed or set to
other values only the trees that ask for it walk again.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from night_trail.core.table import Bools, Floats


@dataclass(frozen=True)
class Trees:
    """The trees of a fitted histogram-based boosting of numbers, and what they say of some rows.

    ``each`` has shape (trees, rows), ``whole`` (rows,): their sum, with what the model starts from.
    ``splits`` of shape (trees, columns) says which tree splits on which column.
    """

    trees: tuple[Any, ...]
    splits: Bools
    each: Floats
    whole: Floats

    @classmethod
    def of(cls, model: Any, rows: Floats, on: Sequence[int] | None = None) -> Trees:
        """Return what the trees of a model without categories say of ``rows``, of shape (rows, columns).

        With ``on`` only the trees that split on any of those columns are asked, and ``whole`` is their part.
        """
        trees = tuple(tree for (tree,) in model._predictors)
        splits = np.zeros((len(trees), rows.shape[1]), dtype=np.bool_)
        for i, tree in enumerate(trees):
            splits[i, tree.nodes["feature_idx"][tree.nodes["is_leaf"] == 0]] = True
        if on is not None:
            asked = np.flatnonzero(splits[:, list(on)].any(axis=1))
            trees, splits = tuple(trees[i] for i in asked), splits[asked]
        each = _say(trees, rows)
        return cls(trees, splits, each, each.sum(axis=0) + float(np.ravel(model._baseline_prediction)[0]))

    def under(self, changed: Floats, columns: Sequence[int]) -> Floats:
        """Return what ``whole`` is of the rows with other values in ``columns``; shape (rows,).

        ``changed`` has shape (rows, columns) and is elsewhere as the rows were.
        """
        asked = np.flatnonzero(self.splits[:, list(columns)].any(axis=1))
        moved = _say([self.trees[i] for i in asked], changed) - self.each[asked]
        return np.asarray(self.whole + moved.sum(axis=0), dtype=np.float64)


def _say(trees: Sequence[Any], rows: Floats) -> Floats:
    """Return what each tree says of rows of shape (rows, columns); shape (trees, rows)."""
    no_sets, at = np.zeros((0, 8), dtype=np.uint32), np.zeros(rows.shape[1], dtype=np.uint32)
    rows = np.ascontiguousarray(rows)
    said = [tree.predict(rows, known_cat_bitsets=no_sets, f_idx_map=at, n_threads=1) for tree in trees]
    return np.array(said).reshape(len(trees), len(rows))
