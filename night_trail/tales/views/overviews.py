"""Overviews: drafted from a table, changed by hand."""

from __future__ import annotations

from typing import Any

import msgspec
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect
from django.views.decorators.http import require_POST
from msgspec.structs import replace

from night_trail.core.conditions import Condition, toggle
from night_trail.core.conditions import check as check_condition
from night_trail.core.errors import NightTrailError
from night_trail.core.hand import LARGEST_KEY, real, whole
from night_trail.core.language.conditions import from_words
from night_trail.core.overview import MOST_TILES, Overview, Tile, changed, choices_of, draft, free_id, tidy
from night_trail.core.question import Question, Scene, decode
from night_trail.core.questions.registry import check
from night_trail.core.table import Table as CoreTable
from night_trail.core.turns import Say
from night_trail.core.turns import turn as core_turn
from night_trail.people.models import Role
from night_trail.tables.models import Table
from night_trail.tables.services import core_table
from night_trail.tales.deeds import deed
from night_trail.tales.models import Stop, Tale
from night_trail.tales.services import add_stop
from night_trail.tales.views.writing import must_vary, stop_of, visible_cairns, writable, written
from night_trail.trails.models import StartingPoint
from night_trail.trails.pictures import Desk
from night_trail.trails.rewalk import fits
from night_trail.trails.services import start_trail
from night_trail.trails.starting import keep, scenes_of
from night_trail.web.asking import for_a_part, visitor

MOST_JSON = 60_000
STEPS: dict[str, tuple[str, int]] = {
    "left": ("x", -1), "right": ("x", 1), "up": ("y", -3), "down": ("y", 3),
    "narrower": ("w", -1), "wider": ("w", 1), "lower": ("h", -1), "higher": ("h", 1),
}  # fmt: skip


@require_POST
def begin_tale(request: HttpRequest, table: int) -> HttpResponse:
    """Begin a tale of one stop: an overview of a table, or of one of its columns."""
    found = get_object_or_404(Table.objects.visible_to(request.user, Role.EXPLORE), pk=table)
    overview, heading = _drafted(request, found)
    tale = Tale.objects.create(owner=visitor(request), title=heading)
    _stop(request, tale, found, overview, heading)
    return redirect("tales:write", tale.pk)


@require_POST
def begin_stop(request: HttpRequest, tale: int) -> HttpResponse:
    """Put an overview of a table behind the other stops."""
    found = writable(request, tale)
    pk = whole(request.POST.get("table", ""), LARGEST_KEY)
    table = get_object_or_404(Table.objects.visible_to(request.user, Role.EXPLORE), pk=pk)
    overview, heading = _drafted(request, table)
    with deed(found, request.user, f"added {heading}"):
        stop = _stop(request, found, table, overview, heading)
    return redirect("tales:stop", found.pk, stop.pk)


@require_POST
def begin_from(request: HttpRequest, table: int, point: int) -> HttpResponse:
    """Begin a tale of one stop from an overview that was kept by name."""
    visible = Table.objects.visible_to(request.user, Role.EXPLORE)
    found = get_object_or_404(visible, pk=table)
    kept = get_object_or_404(StartingPoint, pk=point, table__in=visible)
    overview = kept.overview_value()
    if overview is None:
        raise NightTrailError("This starting point is no overview", kept.name, "Begin it as a trail.")
    rows = core_table(found.latest)
    for scene in scenes_of(kept):
        fits(scene, rows)
    tale = Tale.objects.create(owner=visitor(request), title=kept.name)
    _stop(request, tale, found, overview, kept.name)
    return redirect("tales:write", tale.pk)


def _drafted(request: HttpRequest, table: Table) -> tuple[Overview, str]:
    of = request.POST.get("of", "") or None
    desk = Desk(table.latest, Scene())
    return draft(desk.rows, of), f"{of or table.name} at a glance"[:200]


def _stop(request: HttpRequest, tale: Tale, table: Table, overview: Overview, heading: str) -> Stop:
    stop = add_stop(tale, None)
    stop.step = start_trail(visitor(request), table)
    stop.heading = heading
    stop.overview = msgspec.to_builtins(overview)
    stop.save()
    return stop


@require_POST
def tile(request: HttpRequest, tale: int, stop: int) -> HttpResponse:
    """Change an overview: its pictures and their places, what is lit in all, what readers may choose."""
    found = stop_of(request, tale, stop)
    must_vary(request, found)
    overview = found.overview_value()
    if overview is None or found.step is None:
        raise NightTrailError("This stop is no overview", "", "Reload the page.")
    version = found.step.trail.version
    if request.POST.get("keep_as"):
        assert version.table is not None  # noqa: S101  (a trail's version is complete)
        kept = msgspec.to_builtins(overview)
        keep(version.table, visitor(request), request.POST["keep_as"], overview=kept)
        return _shown(request, found)
    table = core_table(version)
    with deed(found.tale, request.user, _said(request)):
        # as it now is: two clicks in one moment both count
        found.refresh_from_db(fields=["overview"])
        found.overview = msgspec.to_builtins(_changed(request, found.overview_value() or overview, table))
        found.save(update_fields=["overview"])
    return _shown(request, found)


def _shown(request: HttpRequest, stop: Stop) -> HttpResponse:
    if for_a_part(request):
        return written(request, stop.tale_id, stop.pk)
    return redirect("tales:stop", stop.tale_id, stop.pk)


def _said(request: HttpRequest) -> str:
    """Return what a form does to an overview, for its undo."""
    post = request.POST
    moves = {
        "away": "took a picture away",
        "heading": "named a picture",
        "large": "showed a figure otherwise",
    }
    if "tile" in post:
        return moves.get(post.get("move", ""), "moved a picture")
    said = {
        "light": "lit rows",
        "out": "put the lantern out",
        "allow": "changed what readers may choose",
        "only": "changed what all pictures keep",
    }
    return next((words for field, words in said.items() if field in post), "put a picture on")


def _changed(  # noqa: C901  (one case a form)
    request: HttpRequest, overview: Overview, table: CoreTable
) -> Overview:
    post = request.POST
    if post.get("light"):
        rows: Condition = decode(post["light"][:MOST_JSON], Condition, "condition")
        check_condition(rows, table)
        return replace(overview, lit=toggle(overview.lit, rows) if post.get("add") else rows)
    if post.get("out"):
        return replace(overview, lit=None)
    if post.get("allow"):
        chips = tuple(n for n in post.getlist("chip")[:8] if choices_of(table.column(n), table))
        return replace(overview, chips=chips)
    if "only" in post:
        words = post["only"].strip()
        only: tuple[Condition, ...] = (from_words(words, table),) if words else ()
        for one in only:
            check_condition(one, table)
        return replace(overview, only=only)
    if post.get("words") or post.get("cairn"):
        return _with(overview, *_asked(request, table))
    tiles = list(overview.tiles)
    at = next((i for i, one in enumerate(tiles) if one.id == post.get("tile")), None)
    if at is None:
        raise NightTrailError("This picture is not there any more", "", "Reload the page.")
    move = post.get("move", "")
    if move == "away":
        del tiles[at]
        return replace(overview, tiles=tidy(tiles))
    if move == "heading":
        heading = " ".join(post.get("heading", "").split())[:120]
        typed = post.get("target", "").strip()
        target = real(typed.replace(",", ""), "target") if typed else None
        tiles[at] = replace(tiles[at], heading=heading, target=target)
        return replace(overview, tiles=tuple(tiles))
    if move == "large":
        tiles[at] = replace(tiles[at], large=not tiles[at].large, h=6 if tiles[at].large else 2)
        return replace(overview, tiles=tidy(tiles))
    return replace(overview, tiles=_placed(tiles, at, move, post))


def _placed(tiles: list[Tile], at: int, move: str, post: Any) -> tuple[Tile, ...]:
    one = tiles[at]
    if move in STEPS:
        field, by = STEPS[move]
        return changed(tiles, one.id, **{field: getattr(one, field) + by})
    to = {field: found for field in "xywh" if (found := whole(post.get(field, ""), 99)) is not None}
    if not to:
        raise NightTrailError("There is no such move", "", "Reload the page.")
    return changed(tiles, one.id, **to)


def _asked(request: HttpRequest, table: CoreTable) -> tuple[Question, tuple[Condition, ...]]:
    """Return the picture that was said in words, or that a cairn was left at."""
    if words := request.POST.get("words", "").strip():
        scene, _ = core_turn(Scene(), Say(words[:500], ""), table)
    else:
        pk = whole(request.POST.get("cairn", ""), LARGEST_KEY)
        scene = get_object_or_404(visible_cairns(request), pk=pk).step.scene_value()
    if scene.main is None:
        raise NightTrailError("There is no picture in that", "", "Say what is to be seen.")
    check(scene.main, table)
    for one in scene.only:
        check_condition(one, table)
    return scene.main, scene.only


def _with(overview: Overview, question: Question, only: tuple[Condition, ...]) -> Overview:
    if len(overview.tiles) >= MOST_TILES:
        raise NightTrailError(f"An overview has at most {MOST_TILES} pictures", "", "Take one away first.")
    below = max((one.y + one.h for one in overview.tiles), default=0)
    made = Tile(free_id(overview.tiles), question, y=min(below, 46), w=6, h=6, only=only)
    return replace(overview, tiles=tidy((*overview.tiles, made)))
