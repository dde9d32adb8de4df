"""All cairns of a trail on one page, to choose from."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, render
from django.views.decorators.http import require_GET

from night_trail.trails.models import Cairn, Trail
from night_trail.trails.pictures import small_of


@require_GET
def cairns(request: HttpRequest, trail: int) -> HttpResponse:
    """Show what was found on a trail: pictures, notes, claims and what became of them."""
    found = get_object_or_404(
        Trail.objects.visible_to(request.user).select_related("version__table"), pk=trail
    )
    kept = Cairn.objects.filter(step__trail=found).select_related("step__trail__version__table")
    lines = [
        {"cairn": cairn, "picture": small_of(cairn.step, "kept"), "verdict": cairn.verdict or {}}
        for cairn in kept
    ]
    return render(request, "trails/cairns.html", {"trail": found, "lines": lines, "tab": "trail"})
