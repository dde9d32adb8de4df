"""What can be done with tales: collect cairns, put stops in order."""

from __future__ import annotations

from collections.abc import Callable

from django.db import transaction

from night_trail.core.errors import NightTrailError
from night_trail.tales.models import Stop, Tale
from night_trail.trails.models import Cairn

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
    tale = stop.tale
    with transaction.atomic():
        if tale.stops.count() >= MOST_STOPS:
            raise NightTrailError(f"A tale has at most {MOST_STOPS} stops", "", "Begin a second tale.")
        before = stop.pk
        fields = {
            f.attname: getattr(stop, f.attname) for f in Stop._meta.concrete_fields if f.attname != "id"
        }
        made = Stop.objects.create(**fields)
        move_behind(tale, made.pk, before)
    return made


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
