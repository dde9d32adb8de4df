"""Writing a tale: stops on the left, the picture in the middle, the text on the right."""

from __future__ import annotations

from typing import Any

from django.db.models import QuerySet
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from night_trail.core.beats import MOST
from night_trail.core.errors import NightTrailError
from night_trail.core.hand import whole
from night_trail.core.questions.registry import short_name
from night_trail.people.models import Role
from night_trail.tables.models import Table
from night_trail.tales.comments import new_for
from night_trail.tales.deeds import deed, next_to_redo, next_to_undo
from night_trail.tales.models import Stop, Tale
from night_trail.tales.page import (
    THUMB,
    offers_context,
    overview_context,
    stage_context,
    stage_drawn,
    text_context,
)
from night_trail.tales.services import add_stop, brought, move_behind, move_by
from night_trail.trails.behind import behind
from night_trail.trails.models import Cairn, Trail
from night_trail.trails.pictures import Desk
from night_trail.trails.services import annotate as keep_annotations
from night_trail.web.asking import for_a_part, for_a_swap, visitor
from night_trail.web.confirm import confirm_delete
from night_trail.web.writing import keep_texts, one_line, stamps, tidy

MOST_LEAST = 1_000_000
MOST_ELSEWHERE = 60


def _own(request: HttpRequest, tale: int) -> Tale:
    """Return a tale of the visitor's own."""
    found: Tale = get_object_or_404(Tale, pk=tale, owner=request.user)
    return found


def writable(request: HttpRequest, tale: int) -> Tale:
    """Return a tale that the visitor owns or may write on."""
    found: Tale = get_object_or_404(Tale.objects.visible_to(request.user, Role.EXPLORE), pk=tale)
    return found


def stop_of(request: HttpRequest, tale: int, stop: int) -> Stop:
    """Return a stop of a tale that the visitor may write on."""
    return get_object_or_404(
        Stop.objects.select_related("tale", "step__trail__version__table"),
        pk=stop,
        tale=writable(request, tale),
    )


def may_vary(request: HttpRequest, stop: Stop) -> bool:
    """Whether the visitor may ask something else of a stop's rows: who writes on a tale alone may not."""
    if stop.step is None:
        return False
    trail = stop.step.trail
    return Table.objects.sees(request.user, trail.version.table, Role.EXPLORE) or Trail.objects.sees(
        request.user, trail, Role.EXPLORE
    )


def must_vary(request: HttpRequest, stop: Stop) -> None:
    """Refuse to ask something else of rows that the visitor may not explore."""
    if not may_vary(request, stop):
        raise NightTrailError(
            "You may write here, not ask other things of these rows", "", "Ask the owner of the table."
        )


@require_GET
def index(request: HttpRequest) -> HttpResponse:
    """Show the visitor's tales."""
    tales = Tale.objects.visible_to(request.user).select_related("owner").prefetch_related("stops")
    may_write = Tale.objects.visible_to(request.user, Role.EXPLORE).values_list("pk", flat=True)
    return render(request, "tales/index.html", {"tales": tales, "writable": set(may_write), "tab": "tale"})


@require_POST
def new(request: HttpRequest) -> HttpResponse:
    """Begin a tale; with a cairn, that is its first stop."""
    title = one_line(request.POST.get("title", ""))[:200] or "A tale without a title"
    cairn = None
    if chosen := request.POST.get("cairn"):
        cairn = get_object_or_404(visible_cairns(request), pk=_whole(chosen))
    tale = Tale.objects.create(owner=visitor(request), title=title)
    if cairn is not None:
        add_stop(tale, cairn)
    return redirect("tales:write", tale.pk)


def _whole(text: str) -> int:
    if not (text.isascii() and text.isdigit() and len(text) < 18):
        raise Http404
    return int(text)


@require_GET
def write(request: HttpRequest, tale: int, stop: int | None = None) -> HttpResponse:
    """Show a tale for writing, at one of its stops."""
    return written(request, tale, stop)


def written(
    request: HttpRequest, tale: int, stop: int | None, new_token: str = "", beat: int | None = None
) -> HttpResponse:
    """Show a tale for writing, at a beat of a stop; a token that was just made is shown with it."""
    found = writable(request, tale)
    stops = list(found.stops.select_related("step__trail__version__table"))
    current = next((s for s in stops if s.pk == stop), None)
    if stop is not None and current is None:
        raise Http404
    if current is None and stops:
        current = stops[0]
    context = _stops_context(request, found, stops, current) | {
        "tab": "tale",
        "mine": found.owner_id == request.user.pk,
        "links": found.links.filter(revoked=None),
        "new_token": new_token,
        "new_comments": new_for(request.user, found),
    }
    if current is not None:
        context["number"] = stops.index(current) + 1
        context |= text_context(current)
        context["may_vary"] = may_vary(request, current)
        if current.overview is not None:
            try:
                context |= overview_context(current, context["cairns"])
            except NightTrailError as error:
                context["unreadable"] = str(error)
        elif current.step is not None:
            asked = whole(request.GET.get("beat", ""), MOST) if beat is None else beat
            try:
                context |= stage_context(request, current, asked or 0)
            except NightTrailError as error:
                context["unreadable"] = str(error)
    template = "tales/_writing.html" if for_a_swap(request) else "tales/writing.html"
    return render(request, template, context)


def _stops_context(
    request: HttpRequest, tale: Tale, stops: list[Stop], current: Stop | None
) -> dict[str, Any]:
    """Return what the list of stops says, and what can be added to it and taken back."""
    return {
        "tale": tale,
        "stops": [
            {
                "stop": s,
                "shows": _shows(s),
                "here": s == current,
                "thumb": _thumb_address(s),
                "image": _image_address(s),
            }
            for s in stops
        ],
        "undo": next_to_undo(tale, request.user),
        "redo": next_to_redo(tale, request.user),
        "stop": current,
        "cairns": _collectable(request),
        "tables": Table.objects.visible_to(request.user, Role.EXPLORE)[:40],
        "elsewhere": Stop.objects.filter(tale__in=Tale.objects.visible_to(request.user, Role.EXPLORE))
        .exclude(tale=tale)
        .select_related("tale")
        .only("heading", "tale__title")
        .order_by("-tale__created", "position")[:MOST_ELSEWHERE],
    }


def _shows(stop: Stop) -> str:
    if stop.step is None:
        return "an image" if stop.image_id else "text only"
    if stop.overview is not None:
        return "an overview"
    try:
        main = stop.step.scene_value().main
    except NightTrailError:
        return "a picture that cannot be read any more"
    return short_name(main) if main else "text only"


def _thumb_address(stop: Stop) -> str:
    """Return where the small picture of a stop is; nothing of one without a picture."""
    if stop.step is None:
        return ""
    return reverse("tales:thumb", args=[stop.tale_id, stop.pk])


def _image_address(stop: Stop) -> str:
    """Return where the image of a stop is that has no picture; nothing of others."""
    if stop.step is not None or stop.image_id is None:
        return ""
    return reverse("tales:image", args=[stop.tale_id, stop.image_id])


def visible_cairns(request: HttpRequest) -> QuerySet[Cairn]:
    """Return the cairns of trails that the visitor may see."""
    return Cairn.objects.filter(step__trail__in=Trail.objects.visible_to(request.user))


def _collectable(request: HttpRequest) -> list[Cairn]:
    return list(visible_cairns(request).select_related("step__trail").order_by("-created")[:200])


@require_GET
def picture(request: HttpRequest, tale: int, stop: int) -> HttpResponse:
    """Return the picture of a stop alone, at the size the page has room for."""
    found = stop_of(request, tale, stop)
    drawn = stage_drawn(request, found, whole(request.GET.get("beat", ""), MOST) or 0)
    if drawn is None:
        raise Http404
    return HttpResponse(drawn[1].svg)


@require_GET
def thumb(request: HttpRequest, tale: int, stop: int) -> HttpResponse:
    """Return the small picture of a stop; nothing where it cannot be drawn, or is not drawn yet."""
    # asked for once: it may be taken out at any moment while its picture is on the way
    kept = writable(request, tale).stops.select_related("step__trail__version__table")
    found = kept.filter(pk=stop).first()
    if found is None:
        return HttpResponse("")
    try:
        scene = found.shown_scene()
        if found.step is None or scene.main is None or behind(scene.main):
            return HttpResponse("")
        drawn = Desk(found.step.trail.version, scene).drawn(scene.main, THUMB, f"stop{found.pk}")
    except NightTrailError:
        return HttpResponse("")
    return HttpResponse(drawn.svg)


@require_POST
def rename(request: HttpRequest, tale: int) -> HttpResponse:
    """Give a tale another title."""
    found = writable(request, tale)
    title = one_line(request.POST.get("title", ""))[:200]
    if not title:
        raise NightTrailError("A tale needs a title", "", "The earlier one was kept.")
    kept = keep_texts(request, found, {"title": title})
    return (
        HttpResponse(stamps(kept, ("title",), swap=True))
        if for_a_part(request)
        else redirect("tales:write", tale)
    )


@require_POST
def readers(request: HttpRequest, tale: int) -> HttpResponse:
    """Say how many rows a reader's lantern must hold at least."""
    found = _own(request, tale)
    least = whole(request.POST.get("least", "").strip() or "0", MOST_LEAST)
    if least is None:
        raise NightTrailError(
            f"The least number of rows is a whole number up to {MOST_LEAST:,}",
            "",
            "The earlier one was kept.",
        )
    Tale.objects.filter(pk=found.pk).update(least_lit=least)
    return HttpResponse(status=204) if for_a_part(request) else redirect("tales:write", tale)


@require_http_methods(["GET", "POST"])
def delete(request: HttpRequest, tale: int) -> HttpResponse:
    """Delete a tale after asking; the cairns it was made from stay."""
    found = _own(request, tale)
    return confirm_delete(
        request,
        found,
        what=f"the tale {found.title}",
        also="Its links stop working. The cairns and trails it was made from stay.",
        back=reverse("tales:write", args=[found.pk]),
        then="tales:index",
        tab="tale",
    )


@require_POST
def collect(request: HttpRequest, tale: int) -> HttpResponse:
    """Add a stop from a cairn, from another tale, or one of text only."""
    found = writable(request, tale)
    if other := request.POST.get("stop", ""):
        theirs = Tale.objects.visible_to(request.user, Role.EXPLORE)
        taken = get_object_or_404(Stop.objects.select_related("image"), pk=_whole(other), tale__in=theirs)
        with deed(found, request.user, f"added {taken.heading}"):
            stop = brought(taken, found)
        return redirect("tales:stop", found.pk, stop.pk)
    chosen = request.POST.get("cairn", "")
    cairn = get_object_or_404(visible_cairns(request), pk=_whole(chosen)) if chosen else None
    with deed(found, request.user, f"added {cairn.title}" if cairn else "added a stop"):
        stop = add_stop(found, cairn)
    return redirect("tales:stop", found.pk, stop.pk)


@require_POST
def order(request: HttpRequest, tale: int) -> HttpResponse:
    """Move a stop by one place, or behind another."""
    found = writable(request, tale)
    moved = _whole(request.POST.get("move") or "0")
    with deed(found, request.user, "moved a stop"):
        if "behind" in request.POST:
            move_behind(found, moved, _whole(request.POST["behind"] or "0"))
        else:
            move_by(found, moved, -1 if request.POST.get("way") == "up" else 1)
    if not for_a_part(request):
        return redirect("tales:write", tale)
    stops = list(found.stops.select_related("step__trail__version__table"))
    here = _whole(request.POST.get("here") or "0")
    current = next((s for s in stops if s.pk == here), None)
    return render(request, "tales/_stops.html", _stops_context(request, found, stops, current))


@require_POST
def edit(request: HttpRequest, tale: int, stop: int) -> HttpResponse:
    """Keep heading and text as they are written; answer with the text as readers will see it."""
    found = stop_of(request, tale, stop)
    heading = one_line(request.POST.get("heading", ""))[:200]
    if not heading:
        raise NightTrailError("A stop needs a heading", "", "The earlier one was kept.")
    text = tidy(request.POST.get("text", ""))[:20_000]
    fields = {"heading": heading, "text": text}
    if "chapter" in request.POST:
        fields["chapter"] = one_line(request.POST["chapter"])[:200]
    if "notes" in request.POST:
        fields["notes"] = tidy(request.POST["notes"])[:8_000]
    found = keep_texts(request, found, fields)
    if not for_a_part(request):
        return redirect("tales:stop", tale, stop)
    context = {"stop": found, "tale": found.tale} | offers_context(found)
    shown = render(request, "tales/_offers.html", context)
    shown.write(stamps(found, tuple(fields), swap=True))
    return shown


@require_POST
def remove(request: HttpRequest, tale: int, stop: int) -> HttpResponse:
    """Take a stop out of a tale; its cairn stays, and it can be put back."""
    found = stop_of(request, tale, stop)
    with deed(found.tale, request.user, f"took out {found.heading}"):
        found.delete()
    return redirect("tales:write", tale)


@require_POST
def annotate(request: HttpRequest, tale: int, stop: int) -> HttpResponse:
    """Keep all annotations of a stop's picture as they now are."""
    found = stop_of(request, tale, stop)
    keep_annotations(found, request.POST.get("annotations", ""), request.POST.get("before"))
    beat = whole(request.GET.get("beat", ""), MOST) or 0
    return (
        written(request, tale, stop, beat=beat) if for_a_part(request) else redirect("tales:stop", tale, stop)
    )
