"""A picture that plays through time: one period of it, and some side by side."""

from __future__ import annotations

from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET

from night_trail.core.hand import whole
from night_trail.core.questions.shared.time_sentence import GRAIN_WORDS
from night_trail.trails.page import desk_of, step_for
from night_trail.trails.pictures import Desk, size_from
from night_trail.trails.playing import at_period, beside_each_other


@require_GET
def played(request: HttpRequest, trail: int, step: int) -> HttpResponse:
    """Return the picture of one period, which is no step yet."""
    found = step_for(request, trail, step)
    desk = desk_of(found)
    at = whole(request.GET.get("play", ""), 10_000)
    if desk.scene.main is None or desk.scene.plays is None or at is None:
        raise Http404
    scene = at_period(desk, at)
    shown = Desk(found.trail.version, scene)
    drawn = shown.drawn(scene.main, size_from(request), "main", found.annotation_values())  # type: ignore[arg-type]
    return HttpResponse(drawn.svg)


@require_GET
def panels(request: HttpRequest, trail: int, step: int) -> HttpResponse:
    """Show some periods beside each other, small and on the same scales."""
    found = step_for(request, trail, step)
    desk = desk_of(found)
    if desk.scene.main is None or desk.scene.plays is None:
        raise Http404
    context = beside_each_other(desk) | {
        "title": f"Through {desk.scene.plays.time}, {GRAIN_WORDS[desk.scene.plays.grain]}",
        "step": found,
    }
    return render(request, "trails/_panels.html", context)
