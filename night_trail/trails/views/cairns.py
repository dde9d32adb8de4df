"""Leaving a cairn, writing on it, annotating its picture, taking it away."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect
from django.views.decorators.http import require_POST

from night_trail.core.errors import NightTrailError
from night_trail.trails.models import Cairn, Step
from night_trail.trails.page import desk_response, own_step
from night_trail.trails.services import annotations_json, cairn_at


def _shown(request: HttpRequest, step: Step) -> HttpResponse:
    if not request.htmx:
        return redirect("trails:step", step.trail_id, step.pk)
    return desk_response(request, own_step(request, step.trail_id, step.pk))


@require_POST
def leave(request: HttpRequest, trail: int, step: int) -> HttpResponse:
    """Leave a cairn at a step."""
    found = own_step(request, trail, step)
    if found.scene_value().main is None:
        raise NightTrailError("There is no picture to leave a cairn at", "", "Choose a column first.")
    cairn_at(found)
    return _shown(request, found)


@require_POST
def edit(request: HttpRequest, trail: int, step: int) -> HttpResponse:
    """Keep the title and note as they are written."""
    cairn = get_object_or_404(Cairn, step=own_step(request, trail, step))
    title = " ".join(request.POST.get("title", "").split())[:200]
    if not title:
        raise NightTrailError("A cairn needs a title", "", "The earlier one was kept.")
    cairn.title, cairn.note = title, request.POST.get("note", "")[:4000]
    cairn.save(update_fields=["title", "note"])
    return HttpResponse(status=204) if request.htmx else redirect("trails:step", trail, step)


@require_POST
def take(request: HttpRequest, trail: int, step: int) -> HttpResponse:
    """Take a cairn away; the step stays."""
    found = own_step(request, trail, step)
    Cairn.objects.filter(step=found).delete()
    return _shown(request, found)


@require_POST
def annotate(request: HttpRequest, trail: int, step: int) -> HttpResponse:
    """Keep all annotations of a step's picture as they now are; a cairn is left where there is none."""
    found = own_step(request, trail, step)
    annotations = annotations_json(request.POST.get("annotations", ""))
    if found.scene_value().main is None:
        raise NightTrailError("There is no picture to annotate", "", "Choose a column first.")
    cairn = cairn_at(found)
    cairn.annotations = annotations
    cairn.save(update_fields=["annotations"])
    return _shown(request, found)
