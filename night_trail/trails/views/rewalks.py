"""Newer rows have come: what they changed, the trail walked on them, and what became of its claims."""

from __future__ import annotations

from collections import Counter
from typing import Any

from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_http_methods

from night_trail.core.claims.again import became_words, counted_again
from night_trail.core.errors import NightTrailError
from night_trail.people.models import Role
from night_trail.tables.models import Table
from night_trail.tables.services import core_table
from night_trail.trails.models import Cairn, Trail
from night_trail.trails.pictures import small_of
from night_trail.trails.rewalk import missing_columns, names_from, newer_rows, rewalk
from night_trail.web.asking import visitor

MOST_DRAWN = 40


@require_http_methods(["GET", "POST"])
def walk_again(request: HttpRequest, trail: int) -> HttpResponse:
    """Say what newer rows have otherwise, and walk a trail on them."""
    found = get_object_or_404(
        Trail.objects.visible_to(request.user, Role.EXPLORE).select_related("version__table"), pk=trail
    )
    table = found.version.table
    version = newer_rows(found)
    # the trail that is made is the visitor's: it takes the right to explore the table
    if version is None or not Table.objects.sees(request.user, table, Role.EXPLORE):
        raise NightTrailError(
            "There are no newer rows to walk this trail on", found.title, "Bring a fresh delivery first."
        )
    lacking, columns = missing_columns(found, version)
    if request.method == "POST":
        names = names_from(request.POST.dict(), lacking, core_table(version))
        made = rewalk(found, version, names, visitor(request))
        return redirect("trails:rewalked", made.pk)
    context = {
        "tab": "trail",
        "trail": found,
        "version": version,
        "rows_before": found.version.height,
        "more": version.height - found.version.height,
        "fewer": found.version.height - version.height,
        "lacking": lacking,
        "columns": columns,
        "changes": version.complaints or (version.base.complaints if version.base else []),
        "earlier": found.rewalks.filter(version=version, owner=visitor(request)).first(),
    }
    return render(request, "trails/walk_again.html", context)


@require_GET
def rewalked(request: HttpRequest, trail: int) -> HttpResponse:
    """Show what became of each cairn of a trail that was walked again."""
    found = get_object_or_404(
        Trail.objects.visible_to(request.user).select_related("walked_from", "version__table"), pk=trail
    )
    if found.walked_from is None or not Trail.objects.sees(request.user, found.walked_from):
        raise Http404
    cairns = Cairn.objects.filter(step__trail=found).select_related(
        "step__trail__version__table", "step__walked_from__trail__version__table"
    )
    lines: list[dict[str, Any]] = []
    for cairn in cairns:
        verdict = cairn.verdict or {}
        state = verdict.get("again", "")
        was = verdict.get("was", {})
        words = became_words(state, was) if state else ""
        lines.append({"cairn": cairn, "state": state, "words": words, "now": verdict, "was": was})
    order = {"gone": 0, "weaker": 1, "open": 2, "holds": 3, "": 4}
    lines.sort(key=lambda line: order[line["state"]])
    for line in lines[:MOST_DRAWN]:
        step = line["cairn"].step
        line["before"] = small_of(step.walked_from, "before")
        line["after"] = small_of(step, "now")
    context = {
        "tab": "trail",
        "trail": found,
        "lines": lines,
        "summary": counted_again(Counter(line["state"] for line in lines if line["state"])),
    }
    return render(request, "trails/rewalked.html", context)
