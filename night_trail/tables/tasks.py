"""Work that goes on after the page has answered."""

from __future__ import annotations

from django_tasks import task

from night_trail.tables.arrivals import read_arrival
from night_trail.tables.models import Arrival


@task()
def read_file(arrival_id: int) -> None:
    """Read an arrived file into a table."""
    arrival = Arrival.objects.filter(pk=arrival_id).first()
    if arrival is not None and not arrival.finished:
        read_arrival(arrival)
