"""All parts of a make-up, drawn or not: in which every cell lies, and their figures."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from night_trail.core.measure import Measure
from night_trail.core.questions.shared.basis import Grouping
from night_trail.core.questions.shared.cells import Held
from night_trail.core.questions.shared.measures import overall, plain_figures
from night_trail.core.table import Bools, Floats, Ints


@dataclass(frozen=True)
class Tree:
    """All parts, drawn or not, whatever is lit: kept from turn to turn.

    ``ids`` says in which part of each level every cell lies, shape (cells,) of each level.
    ``parents`` and ``codes`` say for each part of a level its parent and its value's place, the
    number of values for one that lacks the level; ``values`` and ``n`` its figure and its rows;
    ``places`` where the parts of each parent begin in an order that puts them together.
    """

    ids: tuple[Ints, ...]
    parents: tuple[Ints, ...]
    codes: tuple[Ints, ...]
    values: tuple[Floats, ...]
    n: tuple[Ints, ...]
    places: tuple[tuple[Ints, Ints], ...]
    unnested: tuple[tuple[int, int, int], ...]
    total: float
    whole: float

    @property
    def nbytes(self) -> int:
        """Bytes it holds."""
        arrays = (*self.ids, *self.parents, *self.codes, *self.values, *self.n)
        return sum(one.nbytes for one in arrays) + sum(a.nbytes + b.nbytes for a, b in self.places)


def chosen(held: Held, which: Bools) -> Held:
    """Return some of the cells; ``which`` has shape (cells,)."""
    return held.some(np.flatnonzero(which))


def tree_of(measure: Measure, levels: Sequence[Grouping], held: Held, within: Held) -> Tree:
    """Return the parts of each level, those that occur only, and their figures."""
    ids, parents, codes = places_of(levels, within)
    figures = [
        plain_figures(measure, within.coded(own), len(above)) for own, above in zip(ids, parents, strict=True)
    ]
    return Tree(
        ids,
        parents,
        codes,
        tuple(one.values for one in figures),
        tuple(one.n for one in figures),
        tuple(map(_places, parents)),
        tuple(_unnested(levels, parents, codes)),
        overall_of(measure, within),
        overall_of(measure, held),
    )


def overall_of(measure: Measure, held: Held) -> float:
    """Return the figure of all cells together."""
    return overall(measure, held.coded(np.zeros(0, dtype=np.int64)))


Arrays = tuple[Ints, ...]


def places_of(levels: Sequence[Grouping], within: Held) -> tuple[Arrays, Arrays, Arrays]:
    """Return in which part of each level every cell lies, and the parent and the value of each part."""
    n = len(within.values)
    ids, parents, codes = [], [], []
    above, count = np.zeros(n, dtype=np.int64), 1
    for level in levels:
        assert level.codes is not None  # noqa: S101  (levels are columns)
        own = level.codes if within.at is None else level.codes[within.at]
        wide = len(level.groups) + 1
        # what lacks the level has the place behind all values
        pairs = above * wide + np.where(own < 0, wide - 1, own)
        present, above = _dense(pairs, count * wide)
        count = len(present)
        ids.append(above)
        parents.append(present // wide)
        codes.append(present % wide)
    return tuple(ids), tuple(parents), tuple(codes)


def _dense(pairs: Ints, width: int) -> tuple[Ints, Ints]:
    """Return the numbers that occur, ascending, and for each of ``pairs`` its place among them."""
    if width > 4 * len(pairs) + 1_000:
        present, at = np.unique(pairs, return_inverse=True)
        return present, at.astype(np.int64)
    seen = np.zeros(width, dtype=np.bool_)
    seen[pairs] = True
    places = np.cumsum(seen) - 1
    return np.flatnonzero(seen), places[pairs]


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
