"""Values that stand for many rows each, as where rows were rolled up before they came."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
import numpy.typing as npt

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
Side = Literal["left", "right"]


@dataclass(frozen=True)
class Stands:
    """How many rows each value stands for, where values were rolled up; all of shape (values,).

    ``squares`` are the sums of squares of the rows around the value, ``below`` those around what a
    ratio divides by, ``products`` those of both.
    """

    n: Ints | Floats
    squares: Floats | None = None
    below: Floats | None = None
    products: Floats | None = None

    def at(self, which: Ints) -> Stands:
        """Return the same of some of the values; ``which`` are their positions, shape (some,)."""
        parts = (self.squares, self.below, self.products)
        return Stands(self.n[which], *(None if part is None else part[which] for part in parts))


class Runs:
    """Values in a row, each as often as it stands for a row, without being written out so often."""

    def __init__(self, values: Floats, ends: Floats, begins: int, n: int) -> None:
        self._values, self._ends, self._begins, self._n = values, ends, begins, n

    @classmethod
    def of(cls, values: Floats, rows_in: Ints | Floats) -> Runs:
        """Return values, each for so many rows; both of shape (values,)."""
        ends = np.cumsum(rows_in, dtype=np.float64)
        return cls(values, ends, 0, int(ends[-1]) if len(values) else 0)

    def __len__(self) -> int:
        return self._n

    def __getitem__(self, at: Any) -> Any:
        """Return the value at a place, those at several, or those of a stretch."""
        if isinstance(at, slice):
            begins, end, _ = at.indices(self._n)
            return Runs(self._values, self._ends, self._begins + begins, max(end - begins, 0))
        places = np.asarray(at)
        places = np.where(places < 0, places + self._n, places) + self._begins
        return self._values[np.searchsorted(self._ends, places, side="right")]

    def place(self, value: float, side: Side) -> int:
        """Return how many of the values lie below another, or at it too on the ``right`` of it."""
        cells = int(np.searchsorted(self._values, value, side=side))
        before = int(self._ends[cells - 1]) if cells else 0
        return min(max(before - self._begins, 0), self._n)

    def cells(self, rows: int) -> int:
        """Return how many of the values stand for so many rows, the first ones."""
        return int(np.searchsorted(self._ends, rows + self._begins, side="right"))


def each_row(values: Floats, rows_in: Ints | None) -> Floats | Runs:
    """Return values, each as often as it stands for a row; shapes (values,), None where each is a row."""
    return values if rows_in is None else Runs.of(values, rows_in)


def place_in(ascending: Floats | Runs, value: float, side: Side = "left") -> int:
    """Return how many values lie below another, or at it too; ``ascending`` has shape (values,)."""
    if isinstance(ascending, Runs):
        return ascending.place(value, side)
    return int(np.searchsorted(ascending, value, side=side))


def tallied(codes: npt.NDArray[np.integer[Any]], width: int, stands: Stands | None = None) -> Ints:
    """Return how many rows each code has; ``codes`` of shape (values,), from 0 to ``width`` − 1."""
    if stands is None:
        return np.asarray(np.bincount(codes, minlength=width), dtype=np.int64)
    return np.rint(np.bincount(codes, weights=stands.n, minlength=width)).astype(np.int64)


def summed(values: Floats, codes: Ints, width: int, stands: Stands | None = None) -> Floats:
    """Return the sum of the values of each code; both of shape (values,), codes from 0 to ``width`` − 1."""
    if stands is None:
        return np.asarray(np.bincount(codes, weights=values, minlength=width), dtype=np.float64)
    return settled(np.bincount(codes, weights=values * stands.n, minlength=width))


def total(values: Floats, stands: Stands | None = None) -> float:
    """Return the sum of values of shape (values,), each as often as it stands for a row."""
    return float(values.sum()) if stands is None else float(settled((values * stands.n).sum()))


def settled(sums: Any) -> Floats:
    """Return sums put together from means without what rounding alone left behind a whole number."""
    near = np.rint(sums)
    return np.asarray(np.where(np.abs(sums - near) <= 1e-12 * np.abs(near), near, sums))
