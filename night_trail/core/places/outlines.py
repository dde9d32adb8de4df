"""The outlines that ship: countries, and their first-level regions (``data/SOURCES.md`` says from where)."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from importlib.resources import files
from io import BytesIO

import numpy as np
import polars as pl

from night_trail.core.places.names import folded
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

    @property
    def box(self) -> tuple[float, float, float, float]:
        """Its ends: west, east, south, north."""
        every = np.concatenate(self.rings)
        west, south = every.min(axis=0)
        east, north = every.max(axis=0)
        return float(west), float(east), float(south), float(north)


def _twice_the_area(ring: Floats) -> float:
    x, y = ring[:, 0], ring[:, 1]
    return float((x * np.roll(y, -1) - np.roll(x, -1) * y).sum())


@dataclass(frozen=True)
class Known:
    """Areas by what they are called, folded: of regions there may be several of a name."""

    countries: dict[str, Area]
    regions: dict[str, tuple[Area, ...]]


@cache
def known() -> Known:
    """Return all areas that ship, by every name and code of theirs."""
    found = pl.read_parquet(BytesIO((files(__package__) / "data" / "outlines.parquet").read_bytes()))
    countries: dict[str, Area] = {}
    regions: dict[str, list[Area]] = {}
    for code, within, name, called, x, y, sizes in found.iter_rows():
        corners = np.column_stack([np.cumsum(x), np.cumsum(y)]) / UNITS
        area = Area(code, within, name, tuple(np.split(corners, np.cumsum(sizes)[:-1])))
        for own in {folded(one) for one in (name, *called)}:
            if within:
                regions.setdefault(own, []).append(area)
            else:
                countries.setdefault(own, area)
    return Known(countries, {own: tuple(areas) for own, areas in regions.items()})


@cache
def all_countries() -> tuple[Area, ...]:
    """Return every country once."""
    return tuple({area.code: area for area in known().countries.values()}.values())


@cache
def regions_of(country: str) -> tuple[Area, ...]:
    """Return the first-level regions of a country by its three-letter code."""
    every = (area for areas in known().regions.values() for area in areas if area.within == country)
    return tuple({area.key: area for area in every}.values())
