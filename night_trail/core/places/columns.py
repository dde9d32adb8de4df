"""The columns of a table that say where its rows lie."""

from __future__ import annotations

import re

from night_trail.core.table import Column, Kind, Table

MOST_NAMES = 40_000
_CALLED = re.compile(
    r"countr|nation|^state|province|region|county|city|town|municipal|^place|land$|ort$|location",
    re.IGNORECASE,
)
_OUTER = re.compile(r"countr|nation|land$", re.IGNORECASE)


def coordinates(table: Table) -> tuple[str, str] | None:
    """Return the columns of longitude and latitude; of several pairs the first, None where there is none."""
    east = [c.name for c in table.columns if c.kind == Kind.LONGITUDE]
    north = [c.name for c in table.columns if c.kind == Kind.LATITUDE]
    return (east[0], north[0]) if east and north else None


def pairs(table: Table) -> list[tuple[str, str]]:
    """Return all pairs of longitude and latitude, those that are called alike together."""
    east = [c.name for c in table.columns if c.kind == Kind.LONGITUDE]
    north = [c.name for c in table.columns if c.kind == Kind.LATITUDE]
    found = []
    for name in east:
        rest = _rest(name)
        partner = next((n for n in north if _rest(n) == rest), None)
        if partner is not None:
            found.append((name, partner))
    return found or [(x, y) for x, y in zip(east, north, strict=False)]


def _rest(name: str) -> str:
    return re.sub(r"lat(itude)?|lon(gitude)?|lng|long", "", name.lower())


def can_name_places(column: Column) -> bool:
    """Whether its values may be names of places: words, not too many."""
    words = column.kind in (Kind.PLACE, Kind.CATEGORY, Kind.ORDERED, Kind.TEXT, Kind.IDENTIFIER)
    return words and 0 < column.distinct <= MOST_NAMES


def named_places(table: Table) -> list[Column]:
    """Return columns whose name or kind says that they name places, kinds of places first."""
    able = [
        c for c in table.columns if can_name_places(c) and (c.kind == Kind.PLACE or _CALLED.search(c.name))
    ]
    return sorted(able, key=lambda c: c.kind != Kind.PLACE)


def outer_place(table: Table, name: str) -> str | None:
    """Return a column that says in which country the places of another lie, where there is one."""
    able = (c.name for c in table.columns if c.name != name and can_name_places(c) and _OUTER.search(c.name))
    return next(able, None)
