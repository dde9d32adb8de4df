"""In short: what the table, the picture or the trail says, each sentence with its picture."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, render
from django.views.decorators.http import require_GET, require_POST

from night_trail.core.digest import LENGTHS, of_length, of_table
from night_trail.core.errors import NightTrailError
from night_trail.core.question import Scene
from night_trail.core.sentence import scene_in_words
from night_trail.people.models import Role
from night_trail.tables.models import Table
from night_trail.trails.digests import OF, asked_length, digest
from night_trail.trails.page import may_explore, step_for, went_on
from night_trail.trails.pictures import Desk
from night_trail.trails.services import show


@require_GET
def in_short(request: HttpRequest, trail: int, step: int) -> HttpResponse:
    """Show the sentences of a length."""
    found = step_for(request, trail, step)
    length = asked_length(request.GET.get("length", ""))
    of = request.GET.get("of", "")
    if of not in OF:
        of = "scene" if found.scene_value().main is not None else "table"
    context = {
        "step": found,
        "trail": found.trail,
        "lines": list(enumerate(digest(found, of, length))),
        "length": length,
        "lengths": list(LENGTHS),
        "of": of,
        "ofs": OF,
        "may_explore": may_explore(request, found.trail),
    }
    return render(request, "trails/_in_short.html", context)


@require_POST
def see(request: HttpRequest, trail: int, step: int) -> HttpResponse:
    """Go to the picture of a sentence."""
    found = step_for(request, trail, step)
    lines = digest(found, request.POST.get("of", ""), asked_length(request.POST.get("length", "")))
    at = request.POST.get("at", "")
    line = lines[int(at)] if at.isascii() and at.isdigit() and int(at) < len(lines) else None
    if line is None or line.scene is None:
        raise NightTrailError("This sentence has no picture any more", "", "Open “In short” again.")
    return went_on(request, show(found, line.scene))


@require_GET
def of_a_table(request: HttpRequest, table: int) -> HttpResponse:
    """Show what a table says in short, on its survey; each sentence begins a trail."""
    found = get_object_or_404(Table.objects.visible_to(request.user, Role.EXPLORE), pk=table)
    desk = Desk(found.latest, Scene())
    length = asked_length(request.GET.get("length", ""))
    lines = [
        (line, scene_in_words(line.scene, desk.table) if line.scene is not None else "")
        for line in of_length(of_table(desk.rows, desk.answer), length)
    ]
    context = {"table": found, "lines": lines, "length": length, "lengths": list(LENGTHS)}
    return render(request, "trails/_table_in_short.html", context)
