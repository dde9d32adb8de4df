"""Two steps of a trail side by side."""

from __future__ import annotations

from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET

from night_trail.core.sentence import scene_in_words
from night_trail.draw import Size
from night_trail.trails.models import Step
from night_trail.trails.page import listed, step_for
from night_trail.trails.pictures import Desk

HALF = Size(590, 400)


@require_GET
def side_by_side(request: HttpRequest, trail: int, step: int, other: int) -> HttpResponse:
    """Show the pictures of two steps, each under its sentence."""
    found = [step_for(request, trail, pk) for pk in (step, other)]
    sides = [_side(one, f"s{i}") for i, one in enumerate(found)]
    return render(
        request, "trails/side_by_side.html", {"sides": sides, "tab": "trail", "trail": found[0].trail}
    )


@require_GET
def others(request: HttpRequest, trail: int, step: int) -> HttpResponse:
    """List the steps that can stand beside this one, the nearest first."""
    here = step_for(request, trail, step)
    steps = [s for s in here.trail.steps.exclude(pk=here.pk) if s.is_pictured()]
    steps.sort(key=lambda s: abs(s.pk - here.pk))
    return listed(request, here, "trails/_others.html", {"others": steps[:60]})


def _side(step: Step, prefix: str) -> dict[str, object]:
    scene = step.scene_value()
    if scene.main is None:
        raise Http404
    desk = Desk(step.trail.version, scene)
    drawn = desk.drawn(scene.main, HALF, prefix, step.annotation_values())
    return {"step": step, "drawn": drawn, "words": scene_in_words(scene, desk.table, drawn.answer)}
