"""Where to look next: pictures proposed beside the one on the desk, or where a table is begun."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from night_trail.core.errors import NightTrailError
from night_trail.core.language.spans import first_sentence, plain
from night_trail.core.question import Question, Scene, key, to_json
from night_trail.core.questions.changed.question import Changed
from night_trail.core.questions.registry import short_name
from night_trail.core.questions.stands.answer import StandsAnswer
from night_trail.core.questions.stands.question import Stands
from night_trail.core.sentence import scene_in_words
from night_trail.core.signposts import Search, Signpost, beginnings, search
from night_trail.core.turns import See
from night_trail.draw import BESIDE
from night_trail.people.models import Role
from night_trail.tables.models import Table
from night_trail.trails import tastes
from night_trail.trails.models import Step, Trail
from night_trail.trails.page import desk_of, may_explore, step_for
from night_trail.trails.pictures import Desk
from night_trail.web.asking import for_a_part
from night_trail.web.giving_way import nobody_waits

MOST_REMEMBERED = 300
"""Of so many steps of a trail, the newest, what was asked is not proposed again."""


@require_GET
def signposts(request: HttpRequest, trail: int, step: int) -> HttpResponse:
    """Return the pictures worth a look next; nothing for whoever may not go on from here."""
    found = step_for(request, trail, step)
    if not may_explore(request, found.trail):
        return HttpResponse("")
    return _of_step(request, found)


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


def _of_step(request: HttpRequest, found: Step) -> HttpResponse:
    desk = desk_of(found)
    table = _table(found)
    asked, likes = _asked(found.trail), tastes.likes(request.user, table)
    with nobody_waits() as give_way:
        searched = search(desk.scene, desk.rows, asked, likes, give_way)
        context = _context(request, desk, searched, table, give_way)
    post = reverse("trails:turn", args=[found.trail_id, found.pk])
    marks = reverse("trails:taste", args=[found.trail_id, found.pk])
    context |= {"post": post, "marks": marks, "step": found}
    return render(request, "trails/_signposts.html", context)


@require_GET
def begin(request: HttpRequest, table: int) -> HttpResponse:
    """Return the pictures with which a table may be begun; first what stands out, where anything does."""
    found = get_object_or_404(Table.objects.visible_to(request.user, Role.EXPLORE), pk=table)
    return _of_table(request, found)


@require_POST
def begin_taste(request: HttpRequest, table: int) -> HttpResponse:
    """Keep what the analyst made of a picture that a table may be begun with."""
    found = get_object_or_404(Table.objects.visible_to(request.user, Role.EXPLORE), pk=table)
    tastes.mark(request.user, found, request.POST.get("question", ""), request.POST.get("useful", ""))
    return _of_table(request, found) if for_a_part(request) else redirect("tables:survey", table)


def _of_table(request: HttpRequest, found: Table) -> HttpResponse:
    desk = Desk(found.latest, Scene())
    likes = tastes.likes(request.user, found)
    with nobody_waits() as give_way:
        searched = beginnings(desk.rows, likes, give_way)
        odd = Stands()
        standing = desk.answer(odd) if likes(odd) > 0 else None
        if isinstance(standing, StandsAnswer) and standing.findings:
            searched = Search((Signpost(odd, 1.0), *searched.found[:5]), searched.tried)
        context = _context(request, desk, searched, found, give_way)
    post = reverse("trails:start", args=[found.pk])
    marks = reverse("trails:begin-taste", args=[found.pk])
    context |= {"post": post, "marks": marks, "begins": True}
    return render(request, "trails/_signposts.html", context)


def _context(
    request: HttpRequest, desk: Desk, searched: Search, table: Table, give_way: Callable[[], None]
) -> dict[str, Any]:
    useful = tastes.useful_keys(request.user, table)
    items = []
    for i, one in enumerate(searched.found):
        give_way()
        item = _item(desk, one.question, f"s{i}")
        if item is not None:
            items.append(item | {"useful": key(one.question) in useful})
    return {
        "part": desk.table.part_words,
        "items": items,
        "tried": searched.tried,
        "away": tastes.put_away(request.user, table)[:1],
    }


def _item(desk: Desk, question: Question, prefix: str) -> dict[str, Any] | None:
    try:
        drawn = desk.drawn(question, BESIDE, prefix)
    except NightTrailError:
        return None  # what cannot be drawn of these rows is no way on
    return {
        "name": short_name(question),
        # that a figure changed is no reason to look; what moved otherwise is
        "reason": first_sentence(plain(drawn.words.headline), 2 if isinstance(question, Changed) else 1),
        "svg": drawn.svg,
        "change": to_json(See(question)),
        "words": scene_in_words(Scene(main=question), desk.table),
        "question": to_json(question),
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
