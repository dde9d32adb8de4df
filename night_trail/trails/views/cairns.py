"""Leaving a cairn, writing on it, annotating its picture, taking it away."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect
from django.views.decorators.http import require_POST

from night_trail.core.errors import NightTrailError
from night_trail.trails.models import Cairn, Step
from night_trail.trails.page import desk_response, step_for
from night_trail.trails.services import annotate as keep_annotations
from night_trail.trails.services import cairn_at
from night_trail.web.asking import for_a_part
from night_trail.web.writing import keep_texts, one_line, stamps, tidy


def _shown(request: HttpRequest, step: Step) -> HttpResponse:
    if not for_a_part(request):
        return redirect("trails:step", step.trail_id, step.pk)
    return desk_response(request, step_for(request, step.trail_id, step.pk))


@require_POST
def leave(request: HttpRequest, trail: int, step: int) -> HttpResponse:
    """Leave a cairn at a step."""
    found = step_for(request, trail, step)
    if found.scene_value().main is None:
        raise NightTrailError("There is no picture to leave a cairn at", "", "Choose a column first.")
    cairn_at(found)
    return _shown(request, found)


@require_POST
def edit(request: HttpRequest, trail: int, step: int) -> HttpResponse:
    """Keep the title and note as they are written."""
    cairn = get_object_or_404(Cairn, step=step_for(request, trail, step))
    title = one_line(request.POST.get("title", ""))[:200]
    if not title:
        raise NightTrailError("A cairn needs a title", "", "The earlier one was kept.")
    kept = keep_texts(request, cairn, {"title": title, "note": tidy(request.POST.get("note", ""))[:4000]})
    if not for_a_part(request):
        return redirect("trails:step", trail, step)
    return HttpResponse(stamps(kept, ("title", "note"), swap=True))


@require_POST
def take(request: HttpRequest, trail: int, step: int) -> HttpResponse:
    """Take a cairn away; the step stays."""
    found = step_for(request, trail, step)
    Cairn.objects.filter(step=found).delete()
    return _shown(request, found)


@require_POST
def annotate(request: HttpRequest, trail: int, step: int) -> HttpResponse:
    """Keep all annotations of a step's picture as they now are; a cairn is left where there is none."""
    found = step_for(request, trail, step)
    if found.scene_value().main is None:
        raise NightTrailError("There is no picture to annotate", "", "Choose a column first.")
    keep_annotations(cairn_at(found), request.POST.get("annotations", ""), request.POST.get("before"))
    return _shown(request, found)
