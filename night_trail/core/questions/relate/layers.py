"""What is drawn between two axes: points one by one, or cells that count them with outlying points on top."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from night_trail.core.questions.shared.axes import BinnedAxis
from night_trail.core.stats import relation
from night_trail.core.table import Bools, Floats, Ints

MOST_POINTS = 1_200
"""Points drawn one by one; beyond them a density layer, with the rows in thin cells on top."""

MOST_ON_TOP = 300
CELLS_X, CELLS_Y = 44, 28
THIN = 1


@dataclass(frozen=True)
class Points:
    """Points drawn one by one: where, which row or group, lit or not, the colour group (−1 for none).

    ``size`` is between 0 and 1 of the largest in any panel, by area, none where all are alike; ``names``
    and ``n`` are those of groups of rows, ``n_lit`` their lit rows.
    """

    x: Floats
    y: Floats
    row: Ints
    lit: Bools | None
    group: Ints
    size: Floats | None = None
    names: tuple[str, ...] = ()
    n: Ints | None = None
    n_lit: Ints | None = None


@dataclass(frozen=True)
class Cell:
    """A cell of the density layer: its ends, left-closed, and its rows."""

    x_low: float
    x_high: float
    y_low: float
    y_high: float
    count: int
    lit: int | None


@dataclass(frozen=True)
class Panel:
    """One panel: its points and cells, how strong the relation is there, and the fit."""

    label: str
    position: int
    n: int
    points: Points
    cells: tuple[Cell, ...]
    correlation: relation.Correlation | None = None
    line: relation.FittedLine | None = None
    curve: tuple[Floats, Floats] | None = None


def layers(
    x: Floats,
    y: Floats,
    place: Ints,
    lit: Bools | None,
    x_axis: BinnedAxis,
    y_axis: BinnedAxis,
    most: int = MOST_POINTS,
) -> tuple[Ints, tuple[Cell, ...]]:
    """Return which points are drawn one by one, and the cells that stand for the others.

    ``place`` is the cell of each, counted along y first.

    All have shape (places,), without NaN.
    """
    if len(x) <= most:
        return np.arange(len(x)), ()
    x_edges, y_edges = x_axis.edges, y_axis.edges
    wide, high = len(x_edges) - 1, len(y_edges) - 1
    counts = np.bincount(place, minlength=wide * high)
    lit_counts = None if lit is None else np.bincount(place[np.flatnonzero(lit)], minlength=wide * high)
    thin = (counts > 0) & (counts <= THIN)
    alone = np.flatnonzero(thin[place])
    top = MOST_ON_TOP * most // MOST_POINTS
    if len(alone) > top:
        # the furthest out stay points of their own, the others are cells
        far = np.abs(x - np.median(x)) / (np.ptp(x) or 1) + np.abs(y - np.median(y)) / (np.ptp(y) or 1)
        alone = alone[np.argsort(-far[alone], kind="stable")[:top]]
    drawn = np.zeros(len(counts), dtype=np.bool_)
    drawn[place[alone]] = True
    filled = np.flatnonzero((counts > 0) & ~drawn)
    x_at, y_at = x_edges.tolist(), y_edges.tolist()
    cells = tuple(
        Cell(x_at[k // high], x_at[k // high + 1], y_at[k % high], y_at[k % high + 1], count, lit_count)
        for k, count, lit_count in zip(
            filled.tolist(),
            counts[filled].tolist(),
            [None] * len(filled) if lit_counts is None else lit_counts[filled].tolist(),
            strict=True,
        )
    )
    return np.sort(alone), cells
