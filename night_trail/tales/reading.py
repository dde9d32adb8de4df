"""What a reader has before them at a stop: the scene as written, narrowed, lit and played as they chose."""

from __future__ import annotations

from dataclasses import dataclass

from django.http import HttpRequest

from night_trail.core.conditions import Condition, toggle
from night_trail.core.hand import whole
from night_trail.core.overview import Chosen, Overview, narrowed
from night_trail.core.playing import MOST_FRAMES
from night_trail.core.question import Question, Scene
from night_trail.core.questions.registry import kind_of
from night_trail.core.table import Table as CoreTable
from night_trail.draw import Size
from night_trail.tables.models import Version
from night_trail.tables.services import core_table
from night_trail.tales.models import Stop
from night_trail.tales.overviews import chosen_from
from night_trail.tales.reach import Reach, opened, refused
from night_trail.trails.pictures import Desk
from night_trail.trails.playing import at_period


@dataclass(frozen=True)
class Reading:
    """A stop's scene as it was written and as its reader has it; ``plays`` says whether they play it."""

    written: Scene
    desk: Desk
    offered: Overview
    chosen: Chosen
    plays: bool

    @property
    def changed(self) -> bool:
        """Whether it is lit or narrowed otherwise than it was written."""
        scene = self.desk.scene
        return scene.lit != self.written.lit or scene.only != self.written.only


def reading(request: HttpRequest, stop: Stop, beat: int, size: Size) -> Reading | None:
    """Return what a reader has before them; None for a stop without a picture.

    What they took is in the address; whatever reaches further than what is drawn,
    or to fewer rows than the writer allows, is refused.
    """
    if stop.step is None or (written := stop.shown_scene(beat)).main is None:
        return None
    version = stop.step.trail.version
    played = _at_period(request, written, stop, version)
    chosen, table = chosen_from(request.GET), core_table(version)
    chips = offered(stop, written.main, table)
    only = (*played.only, *narrowed(chips, chosen, table))
    narrow = Scene(main=written.main, only=only, lit=written.lit, plays=played.plays)
    lit = _readers_lantern(request, Desk(version, narrow, reads=True), stop, size)
    desk = Desk(version, Scene(main=written.main, only=only, lit=lit, plays=played.plays), reads=True)
    if lit != written.lit and 0 < desk.rows.n_lit < stop.tale.least_lit:
        raise refused()
    if chosen.values and 0 < desk.rows.n < stop.tale.least_lit:
        raise refused()
    return Reading(written, desk, chips, chosen, played is not written)


def _at_period(request: HttpRequest, written: Scene, stop: Stop, version: Version) -> Scene:
    """Return the scene of a stop at the period that its reader plays to; as it was written where none is."""
    at = whole(request.GET.get("play", ""), MOST_FRAMES) if written.plays is not None else None
    if at is None:
        return written
    found = at_period(Desk(version, written, reads=True), at)
    if Desk(version, found, reads=True).rows.n < stop.tale.least_lit:
        raise refused()
    return found


def offered(stop: Stop, question: Question, table: CoreTable) -> Overview:
    """Return the columns that readers may narrow a picture by, as an overview has them.

    Of a picture with a model none: each choice would fit another.
    """
    if kind_of(question).modelled:
        return Overview()
    there = {column.name for column in table.columns}
    return Overview(chips=tuple(name for name in stop.chips if name in there))


def _readers_lantern(request: HttpRequest, desk: Desk, stop: Stop, size: Size) -> Condition | None:
    """Return what is lit: as the writer left it, or by what the reader took of the picture."""
    lit, asked = desk.scene.lit, request.GET
    if "now" in asked:
        lit = opened(asked["now"], stop.pk)
    if asked.get("out") == "1":
        return None
    if any(asked.get(name) for name in ("light", "add", "range")) and desk.scene.main is not None:
        reach = Reach(str(desk.drawn(desk.scene.main, size, "main").svg), desk.table)
        if asked.get("light"):
            lit = reach.lit(asked["light"])
        if asked.get("add"):
            added = reach.lit(asked["add"])
            # by what it adds to many, a mark of few would be told apart
            if 0 < desk.rows.relit(added).n_lit < stop.tale.least_lit:
                raise refused()
            lit = toggle(lit, added)
        if asked.get("range"):
            lit = reach.swept(asked["range"])
    return lit
