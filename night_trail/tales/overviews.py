"""An overview drawn: every picture on the rows that all of them keep, and what a reader chose."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from django.http import QueryDict
from msgspec.structs import replace

from night_trail.core.conditions import Condition
from night_trail.core.errors import NightTrailError
from night_trail.core.hand import whole
from night_trail.core.language.conditions import in_words
from night_trail.core.overview import (
    Chosen,
    Large,
    Overview,
    Tile,
    choices_of,
    heading_of,
    large_of,
    narrowed,
    turned,
)
from night_trail.core.question import Scene
from night_trail.core.questions.over_time.question import OverTime
from night_trail.core.questions.registry import figures_of
from night_trail.core.questions.shared.figures import Figures
from night_trail.core.questions.shared.measure_slots import measure_words
from night_trail.core.sentence import scene_in_words
from night_trail.core.table import Table
from night_trail.draw import Size
from night_trail.draw.frame.svg import Svg
from night_trail.tables.models import Version
from night_trail.trails.pictures import Desk

COLUMN, NARROW, ROW, GAP, HEAD = 84, 42, 44, 14, 44
"""Pixels of a column as it is read and as it is written, of a row, between them, and over a picture."""

HISTORY = Size(150, 40, "thumb")


@dataclass(frozen=True)
class Shown:
    """A tile as a page shows it."""

    tile: Tile
    heading: str
    sentence: str
    svg: Svg | str
    large: Large | None
    figures: Figures | None
    error: str = ""


def chosen_from(asked: QueryDict) -> Chosen:
    """Return what a reader chose in an address."""
    values: dict[int, str] = {}
    for name in asked:
        at = whole(name.removeprefix("narrow-"), 20) if name.startswith("narrow-") else None
        if at is not None and asked[name]:
            values[at] = str(asked[name])
    return Chosen(values, whole(asked.get("measure", ""), 20) or 0, whole(asked.get("by", ""), 20) or 0)


def chosen_query(chosen: Chosen) -> str:
    """Return what a reader chose as the query of an address."""
    query = QueryDict(mutable=True)
    for at, value in chosen.values.items():
        query[f"narrow-{at}"] = value
    if chosen.measure:
        query["measure"] = str(chosen.measure)
    if chosen.group:
        query["by"] = str(chosen.group)
    return query.urlencode()


def shown(
    version: Version,
    overview: Overview,
    chosen: Chosen,
    lit: Condition | None,
    prefix: str,
    reads: bool = False,
) -> list[Shown]:
    """Return the pictures of an overview; one that cannot be drawn says why, and the others stand."""
    table = Desk(version, Scene()).table
    more = narrowed(overview, chosen, table)
    found = []
    for tile in overview.tiles:
        asked = replace(tile, question=turned(tile.question, overview, chosen, table))
        found.append(_shown(asked, (*overview.only, *tile.only, *more), lit, version, prefix, reads))
    return found


def _shown(
    tile: Tile,
    only: tuple[Condition, ...],
    lit: Condition | None,
    version: Version,
    prefix: str,
    reads: bool,
) -> Shown:
    scene = Scene(main=tile.question, only=only, lit=lit)
    desk = Desk(version, scene, reads=reads)
    heading = heading_of(tile)
    try:
        answer = desk.answer(tile.question)
        sentence = scene_in_words(scene, desk.table, answer)
        if tile.large:
            large = large_of(tile, desk.rows)
            history: Svg | str = ""
            if isinstance(tile.question, OverTime):
                history = desk.drawn(tile.question, HISTORY, f"{prefix}{tile.id}").svg
            return Shown(tile, heading, sentence, history, large, figures_of(answer))
        wide = tile.w * (COLUMN if reads else NARROW) + (tile.w - 1) * GAP
        high = tile.h * ROW + (tile.h - 1) * GAP - HEAD
        svg = desk.drawn(tile.question, Size(wide, max(high, 100), "beside"), f"{prefix}{tile.id}").svg
        return Shown(tile, heading, sentence, svg, None, figures_of(answer))
    except NightTrailError as error:
        return Shown(tile, heading, "", "", None, None, str(error))


def chips_of(overview: Overview, chosen: Chosen, table: Table) -> list[dict[str, Any]]:
    """Return what a reader may choose: values of columns, which measure, which grouping."""
    found: list[dict[str, Any]] = []
    for at, name in enumerate(overview.chips):
        column = table.column(name)
        now = chosen.values.get(at, "")
        options = [("", "all", not now)] + [(v, v, v == now) for v in choices_of(column, table)]
        label = "period" if column.kind.temporal else name
        found.append({"name": f"narrow-{at}", "label": label, "options": options})
    if len(overview.measures) > 1:
        words = [measure_words(m, table).removeprefix("the ") for m in overview.measures]
        options = [(str(i) if i else "", w, i == chosen.measure) for i, w in enumerate(words)]
        found.append({"name": "measure", "label": "show", "options": options})
    if len(overview.groups) > 1:
        options = [(str(i) if i else "", g, i == chosen.group) for i, g in enumerate(overview.groups)]
        found.append({"name": "by", "label": "by", "options": options})
    return found


def kept_words(overview: Overview, table: Table) -> str:
    """Return what all pictures keep, in words."""
    return "; ".join(in_words(one, table) for one in overview.only)
