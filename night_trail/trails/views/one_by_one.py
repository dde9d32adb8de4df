"""What a ranked picture holds, one by one: seen, lit, put aside, mended; several kept as cairns at once."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from night_trail.core.errors import NightTrailError
from night_trail.core.one_by_one import Item, items
from night_trail.core.question import to_json
from night_trail.core.turns import Light, See
from night_trail.trails.models import Step
from night_trail.trails.page import desk_of, desk_response, may_explore, step_for
from night_trail.trails.services import cairn_at, take_turn
from night_trail.web.asking import for_a_part
from night_trail.web.writing import tidy

MOST_KEPT = 12


def _items(step: Step) -> list[Item]:
    desk = desk_of(step)
    return [] if desk.scene.main is None else items(desk.answer(desk.scene.main), desk.table)


@require_GET
def listed(request: HttpRequest, trail: int, step: int) -> HttpResponse:
    """Show what the main picture holds, one by one."""
    found = step_for(request, trail, step)
    version = found.trail.version
    lines = [
        {
            "item": item,
            "see": to_json(See(item.see)),
            "light": to_json(Light(item.rows)) if item.rows is not None else "",
            "aside": to_json(item.aside) if item.aside is not None else "",
        }
        for item in _items(found)
    ]
    context = {
        "step": found,
        "trail": found.trail,
        "lines": lines,
        "table": version.table,
        "may_explore": may_explore(request, found.trail),
        # a step of the recipe is taken on the newest version: of an older one nobody knows what it would mend
        "may_mend": version.table is not None
        and version.table.owner_id == request.user.pk
        and version.pk == version.table.latest.pk,
    }
    return render(request, "trails/_one_by_one.html", context)


@require_POST
def keep(request: HttpRequest, trail: int, step: int) -> HttpResponse:
    """Leave a cairn at the picture of each that was ticked, all with one note."""
    found = step_for(request, trail, step)
    ticked = set(request.POST.getlist("item"))
    chosen = [item for item in _items(found) if item.key in ticked]
    if not chosen:
        raise NightTrailError("Nothing was ticked", "", "Tick what is to be kept.")
    if len(chosen) > MOST_KEPT:
        raise NightTrailError(f"At most {MOST_KEPT} are kept in one go", "", "Tick fewer.")
    note = tidy(request.POST.get("note", ""))[:4000]
    for item in chosen:
        place = take_turn(found, See(item.see))
        if item.rows is not None:
            place = take_turn(place, Light(item.rows))
        cairn = cairn_at(place)
        if not cairn.note:
            cairn.title, cairn.note = item.title[:200], note
            cairn.save(update_fields=["title", "note"])
    if not for_a_part(request):
        return redirect("trails:step", trail, step)
    return desk_response(request, step_for(request, trail, step))
