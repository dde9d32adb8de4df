"""Bringing files: taking them in, deciding how they are read, following them."""

from __future__ import annotations

import msgspec
from django.conf import settings
from django.core.files.uploadedfile import TemporaryUploadedFile
from django.db import transaction
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from night_trail.core.errors import NightTrailError, Unreadable
from night_trail.core.hand import LARGEST_KEY, whole
from night_trail.core.language.numbers import listed, percent
from night_trail.core.recipe.bundles import together
from night_trail.core.table import Kind
from night_trail.tables import previews, quota, uploads
from night_trail.tables.arrivals import bring_again, give_up, receive
from night_trail.tables.models import Arrival, Bundle, Table
from night_trail.tables.services import core_table
from night_trail.tables.tasks import read_file
from night_trail.tables.views import own_table
from night_trail.web.asking import for_a_part, gone_to, visitor

MOST_FILES = 20
MOST_COMPARED = 12


@require_GET
def home(request: HttpRequest) -> HttpResponse:
    """Show the visitor's tables, and the door for new ones."""
    tables = (
        Table.objects.visible_to(request.user)
        .select_related("current", "bundle", "owner")
        .prefetch_related("versions")
    )
    waiting = [
        a for a in Arrival.objects.filter(owner=visitor(request)).select_related("bundle") if not a.finished
    ]
    context = {
        "tables": tables,
        "waiting": waiting,
        "limit": settings.UPLOAD_LIMIT,
        "limit_words": quota.in_words(settings.UPLOAD_LIMIT),
        "used": quota.in_words(quota.used_by(request.user)),
        "quota": quota.in_words(settings.USER_QUOTA),
        "attachable": bool(settings.ATTACH_ROOTS),
        "tab": "tables",
    }
    return render(request, "tables/home.html", context)


@require_POST
def bring(request: HttpRequest, pk: int | None = None) -> HttpResponse:
    """Take files in, or new rows for a table, and go on to their preview."""
    into = own_table(request, pk) if pk is not None else None
    uploaded = [f for f in uploads.files_of(request).getlist("file") if isinstance(f, TemporaryUploadedFile)]
    if not uploaded:
        raise Unreadable("No file was chosen", "", "Choose one with a table in it.")
    if len(uploaded) > (1 if into else MOST_FILES):
        raise Unreadable(
            f"{len(uploaded)} files were chosen",
            "",
            "Choose one." if into else f"At most {MOST_FILES} at once.",
        )
    return redirect("tables:bundle", receive(request.user, uploaded, into).pk)


@require_POST
def again(request: HttpRequest, pk: int) -> HttpResponse:
    """Open the preview of a table's file once more."""
    return redirect("tables:bundle", bring_again(own_table(request, pk)).pk)


def _bundle(request: HttpRequest, pk: int) -> Bundle:
    return get_object_or_404(Bundle, pk=pk, owner=request.user)


@require_GET
def bundle(request: HttpRequest, pk: int) -> HttpResponse:
    """Show a bundle as far as it is: its previews, its progress, or its tables."""
    found = _bundle(request, pk)
    arrivals = list(found.arrivals.order_by("id"))
    if any(a.state == Arrival.State.PREVIEW for a in arrivals):
        return _preview(request, found, arrivals)
    going = [a for a in arrivals if not a.finished]
    done = [a for a in arrivals if a.state == Arrival.State.DONE and a.table is not None]
    if not going and len(done) == 1 and len([a for a in arrivals if a.state != Arrival.State.CANCELLED]) == 1:
        return gone_to(request, "tables:survey", done[0].table_id)
    tables = list(found.tables.order_by("id"))
    context = {
        "bundle": found,
        "arrivals": [
            (a, percent(a.progress)) for a in arrivals if a.wanted or a.state == Arrival.State.FAILED
        ],
        "going": going,
        "tables": tables,
        "tab": "tables",
    }
    if not going:
        context |= _together(tables)
    return render(request, "tables/_bundle.html" if for_a_part(request) else "tables/bundle.html", context)


def _together(tables: list[Table]) -> dict[str, object]:
    """Return which tables of a bundle may be stacked or joined."""
    if not 2 <= len(tables) <= MOST_COMPARED:
        return {}
    found = together([core_table(t.latest) for t in tables])
    return {
        "joins": [(tables[j.left], tables[j.right], j.key, percent(j.key.overlap)) for j in found.joins],
        "stacks": [
            (listed([tables[i].name for i in stack]), tables[stack[0]], [tables[i] for i in stack[1:]])
            for stack in found.stacks
        ],
    }


def _preview(
    request: HttpRequest,
    found: Bundle,
    arrivals: list[Arrival],
    error: str = "",
    chosen: Arrival | None = None,
) -> HttpResponse:
    open_ones = [a for a in arrivals if a.state == Arrival.State.PREVIEW]
    asked = request.GET.get("table", "")
    arrival = chosen or next((a for a in open_ones if str(a.pk) == asked), open_ones[0])
    context: dict[str, object] = {
        "bundle": found,
        "arrival": arrival,
        "open": open_ones,
        "failed": [a for a in arrivals if a.state == Arrival.State.FAILED],
        "error": error,
        "tab": "tables",
        "kinds": list(Kind),
        "saw": msgspec.json.encode(arrival.settings_value()).decode(),
    }
    sought = request.GET.get("sought", request.POST.get("sought", ""))[:100]
    try:
        context |= previews.page(arrival, arrival.settings_value(), sought)
    except NightTrailError as refused:
        context |= {
            "error": str(refused),
            "unreadable": True,
            "settings": arrival.settings_value(),
            "encodings": previews.ENCODINGS,
            "delimiters": previews.DELIMITERS,
        }
    column = request.GET.get("column", request.POST.get("position", ""))
    headings = context.get("headings", [])
    assert isinstance(headings, list)  # noqa: S101  (made a few lines above)
    context["heading"] = next((h for h in headings if str(h.position) == column), None)
    return render(request, "tables/_preview.html" if for_a_part(request) else "tables/preview.html", context)


@require_POST
def decide(request: HttpRequest, pk: int) -> HttpResponse:
    """Change how a file is read; what cannot be is said, and the decisions before stay."""
    arrival = get_object_or_404(Arrival, pk=pk, owner=request.user, state=Arrival.State.PREVIEW)
    error = ""
    if arrival.bundle is None:
        raise NightTrailError("The file is not there any more", "", "Bring it again.")
    if "remedies" in request.POST:
        with transaction.atomic():
            arrival.refresh_from_db()
            arrival.remedies = previews.remedies_from(request.POST, arrival)
            arrival.save(update_fields=["remedies"])
    elif "placed" in request.POST:
        if request.POST["placed"] in Arrival.Behind.values and arrival.into is not None:
            Arrival.objects.filter(pk=arrival.pk).update(behind=request.POST["placed"])
    elif "want" in request.POST:
        wanted = [found for text in request.POST.getlist("table") if (found := whole(text, LARGEST_KEY))]
        waiting = arrival.bundle.arrivals.filter(state=Arrival.State.PREVIEW)
        waiting.update(wanted=False)
        waiting.filter(pk__in=wanted).update(wanted=True)
    else:
        try:
            previews.preview_of(arrival, previews.settings_from(request.POST, arrival))
            with transaction.atomic():
                # read again, so that a decision made meanwhile is not lost
                arrival.refresh_from_db()
                arrival.settings = msgspec.to_builtins(previews.settings_from(request.POST, arrival))
                arrival.save(update_fields=["settings"])
        except NightTrailError as refused:
            error = str(refused)
    if not for_a_part(request) and not error:
        return redirect(f"{reverse('tables:bundle', args=[arrival.bundle.pk])}?table={arrival.pk}")
    arrivals = list(arrival.bundle.arrivals.order_by("id"))
    return _preview(request, arrival.bundle, arrivals, error, next(a for a in arrivals if a.pk == arrival.pk))


@require_POST
def read_bundle(request: HttpRequest, pk: int) -> HttpResponse:
    """Begin to read the wanted tables of a bundle."""
    found = _bundle(request, pk)
    wanted = request.POST.getlist("table")
    with transaction.atomic():  # a second click finds nothing open any more
        open_ones = list(found.arrivals.filter(state=Arrival.State.PREVIEW).order_by("id"))
        # a bundle of one table has no boxes to tick
        chosen = [a for a in open_ones if len(open_ones) == 1 or str(a.pk) in wanted]
        if open_ones and not chosen:
            raise NightTrailError("No table is chosen", "", "Choose at least one.")
        for arrival in open_ones:
            arrival.wanted = arrival in chosen
            arrival.state = Arrival.State.WAITING if arrival.wanted else Arrival.State.CANCELLED
            arrival.said = "Waiting to be read." if arrival.wanted else "Not wanted."
            arrival.save(update_fields=["wanted", "state", "said"])
    for arrival in chosen:
        read_file.enqueue(arrival.pk)
    return redirect("tables:bundle", pk)


@require_POST
def cancel(request: HttpRequest, pk: int) -> HttpResponse:
    """Stop reading a bundle; tables that are complete stay."""
    found = _bundle(request, pk)
    give_up(found)
    found.arrivals.filter(state=Arrival.State.READING).update(cancelled=True)
    return (
        redirect("tables:bundle", pk)
        if found.arrivals.exclude(state=Arrival.State.CANCELLED).exists()
        else redirect("tables:home")
    )
