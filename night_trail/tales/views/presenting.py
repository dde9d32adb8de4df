"""Presenting a tale: what its writer sees beside the walk, with notes, what comes next, and a clock."""

from __future__ import annotations

from typing import Any

from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import render
from django.urls import reverse
from django.views.decorators.http import require_GET

from night_trail.core.beats import MOST
from night_trail.core.errors import NightTrailError
from night_trail.core.hand import whole
from night_trail.draw import Size
from night_trail.tales.figures import figures_of
from night_trail.tales.models import Stop, Tale
from night_trail.tales.prose import prose
from night_trail.tales.views.walking import stops_to_walk, with_beat
from night_trail.tales.views.writing import writable
from night_trail.trails.pictures import Desk
from night_trail.web.asking import for_a_swap

NOW, NEXT = Size(560, 340), Size(320, 190, "thumb")


@require_GET
def present(request: HttpRequest, tale: int, number: int = 1) -> HttpResponse:
    """Show the notes of a stop or of one of its beats, to who may write on the tale; the walk follows."""
    found = writable(request, tale)
    stops = stops_to_walk(found)
    if not stops:
        return render(
            request, "tales/empty_walk.html", {"tale": found, "leave": reverse("tales:write", args=[tale])}
        )
    if not 1 <= number <= len(stops):
        raise Http404
    places = [(at, beat) for at, stop in enumerate(stops, 1) for beat in range(1, _beats(stop) + 1)]
    beat = min(max(whole(request.GET.get("beat", ""), MOST) or 1, 1), _beats(stops[number - 1]))
    here = places.index((number, beat))
    stop = stops[number - 1]
    figures, source = figures_of(stop, reads=True)
    context: dict[str, Any] = {
        "tale": found,
        "stop": stop,
        "number": number,
        "count": len(stops),
        "beat": beat,
        "beats": _beats(stop),
        "prose": prose(stop.text, figures, source),
        "now": _picture(stop, beat, NOW, "now"),
        "back": _address(found, *places[here - 1]) if here else "",
        "walk": with_beat(reverse("tales:own-walk-stop", args=[tale, number]), beat),
    }
    if stop.beats:
        context["beat_words"] = stop.beat_values()[beat - 1].words
    if here + 1 < len(places):
        at, then = places[here + 1]
        coming = stops[at - 1]
        context |= {
            "on": _address(found, at, then),
            "next_heading": coming.heading if at != number else coming.beat_values()[then - 1].words,
            "next_beat": then if at == number else 0,
            "next": _picture(coming, then, NEXT, "next"),
        }
    return render(request, "tales/_present.html" if for_a_swap(request) else "tales/present.html", context)


def _beats(stop: Stop) -> int:
    return max(len(stop.beats), 1) if stop.step_id is not None else 1


def _address(tale: Tale, number: int, beat: int) -> str:
    return with_beat(reverse("tales:present-stop", args=[tale.pk, number]), beat)


def _picture(stop: Stop, beat: int, size: Size, prefix: str) -> str:
    """Return a picture of a stop as SVG; nothing of one that has none, or whose picture is gone."""
    if stop.step is None or stop.overview is not None:
        return ""
    try:
        scene = stop.shown_scene(beat if stop.beats else 0)
        if scene.main is None:
            return ""
        shown = stop.seen_annotations(beat if stop.beats else 0)
        return Desk(stop.step.trail.version, scene, reads=True).drawn(scene.main, size, prefix, shown).svg
    except NightTrailError:
        return ""
