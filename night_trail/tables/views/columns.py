"""A column's own page, and new columns: calculated, or found from examples."""

from __future__ import annotations

from typing import Any

import numpy as np
import polars as pl
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from night_trail.core.errors import NightTrailError
from night_trail.core.hand import whole
from night_trail.core.recipe.apply import apply, calculated
from night_trail.core.recipe.example import by_example
from night_trail.core.recipe.offers import spelling_clusters
from night_trail.core.recipe.sql import Compiled, compile_sql, completions, quoted
from night_trail.core.recipe.sql_words import FUNCTIONS, BadExpression
from night_trail.core.recipe.steps import Calculate, ReadAs
from night_trail.core.table import Column, Kind, as_text
from night_trail.core.table import Table as CoreTable
from night_trail.draw.small.silhouette import draw_silhouette
from night_trail.tables import recipes
from night_trail.tables.cells import cells_of
from night_trail.tables.forms import PARTS, VALUES_SHOWN, step_from
from night_trail.tables.services import core_table
from night_trail.tables.views import own_column, own_table, rights

PREVIEW_ROWS = 8
EXAMPLE_ROWS = 8


@require_GET
def column(request: HttpRequest, pk: int, at: int) -> HttpResponse:
    """Show everything about one column, and what can be done to it."""
    table, version, core = own_column(request, pk, at)
    found = core.columns[at]
    profile = version.survey_value().profiles[at]
    cells = core.series(found.name)
    is_words = not found.kind.measured and found.kind != Kind.YES_NO
    has_values = is_words and 1 < found.distinct <= 1_000
    context = {
        "table": table,
        "version": version,
        **rights(request, table),
        "at": at,
        "column": found,
        "profile": profile,
        "remedies": [offer for offer in profile.offers if not offer.look],
        "silhouette": draw_silhouette(profile.silhouette, 320, 60),
        "failed": [(row + 1, text) for row, text in found.failed_cells],
        "examples": list(as_text(cells.drop_nulls().head(2_000).unique(maintain_order=True).head(8))),
        "kinds": list(Kind),
        "clusters": list(enumerate(spelling_clusters(cells)))[:100]
        if is_words and found.distinct <= 3_000
        else [],
        "values": _values(core, found)[:VALUES_SHOWN] if has_values else [],
        "ordered": "\n".join(core.coded(found.name).labels[:1_000]) if has_values else "",
        "parts": [
            p for p in PARTS if found.kind == Kind.DATETIME or p not in ("hour", "time of day", "date")
        ],
        "quoted": quoted(found.name),
        "is_words": is_words,
        "tab": "survey",
    }
    return render(request, "tables/column.html", context)


def _values(core: CoreTable, found: Column) -> list[tuple[str, int]]:
    coded = core.coded(found.name)
    counts = np.bincount(coded.codes + 1, minlength=len(coded.labels) + 1)[1:]
    order = np.argsort(-counts, kind="stable")
    return [(coded.labels[i], int(counts[i])) for i in order if counts[i]]


@require_POST
def change(request: HttpRequest, pk: int, at: int, action: str) -> HttpResponse:
    """Do to a column what a form of its page asks for."""
    table, seen, core = own_column(request, pk, at)
    name = core.columns[at].name
    step = step_from(action, request.POST, core, name)
    if isinstance(step, ReadAs) and not request.POST.get("sure") and (lossy := _lossy(step, core)):
        return render(
            request,
            "tables/lossy.html",
            {"table": table, "version": seen, "at": at, "tab": "survey", **lossy},
        )
    version = recipes.take_step(table, step)
    names = [c.name for c in version.column_list()]
    kept = request.POST.get("name", name) if action == "describe" else name
    if action in ("split", "cut", "gather", "leave") or kept not in names:
        return redirect("tables:survey", pk)
    return redirect("tables:column", pk, names.index(kept))


FEW_LOST, LOST = 3, 0.01
"""So many cells, or so large a part of them, may become missing by another kind without being asked."""


def _lossy(step: ReadAs, core: CoreTable) -> dict[str, Any]:
    """Return what becomes of the cells read as another kind, where more than a few would be lost."""
    before = core.column(step.column)
    after = apply([step], core).table()
    column = after.column(step.column)
    present, lost = core.height - before.missing, column.missing - before.missing
    if lost <= max(FEW_LOST, LOST * present):
        return {}
    cells = as_text(after.series(step.column).drop_nulls().head(5)).to_list()
    return {
        "name": step.column,
        "kind": step.kind,
        "unit": step.unit,
        "was": before.kind,
        "present": present,
        "lost": lost,
        "examples": column.failed_examples[:3],
        "kept": cells,
    }


@require_POST
def sums(request: HttpRequest, pk: int, at: int) -> HttpResponse:
    """Say from the survey whether a column is summed, and stay there."""
    table, _, core = own_column(request, pk, at)
    recipes.take_step(table, step_from("describe", request.POST, core, core.columns[at].name))
    return redirect(f"{reverse('tables:survey', args=[pk])}#column-{at}")


@require_http_methods(["GET", "POST"])
def calculate(request: HttpRequest, pk: int) -> HttpResponse:
    """Write a calculated column; what is wrong with it is said beside it."""
    table = own_table(request, pk)
    core = core_table(table.latest)
    asked = request.POST if request.method == "POST" else request.GET
    name, sql = " ".join(asked.get("name", "").split())[:200], asked.get("sql", "")
    context: dict[str, Any] = {
        "table": table,
        "name": name,
        "sql": sql,
        "completions": completions(core),
        "functions": FUNCTIONS,
        "columns": core.columns,
        "tab": "survey",
    }
    status = 200
    if request.method == "POST":
        try:
            if not name:
                raise NightTrailError("The column has no name", "", "Give it one.")
            compile_sql(sql, core)
            version = recipes.take_step(table, Calculate(name, sql.strip()))
            return redirect(reverse("tables:survey", args=[pk]) + f"#column-{len(version.columns) - 1}")
        except BadExpression as error:
            context |= _marked(sql, error)
            status = 422
        except NightTrailError as error:
            context["error"] = str(error)
            status = 422
    if "result" not in context and "error" not in context:
        context |= _result(sql, core)
    example = asked.get("column", "")
    if example and example in core:
        context |= _example_rows(core, example)
    return render(request, "tables/calculate.html", context, status=status)


@require_POST
def calculate_preview(request: HttpRequest, pk: int) -> HttpResponse:
    """Show what an expression gives, on the rows that matter; nothing is changed."""
    core = core_table(own_table(request, pk).latest)
    return render(request, "tables/_calculated.html", _result(request.POST.get("sql", ""), core))


def _result(sql: str, core: CoreTable) -> dict[str, Any]:
    if not sql.strip():
        return {"empty": True}
    try:
        compiled = compile_sql(sql, core)
        cells = compiled.compute(core)
        typed = calculated("result", cells, compiled.value.type)
    except BadExpression as error:
        return _marked(sql, error)
    inputs = [core.column(n) for n in compiled.columns]
    rows, failing = _rows_that_matter(core, compiled, cells)
    result = Column(name="result", kind=typed.kind)
    shown = [cells_of(c, core.series(c.name).gather(rows)) for c in inputs]
    results = cells_of(result, typed.cells.gather(rows)) if rows else []
    return {
        "result": typed.kind,
        "inputs": inputs,
        "rows": [
            (row + 1, [column[i] for column in shown], results[i], row in failing)
            for i, row in enumerate(rows)
        ],
        "missing": cells.null_count(),
        "height": core.height,
        "failing": len(failing) > 0,
    }


def _rows_that_matter(core: CoreTable, compiled: Compiled, cells: pl.Series) -> tuple[list[int], set[int]]:
    """Return rows to show: where nothing came out of something, the ends, and the first."""
    present = pl.Series([True]).new_from_index(0, core.height)
    for name in compiled.columns:
        present = present & core.series(name).is_not_null()
    failing = (cells.is_null() & present).arg_true().head(3).to_list()
    ends: list[int] = []
    if cells.dtype.is_numeric() and cells.null_count() < len(cells):
        ends = [i for i in (cells.arg_min(), cells.arg_max()) if i is not None]
    rows = list(
        dict.fromkeys([*failing, *range(min(3, core.height)), *ends, *range(core.height)[:PREVIEW_ROWS]])
    )
    return rows[:PREVIEW_ROWS], set(failing)


def _marked(sql: str, error: BadExpression) -> dict[str, Any]:
    """Return an error with the place in the expression it points at."""
    if error.start is None or error.end is None:
        return {"error": str(error)}
    return {
        "error": str(error),
        "before": sql[: error.start],
        "marked": sql[error.start : error.end] or " ",
        "after": sql[error.end :],
    }


def _example_rows(core: CoreTable, name: str) -> dict[str, Any]:
    """Return rows of a column to type wanted results beside: the first different ones."""
    texts = as_text(core.series(name)).head(5_000)
    frame = pl.DataFrame({"row": pl.Series(range(len(texts)), dtype=pl.Int64), "text": texts})
    rows = frame.drop_nulls().unique("text", keep="first", maintain_order=True).head(EXAMPLE_ROWS).rows()
    return {"example": name, "example_rows": rows}


@require_POST
def example(request: HttpRequest, pk: int) -> HttpResponse:
    """Find the expression that gives the results somebody typed beside rows."""
    table = own_table(request, pk)
    core = core_table(table.latest)
    name = request.POST.get("column", "")
    wanted = {
        row: text
        for told, text in zip(request.POST.getlist("row"), request.POST.getlist("wanted"), strict=False)
        if (row := whole(told, core.height)) is not None
    }
    found = by_example(core, name, wanted)
    results = [(sql, _result(sql, core)) for sql in found[:3]]
    return render(
        request,
        "tables/_examples.html",
        {"table": table, "results": results, "name": request.POST.get("name", "")},
    )
