"""Giving a name: to lit rows, as a group; to a measure. Both are then offered in every slot."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.views.decorators.http import require_http_methods, require_POST

from night_trail.core.errors import NightTrailError
from night_trail.core.language.conditions import in_words
from night_trail.core.questions.compare.question import Compare
from night_trail.core.questions.decomposition.question import Decomposition
from night_trail.core.questions.shared.measure_slots import plain_words
from night_trail.tables.services import core_table, forget_measure, name_measure
from night_trail.trails.models import Step
from night_trail.trails.page import listed, step_for, went_on
from night_trail.trails.services import keep_part, name_group


def _of_own_table(request: HttpRequest, trail: int, step: int) -> Step:
    """Return a step of a trail on the visitor's own table: what is named here, everybody sees in it."""
    found = step_for(request, trail, step)
    table = found.trail.version.table
    if table is None or table.owner_id != request.user.pk:
        raise NightTrailError("Only the owner of the table can add to it", "", "Ask them.")
    return found


@require_http_methods(["GET", "POST"])
def group(request: HttpRequest, trail: int, step: int) -> HttpResponse:
    """Ask for a name for the lit rows, and make it a yes/no column."""
    found = _of_own_table(request, trail, step)
    if request.method == "POST":
        return went_on(request, name_group(found, request.POST.get("name", "")))
    lit = found.scene_value().lit
    words = in_words(lit, core_table(found.trail.version)) if lit is not None else ""
    return listed(request, found, "trails/_group.html", {"lit": words})


@require_http_methods(["GET", "POST"])
def part(request: HttpRequest, trail: int, step: int) -> HttpResponse:
    """Ask which part of the series taken apart becomes a column, and under what name."""
    found = _of_own_table(request, trail, step)
    if request.method == "POST":
        return went_on(request, keep_part(found, request.POST.get("part", ""), request.POST.get("name", "")))
    main = found.scene_value().main
    about = main.column if isinstance(main, Decomposition) else ""
    return listed(request, found, "trails/_part.html", {"about": about})


@require_http_methods(["GET", "POST"])
def measure(request: HttpRequest, trail: int, step: int) -> HttpResponse:
    """Ask for a name for a measure in words, and keep it for the table."""
    found = _of_own_table(request, trail, step)
    table = found.trail.version.table
    assert table is not None  # noqa: S101  (a trail's version is complete)
    if request.method == "POST":
        name_measure(
            table,
            core_table(found.trail.version),
            request.POST.get("name", ""),
            request.POST.get("words", ""),
        )
        return went_on(request, found)
    core, main = core_table(found.trail.version), found.scene_value().main
    words = plain_words(main.measure, core) if isinstance(main, Compare) else ""
    named = [(name, plain_words(m, core)) for name, m in core.measures.items()]
    return listed(request, found, "trails/_measure.html", {"words": words, "named": named})


@require_POST
def forget(request: HttpRequest, trail: int, step: int) -> HttpResponse:
    """Forget the name of a measure; pictures that show it keep it in words."""
    found = _of_own_table(request, trail, step)
    table = found.trail.version.table
    assert table is not None  # noqa: S101  (a trail's version is complete)
    forget_measure(table, request.POST.get("name", ""))
    return went_on(request, found)
