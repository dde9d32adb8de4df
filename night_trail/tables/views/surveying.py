"""The survey of a table: its columns, what is said of it, its recipe."""

from __future__ import annotations

from django.db import IntegrityError, transaction
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from night_trail.core.errors import NightTrailError
from night_trail.core.language.numbers import percent
from night_trail.core.recipe import decode_step
from night_trail.core.recipe.files import decode_recipe
from night_trail.core.survey import Survey, in_order
from night_trail.core.table import Kind, plural
from night_trail.draw.small.missing import draw_missing
from night_trail.draw.small.silhouette import draw_silhouette
from night_trail.tables import recipes, removal, uploads
from night_trail.tables.attached.words import attached_words
from night_trail.tables.calling import calling_of
from night_trail.tables.cells import cells_of
from night_trail.tables.models import Table
from night_trail.tables.services import core_table
from night_trail.tables.views import own_table, rights, seen_table, seen_version
from night_trail.web.asking import for_a_part, visitor
from night_trail.web.confirm import confirm_delete
from night_trail.web.writing import keep_texts, one_line

ORDERS = {"odd": "what is odd first", "position": "position in the file", "kind": "kind"}
MOST_SHOWN = 40


def survey_context(table: Table, order: str = "odd", sought: str = "", kind: str = "") -> dict[str, object]:
    """Return what a survey page shows."""
    version = table.latest
    found = version.survey_value()
    order = order if order in ORDERS else "odd"
    lines = [
        {
            "position": position,
            "profile": profile,
            "column": profile.column,
            "silhouette": draw_silhouette(profile.silhouette),
            "missing": _missing(profile.column.missing, found.height),
            "offers": [(at, offer) for at, offer in enumerate(profile.offers)],
        }
        for position, profile in in_order(found, order)
        if sought.lower() in profile.column.name.lower() and (not kind or profile.column.kind == kind)
    ]
    present = {p.column.kind for p in found.profiles}
    return {
        "table": table,
        "version": version,
        "survey": found,
        "called": calling_of(table),
        "lines": lines,
        "missing_share": percent(found.missing_share),
        "order": order,
        "orders": ORDERS,
        "sought": sought,
        "kind": kind,
        "kinds": [(k, sum(p.column.kind == k for p in found.profiles)) for k in Kind if k in present],
        "n_offers": _offers(found),
        "steps": list(enumerate(version.steps())),
        "together": draw_missing(found.together, found.height) if found.together else None,
        "attached": attached_words(version),
        "tab": "survey",
    }


def _offers(found: Survey) -> int:
    return sum(len(p.offers) for p in found.profiles) + sum(f.offer is not None for f in found.findings)


@require_GET
def survey(request: HttpRequest, pk: int) -> HttpResponse:
    """Show every column of a table in a line."""
    table = seen_table(request, pk)
    asked = request.GET
    context = survey_context(
        table, asked.get("order", "odd"), asked.get("sought", "")[:100], asked.get("kind", "")
    )
    context |= rights(request, table)
    context["others"] = Table.objects.filter(owner=visitor(request)).exclude(pk=pk).exists()
    return render(
        request, "tables/_survey_lines.html" if for_a_part(request) else "tables/survey.html", context
    )


def _missing(count: int, height: int) -> str:
    if not count:
        return "none missing"
    share = count / height
    return f"{percent(share)} missing" if share >= 0.01 else f"{count:,} missing"


@require_GET
def finding(request: HttpRequest, pk: int, at: int) -> HttpResponse:
    """Show the first rows that a line of the survey speaks of."""
    table = seen_table(request, pk)
    findings = table.latest.survey_value().findings
    if at >= len(findings) or not findings[at].rows:
        raise Http404
    core = core_table(table.latest)
    first = findings[at].columns
    columns = [core.column(n) for n in first if n in core]
    columns += [c for c in core.columns if c.name not in first][: MOST_SHOWN - len(columns)]
    rows = list(findings[at].rows)
    shown = [cells_of(c, core.series(c.name).gather(rows)) for c in columns]
    context = {
        "table": table,
        "finding": findings[at],
        **rights(request, table),
        "columns": columns,
        "rows": list(zip([r + 1 for r in rows], zip(*shown, strict=True), strict=True)),
        "tab": "survey",
    }
    return render(request, "tables/finding.html", context)


@require_POST
def step(request: HttpRequest, pk: int) -> HttpResponse:
    """Take a step of the recipe, as JSON."""
    table = own_table(request, pk)
    recipes.take_step(table, decode_step(request.POST.get("step", "")[:200_000]))
    back = request.POST.get("back", "")
    return redirect(back if back.startswith(f"/tables/{pk}/") else reverse("tables:survey", args=[pk]))


@require_POST
def take_back(request: HttpRequest, pk: int, at: int) -> HttpResponse:
    """Take a step of the recipe back."""
    table = own_table(request, pk)
    recipes.take_back(table, at, seen_version(request, table))
    return redirect("tables:survey", pk)


@require_POST
def use_recipe(request: HttpRequest, pk: int) -> HttpResponse:
    """Do to this table what an exported recipe did to another."""
    table = own_table(request, pk)
    uploaded = uploads.files_of(request).get("recipe")
    if uploaded is None or (uploaded.size or 0) > 1_000_000:
        raise NightTrailError("No recipe was chosen", "", "Choose a recipe.json of at most 1 MB.")
    steps = recipes.rebound(request.user, decode_recipe(uploaded.read()).steps)
    recipes.change(table, lambda now: [*now, *steps])
    return redirect("tables:survey", pk)


@require_POST
def rename(request: HttpRequest, pk: int) -> HttpResponse:
    """Give a table another name, or say what one row is."""
    table = own_table(request, pk)
    name = one_line(request.POST.get("name", table.name))[:200]
    noun = one_line(request.POST.get("noun", table.noun_one))[:50].lower()
    if not name or not noun:
        raise NightTrailError("A name cannot be empty", "", "Write one.")
    try:
        with transaction.atomic():
            now = keep_texts(request, table, {"name": name, "noun_one": noun})
            if now.noun_one == noun:
                Table.objects.filter(pk=pk).update(noun_many=plural(noun))
    except IntegrityError:
        raise NightTrailError(f"Another table is called “{name}”", "", "Choose another name.") from None
    return redirect("tables:survey", pk)


@require_http_methods(["GET", "POST"])
def delete(request: HttpRequest, pk: int) -> HttpResponse:
    """Delete a table after asking; its trails and the stops of tales that show it go too."""
    table = own_table(request, pk)

    return confirm_delete(
        request,
        table,
        what=f"the table {table.name}",
        also="Its trails go with it, and so do the stops of tales that show it.",
        back=reverse("tables:survey", args=[pk]),
        then="tables:home",
        tab="tables",
        remove=lambda: removal.remove(table),
    )
