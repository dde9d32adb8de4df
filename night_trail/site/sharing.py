"""Sharing: the owner of a table, trail or tale says who may explore or read it."""

from __future__ import annotations

from typing import Any

from django.contrib.auth import get_user_model
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_http_methods

from night_trail.core.errors import NightTrailError
from night_trail.people.models import Role
from night_trail.tables.models import Table
from night_trail.tales.models import Tale
from night_trail.trails.models import Trail

KINDS: dict[str, tuple[Any, str, str]] = {
    "table": (Table, "tables:survey", "tables"),
    "trail": (Trail, "trails:latest", "trail"),
    "tale": (Tale, "tales:write", "tale"),
}
"""What can be shared, the page it is shown on, and the tab that is lit."""

MEANS = {
    ("table", Role.EXPLORE): "see its survey and rows, and start trails of their own on it",
    ("table", Role.READ): "see its survey and rows",
    ("trail", Role.EXPLORE): "take turns on it and leave cairns",
    ("trail", Role.READ): "look at its steps and their rows",
    ("tale", Role.EXPLORE): "write on it",
    ("tale", Role.READ): "walk it",
}
MOST_SHARES = 200


@require_http_methods(["GET", "POST"])
def share(request: HttpRequest, kind: str, pk: int) -> HttpResponse:
    """Show who may do what with a thing of the visitor's own, and change it."""
    if kind not in KINDS:
        raise Http404
    model, page, tab = KINDS[kind]
    thing = get_object_or_404(model, pk=pk, owner=request.user)
    error = ""
    if request.method == "POST":
        try:
            _change(thing, request)
        except NightTrailError as refused:
            error = str(refused)
        else:
            return redirect("share", kind, pk)
    context = {
        "thing": thing,
        "kind": kind,
        "shares": thing.shares.select_related("person"),
        "roles": [(role, role.label, MEANS[kind, role]) for role in Role],
        "error": error,
        "name": request.POST.get("name", ""),
        "back": reverse(page, args=[pk]),
        "tab": tab,
    }
    return render(request, "share.html", context, status=422 if error else 200)


def _change(thing: Any, request: HttpRequest) -> None:
    asked = request.POST
    if unwanted := asked.get("remove"):
        thing.shares.filter(person__username=unwanted).delete()
        return
    role, name = asked.get("role", ""), asked.get("name", "").strip()
    if role not in Role.values:
        raise NightTrailError("No role is chosen", "", "Choose one.")
    person = get_user_model().objects.filter(username=name, is_active=True).first()
    if person is None:
        raise NightTrailError(f"Nobody here is called “{name}”", "", "Check the name, or invite them first.")
    if person == request.user:
        raise NightTrailError("It is yours already", "", "Name somebody else.")
    if thing.shares.count() >= MOST_SHARES:
        raise NightTrailError(f"It is shared with {MOST_SHARES} people already", "", "Remove one first.")
    thing.shares.update_or_create(person=person, defaults={"role": role})
