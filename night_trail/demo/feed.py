"""The simulated feed of the night buses: on request it delivers the file once more, a month longer."""

from __future__ import annotations

import time
from typing import Any

from django.conf import settings
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect
from django.views.decorators.http import require_POST

from night_trail.demo.night_buses import write_csv
from night_trail.people.views import DEMO_NAME
from night_trail.tables.arrivals import add_to_bundle
from night_trail.tables.models import Bundle, Table
from night_trail.web.asking import visitor

FED = "night_buses"


def feeds(table: Table | None, person: Any) -> bool:
    """Whether the feed delivers into a table: the demo analyst's own night buses."""
    return (
        bool(settings.DEMO_KEY)
        and table is not None
        and table.name == FED
        and table.owner_id == person.pk
        and person.username == DEMO_NAME
    )


@require_POST
def next_month(request: HttpRequest, table: int) -> HttpResponse:
    """Deliver the trips with the month behind the last, and go on to the preview."""
    found = get_object_or_404(Table, pk=table, owner=request.user)
    if not feeds(found, request.user):
        raise Http404
    settings.INCOMING.mkdir(parents=True, exist_ok=True)
    path = settings.INCOMING / f"feed-{found.pk}-{time.time_ns()}"
    write_csv(path, and_following=True)
    bundle = Bundle.objects.create(owner=visitor(request), name="night_buses.csv")
    add_to_bundle(bundle, path, "night_buses.csv", found)
    return redirect("tables:bundle", bundle.pk)
