"""Outlines on a picture: clipped to what is seen, and no finer than its pixels."""

from __future__ import annotations

from collections.abc import Iterable
from functools import lru_cache

import numpy as np

from night_trail.core.places.outlines import DETAIL, Area, all_countries
from night_trail.core.table import Floats
from night_trail.draw.frame.names import Box
from night_trail.draw.frame.scales import Linear

BEYOND = 4.0
"""So many pixels beyond the edge outlines go on, so that no border is seen where they are cut."""

SMALL, COARSE = 5.0, 2
"""Where a degree is fewer pixels than this, corners of land stand on every second pixel."""

FINEST = 8 * DETAIL
"""What is seen must be so many degrees wide for outlines to say anything."""


def says_something(x: Linear) -> bool:
    """Whether outlines are fine enough for what is seen."""
    return x.high - x.low >= FINEST


@lru_cache(maxsize=24)
def land_path(x: Linear, y: Linear) -> str:
    """Return the outlines of all countries in sight, as path data."""
    # of the whole Earth no more is drawn than is seen
    grid = COARSE if abs(x.end - x.start) < SMALL * (x.high - x.low) else 1
    return "".join(area_path(area, x, y, grid) for area in in_sight(all_countries(), x, y))


def in_sight(areas: Iterable[Area], x: Linear, y: Linear) -> list[Area]:
    """Return the areas that reach into what is seen."""
    found = []
    for area in areas:
        west, east, south, north = area.box
        reaches = any(west + turn <= x.high and east + turn >= x.low for turn in _turns(x))
        if reaches and south <= max(y.low, y.high) and north >= min(y.low, y.high):
            found.append(area)
    return found


def _turns(x: Linear) -> tuple[float, ...]:
    """Return by how much outlines are moved: eastward degrees go on beyond the date line."""
    return (0.0, 360.0) if x.high > 180 else (0.0, -360.0) if x.low < -180 else (0.0,)


def area_path(area: Area, x: Linear, y: Linear, grid: int = 1) -> str:
    """Return the outline of an area as path data, in steps of whole pixels; empty where nothing is seen."""
    sight = (
        min(x.start, x.end) - BEYOND, min(y.start, y.end) - BEYOND,
        max(x.start, x.end) + BEYOND, max(y.start, y.end) + BEYOND,
    )  # fmt: skip
    found = []
    for turn in _turns(x):
        for ring in area.rings:
            points = np.column_stack([x.all(ring[:, 0] + turn), y.all(ring[:, 1])])
            low, high = points.min(axis=0), points.max(axis=0)
            if low[0] > sight[2] or high[0] < sight[0] or low[1] > sight[3] or high[1] < sight[1]:
                continue
            whole = bool(
                low[0] >= sight[0] and high[0] <= sight[2] and low[1] >= sight[1] and high[1] <= sight[3]
            )
            found.append(_path(points if whole else clipped(points, sight), grid))
    return "".join(found)


def clipped(points: Floats, box: Box) -> Floats:
    """Return a polygon within a box (Sutherland & Hodgman 1974).

    Shape (n, 2), pixels; the last corner leads back to the first.
    """
    left, top, right, bottom = box
    for axis, edge, sign in ((0, left, 1), (0, right, -1), (1, top, 1), (1, bottom, -1)):
        if not len(points):
            break
        depth = sign * (points[:, axis] - edge)
        following, next_depth = np.roll(points, -1, axis=0), np.roll(depth, -1)
        inside, next_inside = depth >= 0, next_depth >= 0
        crosses = inside != next_inside
        share = np.divide(depth, depth - next_depth, out=np.zeros_like(depth), where=crosses)
        cut = points + (following - points) * share[:, None]
        # a corner inside stands, and behind it where its side crosses the edge
        both = np.stack([points, cut], axis=1).reshape(-1, 2)
        points = both[np.column_stack([inside, crosses]).ravel()]
    return points


def _path(points: Floats, grid: int) -> str:
    if len(points) < 3:
        return ""
    whole = (np.rint(points / grid) * grid).astype(np.int64)
    moved = np.r_[True, (np.diff(whole, axis=0) != 0).any(axis=1)]
    whole = whole[moved]
    if len(whole) < 3:
        return ""
    steps = np.diff(whole, axis=0)
    return f"M{whole[0, 0]} {whole[0, 1]}l{' '.join(f'{a} {b}' for a, b in steps.tolist())}z"
