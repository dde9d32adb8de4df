"""In which part every cell lies, level by level, and what the parts come to: cells are gone through once."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from night_trail.core.measure import Measure
from night_trail.core.questions.shared.cells import Held
from night_trail.core.questions.shared.measures import ADDS_UP, MeasureFigures, plain_figures
from night_trail.core.rows import Codes
from night_trail.core.table import Ints

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

    @property
    def parts(self) -> int:
        """How many parts the last level has."""
        return len(self.parents[-1])

    def above(self, level: int) -> Ints:
        """Return in which part of a level each part of the last one lies; shape (parts,)."""
        found = np.arange(self.parts)
        for parents in self.parents[:level:-1]:
            found = parents[found]
        return found

    def values(self, level: int) -> Ints:
        """Return which value of a level each part of the last one has; shape (parts,)."""
        return self.codes[level][self.above(level)]

    def ids(self, level: int) -> Ints:
        """Return in which part of a level every cell lies; shape (cells,)."""
        return self.deepest if level == self.depth - 1 else self.above(level)[self.deepest]

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
        found = [plain_figures(measure, held.coded(own), self.parts)]
        for level in range(self.depth - 1, 0, -1):
            found.insert(0, put_together(found[0], self.parents[level], len(self.parents[level - 1])))
        return found


def put_together(figures: MeasureFigures, codes: Ints, width: int) -> MeasureFigures:
    """Return the figures of ``width`` groups from those of their parts, of what adds up; shape (parts,)."""
    sums = np.bincount(codes, weights=figures.values, minlength=width).astype(np.float64)
    n = np.bincount(codes, weights=figures.n, minlength=width).astype(np.int64)
    return replace(figures, values=sums, n=n, intervals=[None] * width)


def placed_by(owns: Sequence[Codes], groups: Sequence[int]) -> Placed:
    """Return the places of cells by their code at each level, −1 for none; each of shape (cells,)."""
    widths = [count + 1 for count in groups]
    if math.prod(widths) <= AT_ONCE * len(owns[0]) + 1_000:
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
