"""Links that open a tale to readers: made, revoked, entered with a password, explored from."""

from __future__ import annotations

import re
from datetime import datetime, timedelta

from django.contrib.auth.decorators import login_not_required
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils import timezone
from django.utils.crypto import constant_time_compare, salted_hmac
from django.views.decorators.http import require_POST

from night_trail.core.asking_why import whys
from night_trail.core.beats import MOST
from night_trail.core.errors import NightTrailError
from night_trail.core.hand import LARGEST_KEY, whole
from night_trail.draw import WALK
from night_trail.people.models import Role
from night_trail.tables.models import Table, TableShare
from night_trail.tales.models import Link, Stop, Tale
from night_trail.tales.reading import reading
from night_trail.tales.views.writing import written
from night_trail.trails.pictures import size_from
from night_trail.trails.services import begin_at, take_turn
from night_trail.web.asking import visitor

MOST_DAYS = 3_650
MOST_SITES = 10


@require_POST
def make(request: HttpRequest, tale: int) -> HttpResponse:
    """Make a link; its address is shown in this answer and kept nowhere."""
    found = get_object_or_404(Tale, pk=tale, owner=request.user)
    explores = bool(request.POST.get("explores"))
    if explores:
        _must_own_tables(found)
    sites = _sites(request.POST.get("sites", ""))
    made, token = Link.make(found, explores, _end(request), request.POST.get("password", "")[:100])
    if sites:
        Link.objects.filter(pk=made.pk).update(sites=" ".join(sites))
    return written(request, found.pk, whole(request.POST.get("stop", ""), LARGEST_KEY), token)


def _end(request: HttpRequest) -> datetime | None:
    asked = request.POST.get("days", "").strip()
    if not asked:
        return None
    days = whole(asked, MOST_DAYS)
    if not days:
        raise NightTrailError(f"A link ends after 1 to {MOST_DAYS:,} days", "", "Leave it empty for never.")
    return timezone.now() + timedelta(days=days)


_SITE = re.compile(
    r"https://[a-z0-9](?:[a-z0-9.-]{0,250}[a-z0-9])?(?::\d{1,5})?|http://localhost(?::\d{1,5})?"
)


def _sites(text: str) -> list[str]:
    """Return the sites whose pages may show a tale within them."""
    found = text.lower().replace(",", " ").split()
    for one in found:
        if not _SITE.fullmatch(one.rstrip("/")):
            raise NightTrailError(
                f"“{one[:80]}” is not the address of a site", "", "Write it like https://paper.example."
            )
    if len(found) > MOST_SITES:
        raise NightTrailError(f"A link is shown within at most {MOST_SITES} sites", "", "Make a second link.")
    return [one.rstrip("/") for one in found]


def _must_own_tables(tale: Tale) -> None:
    """Refuse to open tables of others: only their owner lets somebody explore them."""
    closed = tale.stops.exclude(step=None).exclude(step__trail__version__table__owner=tale.owner_id)
    if (stop := closed.first()) is not None:
        raise NightTrailError(
            "Only who owns a table can let readers explore it", stop.heading, "Make a link to read."
        )


@require_POST
def revoke(request: HttpRequest, tale: int, link: int) -> HttpResponse:
    """Close a link for good."""
    found = get_object_or_404(Link, pk=link, tale_id=tale, tale__owner=request.user)
    if found.revoked is None:
        found.revoked = timezone.now()
        found.save(update_fields=["revoked"])
    return redirect("tales:write", tale)


def _pass(link: Link) -> str:
    """Return what a browser carries once it gave the password; it ends with the password."""
    return salted_hmac("link", f"{link.pk}:{link.password}").hexdigest()


def may_enter(request: HttpRequest, link: Link) -> bool:
    """Whether a link asks for no password, or this browser gave it."""
    carried = request.COOKIES.get(f"entered-{link.pk}", "")
    return not link.password or constant_time_compare(carried, _pass(link))


def ask_password(request: HttpRequest, link: Link, token: str, wrong: str = "") -> HttpResponse:
    """Return the page that asks for a link's password; it tells nothing of the tale."""
    context = {"token": token, "wrong": wrong}
    response = render(request, "tales/password.html", context, status=422 if wrong else 200)
    response["Cache-Control"] = "private, no-store"
    return response


@login_not_required
@require_POST
def enter(request: HttpRequest, token: str) -> HttpResponse:
    """Let a browser in that gives the password of a link."""
    link = open_link(token)
    if not link.password:
        return redirect("tales:walk", token)
    if (pause := link.waits()) > 0:
        said = f"Too many wrong passwords: wait {max(1, round(pause))} s, then try again."
        return ask_password(request, link, token, said)
    if not link.try_password(request.POST.get("password", "")[:100]):
        return ask_password(request, link, token, "That is not the password. Ask who gave you the link.")
    response = redirect("tales:walk", token)
    response.set_cookie(
        f"entered-{link.pk}", _pass(link), httponly=True, samesite="Lax", secure=request.is_secure()
    )
    return response


def open_link(token: str) -> Link:
    """Return the link of a token, or say there is nothing here."""
    link = Link.open_by(token)
    if link is None:
        raise Http404
    return link


@require_POST
def explore(request: HttpRequest, token: str, number: int) -> HttpResponse:
    """Begin a trail of the reader's own at a stop's scene, where the link allows it."""
    link = open_link(token)
    if not link.explores or not may_enter(request, link):
        raise Http404
    stops = list(link.tale.stops.select_related("tale", "step__trail__version__table"))
    if not 1 <= number <= len(stops):
        raise Http404
    return _begin(request, stops[number - 1], by_link=True)


@require_POST
def explore_own(request: HttpRequest, tale: int, number: int) -> HttpResponse:
    """Begin a trail at a stop's scene, for whoever may explore its table."""
    found = get_object_or_404(Tale.objects.visible_to(request.user), pk=tale)
    stops = list(found.stops.select_related("tale", "step__trail__version__table"))
    if not 1 <= number <= len(stops):
        raise Http404
    return _begin(request, stops[number - 1], by_link=False)


def _begin(request: HttpRequest, stop: Stop, by_link: bool) -> HttpResponse:
    """Begin a trail with what the reader has before them, and go on by what they ask of it or to its rows."""
    if stop.step is None:
        raise Http404
    table = stop.step.trail.version.table
    assert table is not None  # noqa: S101  (a trail's version is complete)
    person = visitor(request)
    sees = Table.objects.sees(person, table, Role.EXPLORE)
    if not sees and (not by_link or table.owner_id != stop.tale.owner_id):
        raise Http404
    beat = whole(request.POST.get("beat", ""), MOST) or 0
    read = reading(request, stop, beat, size_from(request, WALK, "walk"))
    scene = stop.shown_scene(beat) if read is None else read.desk.scene
    if not sees:
        # the owner's link gives the role, where it is seen and can be taken away as any other
        TableShare.objects.update_or_create(thing=table, person=person, defaults={"role": Role.EXPLORE})
    step = begin_at(person, stop.step.trail.version, scene, f"From {stop.tale.title}")
    if (words := request.POST.get("ask")) and read is not None:
        asked = next((why for why in whys(scene, read.desk.table) if why.words == words), None)
        step = step if asked is None else take_turn(step, asked.change)
    there = reverse("trails:step", args=[step.trail_id, step.pk])
    return redirect(f"{there}#rows" if request.POST.get("rows") else there)
