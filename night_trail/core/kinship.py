"""A tree from names and the names above them: roots, units nobody knows, and circles are found and named.

Whoever is named stands in the tree exactly once. A unit with several names above it goes under the
one most of its rows name; one whose name above is no unit goes under it all the same; a circle is
cut open at the unit that comes first.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from night_trail.core.table import Ints, Table


@dataclass(frozen=True)
class Tree:
    """All units by their place: ``parent`` is the place of the unit above, −1 of a root.

    The first ``rows`` of ``labels`` are the values of the unit column; those behind them are only
    named as being above somebody. ``order`` puts parents before their units, ``level`` counts from 0.
    ``circle``, ``several`` are places of units where a circle was cut, and under more than one name.
    """

    labels: tuple[str, ...]
    rows: int
    parent: Ints
    order: Ints
    level: Ints
    circle: tuple[int, ...]
    several: tuple[int, ...]

    @property
    def nbytes(self) -> int:
        """Bytes it holds, roughly."""
        return self.parent.nbytes * 3 + 80 * len(self.labels)


def tree_of(table: Table, unit: str, above: str) -> Tree:
    """Return the tree that two columns of a table describe, of all its rows."""
    own, over = table.coded(unit), table.coded(above)
    labels = list(own.labels)
    place = {label: i for i, label in enumerate(labels)}
    both = (own.codes >= 0) & (over.codes >= 0)
    pairs, counts = np.unique(
        own.codes[both].astype(np.int64) * len(over.labels) + over.codes[both], return_counts=True
    )
    parent = np.full(len(labels), -1, dtype=np.int64)
    several: set[int] = set()
    best = np.zeros(len(labels), dtype=np.int64)
    for pair, count in zip(pairs.tolist(), counts.tolist(), strict=True):
        at, name = pair // len(over.labels), over.labels[pair % len(over.labels)]
        if name not in place:
            place[name] = len(labels)
            labels.append(name)
        if parent[at] >= 0 or best[at]:
            several.add(at)
        if count > best[at]:
            best[at] = count
            # who is above oneself is a root
            parent[at] = place[name] if place[name] != at else -1
    full = np.concatenate([parent, np.full(len(labels) - len(parent), -1, dtype=np.int64)])
    circle = _cut(full)
    order, level = _ordered(full)
    return Tree(tuple(labels), len(own.labels), full, order, level, circle, tuple(sorted(several)))


def _cut(parent: Ints) -> tuple[int, ...]:
    """Cut circles open, in place, and return where: at the first unit of each."""
    state = np.zeros(len(parent), dtype=np.int8)  # 1 on the way, 2 known to reach a root
    cut = []
    for start in range(len(parent)):
        path = []
        at = start
        while at >= 0 and state[at] == 0:
            state[at] = 1
            path.append(at)
            at = int(parent[at])
        if at >= 0 and state[at] == 1:
            first = min(path[path.index(at) :])
            parent[first] = -1
            cut.append(first)
        for one in path:
            state[one] = 2
    return tuple(cut)


def _ordered(parent: Ints) -> tuple[Ints, Ints]:
    """Return an order with parents before their units, and the level of each."""
    level = np.full(len(parent), -1, dtype=np.int64)
    level[parent < 0] = 0
    here = np.flatnonzero(parent < 0)
    while len(here):
        known = np.zeros(len(parent), dtype=np.bool_)
        known[here] = True
        next_ = np.flatnonzero((level < 0) & (parent >= 0) & known[np.maximum(parent, 0)])
        level[next_] = level[here[0]] + 1
        here = next_
    return np.argsort(level, kind="stable"), level


def summed_up(tree: Tree, own: np.ndarray) -> np.ndarray:
    """Return for each unit the sum of its own figure and those of all below it; shape (units,)."""
    found = np.array(own, dtype=np.float64)
    for level in range(int(tree.level.max(initial=0)), 0, -1):
        at = np.flatnonzero(tree.level == level)
        np.add.at(found, tree.parent[at], found[at])
    return found


def all_below(children: dict[int, list[int]], at: int) -> list[int]:
    """Return a unit and all below it."""
    found = [at]
    for one in found:
        found += children.get(one, [])
    return found


def names_below(tree: Tree, top: str) -> list[str]:
    """Return the names of a unit and of all below it; of one that is not there none."""
    if top not in tree.labels:
        return []
    return [tree.labels[i] for i in all_below(children_of(tree), tree.labels.index(top))]


def children_of(tree: Tree) -> dict[int, list[int]]:
    """Return the units directly below each that has any."""
    found: dict[int, list[int]] = {}
    for at, parent in enumerate(tree.parent.tolist()):
        found.setdefault(parent, []).append(at)
    return found
