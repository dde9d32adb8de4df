"""All parts of a make-up, drawn or not: in which every cell lies, and their figures."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

import numpy as np

from night_trail.core.measure import Measure
from night_trail.core.questions.shared.basis import Grouping
from night_trail.core.questions.shared.cells import Held
from night_trail.core.questions.shared.measures import ADDS_UP, MeasureFigures, overall, plain_figures
from night_trail.core.rows import Codes
from night_trail.core.table import Bools, Floats, Ints

AT_ONCE = 4
"""Parts are found in one pass where there are at most so many times as many places as cells."""


@dataclass(frozen=True)
class Placed:
    """In which part of each level every cell lies.

    ``deepest`` says in which part of the last level, shape (cells,). ``parents`` and ``codes`` say for
    each part of a level its parent and its value's place, the number of values for one that lacks the level.
    """

    deepest: Ints
    parents: tuple[Ints, ...]
    codes: tuple[Ints, ...]

    @property
    def depth(self) -> int:
        """How many levels there are."""
        return len(self.parents)

    def ids(self, level: int) -> Ints:
        """Return in which part of a level every cell lies; shape (cells,)."""
        above: Ints | None = None
        for parents in self.parents[:level:-1]:
            above = parents if above is None else parents[above]
        return self.deepest if above is None else above[self.deepest]

    def figures(self, measure: Measure, held: Held, which: Ints | None = None) -> list[MeasureFigures]:
        """Return the figure of each part, level by level, of all cells or of some.

        ``which`` has shape (some cells,), and ``held`` then holds those alone.
        """
        own = self.deepest if which is None else self.deepest[which]
        if measure.aggregate not in ADDS_UP:
            every = [self.ids(level) for level in range(self.depth)]
            return [
                plain_figures(measure, held.coded(ids if which is None else ids[which]), len(parents))
                for ids, parents in zip(every, self.parents, strict=True)
            ]
        # what adds up is put together from the parts below: the cells are gone through once
        found = [plain_figures(measure, held.coded(own), len(self.parents[-1]))]
        for level in range(self.depth - 1, 0, -1):
            below, above, wide = found[0], self.parents[level], len(self.parents[level - 1])
            sums = np.bincount(above, weights=below.values, minlength=wide).astype(np.float64)
            n = np.bincount(above, weights=below.n, minlength=wide).astype(np.int64)
            found.insert(0, replace(below, values=sums, n=n))
        return found


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
    widths = [len(level.groups) + 1 for level in levels]
    if math.prod(widths) <= AT_ONCE * len(within.values) + 1_000:
        return _at_once(owns, widths)
    return _step_by_step(owns, widths)


def _at_once(owns: Sequence[Codes], widths: Sequence[int]) -> Placed:
    """Return the places of all levels from one number a cell; each of ``owns`` has shape (cells,)."""
    # what lacks a level comes first in the numbers, and behind all values in the parts
    numbers = owns[0] + np.int32(1)
    for own, wide in zip(owns[1:], widths[1:], strict=True):
        numbers *= np.int32(wide)
        numbers += own
        numbers += np.int32(1)
    size = math.prod(widths)
    present = np.flatnonzero(np.bincount(numbers, minlength=size))
    values: list[Ints] = []
    left = present
    for wide in reversed(widths):
        left, place = np.divmod(left, wide)
        values.insert(0, np.where(place, place - 1, wide - 1))
    order = np.lexsort(values[::-1])
    places = np.zeros(size, dtype=np.int64)
    places[present[order]] = np.arange(len(order))
    parents, codes = [], []
    above = np.zeros(len(order), dtype=np.int64)
    for of_level in values:
        code = of_level[order]
        first = np.ones(len(order), dtype=np.bool_)
        first[1:] = (code[1:] != code[:-1]) | (above[1:] != above[:-1])
        parents.append(above[first])
        codes.append(code[first])
        above = np.cumsum(first) - 1
    return Placed(places.take(numbers), tuple(parents), tuple(codes))


def _step_by_step(owns: Sequence[Codes], widths: Sequence[int]) -> Placed:
    """Return the places level by level, however many there could be; each of ``owns`` has shape (cells,)."""
    parents, codes = [], []
    above = np.zeros(len(owns[0]), dtype=np.int64)
    for own, wide in zip(owns, widths, strict=True):
        # what lacks the level has the place behind all values
        pairs = above * wide + np.where(own < 0, wide - 1, own)
        present, above = np.unique(pairs, return_inverse=True)
        parents.append(present // wide)
        codes.append(present % wide)
    return Placed(above.astype(np.int64), tuple(parents), tuple(codes))


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
