"""Attaching rows that stay where they are: files within folders, and tables of databases on servers."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.debug import sensitive_post_parameters
from django.views.decorators.http import require_http_methods, require_POST

from night_trail.core.errors import NightTrailError
from night_trail.core.hand import LARGEST_KEY, whole
from night_trail.tables.attached import reaching, servers
from night_trail.tables.attached.attaching import attach as attach_rows
from night_trail.tables.attached.attaching import attach_again
from night_trail.tables.attached.where import Found, Where, listed, roots
from night_trail.tables.models import Arrival, Database
from night_trail.tables.tasks import read_file
from night_trail.tables.views import own_table
from night_trail.web.asking import visitor

SAID = ("name", "server", "database", "user")
"""What is said of a database besides its password."""


@require_http_methods(["GET", "POST"])
def attach(request: HttpRequest) -> HttpResponse:
    """List what may be attached; attach what was chosen and go on to its progress."""
    if request.method == "POST":
        asked = request.POST
        texts = (asked.get("root", "")[:300], asked.get("path", "")[:2_000], asked.get("table", "")[:300])
        server = whole(asked.get("server", "0"), LARGEST_KEY) or 0
        if server:
            texts = (_own(request, server).name, *texts[1:])
        return _begun(attach_rows(visitor(request), Where(*texts, server)))
    return _choose(request)


def _choose(request: HttpRequest, status: int = 200, **more: Any) -> HttpResponse:
    sought, hosts = request.GET.get("sought", "")[:100], reaching.hosts()
    context = {
        "groups": _by_root([one for one in listed() if _is_sought(one, sought.lower())]),
        "roots": list(roots()),
        "hosts": hosts,
        "of_spark": any(map(reaching.is_spark, hosts)),
        "of_postgres": not all(map(reaching.is_spark, hosts)),
        "databases": Database.objects.filter(owner=visitor(request)),
        "sought": sought,
        "tab": "tables",
    }
    return render(request, "tables/attach.html", context | more, status=status)


def _is_sought(found: Found, sought: str) -> bool:
    return sought in found.where.words.lower() or any(_is_sought(one, sought) for one in found.parts)


def _by_root(found: list[Found]) -> list[tuple[str, list[Found]]]:
    return [(name, [one for one in found if one.where.root == name]) for name in roots()]


def _own(request: HttpRequest, pk: int) -> Database:
    found: Database = get_object_or_404(Database, pk=pk, owner=request.user)
    return found


@sensitive_post_parameters("secret")
@require_POST
def add_database(request: HttpRequest) -> HttpResponse:
    """Keep how a database is reached, and go on to its tables."""
    said = {name: request.POST.get(name, "") for name in SAID}
    try:
        kept = servers.keep(
            visitor(request),
            said["name"],
            said["server"],
            said["database"],
            said["user"],
            request.POST.get("secret", ""),
        )
    except NightTrailError as error:
        # all but the password stays in the form
        return _choose(request, 422, refused=error, said=said)
    return redirect("tables:database", kept.pk)


@sensitive_post_parameters("secret")
@require_http_methods(["GET", "POST"])
def database(request: HttpRequest, pk: int) -> HttpResponse:
    """List the tables of a database; take another password for it."""
    kept = _own(request, pk)
    sought = request.GET.get("sought", "")[:100]
    context: dict[str, Any] = {"database": kept, "sought": sought, "tab": "tables"}
    try:
        if request.method == "POST":
            servers.renew(kept, request.POST.get("secret", ""))
        found = servers.tables_of(kept)
    except NightTrailError as error:
        return render(request, "tables/database.html", context | {"refused": error}, status=422)
    context |= {
        "found": [one for one in found if _is_sought(one, sought.lower())],
        "many": len(found) >= reaching.MOST_TABLES,
    }
    return render(request, "tables/database.html", context)


@require_POST
def forget_database(request: HttpRequest, pk: int) -> HttpResponse:
    """Forget how a database is reached; what was told of its tables stays."""
    _own(request, pk).delete()
    return redirect("tables:attach")


@require_POST
def look_again(request: HttpRequest, pk: int) -> HttpResponse:
    """Look at a table's attached rows as they are now."""
    return _begun(attach_again(own_table(request, pk)))


def _begun(arrival: Arrival) -> HttpResponse:
    if arrival.bundle is None:
        raise NightTrailError("It is not there any more", "", "Attach it again.")
    read_file.enqueue(arrival.pk)
    return redirect("tables:bundle", arrival.bundle.pk)
