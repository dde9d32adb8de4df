"""All parts of a make-up, drawn or not: in which every cell lies, and their figures."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from night_trail.core.measure import Measure
from night_trail.core.questions.shared.basis import Grouping
from night_trail.core.questions.shared.cells import Held
from night_trail.core.questions.shared.measures import overall
from night_trail.core.questions.shared.placed import Placed, placed_by
from night_trail.core.table import Bools, Floats, Ints


@dataclass(frozen=True)
class Tree:
    """All parts, drawn or not, whatever is lit: kept from turn to turn.

    ``values`` and ``n`` are for each part of a level its figure and its rows; ``places`` where the
    parts of each parent begin in an order that puts them together.
    """

    placed: Placed
    values: tuple[Floats, ...]
    n: tuple[Ints, ...]
    places: tuple[tuple[Ints, Ints], ...]
    unnested: tuple[tuple[int, int, int], ...]
    total: float
    whole: float

    @property
    def codes(self) -> tuple[Ints, ...]:
        """The value's place of each part of a level."""
        return self.placed.codes

    @property
    def parents(self) -> tuple[Ints, ...]:
        """The parent of each part of a level."""
        return self.placed.parents

    @property
    def nbytes(self) -> int:
        """Bytes it holds."""
        placed = self.placed
        arrays = (placed.deepest, *placed.parents, *placed.codes, *self.values, *self.n)
        return sum(one.nbytes for one in arrays) + sum(a.nbytes + b.nbytes for a, b in self.places)


def chosen(held: Held, which: Bools) -> Held:
    """Return some of the cells; ``which`` has shape (cells,)."""
    return held.some(np.flatnonzero(which))


def tree_of(measure: Measure, levels: Sequence[Grouping], held: Held, within: Held) -> Tree:
    """Return the parts of each level, those that occur only, and their figures."""
    placed = places_of(levels, within)
    figures = placed.figures(measure, within)
    return Tree(
        placed,
        tuple(one.values for one in figures),
        tuple(one.n for one in figures),
        tuple(map(_places, placed.parents)),
        tuple(_unnested(levels, placed.parents, placed.codes)),
        overall_of(measure, within),
        overall_of(measure, held),
    )


def overall_of(measure: Measure, held: Held) -> float:
    """Return the figure of all cells together."""
    return overall(measure, held.coded(np.zeros(0, dtype=np.int64)))


def places_of(levels: Sequence[Grouping], within: Held) -> Placed:
    """Return in which part of each level every cell lies, and the parent and the value of each part."""
    owns = []
    for level in levels:
        assert level.codes is not None  # noqa: S101  (levels are columns)
        owns.append(level.codes if within.at is None else level.codes[within.at])
    return placed_by(owns, [len(level.groups) for level in levels])


def _places(parents: Ints) -> tuple[Ints, Ints]:
    """Return where the parts of each parent begin in an order that puts them together, and that order."""
    order = np.argsort(parents, kind="stable")
    count = int(parents.max()) + 1 if len(parents) else 1
    return np.searchsorted(parents[order], np.arange(count + 1)), order


def _unnested(
    levels: Sequence[Grouping], parents: Sequence[Ints], codes: Sequence[Ints]
) -> Iterator[tuple[int, int, int]]:
    """Yield for levels below the first how many values stand under several parents, and of how many."""
    for level in range(1, len(codes)):
        # a parent that lacks its own level is none
        above = codes[level - 1][parents[level]]
        known = (codes[level] < len(levels[level].groups)) & (above < len(levels[level - 1].groups))
        wide = len(levels[level - 1].groups) + 1
        own = np.unique(codes[level][known] * wide + above[known]) // wide
        times = np.bincount(own, minlength=1)
        if several := int((times > 1).sum()):
            yield level, several, int((times > 0).sum())
