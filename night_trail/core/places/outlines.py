"""The outlines that ship: countries, and their first-level regions (``data/SOURCES.md`` says from where)."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cache, cached_property
from importlib.resources import files
from io import BytesIO

import numpy as np
import polars as pl

from night_trail.core.table import Floats

UNITS = 100.0
"""Corners are kept in so many parts of a degree."""

DETAIL = 0.06
"""How near to the true line an outline is, in degrees: closer than a few of these it says nothing."""


@dataclass(frozen=True)
class Area:
    """An area with its outline: rings of corners, each of shape (n, 2) as longitude and latitude.

    ``within`` is the code of the country a region is of, empty for a country.
    """

    code: str
    within: str
    name: str
    rings: tuple[Floats, ...]

    @property
    def key(self) -> str:
        """What names it among all areas."""
        return f"{self.within}\x1f{self.code}"

    @property
    def middle(self) -> tuple[float, float]:
        """The middle of mass of its largest ring, as longitude and latitude."""
        ring = max(self.rings, key=lambda one: abs(_twice_the_area(one)))
        x, y = ring[:, 0], ring[:, 1]
        next_x, next_y = np.roll(x, -1), np.roll(y, -1)
        cross = x * next_y - next_x * y
        twice = float(cross.sum())
        if abs(twice) < 1e-12:
            return float(x.mean()), float(y.mean())
        return float(((x + next_x) * cross).sum() / (3 * twice)), float(
            ((y + next_y) * cross).sum() / (3 * twice)
        )

    @cached_property
    def box(self) -> tuple[float, float, float, float]:
        """Its ends: west, east, south, north."""
        every = np.concatenate(self.rings)
        west, south = every.min(axis=0)
        east, north = every.max(axis=0)
        return float(west), float(east), float(south), float(north)


def _twice_the_area(ring: Floats) -> float:
    x, y = ring[:, 0], ring[:, 1]
    return float((x * np.roll(y, -1) - np.roll(x, -1) * y).sum())


@cache
def countries() -> dict[str, Area]:
    """Return every country by each of its names and codes, folded."""
    found: dict[str, Area] = {}
    for area, called in _read(within=False):
        for own in called:
            found.setdefault(own, area)
    return found


@cache
def regions() -> dict[str, tuple[Area, ...]]:
    """Return first-level regions by each of their names and codes, folded: of a name there may be several."""
    found: dict[str, list[Area]] = {}
    for area, called in _read(within=True):
        for own in called:
            found.setdefault(own, []).append(area)
    return {own: tuple(areas) for own, areas in found.items()}


def _read(within: bool) -> Iterator[tuple[Area, set[str]]]:
    """Yield areas with what they are called: countries, or what is within them."""
    data = pl.read_parquet(BytesIO((files(__package__) / "data" / "outlines.parquet").read_bytes()))
    data = data.filter((pl.col("within") != "") if within else (pl.col("within") == ""))
    x, y, sizes = (
        data[name].explode().to_numpy().astype(np.float64 if name != "rings" else np.int64)
        for name in ("x", "y", "rings")
    )
    # corners are kept as steps from each to the next, area by area
    lengths = data["x"].list.len().to_numpy().astype(np.int64)
    ends, rings = np.cumsum(lengths), np.cumsum(data["rings"].list.len().to_numpy().astype(np.int64))
    names = data.select("code", "within", "name", "called").iter_rows()
    for i, (code, of, name, called) in enumerate(names):
        part = slice(int(ends[i] - lengths[i]), int(ends[i]))
        corners = np.column_stack([np.cumsum(x[part]), np.cumsum(y[part])]) / UNITS
        own = sizes[int(rings[i - 1]) if i else 0 : int(rings[i])]
        area = Area(code, of, name, tuple(np.split(corners, np.cumsum(own)[:-1])))
        yield area, set(called)


@cache
def all_countries() -> tuple[Area, ...]:
    """Return every country once."""
    return tuple({area.code: area for area in countries().values()}.values())


@cache
def regions_of(country: str) -> tuple[Area, ...]:
    """Return the first-level regions of a country by its three-letter code."""
    every = (area for areas in regions().values() for area in areas if area.within == country)
    return tuple({area.key: area for area in every}.values())
