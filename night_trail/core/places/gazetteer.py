"""What a name means: a country, a region, or the town that is likeliest called so."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache
from importlib.resources import files
from io import BytesIO
from typing import Literal

import polars as pl

from night_trail.core.places.names import folded
from night_trail.core.places.outlines import Area, countries, regions

Level = Literal["countries", "regions", "towns"]


@dataclass(frozen=True)
class Town:
    """A town: where it lies, the two-letter code of its country, how many people."""

    name: str
    longitude: float
    latitude: float
    country: str
    people: int


@dataclass(frozen=True)
class Located:
    """What names mean: an area or a town each, None where none is known.

    ``several`` are names that mean others elsewhere as well, of which the largest was taken.
    """

    level: Level
    found: tuple[Area | Town | None, ...]
    several: tuple[str, ...]


@cache
def _towns() -> dict[str, tuple[Town, ...]]:
    """Return towns by every name of theirs, folded, the largest first."""
    data = pl.read_parquet(BytesIO((files(__package__) / "data" / "cities.parquet").read_bytes()))
    own: dict[str, list[Town]] = {}
    others: dict[str, list[Town]] = {}
    columns = ("name", "own", "called", "latitude", "longitude", "country", "people")
    for name, plain, called, latitude, longitude, country, people in data.select(columns).iter_rows():
        town = Town(name, longitude, latitude, country, people)
        own.setdefault(plain, []).append(town)
        for other in called:
            others.setdefault(other, []).append(town)
    # what a town is called itself comes before what others are called elsewhere
    return {key: (*own.get(key, ()), *others.get(key, ())) for key in own.keys() | others.keys()}


def located(names: Sequence[str], within: Sequence[str] | None = None) -> Located:
    """Return what names mean; ``within`` is the country each is of, where that is known.

    All are taken to be of one level, the one most of them are of; a tie goes to the wider.
    """
    areas, several_regions = _regions(names, within)
    of_countries = _countries(names)
    able: list[tuple[Level, Sequence[Area | Town | None], list[str]]] = [
        ("countries", of_countries, []),
        ("regions", areas, several_regions),
    ]
    # where one of these holds every name, no town holds more
    if not any(all(place is not None for place in one) for one in (of_countries, areas)):
        able.append(("towns", *_of_towns(names, within)))
    level, found, several = max(able, key=lambda one: sum(place is not None for place in one[1]))
    return Located(level, tuple(found), tuple(several))


def _countries(names: Sequence[str]) -> list[Area | None]:
    every = countries()
    return [every.get(folded(name)) for name in names]


def _regions(names: Sequence[str], within: Sequence[str] | None) -> tuple[list[Area | None], list[str]]:
    """Return the region each name means; where several countries have one, that of most other names."""
    every, outer = regions(), countries()
    able = [every.get(folded(name), ()) for name in names]
    if within is not None:
        inside = [outer.get(folded(one)) for one in within]
        able = [
            tuple(a for a in areas if c is None or a.within == c.code)
            for areas, c in zip(able, inside, strict=True)
        ]
    votes: dict[str, int] = {}
    for areas in able:
        for country in {area.within for area in areas}:
            votes[country] = votes.get(country, 0) + 1
    found: list[Area | None] = []
    several = []
    for name, areas in zip(names, able, strict=True):
        ranked = sorted(areas, key=lambda area: -votes[area.within])
        found.append(ranked[0] if ranked else None)
        if len(ranked) > 1 and votes[ranked[0].within] == votes[ranked[1].within]:
            several.append(name)
    return found, several


def _of_towns(names: Sequence[str], within: Sequence[str] | None) -> tuple[list[Town | None], list[str]]:
    codes = _two_letters()
    found: list[Town | None] = []
    several = []
    for at, name in enumerate(names):
        towns = _towns().get(folded(name), ())
        country = codes.get(folded(within[at])) if within is not None else None
        if country is not None:
            towns = tuple(town for town in towns if town.country == country)
        found.append(towns[0] if towns else None)
        if len({town.country for town in towns}) > 1 and towns[1].people > 0.1 * towns[0].people:
            several.append(name)
    return found, several


@cache
def _two_letters() -> dict[str, str]:
    """Return the two-letter code of a country by every name of it."""
    short = {area.code: own for own, area in countries().items() if len(own) == 2}
    return {own: short[area.code].upper() for own, area in countries().items() if area.code in short}
