"""The axes two columns are drawn on: their ends, their cells, their scale."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from night_trail.core.conditions import Condition, Missing, Not, between
from night_trail.core.moments import DAY
from night_trail.core.stats.bins import Window, even_edges, round_width, window_of
from night_trail.core.table import Column, Floats, Ints, Kind

CLOSE = 1e-6
"""Places nearer to an edge than so much of a cell are held against the edge itself."""

BLOCK = 65_536
"""Values that are put into cells at once."""


@dataclass(frozen=True)
class BinnedAxis:
    """The edges of the cells along an axis, in the column's unit (dates in seconds).

    Far tails that would squeeze the rest are left out of the axis by the rule
    of the histogram: ``below`` and ``above`` count their rows, which stand at
    its ends. On a ``log`` axis the edges lie evenly in logarithms. Labels are
    multiplied by ``factor``, whose meaning ``words`` names.
    """

    edges: Floats
    below: int = 0
    above: int = 0
    log: bool = False
    factor: float = 1.0
    words: str = ""

    @property
    def ends(self) -> tuple[float, float]:
        """The lowest and the highest edge."""
        return float(self.edges[0]), float(self.edges[-1])

    def straight(self, values: Floats) -> Floats:
        """Return values as they lie along the axis: their logarithms on a log axis.

        Shape (n,); NaN stays.
        """
        return np.log10(values) if self.log else values

    def bent(self, places: Floats) -> Floats:
        """Return places along the axis as values again.

        Shape (n,); NaN stays.
        """
        return np.asarray(10.0**places) if self.log else places

    def cell_of(self, values: Floats) -> Ints:
        """Return the left-closed cell of each value; values beyond the ends are in the cells there.

        What is missing is in the first, to be left out by whoever asks.
        """
        found = np.empty(len(values), dtype=np.int64)
        # block by block, so that what is made on the way stays near the processor
        with np.errstate(invalid="ignore", divide="ignore"):
            for start in range(0, len(values), BLOCK):
                end = start + BLOCK
                self._cells_of(values[start:end], found[start:end])
        return found

    def cell_of_whole(self, values: Floats) -> Ints:
        """Return the cell of whole numbers, looked up where the axis spans few of them.

        Shape (n,), none missing, whole.
        """
        low, high = math.floor(self.edges[0]), math.ceil(self.edges[-1])
        if high - low > BLOCK:
            return self.cell_of(values)
        found = self.cell_of(np.arange(low, high + 1, dtype=np.float64))
        within = np.fmin(np.fmax(values, low), high)
        within -= low
        return np.asarray(found[within.astype(np.int64)])

    def _cells_of(self, values: Floats, found: Ints) -> None:
        edges = self.straight(self.edges)
        last = len(edges) - 2
        places = self.straight(values) - edges[0]
        places *= (last + 1) / (edges[-1] - edges[0])
        np.fmin(np.fmax(places, 0, out=places), last, out=places)
        found[:] = places
        # the product may land beside an edge that the value stands on
        nearest = np.rint(places)
        places -= nearest
        beside = np.flatnonzero(np.abs(places, out=places) < CLOSE)
        at = nearest[beside].astype(np.int64)
        at -= (values[beside] < self.edges[at]) & (at > 0)
        found[beside] = np.minimum(at, last, out=at)

    def inside(self, column: Column, low: float, high: float) -> Condition:
        """Return the range of a cell along the axis; the cells at its ends are open.

        An axis of one cell holds whatever is not missing.
        """
        first, last = self.ends
        if low <= first and high >= last:
            return Not(Missing(column.name))
        return between(column, None if low <= first else low, None if high >= last else high, False)


def log_axis(values: Floats, cells: int) -> BinnedAxis:
    """Return a log axis over values above 0.

    Shape (n,), none missing; in the column's unit.
    """
    if not len(values):
        return BinnedAxis(np.array([1.0, 10.0]), log=True)
    low, high = math.log10(float(values.min())), math.log10(float(values.max()))
    if high - low < 1e-9:
        low, high = low - 0.15, high + 0.15
    edges = 10.0 ** np.linspace(low, high, cells + 1)
    edges[-1] = np.nextafter(max(edges[-1], values.max()), np.inf)
    edges[0] = min(edges[0], values.min())
    return BinnedAxis(np.asarray(edges), log=True)


def fixed_axis(low: float, high: float, cells: int, log: bool = False) -> BinnedAxis:
    """Return an axis between ends that were chosen by hand."""
    if log:
        return BinnedAxis(
            np.asarray(10.0 ** np.linspace(math.log10(low), math.log10(high), cells + 1)), log=True
        )
    return BinnedAxis(np.linspace(low, high, cells + 1))


def plain_axis(column: Column, values: Floats, cells: int, near: Window | None = None) -> BinnedAxis:
    """Return an axis with cells of a round width, which leaves far tails out.

    ``near`` is the window of the whole column where it is at hand; else that of the values.

    ``values`` has shape (n,), none missing; in the column's unit.
    """
    if not len(values):
        return BinnedAxis(np.array([0.0, 1.0]))
    low, high = least, most = float(values.min()), float(values.max())
    if high <= low:
        return BinnedAxis(np.array([low - 0.5, low + 0.5]))
    if column.kind.temporal:
        days = max(1, math.ceil((high - low) / DAY / cells))
        return BinnedAxis(even_edges(low, high, days * DAY))
    kept = near or window_of(values)
    low, high = max(low, kept.low), min(high, kept.high)
    if high <= low:
        low, high = least, most
    edges = even_edges(low, high, round_width((high - low) / cells, column.kind == Kind.WHOLE))
    below = int(np.count_nonzero(values < edges[0])) if least < edges[0] else 0
    above = int(np.count_nonzero(values >= edges[-1])) if most >= edges[-1] else 0
    return BinnedAxis(edges, below, above)


def group_axis(values: Floats, cells: int) -> BinnedAxis:
    """Return an axis over the figures of groups: from the lowest to the highest.

    Shape (groups,), none missing.
    """
    if not len(values) or float(np.ptp(values)) == 0:
        middle = float(values[0]) if len(values) else 0.5
        return BinnedAxis(np.array([middle - 0.5, middle + 0.5]))
    return BinnedAxis(np.linspace(float(values.min()), np.nextafter(float(values.max()), np.inf), cells + 1))
