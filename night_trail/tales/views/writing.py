"""Writing a tale: stops on the left, the picture in the middle, the text on the right."""

from __future__ import annotations

import json
from typing import Any

from django.db.models import QuerySet
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from night_trail.core.errors import NightTrailError
from night_trail.core.hand import whole
from night_trail.core.language.spans import plain
from night_trail.core.questions.registry import short_name
from night_trail.core.sentence import scene_in_words
from night_trail.draw import Size
from night_trail.people.models import Role
from night_trail.tales.models import Stop, Tale
from night_trail.tales.prose import prose
from night_trail.tales.reach import Reach
from night_trail.tales.services import add_stop, move_behind, move_by
from night_trail.trails.models import Cairn, Trail
from night_trail.trails.pictures import Desk, Drawn, size_from
from night_trail.trails.services import annotate as keep_annotations
from night_trail.web.asking import for_a_part, for_a_swap, visitor
from night_trail.web.confirm import confirm_delete
from night_trail.web.writing import keep_texts, one_line, stamps, tidy

SIZE = Size(664, 420)
COOKIE = "writing"
MOST_LEAST = 1_000_000


def _own(request: HttpRequest, tale: int) -> Tale:
    """Return a tale of the visitor's own."""
    found: Tale = get_object_or_404(Tale, pk=tale, owner=request.user)
    return found


def _written_by(request: HttpRequest, tale: int) -> Tale:
    """Return a tale that the visitor owns or may write on."""
    found: Tale = get_object_or_404(Tale.objects.visible_to(request.user, Role.EXPLORE), pk=tale)
    return found


def _stop(request: HttpRequest, tale: int, stop: int) -> Stop:
    return get_object_or_404(
        Stop.objects.select_related("tale", "step__trail__version__table"),
        pk=stop,
        tale=_written_by(request, tale),
    )


@require_GET
def index(request: HttpRequest) -> HttpResponse:
    """Show the visitor's tales."""
    tales = Tale.objects.visible_to(request.user).select_related("owner").prefetch_related("stops")
    writable = Tale.objects.visible_to(request.user, Role.EXPLORE).values_list("pk", flat=True)
    return render(request, "tales/index.html", {"tales": tales, "writable": set(writable), "tab": "tale"})


@require_POST
def new(request: HttpRequest) -> HttpResponse:
    """Begin a tale; with a cairn, that is its first stop."""
    title = one_line(request.POST.get("title", ""))[:200] or "A tale without a title"
    cairn = None
    if chosen := request.POST.get("cairn"):
        cairn = get_object_or_404(_cairns(request), pk=_whole(chosen))
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


def written(request: HttpRequest, tale: int, stop: int | None, new_token: str = "") -> HttpResponse:
    """Show a tale for writing; a token that was just made is shown with it."""
    found = _written_by(request, tale)
    stops = list(found.stops.select_related("step__trail__version__table"))
    current = next((s for s in stops if s.pk == stop), None)
    if stop is not None and current is None:
        raise Http404
    if current is None and stops:
        current = stops[0]
    context: dict[str, Any] = {
        "tab": "tale",
        "tale": found,
        "stops": [{"stop": s, "shows": _shows(s), "here": s == current} for s in stops],
        "stop": current,
        "cairns": _collectable(request),
        "mine": found.owner_id == request.user.pk,
        "links": found.links.filter(revoked=None),
        "new_token": new_token,
    }
    if current is not None:
        context["prose"] = prose(current.text)
        context["number"] = stops.index(current) + 1
        if current.step is not None:
            try:
                context |= _picture_context(request, current)
            except NightTrailError as error:
                context["unreadable"] = str(error)
    template = "tales/_writing.html" if for_a_swap(request) else "tales/writing.html"
    return render(request, template, context)


def _shows(stop: Stop) -> str:
    if stop.step is None:
        return "text only"
    try:
        main = stop.step.scene_value().main
    except NightTrailError:
        return "a picture that cannot be read any more"
    return short_name(main) if main else "text only"


def _cairns(request: HttpRequest) -> QuerySet[Cairn]:
    """Return the cairns of trails that the visitor may see."""
    return Cairn.objects.filter(step__trail__in=Trail.objects.visible_to(request.user))


def _collectable(request: HttpRequest) -> list[Cairn]:
    return list(_cairns(request).select_related("step__trail").order_by("-created")[:200])


def _picture_context(request: HttpRequest, stop: Stop) -> dict[str, Any]:
    assert stop.step is not None  # noqa: S101  (asked only of stops with a picture)
    scene = stop.shown_scene()
    desk = Desk(stop.step.trail.version, scene)
    if scene.main is None:
        return {}
    drawn = desk.drawn(scene.main, size_from(request, SIZE, COOKIE), "main", stop.annotation_values())
    return {
        "drawn": drawn,
        "scene_words": scene_in_words(scene, desk.table, drawn.answer),
        "headline": plain(drawn.words.headline),
        "readable": _readable(drawn, desk, stop.tale.least_lit),
        "annotations": json.dumps(stop.annotations, ensure_ascii=False),
        "annotate_address": reverse("tales:annotate", args=[stop.tale_id, stop.pk]),
    }


def _readable(drawn: Drawn, desk: Desk, least: int) -> str:
    """Say where a picture shows fewer rows than readers may light: what is drawn can be read."""
    if least < 2:
        return ""
    few, looked_at = Reach(str(drawn.svg), desk.table).fewer(desk.rows, least)
    if not looked_at:
        return f"This picture draws rows one by one: readers see them, though they light {least:,} at least."
    if not few:
        return ""
    marks = f"{few:,} of {looked_at:,} marks looked at"
    stand = "stands" if few == 1 else "stand"
    return f"In this picture {marks} {stand} for fewer than {least:,} rows: what is drawn can be read."


@require_GET
def picture(request: HttpRequest, tale: int, stop: int) -> HttpResponse:
    """Return the picture of a stop alone, at the size the page has room for."""
    context = _picture_context(request, found) if (found := _stop(request, tale, stop)).step else {}
    if "drawn" not in context:
        raise Http404
    return HttpResponse(context["drawn"].svg)


@require_POST
def rename(request: HttpRequest, tale: int) -> HttpResponse:
    """Give a tale another title."""
    found = _written_by(request, tale)
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
    """Add a stop from a cairn, or one of text only."""
    found = _written_by(request, tale)
    chosen = request.POST.get("cairn", "")
    cairn = get_object_or_404(_cairns(request), pk=_whole(chosen)) if chosen else None
    stop = add_stop(found, cairn)
    return redirect("tales:stop", found.pk, stop.pk)


@require_POST
def order(request: HttpRequest, tale: int) -> HttpResponse:
    """Move a stop by one place, or behind another."""
    found = _written_by(request, tale)
    moved = _whole(request.POST.get("move") or "0")
    if "behind" in request.POST:
        move_behind(found, moved, _whole(request.POST["behind"] or "0"))
    else:
        move_by(found, moved, -1 if request.POST.get("way") == "up" else 1)
    if for_a_part(request):
        return HttpResponse(status=204)
    return redirect("tales:write", tale)


@require_POST
def edit(request: HttpRequest, tale: int, stop: int) -> HttpResponse:
    """Keep heading and text as they are written; answer with the text as readers will see it."""
    found = _stop(request, tale, stop)
    heading = one_line(request.POST.get("heading", ""))[:200]
    if not heading:
        raise NightTrailError("A stop needs a heading", "", "The earlier one was kept.")
    text = tidy(request.POST.get("text", ""))[:20_000]
    found = keep_texts(request, found, {"heading": heading, "text": text})
    if not for_a_part(request):
        return redirect("tales:stop", tale, stop)
    shown = render(request, "tales/_preview.html", {"stop": found, "prose": prose(found.text)})
    shown.write(stamps(found, ("heading", "text"), swap=True))
    return shown


@require_POST
def remove(request: HttpRequest, tale: int, stop: int) -> HttpResponse:
    """Take a stop out of a tale; its cairn stays."""
    _stop(request, tale, stop).delete()
    return redirect("tales:write", tale)


@require_POST
def annotate(request: HttpRequest, tale: int, stop: int) -> HttpResponse:
    """Keep all annotations of a stop's picture as they now are."""
    found = _stop(request, tale, stop)
    keep_annotations(found, request.POST.get("annotations", ""), request.POST.get("before"))
    return written(request, tale, stop) if for_a_part(request) else redirect("tales:stop", tale, stop)
