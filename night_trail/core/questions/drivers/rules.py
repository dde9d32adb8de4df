"""A few rules: a small tree grown on one part of the rows, and what its leaves come to on the rest."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass
from typing import Any

import numpy as np

from night_trail.core.conditions import AllOf, AnyOf, Condition, Missing, Not, mask
from night_trail.core.language.conditions import in_words
from night_trail.core.questions.drivers.effects import rounded
from night_trail.core.questions.drivers.features import Feature, Made
from night_trail.core.rows import Rows
from night_trail.core.stats.intervals import t95
from night_trail.core.table import Floats, Ints

MOST_LEAVES = 6
DEEPEST = 3
LEAST_SHARE, LEAST = 0.01, 25
WORTH = 0.005
"""A cut that takes less of the differences than this is not worth a rule."""


@dataclass(frozen=True)
class Leaf:
    """A rule: its rows, how many there are in all, what the target is over those the tree had not seen.

    ``low`` and ``high`` are the 95 % interval of that mean; ``grown`` is what the
    tree promised.
    """

    condition: Condition
    words: str
    n: int
    mean: float
    low: float
    high: float
    grown: float


def rules_of(made: Made, keep: Collection[str], rows: Rows) -> tuple[Leaf, ...]:
    """Return the leaves of a tree over the columns to keep, those of the highest target first.

    Sets of rows that belong together are on one side: the tree's, or the rest.
    """
    from sklearn.tree import DecisionTreeRegressor  # noqa: PLC0415  (slow import)

    able = [j for j, f in enumerate(made.features) if f.column.name in keep]
    if not able:
        return ()
    matrix = made.matrix
    sides = np.random.default_rng(7).random(int(matrix.sets.max()) + 1) < 0.5
    grown = sides[matrix.sets]
    x, orders = _ordered(made.cells[:, able], [matrix.levels[j] for j in able], matrix.y, grown)
    least = max(LEAST, int(LEAST_SHARE * grown.sum()))
    tree = DecisionTreeRegressor(
        max_leaf_nodes=MOST_LEAVES,
        max_depth=DEEPEST,
        min_samples_leaf=least,
        min_impurity_decrease=WORTH * float(matrix.y[grown].var()),
        random_state=0,
    ).fit(x[grown], matrix.y[grown])
    inner = tree.tree_
    if inner.node_count < 3:
        return ()
    found = []
    at = tree.apply(x)
    for node, condition in _paths(inner, [made.features[j] for j in able], orders, made, able):
        unseen = matrix.y[(at == node) & ~grown]
        if len(unseen) < 5:
            continue
        mean = float(unseen.mean())
        half = t95(len(unseen) - 1) * float(unseen.std(ddof=1)) / np.sqrt(len(unseen))
        where = mask(condition, rows.table)
        where = where if rows.kept is None else where & rows.kept
        n = int(np.count_nonzero(where & np.isfinite(made.target.values)))
        said = in_words(condition, rows.table)
        found.append(
            Leaf(condition, said, n, mean, mean - half, mean + half, float(inner.value[node].ravel()[0]))
        )
    return tuple(sorted(found, key=lambda leaf: -leaf.mean))


def _ordered(x: Floats, levels: list[int], y: Floats, grown: np.ndarray) -> tuple[Floats, dict[int, Ints]]:
    """Return categories as places in the order of their mean where the tree grows, and those orders.

    ``x`` has shape (rows, columns), NaN where missing.
    """
    found, orders = x.copy(), {}
    for j, k in enumerate(levels):
        if not k:
            continue
        has = np.isfinite(x[:, j])
        codes = x[has & grown, j].astype(np.int64)
        n = np.bincount(codes, minlength=k)
        means = np.bincount(codes, weights=y[has & grown], minlength=k) / np.maximum(n, 1)
        order = np.argsort(np.where(n > 0, means, y[grown].mean()), kind="stable")
        place = np.empty(k)
        place[order] = np.arange(k)
        found[has, j] = place[x[has, j].astype(np.int64)]
        orders[j] = order
    return found, orders


def _paths(
    tree: Any, features: list[Feature], orders: dict[int, Ints], made: Made, able: list[int]
) -> list[tuple[int, Condition]]:
    """Return the leaves with the condition that names their rows, a range or a list for each column."""
    found = []

    def walk(node: int, ends: dict[int, tuple[float, float]], gone: dict[int, set[bool]]) -> None:
        if tree.children_left[node] < 0:
            found.append((node, _condition(ends, gone, features, orders, made, able)))
            return
        j, cut = int(tree.feature[node]), float(tree.threshold[node])
        low, high = ends.get(j, (-np.inf, np.inf))
        missing_left = bool(tree.missing_go_to_left[node])
        kept = gone.get(j, {True})
        for child, span, takes in (
            (tree.children_left[node], (low, min(high, cut)), missing_left),
            (tree.children_right[node], (max(low, cut), high), not missing_left),
        ):
            walk(int(child), {**ends, j: span}, {**gone, j: kept if takes else {False}})

    walk(0, {}, {})
    return found


def _condition(
    ends: dict[int, tuple[float, float]],
    gone: dict[int, set[bool]],
    features: list[Feature],
    orders: dict[int, Ints],
    made: Made,
    able: list[int],
) -> Condition:
    parts: list[Condition] = []
    for j, (low, high) in ends.items():
        feature = features[j]
        if j in orders:
            places = [i for i in range(len(orders[j])) if low < i <= high]
            codes = sorted(int(orders[j][i]) for i in places)
            part = feature.condition(codes) or Not(Missing(feature.column.name))
        else:
            seen = made.cells[:, able[j]]
            seen = seen[np.isfinite(seen)]
            bounds = [None if not np.isfinite(v) else _exact(v, seen, feature) for v in (low, high)]
            part = (
                feature.between(bounds[0], bounds[1])
                if bounds != [None, None]
                else Not(Missing(feature.column.name))
            )
        holes = bool(np.isnan(made.cells[:, able[j]]).any())
        if holes and True in gone[j]:
            part = AnyOf((part, Missing(feature.column.name)))
        parts.append(part)
    return parts[0] if len(parts) == 1 else AllOf(tuple(parts))


def _exact(cut: float, seen: Floats, feature: Feature) -> float:
    """Return a place that can be read and cuts the values as the tree does, else the next value.

    ``seen`` has shape (rows,), without NaN.
    """
    above = seen[seen > cut]
    below = seen[seen <= cut]
    if not len(above) or not len(below):
        return cut
    low, high = float(below.max()), float(above.min())
    readable = rounded(high, np.array([seen.min(), seen.max()]), feature)
    return readable if low < readable <= high else high
