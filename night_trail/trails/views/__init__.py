"""The desk and the list of trails; parts of the desk are in ``parts``, cairns in ``cairns``."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from night_trail.core.errors import NightTrailError
from night_trail.people.models import Role
from night_trail.tables.models import Table
from night_trail.tables.services import core_table
from night_trail.trails.forms import change_from
from night_trail.trails.models import Trail
from night_trail.trails.page import desk_response, step_for, went_on
from night_trail.trails.services import start_trail, take_turn
from night_trail.web.asking import for_a_part, gone_to
from night_trail.web.confirm import confirm_delete
from night_trail.web.writing import keep_texts, one_line, stamps


@require_GET
def index(request: HttpRequest) -> HttpResponse:
    """Show the visitor's trails."""
    trails = (
        Trail.objects.visible_to(request.user)
        .select_related("version__table", "owner")
        .prefetch_related("steps")
    )
    # the first step only opens the table; the last tells trails of one table apart
    found = [(trail, list(trail.steps.all())) for trail in trails]
    listed = [(trail, steps, steps[-1] if len(steps) > 2 else None) for trail, steps in found]
    return render(request, "trails/index.html", {"trails": listed, "tab": "trail"})


@require_POST
def start(request: HttpRequest, table: int) -> HttpResponse:
    """Start a trail on a table, with a column or with typed words."""
    found = get_object_or_404(Table.objects.visible_to(request.user, Role.EXPLORE), pk=table)
    step = start_trail(
        request.user,
        found,
        request.POST.get("column", ""),
        request.POST.get("words", "").strip(),
        request.POST.get("reading", "")[:40],
    )
    return gone_to(request, "trails:step", step.trail_id, step.pk)


@require_GET
def latest(request: HttpRequest, trail: int) -> HttpResponse:
    """Go to the newest step of a trail."""
    found = get_object_or_404(Trail.objects.visible_to(request.user), pk=trail)
    step = found.steps.order_by("-pk")[0]
    return redirect("trails:step", found.pk, step.pk)


@require_POST
def rename(request: HttpRequest, trail: int) -> HttpResponse:
    """Give a trail another title."""
    found = get_object_or_404(Trail, pk=trail, owner=request.user)
    title = one_line(request.POST.get("title", ""))[:200]
    if not title:
        raise NightTrailError("A title cannot be empty", "", "Write one.")
    kept = keep_texts(request, found, {"title": title})
    return (
        HttpResponse(stamps(kept, ("title",), swap=True))
        if for_a_part(request)
        else redirect("trails:latest", trail)
    )


@require_http_methods(["GET", "POST"])
def delete(request: HttpRequest, trail: int) -> HttpResponse:
    """Delete a trail after asking."""
    found = get_object_or_404(Trail, pk=trail, owner=request.user)
    return confirm_delete(
        request,
        found,
        what=f"the trail {found.title}",
        also="Its cairns go with it, and so do the stops of tales that show them.",
        back=reverse("trails:latest", args=[found.pk]),
        then="trails:index",
        tab="trail",
    )


@require_GET
def desk(request: HttpRequest, trail: int, step: int) -> HttpResponse:
    """Show a step on the desk: the whole page, or the desk alone for a swap."""
    return desk_response(request, step_for(request, trail, step))


@require_POST
def turn(request: HttpRequest, trail: int, step: int) -> HttpResponse:
    """Take a turn from a step and show where it leads."""
    found = step_for(request, trail, step)
    return went_on(request, take_turn(found, change_from(request.POST, core_table(found.trail.version))))
