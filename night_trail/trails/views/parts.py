"""Parts of the desk that are fetched when they are wanted: lists, pictures, rows."""

from __future__ import annotations

import csv
import hashlib

from django.conf import settings
from django.http import (
    Http404,
    HttpRequest,
    HttpResponse,
    HttpResponseNotModified,
    JsonResponse,
    StreamingHttpResponse,
)
from django.shortcuts import render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST
from msgspec.structs import replace

from night_trail.core.conditions import Condition, check
from night_trail.core.errors import NightTrailError
from night_trail.core.language.numbers import number
from night_trail.core.likeness import like_row, this_row
from night_trail.core.question import decode, key
from night_trail.core.questions.place.question import Place
from night_trail.core.questions.registry import figures_of, sentence
from night_trail.core.questions.shared.figures import Figures
from night_trail.core.questions.shared.slot_forms import FORMS
from night_trail.core.textbook import all_figures
from night_trail.core.turns import Change, Light
from night_trail.draw import BESIDE, MAIN, Size, touched
from night_trail.draw.png import png
from night_trail.draw.small.stems import draw_stems
from night_trail.jobs.work import go_on, stop
from night_trail.people.context import theme
from night_trail.tables.cells import neutral
from night_trail.trails.behind import behind
from night_trail.trails.choices import choices
from night_trail.trails.choices import preview as small_picture
from night_trail.trails.models import Step
from night_trail.trails.page import desk_of, listed, numbers_shown, step_for, went_on
from night_trail.trails.pictures import Desk, size_from
from night_trail.trails.rowlist import View, csv_pieces, row_page, spoken_of
from night_trail.trails.services import take_turn
from night_trail.trails.views import naming
from night_trail.trails.whole import counts_behind
from night_trail.web.downloads import download

TITLES = {"breakdown": "Break the lit rows down"}
"""What stands over the list of a slot, where its sentence does not say it."""

HOVER = Size(360, 220, "beside")
PROGRAM = max(path.stat().st_mtime_ns for path in settings.PACKAGE.rglob("*.py"))
"""When the program was last changed: pictures kept by a browser are those of one program."""


@require_GET
def slot(request: HttpRequest, trail: int, step: int, slot: str) -> HttpResponse:
    """List the choices for a slot of the sentence."""
    found = step_for(request, trail, step)
    desk = desk_of(found)
    if slot == "else" and desk.scene.main is not None:
        addable = sentence(desk.scene.main, desk.table, desk.answer(desk.scene.main)).addable
        return listed(request, found, "trails/_more.html", {"addable": addable})
    if slot == "column-of":
        return naming.part(request, trail, step)
    asked, form = desk.scene.main, FORMS.get(slot)
    context = {
        "choices": choices(slot, desk, found.trail.version.survey_value()),
        "slot": slot,
        "title": TITLES.get(slot, ""),
        "entries": form.entries(asked, desk.table) if form is not None and asked is not None else (),
        "button": form.button if form is not None else "",
        "doors": _doors(slot, found),
    }
    return listed(request, found, "trails/_choices.html", context)


def _doors(slot: str, step: Step) -> list[dict[str, str]]:
    """Return what else opens from the list of a slot."""
    where = [step.trail_id, step.pk]
    if slot == "aggregate":
        return [
            {
                "text": "name a measure…",
                "address": reverse("trails:measure", args=where),
                "target": "#popover",
            }
        ]
    if slot in ("at", "areas", "drawn_on") or (
        slot == "shape" and isinstance(step.scene_value().main, Place)
    ):
        own = reverse("trails:own-areas", args=where)
        doors = [{"text": "areas of your own…", "hint": "GeoJSON", "address": own, "target": "#popover"}]
        plan = reverse("trails:own-plans", args=where)
        return [
            *doors,
            {"text": "a plan of your own…", "hint": "image", "address": plan, "target": "#popover"},
        ]
    if slot == "breakdown":
        rows = reverse("trails:rows", args=where)
        return [{"text": "down to the rows", "hint": "one by one", "address": rows, "target": "#drawer"}]
    return []


@require_GET
def preview(request: HttpRequest, trail: int, step: int) -> HttpResponse:
    """Return the small picture of a choice that takes a while to draw; nothing is kept of it."""
    desk = desk_of(step_for(request, trail, step))
    asked = request.GET.get("change")
    return HttpResponse(small_picture(desk, decode(asked, Change, "turn")) if asked else "")


@require_POST
def work(request: HttpRequest, trail: int, step: int) -> HttpResponse:
    """Stop the work behind the main picture, or take it up again."""
    found = step_for(request, trail, step)
    desk = desk_of(found)
    how = None if desk.scene.main is None else behind(desk.scene.main)
    pictures = [q for q in (desk.scene.main, *desk.scene.beside) if q is not None]
    if counting := counts_behind(desk.version, pictures, desk.rows):
        for job in counting:
            (go_on if request.POST.get("go") else stop)(job)
        return went_on(request, found)
    if how is None or desk.scene.main is None:
        raise NightTrailError("No work goes on behind this picture", "", "Reload the page.")
    (go_on if request.POST.get("go") else stop)(desk.work_behind(how, desk.scene.main))
    return went_on(request, found)


@require_GET
def picture(request: HttpRequest, trail: int, step: int) -> HttpResponse:
    """Return the main picture alone, at the size a page has room for."""
    found = step_for(request, trail, step)
    desk = desk_of(found)
    if desk.scene.main is None:
        raise Http404
    drawn = desk.drawn(desk.scene.main, size_from(request), "main", found.annotation_values())
    return HttpResponse(drawn.svg)


@require_GET
def figure(request: HttpRequest, trail: int, step: int) -> HttpResponse:
    """Return the picture as an SVG file: small for the footpath, or whole to keep."""
    small = request.GET.get("small") == "1"
    return _file(request, step_for(request, trail, step), "small" if small else "svg")


@require_GET
def figure_png(request: HttpRequest, trail: int, step: int) -> HttpResponse:
    """Return the picture as a PNG file, twice as large as on the page."""
    return _file(request, step_for(request, trail, step), "png")


def _file(request: HttpRequest, step: Step, form: str) -> HttpResponse:
    desk = Desk(step.trail.version, step.scene_value(), glanced=form == "small")
    if desk.scene.main is None:
        raise Http404
    small = form == "small"
    chosen = theme(request)["theme"] if small else request.GET.get("theme", "day")
    chosen = chosen if chosen in ("night", "day") else "day"
    annotations = () if small else step.annotation_values()
    # a step never changes; what things are called may, and how they are drawn
    names = repr((desk.table.name, desk.table.row_noun, sorted(desk.table.measures.items()), PROGRAM))
    drawn_from = hashlib.sha256(names.encode()).hexdigest()[:16]
    tag = f'"{key(desk.scene, *annotations)}-{step.trail.version_id}-{drawn_from}-{chosen}-{form}"'
    if request.headers.get("If-None-Match") == tag:
        return HttpResponseNotModified()
    svg = desk.figure(HOVER if small else MAIN, chosen, annotations)
    if form == "png":
        response = HttpResponse(png(svg), content_type="image/png")
    else:
        response = HttpResponse(svg, content_type="image/svg+xml; charset=utf-8")
        # opened by itself the file may style itself, and do nothing else
        response["Content-Security-Policy"] = "default-src 'none'; style-src 'unsafe-inline'"
    # a forecast of groups is another in a moment
    if getattr(desk.answer(desk.scene.main), "pending", None) is None:
        response["ETag"] = tag
    response["Cache-Control"] = "private, no-cache"
    if not small:
        download(response, called(step), form)
    return response


def called(step: Step, what: str = "") -> str:
    """Return the words that name files of a step."""
    return f"{step.trail.version.table} {step.label} {what}"


@require_GET
def rows(request: HttpRequest, trail: int, step: int) -> HttpResponse:
    """Show a page of the rows behind the scene."""
    found = step_for(request, trail, step)
    desk = desk_of(found)
    page = row_page(desk, View.of(request.GET, desk))
    return render(
        request,
        "trails/_rows.html",
        {"step": found, "page": page, "table": found.trail.version.table, "part": desk.table.part_words},
    )


@require_POST
def row(request: HttpRequest, trail: int, step: int) -> HttpResponse:
    """Light one row, or the rows like it."""
    found = step_for(request, trail, step)
    desk = desk_of(found)
    text = request.POST.get("at", "")
    at = int(text) if text.isascii() and text.isdigit() and len(text) < 12 else -1
    if request.POST.get("as") == "like":
        names = spoken_of(desk) or [c.name for c in desk.table.columns]
        condition = like_row(desk.table, names, at)
    else:
        condition = this_row(desk.table, at)
    return went_on(request, take_turn(found, Light(condition)))


@require_GET
def rows_csv(request: HttpRequest, trail: int, step: int) -> HttpResponse | StreamingHttpResponse:
    """Return the rows behind the scene as a CSV file."""
    found = step_for(request, trail, step)
    response = StreamingHttpResponse(csv_pieces(desk_of(found)), content_type="text/csv; charset=utf-8")
    return download(response, called(found), "csv")


MOST_NUMBERS = 500
MOST_POINTED = 4_000


def _figures(step: Step) -> Figures:
    desk = desk_of(step)
    if desk.scene.main is None:
        raise Http404
    return figures_of(desk.answer(desk.scene.main))


@require_GET
def numbers(request: HttpRequest, trail: int, step: int) -> HttpResponse:
    """Show the numbers behind the main picture as a table."""
    found = step_for(request, trail, step)
    shown = numbers_shown(_figures(found), MOST_NUMBERS)
    return render(request, "trails/_numbers.html", {"step": found} | shown)


@require_GET
def numbers_csv(request: HttpRequest, trail: int, step: int) -> HttpResponse:
    """Return the numbers behind the main picture as a CSV file."""
    found = step_for(request, trail, step)
    figures = _figures(found)
    response = HttpResponse(content_type="text/csv; charset=utf-8")
    download(response, called(found, "numbers"), "csv")
    writer = csv.writer(response, lineterminator="\n")
    writer.writerow([neutral(name) for name in figures.names])
    writer.writerows([neutral(f) if isinstance(f, str) else f for f in row] for row in figures.rows)
    return response


@require_GET
def figures(request: HttpRequest, trail: int, step: int) -> HttpResponse:
    """Show all figures of the main picture: spreads, tests, lines with their errors."""
    found = step_for(request, trail, step)
    desk = desk_of(found)
    if desk.scene.main is None:
        raise Http404
    parts = [
        (
            part.title,
            [(line.label, "—" if line.value is None else number(line.value, 7)) for line in part.lines],
            draw_stems(part.likeness.by_lag, part.likeness.chance) if part.likeness else None,
        )
        for part in all_figures(desk.answer(desk.scene.main), desk.rows)
    ]
    rows = desk.table.rows_in_words(desk.rows.n)
    return render(request, "trails/_figures.html", {"step": found, "parts": parts, "rows": rows})


@require_GET
def figures_csv(request: HttpRequest, trail: int, step: int) -> HttpResponse:
    """Return all figures of the main picture as a CSV file, with all their digits."""
    found = step_for(request, trail, step)
    desk = desk_of(found)
    if desk.scene.main is None:
        raise Http404
    response = HttpResponse(content_type="text/csv; charset=utf-8")
    download(response, called(found, "figures"), "csv")
    writer = csv.writer(response, lineterminator="\n")
    writer.writerow(["of", "figure", "value"])
    for part in all_figures(desk.answer(desk.scene.main), desk.rows):
        writer.writerows([neutral(part.title), neutral(line.label), line.value] for line in part.lines)
    return response


@require_GET
def same_rows(request: HttpRequest, trail: int, step: int) -> JsonResponse:
    """Say which marks of the pictures on the desk hold rows of a mark that is pointed at; nothing is kept."""
    found = step_for(request, trail, step)
    text = request.GET.get("rows", "")
    if len(text) > MOST_POINTED:
        return JsonResponse({"marks": []})
    rows: Condition = decode(text, Condition, "condition")
    scene = found.scene_value()
    desk = Desk(found.trail.version, replace(scene, lit=rows))
    check(rows, desk.table)
    pictures = [(f"b{i}", BESIDE, question) for i, question in enumerate(scene.beside)]
    if scene.main is not None and request.GET.get("from") != "main":
        pictures.append(("main", size_from(request), scene.main))
    marks = [
        mark
        for prefix, size, question in pictures
        if prefix != request.GET.get("from")
        for mark in touched(desk.answer(question), desk.table, size, prefix)
    ]
    return JsonResponse({"marks": marks})
