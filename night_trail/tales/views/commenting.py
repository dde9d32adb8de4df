"""Comments on the stops of a tale, by people and by guests who came by a link."""

from __future__ import annotations

from django.contrib.auth.decorators import login_not_required
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from night_trail.tales.comments import looked, say, shown
from night_trail.tales.models import Comment, Stop, Tale
from night_trail.tales.views.links import may_enter, open_link
from night_trail.tales.views.writing import writable

YEAR = 365 * 86_400


def _number(stop: Stop) -> int:
    return list(stop.tale.stops.values_list("pk", flat=True)).index(stop.pk) + 1


@require_POST
def own(request: HttpRequest, tale: int, stop: int) -> HttpResponse:
    """Say something of a stop of a tale that one may walk."""
    found = get_object_or_404(Tale.objects.visible_to(request.user), pk=tale)
    here = get_object_or_404(found.stops.select_related("tale__owner"), pk=stop)
    say(here, request.POST, request.user, None)
    return redirect(f"{reverse('tales:own-walk-stop', args=[tale, _number(here)])}#comments")


@login_not_required
@require_POST
def by_link(request: HttpRequest, token: str, stop: int) -> HttpResponse:
    """Say something of a stop, as a guest with a name or as who is signed in."""
    link = open_link(token)
    if not may_enter(request, link):
        raise Http404
    here = get_object_or_404(link.tale.stops.select_related("tale__owner"), pk=stop)
    made = say(here, request.POST, request.user, link)
    response = redirect(f"{reverse('tales:walk-stop', args=[token, _number(here)])}#comments")
    if made.person_id is None:
        # the browser remembers the name for the next comment
        response.set_cookie(
            "guest", made.name.encode("unicode_escape").decode(), max_age=YEAR, samesite="Lax", httponly=True
        )
    return response


@require_GET
def listed(request: HttpRequest, tale: int) -> HttpResponse:
    """Show all comments of a tale to its writers, the unsettled first."""
    found = writable(request, tale)
    lines = []
    for stop in found.stops.prefetch_related("comments"):
        lines += [{"stop": stop} | line for line in shown(stop, hidden_too=True)]
    lines.sort(key=lambda line: (line["comment"].hidden, line["comment"].settled))
    looked(request.user, found)
    return render(request, "tales/comments.html", {"tale": found, "lines": lines, "tab": "tale"})


@require_POST
def decide(request: HttpRequest, tale: int, comment: int) -> HttpResponse:
    """Settle a comment or open it again, hide it or show it again."""
    found = writable(request, tale)
    one = get_object_or_404(Comment, pk=comment, stop__tale=found)
    changes = {
        "settle": {"settled": True},
        "open": {"settled": False},
        "hide": {"hidden": True},
        "show": {"hidden": False},
    }.get(request.POST.get("to", ""))
    if changes is None:
        raise Http404
    Comment.objects.filter(pk=one.pk).update(**changes)
    return redirect("tales:comments", found.pk)
