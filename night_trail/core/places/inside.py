"""Which of many areas each place lies in."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from night_trail.core.abreast import abreast
from night_trail.core.places.outlines import all_countries, regions_of
from night_trail.core.table import Bools, Floats, Ints

SHIPPED = "shipped:"
"""Begins the key of an area that ships; its country's code follows, and for a region its own."""

ALL_BUT_FEW = 0.9


def areas_around(areas: Sequence[Sequence[Floats]], longitudes: Floats, latitudes: Floats) -> Ints:
    """Return the first of the areas that holds each place, −1 where none does; even-odd over its rings.

    An area is its rings, each of shape (corners, 2); the places have shape (n,), degrees. They are
    put in order from south to north, so that a side is held against those beside it alone.
    """
    order = np.argsort(latitudes, kind="stable")
    x, y = longitudes[order], latitudes[order]
    # what lies nowhere stands at the end, and is never looked at
    n = len(y) - int(np.isnan(y).sum())
    x, y = x[:n], y[:n]
    half = len(areas) // 2
    first, others = abreast(
        n,
        lambda: _first_of(areas, range(half), x, y),
        lambda: _first_of(areas, range(half, len(areas)), x, y),
    )
    found = np.full(len(latitudes), -1, dtype=np.int64)
    found[order[:n]] = np.where(first >= 0, first, others)
    return found


def _first_of(areas: Sequence[Sequence[Floats]], some: range, x: Floats, y: Floats) -> Ints:
    """Return the first of some areas that holds each place; shape (n,), from south to north."""
    found = np.full(len(y), -1, dtype=np.int64)
    for at in reversed(some):
        rings = [np.asarray(ring, dtype=np.float64) for ring in areas[at]]
        if not rings:
            continue
        low, high = min(ring[:, 1].min() for ring in rings), max(ring[:, 1].max() for ring in rings)
        part = slice(*np.searchsorted(y, (low, high), side="left").tolist())
        held = np.zeros(part.stop - part.start, dtype=np.bool_)
        for ring in rings:
            _turn(held, ring, x[part], y[part])
        found[part][held] = at
    return found


def _turn(held: Bools, ring: Floats, x: Floats, y: Floats) -> None:
    """Turn over whether places are held by a ring, for those within it; shape (n,), from south to north."""
    (west, south), (east, north) = ring.min(axis=0), ring.max(axis=0)
    first, end = np.searchsorted(y, (south, north), side="left").tolist()
    part = slice(first, end)
    if first == end or not bool(((x[part] >= west) & (x[part] <= east)).any()):
        return
    px, py, inside = x[part], y[part], held[part]
    following = np.roll(ring, -1, axis=0)
    low, high = np.minimum(ring[:, 1], following[:, 1]), np.maximum(ring[:, 1], following[:, 1])
    starts, ends = np.searchsorted(py, low, side="left"), np.searchsorted(py, high, side="left")
    for side in np.flatnonzero(starts < ends).tolist():
        (x1, y1), (x2, y2) = ring[side], following[side]
        one = slice(int(starts[side]), int(ends[side]))
        inside[one] ^= px[one] < (x2 - x1) * (py[one] - y1) / (y2 - y1) + x1


def shipped_around(longitudes: Floats, latitudes: Floats) -> tuple[tuple[str, ...], Ints]:
    """Return the keys of shipped areas that places lie in, and which of them each is in, −1 for none.

    These are countries; where nearly all places lie in one of them, its regions. Shape (n,), degrees.
    """
    eastward = (longitudes + 180) % 360 - 180
    countries = all_countries()
    within = areas_around([area.rings for area in countries], eastward, latitudes)
    n = np.bincount(within[within >= 0], minlength=len(countries))
    if n.max(initial=0) >= ALL_BUT_FEW * len(within) and n.max(initial=0):
        country = countries[int(n.argmax())].code
        regions = regions_of(country)
        if len(regions) > 1:
            inside = areas_around([area.rings for area in regions], eastward, latitudes)
            return tuple(f"{SHIPPED}{country}:{area.code}" for area in regions), inside
    return tuple(f"{SHIPPED}{area.code}" for area in countries), within


def in_shipped(key: str, longitudes: Floats, latitudes: Floats) -> Bools | None:
    """Return which places lie in one area that ships, None where there is no such; shape (n,), degrees."""
    country, _, code = key.removeprefix(SHIPPED).partition(":")
    able = regions_of(country) if code else all_countries()
    rings = next((area.rings for area in able if area.code == (code or country)), None)
    if rings is None:
        return None
    return np.asarray(areas_around([rings], (longitudes + 180) % 360 - 180, latitudes) == 0)
