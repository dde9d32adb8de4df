"""Tables that belong together: joining and stacking."""

from __future__ import annotations

from typing import Any, cast

from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_http_methods

from night_trail.core.errors import NightTrailError
from night_trail.core.language.numbers import counted, listed
from night_trail.core.recipe.bundles import ALIKE
from night_trail.core.recipe.joining import join_facts, likely_keys
from night_trail.core.recipe.stacking import stack_facts
from night_trail.core.recipe.steps import Join, JoinHow, Stack
from night_trail.draw.small.join import draw_join
from night_trail.tables import recipes
from night_trail.tables.models import Table
from night_trail.tables.services import core_table
from night_trail.tables.views import own_table
from night_trail.web.asking import for_a_part

HOW = {"left": "keep every row", "inner": "keep only rows with a match", "full": "keep all rows of both"}
MOST_KEYS = 4
MOST_COMPARED = 12


def _others(table: Table) -> list[Table]:
    """Return the owner's other tables, those of the same bundle first."""
    found = Table.objects.filter(owner=table.owner).exclude(pk=table.pk)
    return sorted(found, key=lambda t: (t.bundle_id is None or t.bundle_id != table.bundle_id, t.name))


def _likeliest(table: Table, others: list[Table]) -> Table | None:
    """Return the table a join is likeliest with: one whose rows the best key names once.

    Tables that are parts of this one, stacked already or to be stacked, come last.
    """
    left = core_table(table.latest)
    taken = recipes.met(table.latest.steps())
    first = [
        t
        for t in others[:MOST_COMPARED]
        if recipes.reference(t) not in taken and stack_facts([left, core_table(t.latest)]).alike() < ALIKE
    ]
    if not first:
        return others[0] if others else None
    keys = [(t, likely_keys(left, core_table(t.latest))) for t in first]
    best = max(keys, key=lambda k: (k[1][0].right_unique, k[1][0].score) if k[1] else (False, 0.0))
    return best[0]


@require_http_methods(["GET", "POST"])
def join(request: HttpRequest, pk: int) -> HttpResponse:
    """Choose a table and a key, see what a join would do, and do it."""
    table = own_table(request, pk)
    others = _others(table)
    asked = request.POST if request.method == "POST" else request.GET
    other = next((t for t in others if str(t.pk) == asked.get("with", "")), None) or _likeliest(table, others)
    context: dict[str, Any] = {"table": table, "others": others, "other": other, "hows": HOW, "tab": "survey"}
    if other is None:
        return render(request, "tables/join.html", context)
    left, right = core_table(table.latest), core_table(other.latest)
    keys = likely_keys(left, right)
    pairs = [(a, b) for a, b in zip(asked.getlist("left"), asked.getlist("right"), strict=False) if a and b][
        :MOST_KEYS
    ]
    chosen_with = asked.get("was", str(other.pk))
    if chosen_with != str(other.pk) or (not pairs and keys):
        pairs = list(keys[0].on) if keys else []
    how = cast(JoinHow, asked.get("how", "left") if asked.get("how") in HOW else "left")
    gather = asked.get("gather") == "on"
    columns = tuple(c for c in asked.getlist("column") if c in right)
    on = tuple(pairs)
    if request.method == "POST":
        if not columns and not gather:
            raise NightTrailError("No column to join is chosen", "", "Tick at least one.")
        step = Join(recipes.reference(other), other.name, on, how, columns, gather)
        recipes.take_step(table, step)
        return redirect("tables:survey", pk)
    context |= {
        "keys": keys,
        "pairs": [*pairs, ("", "")] if pairs and len(pairs) < MOST_KEYS else pairs or [("", "")],
        "left_columns": left.columns,
        "right_columns": [c for c in right.columns if c.name not in {b for _, b in pairs}],
        "right_all": right.columns,
        "chosen_columns": columns,
        "how": how,
        "gather": gather,
    }
    if pairs:
        try:
            facts = join_facts(left, right, on)
            context |= {
                "facts": facts,
                "drawing": draw_join(facts, table.name, other.name),
                "key_words": listed([b for _, b in pairs]),
                "warning": _warning(table, other, facts, how),
                "repeated": listed(list(facts.repeated[:4])),
            }
            context["height"] = (facts.gathered_heights if gather else facts.heights)[how]
        except NightTrailError as error:
            context["error"] = str(error)
    return render(request, "tables/_join.html" if for_a_part(request) else "tables/join.html", context)


def _warning(table: Table, other: Table, facts: Any, how: JoinHow) -> str:
    """Return what a join that multiplies rows would count twice, in words."""
    if not facts.multiplies():
        return ""
    many = counted(facts.left_many, table.noun_one, table.noun_many)
    text = (
        f"{many} would stand up to {facts.most:,} times, once for each matching row of {other.name}: "
        f"{counted(facts.left_rows, 'row')} would become {facts.heights[how]:,}."
    )
    if facts.doubled:
        text += f" Sums of {listed(list(facts.doubled[:4]))} would count them again each time."
    return text


@require_http_methods(["GET", "POST"])
def stack(request: HttpRequest, pk: int) -> HttpResponse:
    """Choose tables with like columns, see how they differ, and put their rows below."""
    table = own_table(request, pk)
    others = _others(table)
    asked = request.POST if request.method == "POST" else request.GET
    chosen = [t for t in others if str(t.pk) in asked.getlist("with")]
    if request.method == "POST":
        if not chosen:
            raise NightTrailError("No table is chosen", "", "Choose at least one.")
        source = " ".join(asked.get("source", "").split())[:200]
        step = Stack(tuple(recipes.reference(t) for t in chosen), tuple(t.name for t in chosen), source)
        recipes.take_step(table, step)
        return redirect("tables:survey", pk)
    core = core_table(table.latest)
    context: dict[str, Any] = {"table": table, "chosen": chosen, "tab": "survey"}
    context["others"] = [
        (t, round(100 * stack_facts([core, core_table(t.latest)]).alike())) for t in others[:60]
    ]
    if chosen:
        facts = stack_facts([core, *(core_table(t.latest) for t in chosen)])
        context |= {
            "facts": facts,
            "differences": facts.differences(),
            "height": sum(facts.heights),
            "names": [table.name, *(t.name for t in chosen)],
        }
    return render(request, "tables/_stack.html" if for_a_part(request) else "tables/stack.html", context)
