"""How the server is, for whoever watches it: no names, no data, no session."""

from __future__ import annotations

import time

from django.conf import settings
from django.contrib.auth.decorators import login_not_required
from django.db import DatabaseError
from django.http import HttpRequest, JsonResponse
from django.views.decorators.http import require_safe

from night_trail.tables import room
from night_trail.tables.models import Arrival, Table
from night_trail.tables.worker import BEAT_EVERY, beat_file
from night_trail.tales.models import Tale
from night_trail.trails.models import Trail

MISSED_BEATS = 4


@login_not_required
@require_safe
def health(request: HttpRequest) -> JsonResponse:
    """Say whether database, worker and disk are well, with counts; status 503 where one is not."""
    parts = {"database": _database, "worker": _worker, "disk": _disk}
    said = {name: look() for name, look in parts.items()}
    well = all(found == "ok" for found in said.values())
    counts = _counts() if said["database"] == "ok" else {}
    response = JsonResponse({"well": well, **said, "counts": counts}, status=200 if well else 503)
    response["Cache-Control"] = "no-store"
    return response


def _database() -> str:
    try:
        Table.objects.exists()
    except DatabaseError as error:
        return f"does not answer: {type(error).__name__}"
    return "ok"


def _worker() -> str:
    try:
        silent = time.time() - beat_file().stat().st_mtime
    except OSError:
        return "never seen"
    return "ok" if silent < MISSED_BEATS * BEAT_EVERY else f"silent for {silent:.0f} s"


def _disk() -> str:
    left = room.free()
    return "ok" if left >= settings.LEAST_ROOM else f"{left / 1e6:.0f} MB left"


def _counts() -> dict[str, int]:
    states = Arrival.State
    return {
        "tables": Table.objects.count(),
        "trails": Trail.objects.count(),
        "tales": Tale.objects.count(),
        "files waiting": Arrival.objects.filter(state=states.WAITING).count(),
        "files being read": Arrival.objects.filter(state=states.READING).count(),
        "files failed": Arrival.objects.filter(state=states.FAILED).count(),
        "free bytes": room.free(),
    }
