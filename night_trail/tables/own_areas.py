"""Areas of a table's own: brought as GeoJSON, kept with the table, given to whoever asks of it."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping

import msgspec

from night_trail.core.errors import BadQuestion
from night_trail.core.places.own import OwnAreas, read_areas
from night_trail.tables import models, quota

MOST = 12


def bring_areas(table: models.Table, data: bytes, file: str) -> str:
    """Keep the areas of a file with a table and return their key; the same file is kept once.

    Raises
    ------
    NightTrailError
        Where it holds no areas, or the table has as many files of them as it can.
    """
    return keep_areas(table, read_areas(data, file))


def keep_areas(table: models.Table, found: OwnAreas) -> str:
    """Keep areas with a table and return their key, which follows from what they are."""
    packed = msgspec.json.encode(found)
    key = hashlib.sha256(packed).hexdigest()[:12]
    if table.own_areas.filter(key=key).exists():
        return key
    if table.own_areas.count() >= MOST:
        raise BadQuestion(f"This table has {MOST} files of areas already", table.name, "Use one of them.")
    quota.check_room(table.owner, len(packed))
    models.OwnAreas.objects.get_or_create(table=table, key=key, defaults={"data": packed})
    return key


def areas_of(table: models.Table) -> Mapping[str, OwnAreas]:
    """Return a table's own areas by their keys."""
    return {
        one.key: msgspec.json.decode(bytes(one.data), type=OwnAreas)
        for one in models.OwnAreas.objects.filter(table=table)
    }
