"""Everything the desk shows of a step, gathered for its template."""

from __future__ import annotations

import json
from typing import Any

from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django_htmx.http import push_url

from night_trail.core.asking_why import whys
from night_trail.core.errors import NightTrailError
from night_trail.core.language.conditions import in_words
from night_trail.core.language.numbers import number
from night_trail.core.one_by_one import goes_one_by_one
from night_trail.core.playing import plays
from night_trail.core.question import Scene, to_json
from night_trail.core.questions.registry import Answer, kind_of, short_name
from night_trail.core.questions.shared.figures import Figures
from night_trail.core.questions.shared.periods import time_column
from night_trail.core.questions.shared.sentence import Sentence
from night_trail.core.questions.shared.time_sentence import GRAIN_WORDS
from night_trail.core.sentence import scene_in_words, scene_sentence
from night_trail.core.turns import (
    Alike,
    ClearAll,
    Drop,
    KeepLit,
    Play,
    PutOut,
    SetAside,
    Slot,
    Swap,
    TakeAway,
)
from night_trail.draw import BESIDE, MAIN
from night_trail.people.models import Role
from night_trail.tables.models import Table
from night_trail.trails.choices import choices
from night_trail.trails.models import Step, Trail
from night_trail.trails.pictures import Desk, annotation_offers, size_from
from night_trail.trails.playing import desk_bar
from night_trail.trails.ranklist import all_groups
from night_trail.trails.rewalk import newer_rows
from night_trail.trails.way import way_to
from night_trail.web.asking import for_a_part, for_a_swap

ACTIONS = {
    "put_out": to_json(PutOut()),
    "keep_lit": to_json(KeepLit()),
    "set_aside": to_json(SetAside()),
    "clear": to_json(ClearAll()),
}


def step_for(request: HttpRequest, trail: int, step: int) -> Step:
    """Return a step of a trail that the visitor owns or may read, or say there is nothing here.

    Raises
    ------
    NightTrailError
        Where something is to be done by somebody who may only read.
    """
    steps = Step.objects.select_related("trail__version__table")
    found = get_object_or_404(steps, pk=step, trail=trail)
    if not Trail.objects.sees(request.user, found.trail):
        raise Http404
    if request.method == "POST" and not may_explore(request, found.trail):
        raise NightTrailError("You may read this trail, not go on with it", "", "Ask its owner.")
    return found


def may_explore(request: HttpRequest, trail: Trail) -> bool:
    """Whether the visitor may take turns on a trail."""
    return Trail.objects.sees(request.user, trail, Role.EXPLORE)


def went_on(request: HttpRequest, step: Step) -> HttpResponse:
    """Return the desk at the step that a turn from the visitor's own step led to, under its own address."""
    address = reverse("trails:step", args=[step.trail_id, step.pk])
    if not for_a_part(request):
        return redirect(address)
    return push_url(desk_response(request, step), address)


def listed(request: HttpRequest, step: Step, template: str, context: dict[str, Any]) -> HttpResponse:
    """Return a list that opens over the desk; without scripts it is a page of its own."""
    found = {"step": step, "part": template} | context
    return render(request, template if for_a_part(request) else "trails/alone.html", found)


def numbers_shown(figures: Figures, most: int) -> dict[str, Any]:
    """Return the numbers behind a picture as a page shows them: each cell, and whether it is a number."""
    shown = [
        [(number(f, 6), True) if isinstance(f, (int, float)) else (f or "—", False) for f in row]
        for row in figures.rows[:most]
    ]
    return {"names": figures.names, "rows": shown, "hidden": len(figures.rows) - len(shown)}


def desk_of(step: Step) -> Desk:
    """Return the scene of a step on its table."""
    return Desk(step.trail.version, step.scene_value())


def desk_response(request: HttpRequest, step: Step) -> HttpResponse:
    """Return the desk at a step: the whole page, or for a swap the desk alone."""
    swap = for_a_swap(request)
    return render(request, "trails/_desk.html" if swap else "trails/desk.html", desk_context(request, step))


def _pieces(said: Sentence) -> list[dict[str, str]]:
    """Return the parts of a sentence; a stop or comma behind a slot stays on its line.

    Its last word is a part of its own, so that what can be added stays with it.
    """
    found: list[dict[str, str]] = []
    for part in said.parts:
        text = part.text
        if found and found[-1]["slot"] and text[:1] in (",", "?", "."):
            found[-1]["tail"], text = text[0], text[1:]
        found.append({"text": text, "slot": part.slot, "tail": ""})
    if found and not found[-1]["slot"]:
        before, space, last = found[-1]["text"].rstrip().rpartition(" ")
        found[-1:] = [{"text": text, "slot": "", "tail": ""} for text in (before + space, last) if text]
    return found


def _pending(desk: Desk, answer: Answer) -> Any:
    """Return how far what is made behind the page is: the main picture, or counts of one beside."""
    asked = [q for q in (desk.scene.main, *desk.scene.beside) if q is not None]
    counting = [s.pending for q in asked if (s := desk.standing(q)) is not None and s.pending is not None]
    going = [one for one in counting if not one.stopped and not one.refused]
    return next(iter(going or counting), None) or getattr(answer, "pending", None)


def desk_context(request: HttpRequest, step: Step) -> dict[str, Any]:
    """Return what the desk's template needs; of a step that cannot be drawn any more, the way past it."""
    cairn = getattr(step, "cairn", None)
    around = {
        "tab": "trail",
        "trail": step.trail,
        "table": step.trail.version.table,
        "step": step,
        "scene": Scene(),
        "cairn": cairn,
        "annotations": json.dumps(cairn.annotations if cairn else [], ensure_ascii=False),
        "way": way_to(step.trail, step),
        "actions": ACTIONS,
        "title": step.label,
        "annotate_address": reverse("trails:annotate", args=[step.trail_id, step.pk]),
        "mine": step.trail.owner_id == request.user.pk,
        "may_explore": may_explore(request, step.trail),
        "newer": newer_rows(step.trail) is not None and may_explore(request, step.trail),
        "may_see_table": Table.objects.sees(request.user, step.trail.version.table),
    }
    try:
        return around | _pictured(request, step)
    except NightTrailError as error:
        return around | {"unreadable": str(error)}


def _pictured(request: HttpRequest, step: Step) -> dict[str, Any]:
    """Return what the desk's template needs of the pictures of a step."""
    scene = step.scene_value()
    desk = Desk(step.trail.version, scene, counts=may_explore(request, step.trail))
    path = {level.rows for level in scene.within}
    context: dict[str, Any] = {
        "scene": scene,
        "lit": desk.lit_words(),
        "rows_words": desk.rows_words(),
        "only": [
            {"words": in_words(condition, desk.table), "drop": to_json(Drop(i)), "position": i}
            for i, condition in enumerate(scene.only)
            if condition not in path
        ],
    }
    if scene.main is None:
        context["first_choices"] = choices("column", desk, step.trail.version.survey_value())
        return context
    size, small = size_from(request, MAIN), BESIDE
    if scene.alike:
        size, small = desk.alike(size), desk.alike(BESIDE)
    main = desk.drawn(scene.main, size, "main", step.annotation_values())
    context["main"] = main
    context["annotation_offers"] = annotation_offers(desk, main)
    context["all_groups"] = all_groups(scene.main, main.answer, desk)
    context["one_by_one"] = goes_one_by_one(main.answer)
    context["standing"] = desk.standing(scene.main)
    context["pending"] = _pending(desk, main.answer)
    if scene.plays is not None:
        context["playing"] = desk_bar(desk, step)
    elif plays(scene) and time_column(desk.table) is not None:
        context["play"] = to_json(Play())
    context["alike"] = to_json(Alike(not scene.alike))
    if (neighbours := kind_of(scene.main).neighbours) is not None:
        context["grains"] = [
            {"name": name, "words": GRAIN_WORDS[grain], "post": to_json(Slot("grain", grain))}
            for name, grain in neighbours(desk, scene.main).items()
        ]
    context["whys"] = [{"words": w.words, "post": to_json(w.change)} for w in whys(scene, desk.table)]
    said = scene_sentence(scene, desk.table, main.answer)
    context["sentence"] = {"parts": _pieces(said), "addable": said.addable}
    context["title"] = scene_in_words(scene, desk.table, main.answer)
    context["beside"] = [
        {
            "name": short_name(question),
            "drawn": desk.drawn(question, small, f"b{i}"),
            "swap": to_json(Swap(i)),
            "away": to_json(TakeAway(i)),
        }
        for i, question in enumerate(scene.beside)
    ]
    return context
