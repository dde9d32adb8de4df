"""What can be done with tales: collect cairns, put stops in order."""

from __future__ import annotations

from collections.abc import Callable

from django.db import transaction

from night_trail.core.errors import NightTrailError
from night_trail.tales.models import Image, Stop, Tale
from night_trail.trails.models import Cairn, Trail

MOST_STOPS = 200


def add_stop(tale: Tale, cairn: Cairn | None) -> Stop:
    """Add a stop at the end: from a cairn with its picture and words, or of text only."""
    with transaction.atomic():
        last = tale.stops.order_by("-position").first()
        if tale.stops.count() >= MOST_STOPS:
            raise NightTrailError(f"A tale has at most {MOST_STOPS} stops", "", "Begin a second tale.")
        position = last.position + 1 if last else 0
        if cairn is None:
            return Stop.objects.create(tale=tale, position=position, heading="A stop without a picture")
        return Stop.objects.create(
            tale=tale,
            position=position,
            step=cairn.step,
            heading=cairn.title,
            text=cairn.note,
            annotations=cairn.annotations,
            claim=cairn.claim,
            verdict=cairn.verdict,
        )


def twice(stop: Stop) -> Stop:
    """Put a copy of a stop behind it and return the copy."""
    with transaction.atomic():
        made = _copied(stop, stop.tale)
        move_behind(stop.tale, made.pk, stop.pk)
    return made


def brought(stop: Stop, tale: Tale) -> Stop:
    """Put a copy of a stop of another tale at the end of a tale and return it.

    Raises
    ------
    NightTrailError
        Where the owner of the tale may not see the trail its picture comes from, or it is full.
    """
    for step in (stop.step, stop.beside):
        if step is not None and not Trail.objects.visible_to(tale.owner_id).filter(pk=step.trail_id).exists():
            raise NightTrailError(
                "The trail of this picture is not open to the owner of the tale",
                stop.heading,
                "Ask for it to be shared with them first.",
            )
    with transaction.atomic():
        last = tale.stops.order_by("-position").first()
        made = _copied(stop, tale, last.position + 1 if last else 0)
        if stop.image is not None:
            image = stop.image
            made.image = Image.objects.create(
                tale=tale, data=image.data, kind=image.kind, width=image.width, height=image.height
            )
            made.save(update_fields=["image"])
    return made


def _copied(stop: Stop, tale: Tale, position: int | None = None) -> Stop:
    if tale.stops.count() >= MOST_STOPS:
        raise NightTrailError(f"A tale has at most {MOST_STOPS} stops", "", "Begin a second tale.")
    fields = {f.attname: getattr(stop, f.attname) for f in Stop._meta.concrete_fields if f.attname != "id"}
    fields["tale_id"] = tale.pk
    if position is not None:
        fields["position"] = position
    return Stop.objects.create(**fields)


def _reorder(tale: Tale, moved: int, place: Callable[[list[int], int], int]) -> None:
    """Take one stop out of the order as it now is and put it in at a place found among the others.

    ``place`` gets the ids of the others and where the stop was. What somebody
    else moved, added or took out meanwhile stays so.
    """
    with transaction.atomic():
        stops = {stop.pk: stop for stop in tale.stops.all()}
        if moved not in stops:
            return
        ids = list(stops)
        at = ids.index(moved)
        ids.remove(moved)
        ids.insert(place(ids, at), moved)
        for position, pk in enumerate(ids):
            stops[pk].position = position
        Stop.objects.bulk_update(stops.values(), ["position"])


def move_by(tale: Tale, moved: int, places: int) -> None:
    """Move a stop towards the end by some places, or towards the beginning by a negative number."""
    _reorder(tale, moved, lambda others, at: min(max(at + places, 0), len(others)))


def move_behind(tale: Tale, moved: int, before: int) -> None:
    """Move a stop behind another; to the beginning where that one is not there, or none is named."""
    _reorder(tale, moved, lambda others, _: others.index(before) + 1 if before in others else 0)
