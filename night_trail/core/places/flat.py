"""The Earth laid flat so that areas stay true, and cut into hexagons.

Lambert's cylindrical equal-area projection (Lambert 1772; Snyder 1987, "Map projections: a working
manual", p. 76): both axes stand for themselves, so that a range or a loop drawn on the picture is one
of the columns. On its ``parallel``, the latitude at which it is true, a degree is as long both ways.
"""

from __future__ import annotations

import math

import numpy as np

from night_trail.core.abreast import abreast
from night_trail.core.table import Floats, Ints

KM = 6_371.0088 * math.pi / 180
"""Kilometres of a degree on a great circle, by the Earth's mean radius (Moritz 2000)."""

STEEPEST = 60.0
"""The furthest parallel a picture is true at."""

WIDE = 100.0
"""So many degrees of latitude are half the world: it is true at ``WORLD`` then."""

WORLD = 37.5

BLOCK = 32_768
"""Places that are put into hexagons at once."""


def parallel_for(low: float, high: float) -> float:
    """Return the latitude at which a picture of these latitudes is true, in whole or half degrees."""
    if high - low > WIDE:
        return WORLD
    middle = abs(low + high) / 2
    return min(STEEPEST, round(2 * middle) / 2)


def upright(latitudes: Floats, parallel: float) -> Floats:
    """Return how far north places lie on the picture, in degrees on the parallel.

    Shape (n,), degrees; NaN stays.
    """
    return np.asarray(np.sin(np.radians(latitudes)) * (180 / math.pi / math.cos(math.radians(parallel))))


def sideways(longitudes: Floats, parallel: float) -> Floats:
    """Return how far east places lie on the picture, in degrees on the parallel.

    Shape (n,), degrees; NaN stays.
    """
    return np.asarray(longitudes * math.cos(math.radians(parallel)))


def back_upright(y: float, parallel: float) -> float:
    """Return the latitude that lies so far north on the picture."""
    return math.degrees(math.asin(max(-1.0, min(1.0, y * math.cos(math.radians(parallel)) * math.pi / 180))))


def hexagons(longitudes: Floats, latitudes: Floats, parallel: float, wide: float) -> tuple[Ints, Ints]:
    """Return the hexagon of each place, as (column, line) on a grid of half steps.

    The centres of hexagons are two interlaced rectangular lattices; a place belongs to the nearer
    (Carr, Littlefield, Nicholson & Littlefield 1987). ``wide`` is from side to side, in degrees on
    the parallel. Both have shape (n,), in half widths and half heights of the lattice.
    """
    column, line = (np.empty(len(longitudes), dtype=np.int64) for _ in range(2))

    def some(first: int, last: int) -> None:
        # block by block, so that what is in between stays in the processor's cache
        for start in range(first, last, BLOCK):
            part = slice(start, min(start + BLOCK, last))
            column[part], line[part] = _hexagons(longitudes[part], latitudes[part], parallel, wide)

    half = len(longitudes) // 2
    abreast(len(longitudes), lambda: some(0, half), lambda: some(half, len(longitudes)))
    return column, line


def _hexagons(longitudes: Floats, latitudes: Floats, parallel: float, wide: float) -> tuple[Floats, Floats]:
    x, y = sideways(longitudes, parallel) / wide, upright(latitudes, parallel) / (wide * math.sqrt(3))
    even_x, even_y = np.rint(x), np.rint(y)
    odd_x, odd_y = np.floor(x) + 0.5, np.floor(y) + 0.5
    # a line of the lattice is √3 of a step along it
    even = (x - even_x) ** 2 + 3 * (y - even_y) ** 2
    nearer = even <= (x - odd_x) ** 2 + 3 * (y - odd_y) ** 2
    return 2 * np.where(nearer, even_x, odd_x), 2 * np.where(nearer, even_y, odd_y)


def middle_of(column: int, line: int, parallel: float, wide: float) -> tuple[float, float]:
    """Return the longitude and latitude in the middle of a hexagon."""
    x = column / 2 * wide / math.cos(math.radians(parallel))
    return x, back_upright(line / 2 * wide * math.sqrt(3), parallel)


def kilometres(longitude: float, latitude: float, longitudes: Floats, latitudes: Floats) -> Floats:
    """Return how far places lie from one, along great circles (haversine; Sinnott 1984).

    Shape (n,), degrees; NaN stays.
    """
    north, east = np.radians(latitudes - latitude), np.radians(longitudes - longitude)
    a = np.sin(north / 2) ** 2
    a = a + math.cos(math.radians(latitude)) * np.cos(np.radians(latitudes)) * np.sin(east / 2) ** 2
    return np.asarray(2 * np.degrees(np.arcsin(np.sqrt(np.clip(a, 0.0, 1.0)))) * KM)
