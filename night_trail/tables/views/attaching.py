"""Attaching rows that stay where they are."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_http_methods, require_POST

from night_trail.core.errors import NightTrailError
from night_trail.tables.attached.attaching import attach as attach_rows
from night_trail.tables.attached.attaching import attach_again
from night_trail.tables.attached.where import Found, Where, listed, roots
from night_trail.tables.models import Arrival
from night_trail.tables.tasks import read_file
from night_trail.tables.views import own_table
from night_trail.web.asking import visitor


@require_http_methods(["GET", "POST"])
def attach(request: HttpRequest) -> HttpResponse:
    """List what may be attached; attach what was chosen and go on to its progress."""
    if request.method == "POST":
        asked = request.POST
        where = Where(
            asked.get("root", "")[:300], asked.get("path", "")[:2_000], asked.get("table", "")[:300]
        )
        return _begun(attach_rows(visitor(request), where))
    sought = request.GET.get("sought", "")[:100]
    found = [one for one in listed() if _is_sought(one, sought.lower())]
    context = {
        "groups": _by_root(found),
        "roots": list(roots()),
        "sought": sought,
        "tab": "tables",
    }
    return render(request, "tables/attach.html", context)


def _is_sought(found: Found, sought: str) -> bool:
    return sought in found.where.words.lower() or any(_is_sought(one, sought) for one in found.parts)


def _by_root(found: list[Found]) -> list[tuple[str, list[Found]]]:
    return [(name, [one for one in found if one.where.root == name]) for name in roots()]


@require_POST
def look_again(request: HttpRequest, pk: int) -> HttpResponse:
    """Look at a table's attached rows as they are now."""
    return _begun(attach_again(own_table(request, pk)))


def _begun(arrival: Arrival) -> HttpResponse:
    if arrival.bundle is None:
        raise NightTrailError("It is not there any more", "", "Attach it again.")
    read_file.enqueue(arrival.pk)
    return redirect("tables:bundle", arrival.bundle.pk)
