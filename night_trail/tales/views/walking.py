"""Walking a tale: one stop at a time, by its owner or by whoever holds a link."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from django.contrib.auth.decorators import login_not_required
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, render
from django.urls import reverse
from django.views.decorators.http import require_GET

from night_trail.core.conditions import Condition, toggle
from night_trail.core.errors import NoLonger
from night_trail.core.question import Scene
from night_trail.core.sentence import scene_in_words
from night_trail.draw import WALK, Size
from night_trail.draw.small.footpath import WalkStop, walk_path
from night_trail.people.models import Role, hashed
from night_trail.tales.models import Link, Stop, Tale
from night_trail.tales.prose import pace, prose
from night_trail.tales.reach import Reach, opened, refused, signed
from night_trail.trails.pictures import Desk, size_from
from night_trail.web.asking import for_a_swap


@require_GET
def own(request: HttpRequest, tale: int, number: int = 1) -> HttpResponse:
    """Walk a tale of one's own, or one that was shared."""
    found = get_object_or_404(Tale.objects.visible_to(request.user), pk=tale)
    may_write = Tale.objects.visible_to(request.user, Role.EXPLORE).filter(pk=tale).exists()

    def address(to: int) -> str:
        return reverse("tales:own-walk-stop", args=[found.pk, to])

    leave = reverse("tales:write", args=[found.pk]) if may_write else reverse("tales:index")
    return _walk(request, found, number, address, leave)


@login_not_required
@require_GET
def shared(request: HttpRequest, token: str, number: int = 1) -> HttpResponse:
    """Walk a tale by a link; a revoked one is as if it had never been."""
    link = Link.objects.filter(token_hash=hashed(token), revoked=None).select_related("tale").first()
    if link is None:
        raise Http404

    def address(to: int) -> str:
        return reverse("tales:walk-stop", args=[token, to])

    response = _walk(request, link.tale, number, address, "")
    response["Cache-Control"] = "private, no-store"
    return response


def _walk(
    request: HttpRequest, tale: Tale, number: int, address: Callable[[int], str], leave: str
) -> HttpResponse:
    stops = list(tale.stops.select_related("tale", "step__trail__version__table"))
    if not stops:
        return render(request, "tales/empty_walk.html", {"tale": tale, "leave": leave})
    if not 1 <= number <= len(stops):
        raise Http404
    stop = stops[number - 1]
    context: dict[str, Any] = {
        "tale": tale,
        "stop": stop,
        "number": number,
        "count": len(stops),
        "path": walk_path([WalkStop(s.heading, address(i)) for i, s in enumerate(stops, 1)], number - 1),
        "address": address(number),
        "back": address(number - 1) if number > 1 else "",
        "on": address(number + 1) if number < len(stops) else "",
        "prose": prose(stop.text),
        "pace": pace(stop.text, stop.heading),
        "leave": leave,
    }
    if stop.step is not None:
        try:
            context |= _picture(request, stop)
        except NoLonger:
            context["unreadable"] = True
    swap = for_a_swap(request)
    return render(request, "tales/_walk.html" if swap else "tales/walk.html", context)


def _picture(request: HttpRequest, stop: Stop) -> dict[str, Any]:
    assert stop.step is not None  # noqa: S101  (asked only of stops with a picture)
    written = stop.shown_scene()
    if written.main is None:
        return {}
    version, size = stop.step.trail.version, size_from(request, WALK, "walk")
    lit = _readers_lantern(request, Desk(version, written, reads=True), stop, size)
    scene = Scene(main=written.main, only=written.only, lit=lit)
    desk = Desk(version, scene, reads=True)
    if lit != written.lit and 0 < desk.rows.n_lit < stop.tale.least_lit:
        raise refused()
    drawn = desk.drawn(written.main, size, "main", stop.annotation_values())
    return {
        "drawn": drawn,
        "scene_words": scene_in_words(scene, desk.table, drawn.answer),
        "changed": lit != written.lit,
        "lit_signed": signed(lit, stop.pk),
        "lit_words": desk.lit_words(),
    }


def _readers_lantern(request: HttpRequest, desk: Desk, stop: Stop, size: Size) -> Condition | None:
    """Return what is lit: as the writer left it, or by what the reader took of the picture."""
    lit, asked = desk.scene.lit, request.GET
    if "now" in asked:
        lit = opened(asked["now"], stop.pk)
    if asked.get("out") == "1":
        return None
    if any(asked.get(name) for name in ("light", "add", "range")) and desk.scene.main is not None:
        reach = Reach(str(desk.drawn(desk.scene.main, size, "main").svg), desk.table)
        if asked.get("light"):
            lit = reach.lit(asked["light"])
        if asked.get("add"):
            added = reach.lit(asked["add"])
            # by what it adds to many, a mark of few would be told apart
            if 0 < desk.rows.relit(added).n_lit < stop.tale.least_lit:
                raise refused()
            lit = toggle(lit, added)
        if asked.get("range"):
            lit = reach.swept(asked["range"])
    return lit
