"""Scenes kept by name, and trails begun from them."""

from __future__ import annotations

import msgspec
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect
from django.views.decorators.http import require_POST

from night_trail.core.errors import NightTrailError
from night_trail.people.models import Role
from night_trail.tables.models import Table
from night_trail.trails.models import StartingPoint
from night_trail.trails.page import step_for, went_on
from night_trail.trails.services import begin_at
from night_trail.trails.starting import keep as keep_point
from night_trail.web.asking import visitor


@require_POST
def keep(request: HttpRequest, trail: int, step: int) -> HttpResponse:
    """Keep the scene of a step as a starting point of its table."""
    found = step_for(request, trail, step)
    scene = found.scene_value()
    table = found.trail.version.table
    assert table is not None  # noqa: S101  (a trail's version is complete)
    if scene.main is None:
        raise NightTrailError("There is no picture to begin from", "", "Choose a column first.")
    if not Table.objects.sees(request.user, table, Role.EXPLORE):
        raise NightTrailError(
            "Only who may explore the table keeps starting points", table.name, "Ask its owner."
        )
    keep_point(table, visitor(request), request.POST.get("name", ""), scene=msgspec.to_builtins(scene))
    return went_on(request, found)


def _point(request: HttpRequest, table: int, point: int) -> tuple[Table, StartingPoint]:
    """Return a table the visitor may explore, and a starting point of it or of another they may explore."""
    visible = Table.objects.visible_to(request.user, Role.EXPLORE)
    found = get_object_or_404(visible, pk=table)
    return found, get_object_or_404(StartingPoint, pk=point, table__in=visible)


@require_POST
def begin(request: HttpRequest, table: int, point: int) -> HttpResponse:
    """Begin a trail at a starting point; the point stays as it is."""
    found, kept = _point(request, table, point)
    scene = kept.scene_value()
    if scene is None:
        raise NightTrailError("This starting point is an overview", kept.name, "Begin it as a tale.")
    step = begin_at(visitor(request), found.latest, scene, kept.name)
    return redirect("trails:step", step.trail_id, step.pk)


@require_POST
def forget(request: HttpRequest, table: int, point: int) -> HttpResponse:
    """Forget a starting point: who kept it may, and the owner of the table."""
    found, kept = _point(request, table, point)
    if request.user.pk not in (kept.person_id, kept.table.owner_id):
        raise NightTrailError("Only who kept a starting point forgets it", kept.name, "Ask them.")
    kept.delete()
    return redirect("tables:survey", found.pk)
