"""All groups of a picture that draws only some of them."""

from __future__ import annotations

import csv

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET

from night_trail.trails.page import desk_of, step_for
from night_trail.trails.ranklist import rank_page, rank_rows
from night_trail.trails.views.parts import called
from night_trail.web.downloads import download


@require_GET
def groups(request: HttpRequest, trail: int, step: int) -> HttpResponse:
    """Show a page of all groups, ranked, or of those whose name holds what was typed."""
    found = step_for(request, trail, step)
    asked = request.GET.get("page", "")
    page = int(asked) if asked.isascii() and asked.isdigit() and len(asked) < 8 else 1
    shown = rank_page(desk_of(found), request.GET.get("find", ""), page)
    part = "_ranks.html" if request.GET.get("part") == "list" else "_groups.html"
    return render(
        request, f"trails/{part}", {"step": found, "shown": shown, "table": found.trail.version.table}
    )


@require_GET
def groups_csv(request: HttpRequest, trail: int, step: int) -> HttpResponse:
    """Return all groups as a CSV file."""
    found = step_for(request, trail, step)
    response = HttpResponse(content_type="text/csv; charset=utf-8")
    download(response, called(found, "groups"), "csv")
    csv.writer(response, lineterminator="\n").writerows(rank_rows(desk_of(found)))
    return response
