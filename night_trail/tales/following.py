"""A tale goes over to newer rows: its stops follow a trail that was walked again; as it stood it stays."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from contextlib import suppress
from typing import Any

import msgspec
from django.db import transaction
from django.db.models import Max

from night_trail.core.beats import Beat
from night_trail.core.claims.again import Again, counted_again
from night_trail.core.errors import NightTrailError
from night_trail.core.overview import Overview
from night_trail.core.question import Scene
from night_trail.core.renaming import renamed
from night_trail.people.models import Role
from night_trail.tables.services import core_table
from night_trail.tales.deeds import FIELDS
from night_trail.tales.models import Edition, Stop, Tale
from night_trail.trails.models import Step, Trail
from night_trail.trails.pictures import Desk
from night_trail.trails.rewalk import fits, walk_claim


def tales_behind(person: Any, trail: Trail) -> list[dict[str, Any]]:
    """Return a person's tales whose stops stand on the trail that this one was walked from."""
    if trail.walked_from_id is None:
        return []
    tales = Tale.objects.visible_to(person, Role.EXPLORE).filter(stops__step__trail=trail.walked_from_id)
    return [
        {
            "tale": tale,
            "follow": tale.stops.filter(step__trail=trail.walked_from_id, frozen=False).count(),
            "frozen": tale.stops.filter(step__trail=trail.walked_from_id, frozen=True).count(),
        }
        for tale in tales.distinct()
    ]


def follow(tale: Tale, trail: Trail) -> Edition:
    """Let the live stops of a tale stand on a trail that was walked again; the tale as it stood is kept.

    A stop whose step these rows cannot show, and a frozen one, stays where it is.
    """
    names = dict(trail.names)
    steps = {step.walked_from_id: step for step in trail.steps.exclude(walked_from=None)}
    moved = [
        stop
        for stop in tale.stops.select_related("step", "beside")
        if not stop.frozen and stop.step_id in steps
    ]
    if not moved:
        raise NightTrailError("No stop of this tale stands on that trail", tale.title, "Nothing was changed.")
    with transaction.atomic():
        edition = _edition(tale)
        for stop in moved:
            _over(stop, steps, names, trail)
    became: Counter[Again] = Counter()
    for stop in tale.stops.filter(pk__in=[s.pk for s in moved]).select_related("step__trail__version__table"):
        assert stop.step is not None  # noqa: S101  (just set)
        state = walk_claim(stop, Desk(stop.step.trail.version, stop.shown_scene()), names)
        if state is not None:
            became[state] += 1
    stayed = tale.stops.exclude(pk__in=[s.pk for s in moved]).exclude(step=None).count()
    said = counted_again(became) or f"{len(moved):,} stops stand on newer rows"
    if stayed:
        said += f"; {stayed:,} stop{'' if stayed == 1 else 's'} stayed as before"
    edition.said = f"{said[0].upper()}{said[1:]}."[:400]
    edition.save(update_fields=["said"])
    return edition


def _edition(tale: Tale) -> Edition:
    """Keep a tale as it stands."""
    number = (tale.editions.aggregate(top=Max("number"))["top"] or 0) + 1
    return Edition.objects.create(
        tale=tale, number=number, stops=list(tale.stops.values("id", *FIELDS)), said=""
    )


def stops_of(edition: Edition, still_there: bool) -> list[Stop]:
    """Return the stops of a tale as they stood; they are not those of the database.

    ``still_there`` leaves out those that were taken out of the tale since: what a
    writer took back, readers do not find in how it stood before.
    """
    kept_now = set(edition.tale.stops.values_list("pk", flat=True)) if still_there else set()
    steps = Step.objects.select_related("trail__version__table").in_bulk(
        {s[name] for s in edition.stops for name in ("step_id", "beside_id") if s[name]}
    )
    found = []
    for kept in edition.stops:
        if still_there and kept["id"] not in kept_now:
            continue
        fields = {name: value for name, value in kept.items() if name in FIELDS}
        fields["step_id"] = kept["step_id"] if kept["step_id"] in steps else None
        fields["beside_id"] = kept["beside_id"] if kept["beside_id"] in steps else None
        stop = Stop(id=kept["id"], tale=edition.tale, **fields)
        if fields["step_id"]:
            stop.step = steps[fields["step_id"]]
        if fields["beside_id"]:
            stop.beside = steps[fields["beside_id"]]
        found.append(stop)
    return found


def _over(stop: Stop, steps: Mapping[int | None, Step], names: Mapping[str, str], trail: Trail) -> None:
    table = core_table(trail.version)
    stop.step = steps[stop.step_id]
    if stop.scene is not None:
        stop.scene = _fitting(msgspec.convert(stop.scene, Scene), names, table)
    beats: list[Beat] = []
    for beat in stop.beat_values():
        scene = _fitting(beat.scene, names, table)
        if scene is not None:
            beats.append(msgspec.structs.replace(beat, scene=msgspec.convert(scene, Scene)))
    stop.beats = list(msgspec.to_builtins(beats))
    if stop.beside_id in steps:
        stop.beside = steps[stop.beside_id]
    if stop.overview is not None:
        stop.overview = _overview_over(stop, names, table)
    there = {column.name for column in table.columns}
    stop.chips = [name for chip in stop.chips if (name := names.get(chip, chip)) in there]
    stop.save(update_fields=["step", "scene", "beats", "beside", "overview", "chips"])


def _overview_over(stop: Stop, names: Mapping[str, str], table: Any) -> Any:
    """Return an overview on newer rows, without the pictures that these cannot show."""
    overview = renamed(msgspec.convert(stop.overview, Overview), names)
    tiles = []
    for tile in overview.tiles:
        with suppress(NightTrailError):
            fits(Scene(main=tile.question, only=(*overview.only, *tile.only), lit=overview.lit), table)
            tiles.append(tile)
    return msgspec.to_builtins(msgspec.structs.replace(overview, tiles=tuple(tiles)))


def _fitting(scene: Scene, names: Mapping[str, str], table: Any) -> Any:
    """Return a scene on newer rows as a JSON field holds it; None where they cannot show it."""
    try:
        made = renamed(scene, names)
        fits(made, table)
    except NightTrailError:
        return None
    return msgspec.to_builtins(made)
