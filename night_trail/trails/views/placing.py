"""Areas of one's own, brought beside a picture of where rows lie."""

from __future__ import annotations

from django.core.files.uploadedfile import UploadedFile
from django.http import HttpRequest, HttpResponse
from django.views.decorators.http import require_http_methods

from night_trail.core.errors import NightTrailError
from night_trail.core.places.own import MOST_BYTES
from night_trail.core.turns import Slot
from night_trail.tables import uploads
from night_trail.tables.own_areas import bring_areas
from night_trail.trails.page import listed, step_for, went_on
from night_trail.trails.services import take_turn


@require_http_methods(["GET", "POST"])
def own_areas(request: HttpRequest, trail: int, step: int) -> HttpResponse:
    """Ask for a file of areas, or keep it with the table and draw by it."""
    found = step_for(request, trail, step)
    if request.method == "GET":
        return listed(request, found, "trails/_own_areas.html", {})
    file = uploads.files_of(request).get("areas")
    if not isinstance(file, UploadedFile):
        raise NightTrailError("No file was chosen", "", "Choose a GeoJSON file with the outlines.")
    if (file.size or 0) > MOST_BYTES:
        raise NightTrailError("The outlines are larger than 5 MB", "", "Simplify them first.")
    table = found.trail.version.table
    assert table is not None  # noqa: S101  (a trail's version is complete)
    key = bring_areas(table, file.read(), file.name or "areas")
    return went_on(request, take_turn(found, Slot("areas", key)))
