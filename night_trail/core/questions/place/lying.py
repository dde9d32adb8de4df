"""Where rows are put: what a spot is, and which rows lie nowhere."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from night_trail.core.conditions import Condition
from night_trail.core.places.flat import KM
from night_trail.core.places.gazetteer import Level
from night_trail.core.places.outlines import Area
from night_trail.core.rows import Codes, Rows
from night_trail.core.table import Bools, Floats, Ints

NORTHMOST, EASTMOST = 90.0, 360.0
HALF_AND_MORE, THIRD = 240.0, 120.0
SAMPLE = 4_000

Window = tuple[float, float, float, float]
"""West, east, south, north."""


@dataclass(frozen=True)
class Left:
    """Rows that lie nowhere: how many lack a place, are beyond the Earth, at 0° / 0°, or outside the window.

    ``turned`` of those beyond would lie on Earth with their columns the other way round;
    ``unknown`` are names that mean no place, with their rows; ``still`` rows stay where they are.
    """

    missing: int = 0
    beyond: int = 0
    turned: int = 0
    zero: int = 0
    outside: int = 0
    unknown: tuple[tuple[str, int], ...] = ()
    still: int = 0


@dataclass(frozen=True)
class Spots:
    """Where rows lie; ``codes`` has one a row of the table, −1 for those that lie on no spot.

    Shape (spots,) for ``longitudes`` and ``latitudes``, and for those ``onward``, where ways lead.
    ``wide`` is the width of hexagons in degrees on the ``parallel``, 0 where there are none. Places
    that lie on both sides of the date line, and far from it on none, are ``cut`` by it. ``several``
    are names that mean several places.
    """

    codes: Codes
    longitudes: Floats
    latitudes: Floats
    labels: tuple[str, ...]
    keys: tuple[str, ...]
    conditions: tuple[Condition, ...]
    window: Window
    parallel: float
    left: Left
    cells: tuple[tuple[int, int], ...] = ()
    wide: float = 0.0
    areas: tuple[Area | None, ...] = ()
    level: Level | Literal["areas", "plan"] | None = None
    several: tuple[str, ...] = ()
    named: str = ""
    crowded: tuple[str, int] | None = None
    cut: bool = False
    onward: tuple[Floats, Floats] | None = None

    @property
    def at(self) -> str:
        """The word before what a spot is called: in a country, at a stop, around the middle of a hexagon."""
        if self.onward is not None:
            return "from"
        inside = self.level is not None and self.level != "plan"
        return "around" if self.wide else "in" if inside else "at"

    @property
    def km(self) -> float:
        """How wide a hexagon is, in kilometres on the parallel."""
        return self.wide * KM

    @property
    def nbytes(self) -> int:
        """Bytes it holds, roughly."""
        return self.codes.nbytes + 24 * len(self.longitudes)


@dataclass(frozen=True)
class Lying:
    """The kept rows that lie somewhere: their positions, None for all, and where; shape (rows,)."""

    at: Ints | None
    x: Floats
    y: Floats
    left: Left

    @property
    def nbytes(self) -> int:
        """Bytes it holds."""
        return 64 if self.at is None else self.at.nbytes + self.x.nbytes + self.y.nbytes


def lying_by(at: tuple[str, ...], rows: Rows) -> Lying:
    """Return the kept rows that lie on Earth by two columns, longitude and latitude."""
    return rows.remember(("lying", at), lambda: _lying(at, rows))


def _lying(names: tuple[str, ...], rows: Rows) -> Lying:
    x, y = (rows.table.axis(name).values for name in names)
    # NaN is within nothing
    lies = (np.abs(y) <= NORTHMOST) & (np.abs(x) <= EASTMOST)
    if rows.kept is not None:
        lies &= rows.kept
    # most have a longitude: only at 0 the latitude is looked at too
    zero = np.flatnonzero(x == 0)
    zero = zero[(y[zero] == 0) & lies[zero]]
    n = int(np.count_nonzero(lies))
    if len(zero) < n:
        lies[zero] = False
    else:
        zero = zero[:0]
    left = Left(zero=len(zero))
    if n < rows.n:
        out = np.flatnonzero(~lies if rows.kept is None else rows.kept & ~lies)
        missing = np.isnan(x[out]) | np.isnan(y[out])
        beyond = ~missing & ((np.abs(y[out]) > NORTHMOST) | (np.abs(x[out]) > EASTMOST))
        turned = beyond & (np.abs(x[out]) <= NORTHMOST) & (np.abs(y[out]) <= EASTMOST)
        left = Left(int(missing.sum()), int(beyond.sum()), int(turned.sum()), len(zero))
    if n - len(zero) == rows.table.height:
        return Lying(None, x, y, left)
    at = np.flatnonzero(lies)
    return Lying(at, x[at], y[at], left)


def around(x: Floats, y: Floats) -> Window:
    """Return the ends of all places, with a little room around them; shape (n,), degrees."""
    if not len(x):
        return -180.0, 180.0, -58.0, 84.0
    west, east, south, north = float(x.min()), float(x.max()), float(y.min()), float(y.max())
    room = max(0.04 * max(east - west, north - south), 0.002)
    return west - room, east + room, max(south - room, -NORTHMOST), min(north + room, NORTHMOST)


def inside(x: Floats, y: Floats, window: Window) -> Bools:
    """Return which places lie in the part zoomed into; shape (n,), degrees."""
    west, east, south, north = window
    return np.asarray((x >= west) & (x <= east) & (y >= south) & (y <= north))


def is_cut(x: Floats, window: Window) -> bool:
    """Whether places lie near both sides of the date line, with nothing for a third of the Earth between.

    Shape (n,), degrees.
    """
    if window[1] - window[0] < HALF_AND_MORE or len(x) < 2:
        return False
    step = max(1, len(x) // SAMPLE)
    return bool(np.diff(np.sort(x[::step])).max() > THIRD)


def one_a_row(rows: Rows, at: Ints | None, found: Codes | Ints) -> Codes:
    """Return a code for each row of the table, −1 for those that are not among ``at``; shape (rows,)."""
    if at is None:
        return found.astype(np.int32, copy=False)
    codes = np.full(rows.table.height, -1, dtype=np.int32)
    codes[at] = found
    return codes


def without(codes: Codes, kept: Bools) -> Codes:
    """Return codes counted anew over the spots that are kept, −1 where one is not; shape (rows,)."""
    again = np.full(len(kept) + 1, -1, dtype=np.int32)
    again[np.flatnonzero(kept)] = np.arange(int(kept.sum()))
    return np.asarray(again[codes])  # code −1 reads the −1 at the end
