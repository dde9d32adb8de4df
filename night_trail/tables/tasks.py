"""Work that goes on after the page has answered."""

from __future__ import annotations

from django_tasks import task

from night_trail.tables.arrivals import read_arrival
from night_trail.tables.deliveries import tell
from night_trail.tables.models import Arrival


@task()
def read_file(arrival_id: int) -> None:
    """Read an arrived file into a table."""
    arrival = Arrival.objects.filter(pk=arrival_id).first()
    if arrival is not None and not arrival.finished:
        read_arrival(arrival)
        if arrival.by_itself and arrival.into is not None:
            arrival.refresh_from_db()
            if arrival.finished:
                came = arrival.state == Arrival.State.DONE
                tell(arrival.into, arrival.file_name, arrival.said, came)
