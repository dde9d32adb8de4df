"""Where to look next: pictures proposed beside the one on the desk, or where a table is begun."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST
from msgspec.structs import replace

from night_trail.core.errors import NightTrailError
from night_trail.core.question import Question, Scene, key, to_json
from night_trail.core.questions.registry import short_name
from night_trail.core.questions.stands.question import Stands
from night_trail.core.sentence import scene_in_words
from night_trail.core.signposts import Search, Signpost, begun, choose, first_looked_into, looked_into
from night_trail.core.turns import See
from night_trail.draw.frame.svg import Svg
from night_trail.people.models import Role
from night_trail.tables.models import Table, Version
from night_trail.tables.services import core_table
from night_trail.trails import proposed, tastes
from night_trail.trails.models import Step, Trail
from night_trail.trails.page import may_explore, step_for
from night_trail.trails.proposed import Shown
from night_trail.web.asking import for_a_part

MOST_REMEMBERED = 300
"""Of so many steps of a trail, the newest, what was asked is not proposed again."""

MOST_ASKED, LONG = 60, 12
"""So often a page asks for what is not there yet, and from then on it says that it takes longer."""


@dataclass(frozen=True)
class _Room:
    """Where pictures are proposed: what leads on from one, and where lists, pictures, tastes are got."""

    table: Table
    version: Version
    post: str
    marks: str
    again: str
    one: Callable[[str], str]
    begins: bool


@require_GET
def signposts(request: HttpRequest, trail: int, step: int) -> HttpResponse:
    """Return the pictures worth a look next; nothing for whoever may not go on from here."""
    found = step_for(request, trail, step)
    if not may_explore(request, found.trail):
        return HttpResponse("")
    return _of_step(request, found)


@require_GET
def signpost(request: HttpRequest, trail: int, step: int, picture: str) -> HttpResponse:
    """Return one proposed picture when it is drawn; nothing for whoever may not go on from here."""
    found = step_for(request, trail, step)
    if not may_explore(request, found.trail):
        return HttpResponse("")
    return _one(request, _room_of(found), picture)


@require_POST
def taste(request: HttpRequest, trail: int, step: int) -> HttpResponse:
    """Keep what the analyst made of a proposed picture, or take it back; the list is made anew."""
    found = step_for(request, trail, step)
    tastes.mark(request.user, _table(found), request.POST.get("question", ""), request.POST.get("useful", ""))
    if not for_a_part(request):
        return redirect("trails:step", trail, step)
    return _of_step(request, found)


def _table(step: Step) -> Table:
    table = step.trail.version.table
    assert table is not None  # noqa: S101  (a trail's version is complete)
    return table


def _room_of(step: Step) -> _Room:
    at = [step.trail_id, step.pk]
    return _Room(
        _table(step),
        step.trail.version,
        post=reverse("trails:turn", args=at),
        marks=reverse("trails:taste", args=at),
        again=reverse("trails:signposts", args=at),
        one=lambda name: reverse("trails:signpost", args=[*at, name]),
        begins=False,
    )


def _of_step(request: HttpRequest, found: Step) -> HttpResponse:
    scene, room = found.scene_value(), _room_of(found)
    if scene.main is None:
        return HttpResponse("")
    table = core_table(room.version)
    mains = looked_into(scene.main, table)
    searched = proposed.searched(room.version, mains, scene.only)
    if searched is None:
        return _still_looking(request, room)
    asked, likes = _asked(found.trail), tastes.likes(request.user, room.table)
    if mains == [scene.main]:
        chosen = choose(scene, table, next(iter(searched), Search((), 0)), asked, likes)
    else:
        chosen = begun(zip(mains, searched, strict=False), table, likes, asked)
    return _listed(request, room, chosen, Scene(only=scene.only, lit=scene.lit), mains != [scene.main])


@require_GET
def begin(request: HttpRequest, table: int) -> HttpResponse:
    """Return the pictures with which a table may be begun; first what stands out, where anything does."""
    return _of_table(request, _begun(request, table))


@require_GET
def begin_with(request: HttpRequest, table: int, picture: str) -> HttpResponse:
    """Return one picture with which a table may be begun, when it is drawn."""
    return _one(request, _room_to_begin(_begun(request, table)), picture)


@require_POST
def begin_taste(request: HttpRequest, table: int) -> HttpResponse:
    """Keep what the analyst made of a picture that a table may be begun with."""
    found = _begun(request, table)
    tastes.mark(request.user, found, request.POST.get("question", ""), request.POST.get("useful", ""))
    return _of_table(request, found) if for_a_part(request) else redirect("tables:survey", table)


def _begun(request: HttpRequest, table: int) -> Table:
    found: Table = get_object_or_404(Table.objects.visible_to(request.user, Role.EXPLORE), pk=table)
    return found


def _room_to_begin(table: Table) -> _Room:
    return _Room(
        table,
        table.latest,
        post=reverse("trails:start", args=[table.pk]),
        marks=reverse("trails:begin-taste", args=[table.pk]),
        again=reverse("trails:begin", args=[table.pk]),
        one=lambda name: reverse("trails:begin-with", args=[table.pk, name]),
        begins=True,
    )


def _of_table(request: HttpRequest, found: Table) -> HttpResponse:
    room, table = _room_to_begin(found), core_table(found.latest)
    mains = first_looked_into(table)
    searched = proposed.searched(room.version, mains, ())
    if searched is None:
        return _still_looking(request, room)
    likes, odd = tastes.likes(request.user, found), Stands()
    chosen = begun(zip(mains, searched, strict=False), table, likes)
    if likes(odd) > 0:
        # it takes the longest: the others are drawn before it
        for one in chosen.found[:5]:
            proposed.picture(room.version, Scene(main=one.question))
        if proposed.picture(room.version, Scene(main=odd))[1] != Shown():
            chosen = Search((Signpost(odd, 1.0), *chosen.found[:5]), chosen.tried)
    return _listed(request, room, chosen, Scene(), True)


def _still_looking(request: HttpRequest, room: _Room) -> HttpResponse:
    return render(request, "trails/_signposts.html", {"room": room, "waits": _wait(request, room.again)})


def _listed(request: HttpRequest, room: _Room, chosen: Search, scene: Scene, of_table: bool) -> HttpResponse:
    """Show what was chosen: what is drawn already, and a place for each that will be."""
    drawn = [
        (one, *proposed.picture(room.version, replace(scene, main=one.question))) for one in chosen.found
    ]
    useful, table = tastes.useful_keys(request.user, room.table), core_table(room.version)
    context = {
        "room": room,
        "part": table.part_words,
        "items": [
            _item(request, room, one.question, name, shown, useful)
            for one, name, shown in drawn
            if shown != Shown()
        ],
        "tried": chosen.tried,
        "of_table": of_table,
        "away": tastes.put_away(request.user, room.table)[:1],
    }
    return render(request, "trails/_signposts.html", context)


def _one(request: HttpRequest, room: _Room, name: str) -> HttpResponse:
    found = proposed.picture_by(room.version, name)
    if found is None or found[1] == Shown():
        # a column came meanwhile, or it says nothing after all: the list is made anew, without it
        return render(request, "trails/_signpost.html", {"room": room, "none": True})
    question, shown = found
    useful = tastes.useful_keys(request.user, room.table)
    context = {"room": room, "item": _item(request, room, question, name, shown, useful)}
    return render(request, "trails/_signpost.html", context)


def _item(
    request: HttpRequest, room: _Room, question: Question, name: str, shown: Shown | None, useful: set[str]
) -> dict[str, Any]:
    return {
        "id": name,
        "name": short_name(question),
        # kept as the drawing code made it
        "svg": None if shown is None else Svg(shown.svg),
        "reason": "" if shown is None else shown.reason,
        "waits": None if shown is not None else _wait(request, room.one(name)),
        "change": to_json(See(question)),
        "words": scene_in_words(Scene(main=question), core_table(room.version)),
        "question": to_json(question),
        "useful": key(question) in useful,
    }


def _wait(request: HttpRequest, address: str) -> dict[str, Any]:
    """Return where and when to ask again: the longer it takes, the more rarely, and at last no more."""
    asked = request.GET.get("asked", "")
    times = int(asked) if asked.isdecimal() and len(asked) < 4 else 0
    return {
        "address": f"{address}?asked={times + 1}" if times < MOST_ASKED else "",
        "ms": min(250 + 100 * times, 3_000),
        "long": times > LONG,
    }


def _asked(trail: Trail) -> set[str]:
    """Return the keys of all that was asked on a trail."""
    asked: set[str] = set()
    for step in Step.objects.filter(trail=trail).order_by("-pk")[:MOST_REMEMBERED]:
        try:
            scene = step.scene_value()
        except NightTrailError:
            continue
        asked |= {key(q) for q in (scene.main, *scene.beside) if q is not None}
    return asked
