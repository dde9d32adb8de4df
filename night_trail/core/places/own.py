"""Areas of one's own, read from GeoJSON (RFC 7946): districts, sites, sales regions."""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping
from typing import Any

import msgspec
import numpy as np

from night_trail.core.errors import Unreadable
from night_trail.core.places.inside import areas_around
from night_trail.core.places.names import folded
from night_trail.core.places.outlines import Area
from night_trail.core.table import Bools, Floats

MOST_BYTES, MOST_AREAS, MOST_CORNERS, MOST_LETTERS = 5_000_000, 2_000, 200_000, 200
DEEPEST = 4
FIRST_ASKED = ("name", "title", "label", "district", "region", "area", "code", "id")
"""Properties that name an area, the first of them first."""

Ring = tuple[tuple[float, float], ...]


class OwnArea(msgspec.Struct, frozen=True):
    """An area: what it is called, and its rings as longitude and latitude; inner rings are holes."""

    name: str
    rings: tuple[Ring, ...]

    def holds(self, longitudes: Floats, latitudes: Floats) -> Bools:
        """Return which places lie in it, by the even-odd rule over all of its rings.

        Shape (n,), degrees; what has NaN lies in none.
        """
        rings = [np.array(ring, dtype=np.float64) for ring in self.rings]
        return np.asarray(areas_around([rings], longitudes, latitudes) == 0)


class OwnAreas(msgspec.Struct, frozen=True):
    """The areas of a file, by the name they were given together."""

    name: str
    areas: tuple[OwnArea, ...]

    def all(self, key: str) -> tuple[Area, ...]:
        """Return them as areas like those that ship; ``key`` names the file among all."""
        return tuple(
            Area(str(i), key, one.name, tuple(np.array(ring, dtype=np.float64) for ring in one.rings))
            for i, one in enumerate(self.areas)
        )

    def by_name(self) -> Mapping[str, int]:
        """Return the place of each area by its folded name; of two of a name the first."""
        found: dict[str, int] = {}
        for i, one in enumerate(self.areas):
            found.setdefault(folded(one.name), i)
        return found


def read_areas(data: bytes, file: str) -> OwnAreas:
    """Return the areas of a GeoJSON file, called by the property that names most of them apart.

    Raises
    ------
    Unreadable
        Where it is no GeoJSON, holds no areas, too many, or places that are no degrees.
    """
    if len(data) > MOST_BYTES:
        raise Unreadable("The outlines are larger than 5 MB", file, "Simplify them first.")
    try:
        found = json.loads(data)
    except (ValueError, RecursionError):
        raise Unreadable("This is no GeoJSON", file, "Save the areas as GeoJSON, in degrees.") from None
    features = [(properties, rings) for properties, rings in _features(found, 0) if rings]
    if not features:
        raise Unreadable("There are no areas in it", file, "It needs polygons: points and lines are none.")
    names = _names([properties for properties, _ in features])
    title = file.rsplit("/", 1)[-1].rsplit(".", 1)[0][:80] or "areas"
    made = OwnAreas(title, tuple(OwnArea(n, rings) for n, (_, rings) in zip(names, features, strict=True)))
    check_areas(made, file)
    return made


def check_areas(own: OwnAreas, file: str) -> None:
    """Refuse areas that are too many, too fine, or nowhere on Earth.

    Raises
    ------
    Unreadable
        Saying which of these.
    """
    if not own.areas or len(own.areas) > MOST_AREAS or len(own.name) > MOST_LETTERS:
        raise Unreadable(f"It holds {len(own.areas):,} areas, at most {MOST_AREAS:,} are read", file)
    if any(not one.name or len(one.name) > MOST_LETTERS or not one.rings for one in own.areas):
        raise Unreadable("An area has no name, or no outline", file, "Bring the outlines again.")
    corners = [corner for one in own.areas for ring in one.rings for corner in ring]
    if len(corners) > MOST_CORNERS:
        raise Unreadable(
            f"Its outlines have {len(corners):,} corners", file, f"Simplify them to {MOST_CORNERS:,}."
        )
    # what is no number is not within these either
    if not all(abs(x) <= 360 and abs(y) <= 90 for x, y in corners):
        raise Unreadable("Its places are no degrees", file, "Save it with longitude and latitude (WGS 84).")
    if any(len(ring) < 3 for one in own.areas for ring in one.rings):
        raise Unreadable("An outline has less than three corners", file, "Bring the outlines again.")


def _features(found: Any, depth: int) -> Iterator[tuple[dict[str, Any], tuple[Ring, ...]]]:
    if not isinstance(found, dict) or depth > DEEPEST:
        return
    kind = found.get("type")
    if kind == "FeatureCollection" and isinstance(found.get("features"), list):
        for one in found["features"]:
            yield from _features(one, depth + 1)
    elif kind == "Feature":
        properties = found.get("properties")
        yield (properties if isinstance(properties, dict) else {}), _rings(found.get("geometry"), depth + 1)
    else:
        yield {}, _rings(found, depth + 1)


def _rings(geometry: Any, depth: int) -> tuple[Ring, ...]:
    if not isinstance(geometry, dict) or depth > DEEPEST + 2:
        return ()
    kind, places = geometry.get("type"), geometry.get("coordinates")
    if kind == "GeometryCollection" and isinstance(geometry.get("geometries"), list):
        return tuple(ring for one in geometry["geometries"] for ring in _rings(one, depth + 1))
    polygons = [places] if kind == "Polygon" else places if kind == "MultiPolygon" else []
    found = []
    for polygon in polygons if isinstance(polygons, list) else []:
        for ring in polygon if isinstance(polygon, list) else []:
            made = tuple(_corners(ring))
            if len(made) >= 3:
                found.append(made)
    return tuple(found)


def _corners(ring: Any) -> Iterator[tuple[float, float]]:
    for corner in ring if isinstance(ring, list) else []:
        if (
            isinstance(corner, list)
            and len(corner) >= 2
            and all(isinstance(v, int | float) for v in corner[:2])
        ):
            x, y = float(corner[0]), float(corner[1])
            if np.isfinite(x) and np.isfinite(y):
                yield round(x, 6), round(y, 6)


def _names(properties: list[dict[str, Any]]) -> list[str]:
    """Return what each area is called: by the property that tells most of them apart, else by number."""
    keys = dict.fromkeys(key for one in properties for key in one)
    ranked = sorted(
        keys, key=lambda key: FIRST_ASKED.index(key.lower()) if key.lower() in FIRST_ASKED else 99
    )
    best, most = None, 0
    for key in ranked[:60]:
        values = [one.get(key) for one in properties]
        apart = len({str(v) for v in values if isinstance(v, str | int) and str(v).strip()})
        if apart > most:
            best, most = key, apart
    return [
        (str(one.get(best) or "")[:MOST_LETTERS].strip() if best is not None else "") or f"area {i}"
        for i, one in enumerate(properties, 1)
    ]
