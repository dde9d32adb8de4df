"""Draw it as…: every shape that fits, with this data."""

from __future__ import annotations

from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET

from night_trail.core.guide import guide
from night_trail.core.hand import whole
from night_trail.core.question import decode, to_json
from night_trail.core.turns import Change, turn
from night_trail.draw import Size
from night_trail.trails.behind import behind
from night_trail.trails.forms import MOST_JSON
from night_trail.trails.page import desk_of, step_for
from night_trail.trails.pictures import Desk

CARD = Size(300, 150, "beside")
MOST_CARDS = 99


@require_GET
def shapes(request: HttpRequest, trail: int, step: int) -> HttpResponse:
    """Show every shape that fits what is asked, best first; those that would mislead last, with why."""
    found = step_for(request, trail, step)
    desk = desk_of(found)
    if desk.scene.main is None:
        raise Http404
    suggested = [
        {"words": one.words, "post": to_json(one.change), "judged": one.judged, "present": one.present}
        for one in guide(desk.scene, desk)
    ]
    return render(request, "trails/_guide.html", {"suggested": suggested, "step": found})


@require_GET
def picture(request: HttpRequest, trail: int, step: int) -> HttpResponse:
    """Return the small picture that a turn would lead to; nothing is kept of it."""
    found = step_for(request, trail, step)
    desk, asked = desk_of(found), request.GET.get("change", "")
    if not asked or len(asked) > MOST_JSON:
        raise Http404
    scene, _ = turn(desk.scene, decode(asked, Change, "turn"), desk.table)
    if scene.main is None or behind(scene.main):
        raise Http404
    place = whole(request.GET.get("place", ""), MOST_CARDS) or 0
    there = Desk(found.trail.version, scene, glanced=True)
    return HttpResponse(there.drawn(scene.main, CARD, f"g{place}").svg)
