"""Parts of the desk that are fetched when they are wanted: lists, pictures, rows."""

from __future__ import annotations

import csv
import re

import numpy as np
from django.http import Http404, HttpRequest, HttpResponse, HttpResponseNotModified, StreamingHttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET

from night_trail.core.figures import Figures, figures_of
from night_trail.core.question import key
from night_trail.core.words.numbers import number
from night_trail.draw import MAIN, Size
from night_trail.people.context import theme
from night_trail.tables.cells import neutral
from night_trail.trails.choices import choices
from night_trail.trails.models import Step
from night_trail.trails.page import own_step
from night_trail.trails.pictures import Desk, size_from
from night_trail.trails.rowlist import csv_pieces, row_page

HOVER = Size(360, 220, "beside")
MOST_VALUES = 200


def _desk(step: Step) -> Desk:
    return Desk(step.trail.version, step.scene_value())


@require_GET
def slot(request: HttpRequest, trail: int, step: int, slot: str) -> HttpResponse:
    """List the choices for a slot of the sentence."""
    found = own_step(request, trail, step)
    desk = _desk(found)
    context = {
        "choices": choices(slot, desk, found.trail.version.survey_value()),
        "slot": slot,
        "step": found,
        "question": desk.scene.main,
        "column": desk.table.column(desk.scene.main.column) if desk.scene.main else None,
    }
    return render(request, "trails/_choices.html", context)


@require_GET
def condition(request: HttpRequest, trail: int, step: int) -> HttpResponse:
    """Show the small form for a condition: first the columns, then the fields of one."""
    found = own_step(request, trail, step)
    desk = _desk(found)
    name = request.GET.get("column", "")
    context = {"step": found, "columns": desk.table.columns, "as": request.GET.get("as", "only")}
    if name:
        column = desk.table.column(name)
        context["column"] = column
        if column.kind.grouping:
            context["values"] = _values(desk, column.name)
    return render(request, "trails/_condition.html", context)


def _values(desk: Desk, name: str) -> list[tuple[str, int]]:
    """Return a category's values with their counts among the kept rows, most frequent first."""
    coded = desk.table.coded(name)
    codes = coded.codes if desk.rows.kept is None else coded.codes[desk.rows.kept]
    counts = np.bincount(codes + 1, minlength=len(coded.labels) + 1)[1:]
    order = np.argsort(-counts, kind="stable")[:MOST_VALUES]
    return [(coded.labels[i], int(counts[i])) for i in order if counts[i]]


@require_GET
def picture(request: HttpRequest, trail: int, step: int) -> HttpResponse:
    """Return the main picture alone, at the size a page has room for."""
    found = own_step(request, trail, step)
    desk = _desk(found)
    if desk.scene.main is None:
        raise Http404
    drawn = desk.drawn(desk.scene.main, size_from(request), "main", found.annotation_values())
    return HttpResponse(drawn.svg)


@require_GET
def figure(request: HttpRequest, trail: int, step: int) -> HttpResponse:
    """Return the picture as a file: small for the footpath, or whole to keep."""
    found = own_step(request, trail, step)
    desk = _desk(found)
    if desk.scene.main is None:
        raise Http404
    small = request.GET.get("small") == "1"
    chosen = theme(request)["theme"] if small else request.GET.get("theme", "day")
    chosen = chosen if chosen in ("night", "day") else "day"
    annotations = () if small else found.annotation_values()
    # a step never changes: what it is drawn from names the picture
    tag = f'"{key(desk.scene, *annotations)}-{found.trail.version_id}-{chosen}-{int(small)}"'
    if request.headers.get("If-None-Match") == tag:
        return HttpResponseNotModified()
    svg = desk.figure(HOVER if small else MAIN, chosen, annotations)
    response = HttpResponse(svg, content_type="image/svg+xml; charset=utf-8")
    response["ETag"] = tag
    response["Cache-Control"] = "private, no-cache"
    # opened by itself the file may style itself, and do nothing else
    response["Content-Security-Policy"] = "default-src 'none'; style-src 'unsafe-inline'"
    if not small:
        response["Content-Disposition"] = f'attachment; filename="{_file_name(found)}.svg"'
    return response


def _file_name(step: Step) -> str:
    """Return a name that is safe in a header whatever the table and trail are called."""
    plain = re.sub(r"[^A-Za-z0-9]+", "-", f"{step.trail.version.table} {step.label}").strip("-").lower()
    return plain[:80] or "night-trail"


@require_GET
def rows(request: HttpRequest, trail: int, step: int) -> HttpResponse:
    """Show a page of the rows behind the scene."""
    found = own_step(request, trail, step)
    number = request.GET.get("page", "1")
    page = row_page(
        _desk(found),
        request.GET.get("sort", ""),
        request.GET.get("down") == "1",
        int(number) if number.isascii() and number.isdigit() and len(number) < 10 else 1,
    )
    return render(
        request, "trails/_rows.html", {"step": found, "page": page, "table": found.trail.version.table}
    )


@require_GET
def rows_csv(request: HttpRequest, trail: int, step: int) -> HttpResponse | StreamingHttpResponse:
    """Return the rows behind the scene as a CSV file."""
    found = own_step(request, trail, step)
    response = StreamingHttpResponse(csv_pieces(_desk(found)), content_type="text/csv; charset=utf-8")
    response["Content-Disposition"] = f'attachment; filename="{_file_name(found)}.csv"'
    return response


MOST_NUMBERS = 500


def _figures(step: Step) -> Figures:
    desk = _desk(step)
    if desk.scene.main is None:
        raise Http404
    return figures_of(desk.answer(desk.scene.main))


@require_GET
def numbers(request: HttpRequest, trail: int, step: int) -> HttpResponse:
    """Show the numbers behind the main picture as a table."""
    found = own_step(request, trail, step)
    figures = _figures(found)
    shown = [
        [(number(f, 6), True) if isinstance(f, (int, float)) else (f or "—", False) for f in row]
        for row in figures.rows[:MOST_NUMBERS]
    ]
    hidden = len(figures.rows) - len(shown)
    return render(
        request,
        "trails/_numbers.html",
        {"step": found, "names": figures.names, "rows": shown, "hidden": hidden},
    )


@require_GET
def numbers_csv(request: HttpRequest, trail: int, step: int) -> HttpResponse:
    """Return the numbers behind the main picture as a CSV file."""
    found = own_step(request, trail, step)
    figures = _figures(found)
    response = HttpResponse(content_type="text/csv; charset=utf-8")
    response["Content-Disposition"] = f'attachment; filename="{_file_name(found)}-numbers.csv"'
    writer = csv.writer(response, lineterminator="\n")
    writer.writerow([neutral(name) for name in figures.names])
    writer.writerows([neutral(f) if isinstance(f, str) else f for f in row] for row in figures.rows)
    return response
