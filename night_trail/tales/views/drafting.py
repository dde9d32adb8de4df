"""The first draft of a tale from what a table, a picture or a trail says in short."""

from __future__ import annotations

from django.db import transaction
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect
from django.views.decorators.http import require_POST

from night_trail.core.digest import Line
from night_trail.core.errors import NightTrailError
from night_trail.core.hand import LARGEST_KEY, whole
from night_trail.core.questions.registry import short_name
from night_trail.people.models import Role
from night_trail.tables.models import Table
from night_trail.tales.drafts import drafted_from
from night_trail.tales.models import Stop, Tale
from night_trail.trails.digests import OF, asked_length, digest
from night_trail.trails.models import Cairn, Step, Trail
from night_trail.trails.page import step_for
from night_trail.trails.services import show, start_trail
from night_trail.web.asking import visitor


@require_POST
def draft(request: HttpRequest, trail: int, step: int) -> HttpResponse:
    """Begin a tale with what is said in short at a step of a trail."""
    found = step_for(request, trail, step)
    of = request.POST.get("of", "")
    length = asked_length(request.POST.get("length", ""))
    return _drafted(request, found, digest(found, of if of in OF else "scene", length))


@require_POST
def draft_table(request: HttpRequest, table: int) -> HttpResponse:
    """Begin a tale with what a table says in short, on a new trail of it."""
    found = get_object_or_404(Table.objects.visible_to(request.user, Role.EXPLORE), pk=table)
    root = start_trail(visitor(request), found)
    return _drafted(request, root, digest(root, "table", asked_length(request.POST.get("length", ""))))


@require_POST
def draft_cairns(request: HttpRequest) -> HttpResponse:
    """Draft a tale from chosen cairns, in an order that reads; their figures are bound."""
    chosen = [pk for pk in (whole(one, LARGEST_KEY) for one in request.POST.getlist("cairn")) if pk]
    visible = Cairn.objects.filter(step__trail__in=Trail.objects.visible_to(request.user), pk__in=chosen)
    cairns = list(visible.select_related("step__trail__version__table"))
    if not cairns:
        raise NightTrailError("No cairn is chosen", "", "Choose those the tale is to tell.")
    return redirect("tales:write", drafted_from(visitor(request), cairns).pk)


def _drafted(request: HttpRequest, step: Step, lines: list[Line]) -> HttpResponse:
    if not lines:
        raise NightTrailError("There is nothing to begin a tale with yet", "", "Ask something first.")
    table = step.trail.version.table
    assert table is not None  # noqa: S101  (a trail's version is complete)
    with transaction.atomic():
        tale = Tale.objects.create(owner=visitor(request), title=f"{table.name} in short"[:200])
        for position, line in enumerate(lines):
            main = line.scene.main if line.scene is not None else None
            Stop.objects.create(
                tale=tale,
                position=position,
                step=show(step, line.scene) if line.scene is not None and main is not None else None,
                heading=(_heading(short_name(main)) if main is not None else line.part)[:200],
                text=line.text[:20_000],
            )
    return redirect("tales:write", tale.pk)


def _heading(name: str) -> str:
    return name[:1].upper() + name[1:]
