"""Nothing is deleted before its owner was asked."""

from __future__ import annotations

from collections.abc import Callable

from django.db.models import Model
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render


def confirm_delete(
    request: HttpRequest,
    thing: Model,
    *,
    what: str,
    also: str,
    back: str,
    then: str,
    tab: str,
    remove: Callable[[], object] | None = None,
) -> HttpResponse:
    """Ask on a GET, delete on a POST.

    ``what`` names the thing and ``also`` says what goes with it; ``back`` is the
    address for keeping it, ``then`` the name of the page to go to afterwards;
    ``remove`` deletes what is too large for one go.
    """
    if request.method == "POST":
        (remove or thing.delete)()
        return redirect(then)
    return render(request, "confirm.html", {"what": what, "also": also, "back": back, "tab": tab})
