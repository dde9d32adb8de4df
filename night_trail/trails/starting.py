"""Starting points: a scene or an overview kept by name, begun from on its table or one like it."""

from __future__ import annotations

from typing import Any

from django.db import IntegrityError, transaction

from night_trail.core.errors import NightTrailError
from night_trail.core.question import Scene
from night_trail.people.models import Role
from night_trail.tables.models import Table
from night_trail.tables.services import core_table
from night_trail.trails.models import StartingPoint
from night_trail.trails.rewalk import fits

MOST = 100
MOST_SHOWN = 20
MOST_LOOKED_AT = 60


def keep(table: Table, person: Any, name: str, **what: Any) -> StartingPoint:
    """Keep a scene or an overview under a name.

    Raises
    ------
    NightTrailError
        Where the name is empty or taken, or there are too many.
    """
    name = " ".join(name.split())[:100]
    if not name:
        raise NightTrailError("A starting point needs a name", table.name, "Write one.")
    if table.starting_points.count() >= MOST:
        raise NightTrailError(f"A table has at most {MOST} starting points", table.name, "Forget one first.")
    try:
        with transaction.atomic():
            return StartingPoint.objects.create(table=table, person=person, name=name, **what)
    except IntegrityError:
        raise NightTrailError(
            f"A starting point is called “{name}” already", table.name, "Choose another name."
        ) from None


def offered_on(table: Table, person: Any) -> list[StartingPoint]:
    """Return the starting points of a table, and those of others the person may explore that fit it too."""
    own = list(table.starting_points.all()[:MOST_SHOWN])
    if len(own) >= MOST_SHOWN:
        return own
    others = StartingPoint.objects.exclude(table=table).filter(
        table__in=Table.objects.visible_to(person, Role.EXPLORE)
    )
    rows = core_table(table.latest)
    fitting = []
    for point in others.select_related("table")[:MOST_LOOKED_AT]:
        try:
            for scene in scenes_of(point):
                fits(scene, rows)
        except NightTrailError:
            continue
        fitting.append(point)
    return (own + fitting)[:MOST_SHOWN]


def scenes_of(point: StartingPoint) -> list[Scene]:
    """Return the scenes a starting point shows: its own, or one for each picture of its overview."""
    overview = point.overview_value()
    if overview is not None:
        return [
            Scene(main=tile.question, only=(*overview.only, *tile.only), lit=overview.lit)
            for tile in overview.tiles
        ]
    scene = point.scene_value()
    return [scene] if scene is not None else []
