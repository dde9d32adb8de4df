"""What a name means: a country, a region, or the town that is likeliest called so."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cache
from importlib.resources import files
from io import BytesIO
from typing import Literal

import numpy as np
import polars as pl

from night_trail.core.places.flat import kilometres
from night_trail.core.places.inside import areas_around
from night_trail.core.places.names import folded
from night_trail.core.places.outlines import Area, all_countries, countries, regions, regions_of

Level = Literal["countries", "regions", "towns"]
ELSEWHERE = 40.0
"""So many kilometres away a town of the same name is another."""


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


def located(
    names: Sequence[str], within: Sequence[str] | None = None, meant: Mapping[str, str] | None = None
) -> Located:
    """Return what names mean; ``within`` is the country each is of, where that is known.

    ``meant`` says by its key which place a name means that is one of several (``alternatives``). All
    are taken to be of one level, the one most of them are of; a tie goes to the wider.
    """
    meant = meant or {}
    areas, several_regions = _regions(names, within, meant)
    of_countries = _countries(names)
    able: list[tuple[Level, Sequence[Area | Town | None], list[str]]] = [
        ("countries", of_countries, []),
        ("regions", areas, several_regions),
    ]
    # where one of these holds every name, no town holds more
    if not any(all(place is not None for place in one) for one in (of_countries, areas)):
        able.append(("towns", *_of_towns(names, within, meant)))
    level, found, several = max(able, key=lambda one: sum(place is not None for place in one[1]))
    return Located(level, tuple(found), tuple(several))


def _countries(names: Sequence[str]) -> list[Area | None]:
    every = countries()
    return [every.get(folded(name)) for name in names]


def _regions(
    names: Sequence[str], within: Sequence[str] | None, meant: Mapping[str, str]
) -> tuple[list[Area | None], list[str]]:
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
        chosen = next((area for area in areas if key_of(area) == meant.get(name)), None)
        ranked = sorted(areas, key=lambda area: -votes[area.within])
        found.append(chosen or (ranked[0] if ranked else None))
        if chosen is None and len(ranked) > 1 and votes[ranked[0].within] == votes[ranked[1].within]:
            several.append(name)
    return found, several


def _of_towns(
    names: Sequence[str], within: Sequence[str] | None, meant: Mapping[str, str]
) -> tuple[list[Town | None], list[str]]:
    codes = _two_letters()
    found: list[Town | None] = []
    several = []
    for at, name in enumerate(names):
        towns = _towns().get(folded(name), ())
        country = codes.get(folded(within[at])) if within is not None else None
        if country is not None:
            towns = tuple(town for town in towns if town.country == country)
        chosen = next((town for town in towns if key_of(town) == meant.get(name)), None)
        found.append(chosen or (towns[0] if towns else None))
        if chosen is None and _as_likely(towns):
            several.append(name)
    return found, several


def _as_likely(towns: Sequence[Town]) -> bool:
    """Whether another town of the name, elsewhere, is not much smaller than the first."""
    if not towns:
        return False
    first = towns[0]
    others = [town for town in towns[1:] if town.people > 0.1 * first.people]
    x, y = np.array([town.longitude for town in others]), np.array([town.latitude for town in others])
    return bool((kilometres(first.longitude, first.latitude, x, y) > ELSEWHERE).any())


def key_of(place: Area | Town) -> str:
    """Return what names a place among all of its name: where a town lies, what a region is in."""
    if isinstance(place, Area):
        return f"{place.within}-{place.code}"
    return f"{place.latitude:.2f}, {place.longitude:.2f}"


def alternatives(name: str, level: Level, most: int = 6) -> list[tuple[str, str]]:
    """Return the places a name may mean, the largest first: the key of each, and where it is in words."""
    if level == "regions":
        areas = regions().get(folded(name), ())[:most]
        return [(key_of(area), _country_words(area.within)) for area in areas]
    if level != "towns":
        return []
    short = {two: three for three, two in _short().items()}
    found = []
    for town in _towns().get(folded(name), ())[:most]:
        code = short.get(town.country.lower(), "")
        parts = regions_of(code)
        x, y = np.array([town.longitude]), np.array([town.latitude])
        at = int(areas_around([area.rings for area in parts], x, y)[0])
        region = f"{parts[at].name}, " if at >= 0 else ""
        found.append((key_of(town), f"{region}{_country_words(code)}, {town.people:,} people"))
    return found


def _country_words(code: str) -> str:
    return next((area.name for area in all_countries() if area.code == code), code)


@cache
def _two_letters() -> dict[str, str]:
    """Return the two-letter code of a country by every name of it."""
    short = _short()
    return {own: short[area.code].upper() for own, area in countries().items() if area.code in short}


@cache
def _short() -> dict[str, str]:
    """Return the two-letter code of each country by its three letters, in small letters."""
    return {area.code: own for own, area in countries().items() if len(own) == 2}
