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
    """The trees of a fitted histogram-based boosting of numbers, and what it starts from.

    ``splits`` of shape (trees, columns) says which tree splits on which column.
    """

    trees: tuple[Any, ...]
    splits: Bools
    start: float

    @classmethod
    def of(cls, model: Any) -> Trees:
        """Return the trees of a model to which no column is a category."""
        trees = tuple(tree for (tree,) in model._predictors)
        splits = np.zeros((len(trees), model.n_features_in_), dtype=np.bool_)
        for i, tree in enumerate(trees):
            splits[i, tree.nodes["feature_idx"][tree.nodes["is_leaf"] == 0]] = True
        return cls(trees, splits, float(np.ravel(model._baseline_prediction)[0]))

    def on(self, columns: Sequence[int]) -> Trees:
        """Return only the trees that split on any of some columns."""
        asked = np.flatnonzero(self.splits[:, list(columns)].any(axis=1))
        return Trees(tuple(self.trees[i] for i in asked), self.splits[asked], self.start)

    def say(self, rows: Floats) -> Said:
        """Return what they say of ``rows``, of shape (rows, columns)."""
        each = _say(self.trees, rows)
        return Said(self, each, each.sum(axis=0) + self.start)


@dataclass(frozen=True)
class Said:
    """What trees say of some rows: ``each`` of shape (trees, rows), ``whole`` (rows,), their sum."""

    of: Trees
    each: Floats
    whole: Floats

    def under(self, changed: Floats, columns: Sequence[int]) -> Floats:
        """Return what ``whole`` is of the rows with other values in ``columns``; shape (rows,).

        ``changed`` has shape (rows, columns) and is elsewhere as the rows were.
        """
        asked = np.flatnonzero(self.of.splits[:, list(columns)].any(axis=1))
        moved = _say([self.of.trees[i] for i in asked], changed) - self.each[asked]
        return np.asarray(self.whole + moved.sum(axis=0), dtype=np.float64)


def _say(trees: Sequence[Any], rows: Floats) -> Floats:
    """Return what each tree says of rows of shape (rows, columns); shape (trees, rows)."""
    no_sets, at = np.zeros((0, 8), dtype=np.uint32), np.zeros(rows.shape[1], dtype=np.uint32)
    rows = np.ascontiguousarray(rows)
    said = [tree.predict(rows, known_cat_bitsets=no_sets, f_idx_map=at, n_threads=1) for tree in trees]
    return np.array(said).reshape(len(trees), len(rows))
