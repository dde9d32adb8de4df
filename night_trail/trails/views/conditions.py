"""Conditions: searched for among all values, filled in on one column, put in words."""

from __future__ import annotations

import numpy as np
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET

from night_trail.core.errors import BadQuestion
from night_trail.core.language.conditions import in_words
from night_trail.core.question import to_json
from night_trail.core.questions.spread.answer import first_question
from night_trail.core.search import search
from night_trail.core.table import Column
from night_trail.core.turns import Light, Only
from night_trail.draw import Size, draw
from night_trail.trails.page import desk_of, listed, step_for
from night_trail.trails.pictures import Desk

MOST_VALUES = 200
SHOWN = Size(300, 84, "beside")


@require_GET
def condition(request: HttpRequest, trail: int, step: int) -> HttpResponse:
    """Show the small form for a condition: first the search and the columns, then the fields of one."""
    found = step_for(request, trail, step)
    desk = desk_of(found)
    name = request.GET.get("column", "")
    context: dict[str, object] = {
        "step": found,
        "columns": desk.table.columns,
        "as": request.GET.get("as", "only"),
    }
    if name:
        column = desk.table.column(name)
        context["column"] = column
        if column.kind.measured:
            context["picture"] = draw(desk.answer(first_question(column)), desk.table, SHOWN, "behind")
        elif column.kind.grouping:
            context["values"] = _values(desk, column)
            context["more"] = max(0, column.distinct - MOST_VALUES)
    return listed(request, found, "trails/_condition.html", context)


def _values(desk: Desk, column: Column) -> list[tuple[str, int]]:
    """Return a category's values with their counts among the kept rows, most frequent first."""
    coded = desk.table.coded(column.name)
    codes = coded.codes if desk.rows.kept is None else coded.codes[desk.rows.kept]
    counts = np.bincount(codes + 1, minlength=len(coded.labels) + 1)[1:]
    order = np.argsort(-counts, kind="stable")[:MOST_VALUES]
    return [(coded.labels[i], int(counts[i])) for i in order if counts[i]]


@require_GET
def found(request: HttpRequest, trail: int, step: int) -> HttpResponse:
    """List the conditions that what was typed may mean, from the values of all columns."""
    here = step_for(request, trail, step)
    desk = desk_of(here)
    light = request.GET.get("as") == "light"
    text = request.GET.get("q", "")[:200]
    hits = search(text, desk.rows)
    lines = [
        {"words": hit.words, "rows": hit.rows, "post": to_json((Light if light else Only)(hit.condition))}
        for hit in hits
    ]
    return render(request, "trails/_found.html", {"step": here, "lines": lines, "text": text.strip()})


@require_GET
def reword(request: HttpRequest, trail: int, step: int, position: int) -> HttpResponse:
    """Show a condition of the filter in words, to be written otherwise."""
    here = step_for(request, trail, step)
    desk = desk_of(here)
    if position >= len(desk.scene.only):
        raise BadQuestion("There is no such condition any more", "", "Reload the page.")
    words = in_words(desk.scene.only[position], desk.table)
    return listed(request, here, "trails/_reword.html", {"position": position, "words": words})
