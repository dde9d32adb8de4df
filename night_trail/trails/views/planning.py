"""A plan of one's own, brought beside a picture, and the page on which groups are placed on it."""

from __future__ import annotations

from typing import Any
from urllib.parse import urlencode

from django.core.files.uploadedfile import UploadedFile
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.http import require_http_methods

from night_trail.core.errors import NightTrailError
from night_trail.core.hand import number_in
from night_trail.core.language.numbers import number
from night_trail.core.measure import Measure
from night_trail.core.questions.place.question import Place
from night_trail.core.questions.place.sentence import on_plan
from night_trail.core.questions.registry import kind_of
from night_trail.core.questions.shared.grouping import makes_groups
from night_trail.core.table import Table
from night_trail.core.turns import See
from night_trail.tables import uploads
from night_trail.tables.models import OwnPlan, Placing
from night_trail.tables.plans import bring_plan, draft_of, drawn_as_placed, put, take_off
from night_trail.trails.models import Step
from night_trail.trails.page import desk_of, listed, may_explore, step_for
from night_trail.trails.services import take_turn
from night_trail.web.asking import for_a_part
from night_trail.web.pixels import MOST_BYTES, refused

MOST_LISTED = 200
WIDE = 1000
"""What lies over the plan is drawn on so many units across (``plan.html``)."""


@require_http_methods(["GET", "POST"])
def plans(request: HttpRequest, trail: int, step: int) -> HttpResponse:
    """Ask for a plan and whose groups stand on it, or keep the picture that was brought."""
    found = step_for(request, trail, step)
    desk = desk_of(found)
    able = [c.name for c in desk.table.columns if makes_groups(c) and not c.kind.measured]
    if request.method == "GET":
        main = desk.scene.main
        context = {
            "columns": able,
            "present": main.across if main is not None else "",
            "plans": _plans(found),
        }
        return listed(request, found, "trails/_own_plan.html", context)
    column = desk.table.column(request.POST.get("column", "")).name
    if column not in able:
        raise NightTrailError(f"“{column}” has no groups to be placed", "", "Choose another column.")
    file, known = uploads.files_of(request).get("plan"), request.POST.get("known", "")
    if known and not isinstance(file, UploadedFile):
        plan = _plan(found, known)
    elif isinstance(file, UploadedFile):
        if (file.size or 0) > MOST_BYTES:
            raise refused(f"it has more than {MOST_BYTES // 1_000_000} MB")
        plan = bring_plan(_table(found), file.read(), file.name or "plan")
    else:
        raise NightTrailError("No plan was chosen", "", "Choose a PNG, a JPEG or an SVG.")
    address = _address(found, plan, column)
    if for_a_part(request):
        # a page of its own, not a part of this one
        response = HttpResponse()
        response["HX-Redirect"] = address
        return response
    return redirect(address)


@require_http_methods(["GET", "POST"])
def placing(request: HttpRequest, trail: int, step: int, plan: str) -> HttpResponse:
    """Show a plan with the groups of a column, or place one of them, take it off, or draw by it."""
    found = step_for(request, trail, step)
    if not may_explore(request, found.trail):
        raise Http404
    table, kept = desk_of(found).table, _plan(found, plan)
    column = table.column((request.POST or request.GET).get("column", "")).name
    draft = draft_of(kept, column)
    if request.method == "GET":
        return render(request, "trails/plan.html", _page(request, found, draft, table))
    what = request.POST.get("do", "put")
    if what == "draw":
        return _drawn(found, draft, table)
    label = request.POST.get("label", "")
    if label not in table.coded(column).labels and label not in draft.places:
        raise NightTrailError("No group was chosen", "", "Choose one of the list first.")
    if what == "off":
        take_off(draft, label)
    else:
        put(draft, label, *_spot(request, draft))
    return redirect(_address(found, draft.plan, column, request.POST.get("find", "")) + "#plan")


def _spot(request: HttpRequest, draft: Placing) -> tuple[float, float]:
    """Return the share of the plan that was pointed at, or written by hand."""
    picture = draft.plan.picture()
    x, y = (number_in(request.POST, f"at.{axis}") for axis in "xy")
    if request.POST.get("do") == "write" or x is None or y is None:
        x, y = (number_in(request.POST, name) for name in ("left", "top"))
        if x is None or y is None:
            raise NightTrailError("No place is given", "", "Point at the plan, or write how far in it lies.")
        return x / 100, y / 100
    width = number_in(request.POST, "wide") or float(picture.width)
    return x / width, y * picture.width / (width * picture.height)


def _drawn(step: Step, draft: Placing, table: Table) -> HttpResponse:
    """Go on to the picture of the groups as they stand now."""
    key = drawn_as_placed(draft)
    main = step.scene_value().main
    if isinstance(main, Place):
        asked = on_plan(main, key, draft.column, table)
    else:
        gist = None if main is None else kind_of(main).gist(main, table)
        asked = Place((gist and gist.measure) or Measure("count"), (draft.column,), drawn_on=key)
    after = take_turn(step, See(asked))
    return redirect(reverse("trails:step", args=[after.trail_id, after.pk]))


def _page(request: HttpRequest, step: Step, draft: Placing, table: Table) -> dict[str, Any]:
    coded = table.coded(draft.column)
    wanted = request.GET.get("find", "")
    labels = [label for label in coded.labels if wanted.lower() in label.lower()]
    waiting = [label for label in labels if label not in draft.places]
    picture = draft.plan.picture()
    high = WIDE * picture.height / picture.width
    standing = [
        {"label": label, "left": number(100 * x, 4), "top": number(100 * y, 4), "x": WIDE * x, "y": high * y}
        for label, (x, y) in draft.places.items()
    ]
    return {
        "step": step,
        "plan": draft.plan,
        "picture": picture,
        "high": high,
        "column": draft.column,
        "groups": len(coded.labels),
        "waiting": waiting[:MOST_LISTED],
        "more": max(len(waiting) - MOST_LISTED, 0),
        "standing": standing,
        "find": wanted,
        "chosen": request.GET.get("label", "") or (waiting[0] if waiting else ""),
    }


def _table(step: Step) -> Any:
    table = step.trail.version.table
    assert table is not None  # noqa: S101  (a trail's version is complete)
    return table


def _plan(step: Step, key: str) -> OwnPlan:
    found = OwnPlan.objects.filter(table=_table(step), key=key).first()
    if found is None:
        raise Http404
    return found


def _plans(step: Step) -> list[tuple[str, str]]:
    return [(one.key, one.picture().name) for one in OwnPlan.objects.filter(table=_table(step))]


def _address(step: Step, plan: OwnPlan, column: str, find: str = "") -> str:
    where = {"column": column} | ({"find": find} if find else {})
    return f"{reverse('trails:placing', args=[step.trail_id, step.pk, plan.key])}?{urlencode(where)}"
