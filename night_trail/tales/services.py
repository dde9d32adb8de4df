"""What can be done with tales: collect cairns, put stops in order."""

from __future__ import annotations

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
        )


def put_in_order(tale: Tale, wanted: list[int]) -> None:
    """Put stops in the order of these ids; stops that are not named keep their order behind them.

    A page that was open while a stop was added or removed therefore loses nothing.
    """
    with transaction.atomic():
        stops = list(tale.stops.all())
        rank = {pk: i for i, pk in enumerate(wanted)}
        stops.sort(key=lambda s: (rank.get(s.pk, len(rank)), s.position))
        for position, stop in enumerate(stops):
            stop.position = position
        Stop.objects.bulk_update(stops, ["position"])
