"""The word box: what typed words may mean and be finished to, and what things are called in a table."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from night_trail.core.language.conditions import in_words
from night_trail.core.question import Scene
from night_trail.core.sentence import scene_sentence
from night_trail.core.turns import Say
from night_trail.core.words_in.complete import completions
from night_trail.core.words_in.index import index_of
from night_trail.core.words_in.missed import left_in_words, not_understood
from night_trail.core.words_in.overview import overview_asked
from night_trail.core.words_in.reading import Reading
from night_trail.core.words_in.readings import readings
from night_trail.core.words_in.suggest import suggestions
from night_trail.people.models import Role
from night_trail.tables.calling import call, favour, favourites_of
from night_trail.tables.models import Table
from night_trail.tables.services import core_table
from night_trail.trails.choices import preview
from night_trail.trails.models import Step
from night_trail.trails.page import may_explore, step_for
from night_trail.trails.pictures import Desk
from night_trail.trails.starting import offered_on
from night_trail.web.asking import for_a_part

MOST_TYPED = 500


@dataclass(frozen=True)
class Line:
    """A reading as it is listed: its sentence in pieces, each guessed or not, the rest in words."""

    reading: Reading
    pieces: list[dict[str, Any]]
    extra: str
    what: str


def _place(request: HttpRequest, table: int) -> tuple[Table, Step | None, Desk]:
    """Return the table words are typed over, the step they are typed at if any, and its desk."""
    where = request.GET.get("step", "")
    if not where.isdecimal():
        found = get_object_or_404(Table.objects.visible_to(request.user, Role.EXPLORE), pk=table)
        return found, None, Desk(found.latest, Scene())
    step = get_object_or_404(Step, pk=int(where[:18]), trail__version__table=table)
    # asked for again as a step of its trail, with the rights that it has
    step = step_for(request, step.trail_id, step.pk)
    its_table = step.trail.version.table
    if its_table is None or not may_explore(request, step.trail):
        raise Http404
    return its_table, step, Desk(step.trail.version, step.scene_value())


@require_GET
def words(request: HttpRequest, table: int) -> HttpResponse:
    """Return what typed words may mean, as a list that opens under the word box."""
    found, step, desk = _place(request, table)
    text = request.GET.get("words", "")[:MOST_TYPED]
    context: dict[str, Any] = {
        "table": found,
        "step": step,
        "words": text.strip(),
        "may_keep": Table.objects.sees(request.user, found, Role.EXPLORE),
    }
    if not text.strip():
        # the box was just entered: what the first letter is looked up in is made meanwhile
        index_of(desk.table)
        context |= {
            "favourites": favourites_of(found, request.user),
            "suggested": suggestions(desk.table) if desk.scene.main is None else [],
        }
        return render(request, "trails/_words.html", context)
    read = readings(text, desk.table, desk.scene)
    doors = _doors(text, found, desk, request.user) if context["may_keep"] else []
    context["doors"], context["entered"] = doors, any(door["whole"] for door in doors)
    context |= {
        "lines": [_line(reading, desk) for reading in read],
        "completions": completions(text, desk.rows),
        "favourite": text.strip() in favourites_of(found, request.user),
    }
    if not read and doors:
        left: tuple[str, ...] = ()
    elif not read:
        context["missed"] = str(not_understood(text, desk.table))
        context["suggested"] = suggestions(desk.table)
        left = ()
    else:
        best = read[0]
        context["taken"] = best.taken
        context["guesses"] = best.guesses
        context["left"] = best.hurdle or left_in_words(best.left, desk.table, best.unplaced)
        context["good"] = best.good
        left = best.left
    context["strange"] = left[0] if len(left) == 1 else _guessed(text, context.get("guesses", ()))
    context["columns"] = [c.name for c in desk.table.columns] if context["strange"] else []
    return render(request, "trails/_words.html", context)


def _doors(text: str, table: Table, desk: Desk, person: Any) -> list[dict[str, Any]]:
    """Return what can be begun by these words beside a picture: an overview, a starting point by its name."""
    found: list[dict[str, Any]] = []
    of = overview_asked(text, desk.table)
    if of is not None:
        words = f"An overview of {of or table.name}"
        address = reverse("tales:overview-of", args=[table.pk])
        found.append(
            {"text": words, "what": "a tale of one stop", "address": address, "of": of, "whole": True}
        )
    asked = text.strip().casefold()
    for point in offered_on(table, person) if len(asked) > 2 else []:
        if asked in point.name.casefold():
            kind = "tales:overview-from" if point.overview else "trails:begin-at"
            address = reverse(kind, args=[table.pk, point.pk])
            whole = asked == point.name.casefold()
            found.append({"text": point.name, "what": "a starting point", "address": address, "whole": whole})
    return sorted(found, key=lambda door: not door["whole"])[:4]


def _guessed(text: str, guesses: tuple[str, ...]) -> str:
    """Return the typed words whose meaning was guessed, so that it can be said: “wet” of wet nights."""
    for guess in guesses:
        typed, found, _ = guess.partition(" is ")
        if found and typed.lower() in text.lower():
            return typed
    return ""


def _line(reading: Reading, desk: Desk) -> Line:
    scene = reading.scene
    what = (
        "a turn of this picture" if reading.turn else "a new picture" if desk.scene.main is not None else ""
    )
    if reading.do == "back":
        return Line(reading, [{"text": "One step back", "slot": False, "guess": False}], "", "")
    pieces = [
        {
            "text": part.text,
            "slot": bool(part.slot),
            "guess": any(_names(guess, part.text) for guess in reading.guesses),
        }
        for part in scene_sentence(scene, desk.table).parts
    ]
    extras = []
    if scene.only:
        extras.append("only where " + " and ".join(in_words(c, desk.table) for c in scene.only))
    if scene.lit is not None:
        extras.append("lit: " + in_words(scene.lit, desk.table))
    if getattr(scene.main, "window_at", None) is not None:
        extras.append("zoomed in")
    return Line(reading, pieces, "; ".join(extras), what)


def _names(guess: str, text: str) -> bool:
    """Whether a part of a sentence shows what was guessed."""
    return len(text.strip()) > 2 and text.strip() in guess


@require_GET
def ask(request: HttpRequest, table: int) -> HttpResponse:
    """Return six things that could be asked of the table, for the survey and an empty desk."""
    found, step, desk = _place(request, table)
    return render(
        request, "trails/_ask.html", {"table": found, "step": step, "suggested": suggestions(desk.table)}
    )


@require_GET
def picture(request: HttpRequest, table: int) -> HttpResponse:
    """Return the small picture of a reading; nothing is kept of it."""
    _, _, desk = _place(request, table)
    text = request.GET.get("words", "").strip()[:MOST_TYPED]
    if not text:
        return HttpResponse("")
    return HttpResponse(preview(desk, Say(text, request.GET.get("reading", "")[:40])))


@require_POST
def means(request: HttpRequest, table: int) -> HttpResponse:
    """Keep what a phrase means in this table, or which figures of a column are good; or forget it."""
    found = get_object_or_404(Table.objects.visible_to(request.user, Role.EXPLORE), pk=table)
    call(found, core_table(found.latest), request.POST)
    return _called(request, found)


@require_POST
def favourite(request: HttpRequest, table: int) -> HttpResponse:
    """Keep words as a favourite, or keep them no longer."""
    found = get_object_or_404(Table.objects.visible_to(request.user, Role.EXPLORE), pk=table)
    favour(found, request.user, request.POST.get("words", ""))
    return HttpResponse(status=204)


def _called(request: HttpRequest, table: Table) -> HttpResponse:
    """Go back to the survey, where what things are called is listed; scripts read the words again instead."""
    if not for_a_part(request):
        return redirect("tables:survey", table.pk)
    return HttpResponse(status=204)
