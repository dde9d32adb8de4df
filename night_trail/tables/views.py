"""The pages of tables: all of them, one arriving, its survey."""

from __future__ import annotations

from django.conf import settings
from django.core.files.uploadedfile import TemporaryUploadedFile
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_http_methods, require_POST
from django_htmx.http import HttpResponseClientRedirect

from night_trail.core.errors import NightTrailError, Unreadable
from night_trail.core.survey import in_order
from night_trail.core.table import plural
from night_trail.core.words.numbers import percent
from night_trail.draw.silhouette import draw_silhouette
from night_trail.people.confirm import confirm_delete
from night_trail.tables.arrivals import receive
from night_trail.tables.models import Arrival, Table
from night_trail.tables.tasks import read_file

ORDERS = {"odd": "what is odd first", "position": "position in the file", "kind": "kind"}


@require_GET
def home(request: HttpRequest) -> HttpResponse:
    """Show the visitor's tables, and the door for a new one."""
    tables = Table.objects.filter(owner=request.user).prefetch_related("versions")
    waiting = [a for a in Arrival.objects.filter(owner=request.user) if not a.finished]
    context = {
        "tables": tables,
        "waiting": waiting,
        "limit": settings.UPLOAD_LIMIT,
        "limit_words": limit_in_words(),
        "tab": "tables",
    }
    return render(request, "tables/home.html", context)


def limit_in_words() -> str:
    """Return how large a file may be: ``1 GB``."""
    size = settings.UPLOAD_LIMIT
    return f"{size / 1e9:.3g} GB" if size >= 1e9 else f"{size / 1e6:.3g} MB"


@require_POST
def bring(request: HttpRequest) -> HttpResponse:
    """Take a file in and read it in the background."""
    uploaded = request.FILES.get("file")
    if request.META.get("night_trail.too_large"):
        most = limit_in_words()
        raise Unreadable(
            f"The file is larger than the {most} that are taken", "", "Leave out columns or rows."
        )
    if not isinstance(uploaded, TemporaryUploadedFile):
        raise Unreadable("No file was chosen", "", "Choose a CSV or XLSX file.")
    arrived = receive(request.user, uploaded)
    read_file.enqueue(arrived.pk)
    return redirect("tables:arrival", arrived.pk)


@require_GET
def arrival(request: HttpRequest, pk: int) -> HttpResponse:
    """Show how far a file is; go on to the survey once it is read."""
    found = get_object_or_404(Arrival, pk=pk, owner=request.user)
    if found.state == Arrival.State.DONE and found.table is not None:
        survey_address = reverse("tables:survey", args=[found.table.pk])
        return HttpResponseClientRedirect(survey_address) if request.htmx else redirect(survey_address)
    template = "tables/_arrival.html" if request.htmx else "tables/arrival.html"
    context = {"arrival": found, "percent": percent(found.progress), "tab": "tables"}
    return render(request, template, context)


@require_POST
def cancel(request: HttpRequest, pk: int) -> HttpResponse:
    """Stop reading a file."""
    found = get_object_or_404(Arrival, pk=pk, owner=request.user)
    if not found.finished:
        Arrival.objects.filter(pk=found.pk).update(cancelled=True)
    return redirect("tables:arrival", found.pk)


@require_GET
def survey(request: HttpRequest, pk: int) -> HttpResponse:
    """Show every column of a table in a line."""
    table = get_object_or_404(Table, pk=pk, owner=request.user)
    version = table.latest
    found = version.survey_value()
    order = request.GET.get("order", "odd")
    order = order if order in ORDERS else "odd"
    lines = [
        {
            "position": position,
            "profile": profile,
            "column": profile.column,
            "silhouette": draw_silhouette(profile.silhouette),
            "missing": _missing(profile.column.missing, found.height),
        }
        for position, profile in in_order(found, order)
    ]
    context = {
        "table": table,
        "version": version,
        "survey": found,
        "lines": lines,
        "missing_share": percent(found.missing_share),
        "order": order,
        "orders": ORDERS,
        "tab": "survey",
    }
    return render(request, "tables/survey.html", context)


def _missing(count: int, height: int) -> str:
    if not count:
        return "none missing"
    share = count / height
    return f"{percent(share)} missing" if share >= 0.01 else f"{count:,} missing"


@require_POST
def rename(request: HttpRequest, pk: int) -> HttpResponse:
    """Give a table another name, or say what one row is."""
    table = get_object_or_404(Table, pk=pk, owner=request.user)
    name = " ".join(request.POST.get("name", table.name).split())[:200]
    noun = " ".join(request.POST.get("noun", table.noun_one).split())[:50].lower()
    if not name or not noun:
        raise NightTrailError("A name cannot be empty", "", "Write one.")
    if Table.objects.filter(owner=request.user, name=name).exclude(pk=pk).exists():
        raise NightTrailError(f"Another table is called “{name}”", "", "Choose another name.")
    table.name, table.noun_one, table.noun_many = name, noun, plural(noun)
    table.save()
    return redirect("tables:survey", pk)


@require_http_methods(["GET", "POST"])
def delete(request: HttpRequest, pk: int) -> HttpResponse:
    """Delete a table after asking; its trails and the stops of tales that show it go too."""
    table = get_object_or_404(Table, pk=pk, owner=request.user)
    return confirm_delete(
        request,
        table,
        what=f"the table {table.name}",
        also="Its trails go with it, and so do the stops of tales that show it.",
        back=reverse("tables:survey", args=[pk]),
        then="tables:home",
        tab="tables",
    )
