"""The picture of a stop varied where it is written about, and led by beats."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect
from django.urls import reverse
from django.views.decorators.http import require_POST
from msgspec.structs import replace

from night_trail.core.beats import MOST, Beat
from night_trail.core.errors import NightTrailError
from night_trail.core.hand import whole
from night_trail.core.turns import turn as core_turn
from night_trail.tables.services import core_table
from night_trail.tales.deeds import deed
from night_trail.tales.models import Stop
from night_trail.tales.views.writing import must_vary, stop_of, written
from night_trail.trails.forms import change_from
from night_trail.trails.services import must_open
from night_trail.web.asking import for_a_part
from night_trail.web.writing import one_line


def _shown(request: HttpRequest, stop: Stop, beat: int) -> HttpResponse:
    if for_a_part(request):
        return written(request, stop.tale_id, stop.pk, beat=beat)
    address = reverse("tales:stop", args=[stop.tale_id, stop.pk])
    return redirect(f"{address}?beat={beat}" if beat else address)


def _keep(stop: Stop, beats: Sequence[Beat]) -> None:
    stop.beats = list(msgspec.to_builtins(beats))
    stop.save(update_fields=["beats"])


def _at(stop: Stop, beat: int) -> list[Beat]:
    """Return the beats of a stop as they now are, refused where there is none of this number.

    Asked within a deed, so that nothing that was done in the same moment is overwritten.
    """
    stop.refresh_from_db(fields=["beats"])
    beats = list(stop.beat_values())
    if not 1 <= beat <= len(beats):
        raise NightTrailError("There is no such beat any more", "", "Reload the page.")
    return beats


@require_POST
def turn(request: HttpRequest, tale: int, stop: int) -> HttpResponse:
    """Turn the picture of a stop, or of a beat; the step it came from stays as it is."""
    found = stop_of(request, tale, stop)
    if found.step is None:
        raise NightTrailError("This stop has no picture", "", "Collect a cairn first.")
    must_vary(request, found)
    beat = whole(request.GET.get("beat", ""), MOST) or 0
    if request.POST.get("as_it_was"):
        with deed(found.tale, request.user, "took the picture as on the trail"):
            found.scene = None
            found.save(update_fields=["scene"])
        return _shown(request, found, 0)
    version = found.step.trail.version
    table = core_table(version)
    scene, said = core_turn(found.shown_scene(beat), change_from(request.POST, table), table)
    must_open(version, scene)
    with deed(found.tale, request.user, said):
        if beat:
            beats = _at(found, beat)
            beats[beat - 1] = replace(beats[beat - 1], scene=scene)
            _keep(found, beats)
        else:
            found.scene = None if scene == found.step.scene_value() else msgspec.to_builtins(scene)
            found.save(update_fields=["scene"])
    return _shown(request, found, beat)


@require_POST
def add(request: HttpRequest, tale: int, stop: int) -> HttpResponse:
    """Add a beat behind the one that is shown, beginning as it stands; the first shows the picture itself."""
    found = stop_of(request, tale, stop)
    if found.step is None or found.shown_scene().main is None:
        raise NightTrailError("This stop has no picture to lead", "", "Collect a cairn first.")
    at = whole(request.POST.get("beat", ""), MOST) or 0
    with deed(found.tale, request.user, "added a beat"):
        found.refresh_from_db(fields=["beats"])
        beats = list(found.beat_values())
        if len(beats) >= MOST:
            raise NightTrailError(f"A stop has at most {MOST} beats", "", "Begin another stop.")
        if not beats:
            # the picture without what is lit comes first, then as it stands
            scene = found.shown_scene()
            beats = [Beat(replace(scene, lit=None, beside=(), alike=False))]
            if scene.lit is not None or found.annotations:
                hidden = tuple(one.id for one in found.annotation_values())
                beats = [replace(beats[0], hidden=hidden), Beat(replace(scene, beside=(), alike=False))]
            number = len(beats)
        else:
            number = min(at or len(beats), len(beats)) + 1
            beats.insert(number - 1, replace(beats[number - 2], words=""))
        _keep(found, beats)
    return _shown(request, found, number)


@require_POST
def edit(request: HttpRequest, tale: int, stop: int, beat: int) -> HttpResponse:
    """Keep what is said with a beat, and which annotations are seen with it."""
    found = stop_of(request, tale, stop)
    seen = set(request.POST.getlist("seen"))
    hidden = tuple(one.id for one in found.annotation_values() if one.id not in seen)
    with deed(found.tale, request.user, "changed a beat"):
        beats = _at(found, beat)
        words = one_line(request.POST.get("words", ""))[:400]
        beats[beat - 1] = replace(beats[beat - 1], words=words, hidden=hidden)
        _keep(found, beats)
    return _shown(request, found, beat)


@require_POST
def move(request: HttpRequest, tale: int, stop: int, beat: int) -> HttpResponse:
    """Move a beat earlier or later, or take it away."""
    found = stop_of(request, tale, stop)
    by = {"-1": -1, "1": 1}.get(request.POST.get("by", ""), 0)
    with deed(found.tale, request.user, "moved a beat" if by else "took a beat away"):
        beats = _at(found, beat)
        one = beats.pop(beat - 1)
        to = min(max(beat - 1 + by, 0), len(beats))
        if by:
            beats.insert(to, one)
        _keep(found, beats)
    return _shown(request, found, to + 1 if by else min(beat, len(beats)))
