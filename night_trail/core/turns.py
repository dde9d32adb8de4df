"""Turns: every change of a scene is a pure function from scene to scene.

A turn also says in a few words what changed; that is its label on the trail.
"""

from __future__ import annotations

import math
from typing import Annotated, Any

import msgspec
from msgspec.structs import replace

from night_trail.core.breakdown import down
from night_trail.core.conditions import Between, Condition, Text, check, iso, toggle
from night_trail.core.errors import BadQuestion
from night_trail.core.language.conditions import in_words, parts_from_words
from night_trail.core.measure import Name
from night_trail.core.moments import DAY, FIRST, HOUR, LAST, GrainName
from night_trail.core.playing import started, still_plays, whole
from night_trail.core.question import Descent, Question, Scene, decode, to_json
from night_trail.core.questions import registry as answers
from night_trail.core.questions import ways as slots
from night_trail.core.questions.over_time.question import OverTime
from night_trail.core.questions.place.question import Place
from night_trail.core.questions.registry import sentence, short_name
from night_trail.core.questions.relate.question import Relate
from night_trail.core.questions.spread.answer import first_question
from night_trail.core.questions.spread.question import Bins
from night_trail.core.scenes import added, cleared, only_lit, without_lit, zoomed_out
from night_trail.core.structs import looked_through
from night_trail.core.table import Table
from night_trail.core.words_in.readings import meant, rows_meant

MOST_LEVELS = 12


class OneBack(BadQuestion):
    """One step back was asked for: a scene knows of none, a trail does."""


class _Turn(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True, tag_field="turn"):
    """Shared settings of all turns."""


class See(_Turn, frozen=True, tag="see"):
    """Show this picture as the main one."""

    question: Question


class SeeColumn(_Turn, frozen=True, tag="see column"):
    """Show how a column is spread, in the shape that fits it best."""

    column: Text


class Say(_Turn, frozen=True, tag="say"):
    """Show what was typed in the word box; ``reading`` is the key of the one that was chosen of several."""

    words: Annotated[str, msgspec.Meta(min_length=1, max_length=500)]
    reading: Annotated[str, msgspec.Meta(max_length=40)] = ""


class Slot(_Turn, frozen=True, tag="slot"):
    """Put another choice into a slot of the sentence."""

    slot: str
    value: str | Bins | None = None


class Light(_Turn, frozen=True, tag="light"):
    """Light these rows; ``add`` keeps what is lit and adds (or takes away) them."""

    rows: Condition
    add: bool = False


class LightRange(_Turn, frozen=True, tag="light range"):
    """Light the rows between two places on a column's axis (dates in seconds).

    ``grain`` is the length of one pixel: ends are rounded to what a hand can aim at.
    """

    column: Text
    low: float
    high: float
    grain: float = 0.0
    add: bool = False


class PutOut(_Turn, frozen=True, tag="put out"):
    """Put the lantern out."""


class KeepLit(_Turn, frozen=True, tag="keep lit"):
    """Keep only the lit rows."""


class SetAside(_Turn, frozen=True, tag="set aside"):
    """Take the lit rows out of sight."""


class Only(_Turn, frozen=True, tag="only"):
    """Keep only the rows that meet one more condition."""

    rows: Condition


class OnlyWords(_Turn, frozen=True, tag="only words"):
    """Keep only, or light, the rows that a typed phrase names."""

    words: Annotated[str, msgspec.Meta(min_length=1, max_length=500)]
    light: bool = False


class Reword(_Turn, frozen=True, tag="reword"):
    """Put a typed phrase in the place of one condition of the filter."""

    position: int
    words: Annotated[str, msgspec.Meta(min_length=1, max_length=500)]


class BreakDown(_Turn, frozen=True, tag="break down"):
    """Go down into the lit rows: keep only them, and ask the same across another column."""

    by: Text


class StepUp(_Turn, frozen=True, tag="step up"):
    """Come up again to the picture a group was a mark of; ``level`` counts from 0, the outermost."""

    level: int


class Zoom(_Turn, frozen=True, tag="zoom"):
    """Zoom into a part of a relation, (low, high) along the horizontal, then the upright axis, or out."""

    window: tuple[float, float, float, float] | None = None


class ClearAll(_Turn, frozen=True, tag="clear all"):
    """Lift every condition and put the lantern out."""


class Drop(_Turn, frozen=True, tag="drop"):
    """Lift one condition of the filter."""

    position: int


class Beside(_Turn, frozen=True, tag="beside"):
    """Put a picture beside the main one (the main one itself where none is given)."""

    question: Question | None = None


class TakeAway(_Turn, frozen=True, tag="take away"):
    """Take a picture beside away."""

    position: int


class Alike(_Turn, frozen=True, tag="alike"):
    """Draw all pictures of one thing on the same scale, or each on its own."""

    on: bool


class Swap(_Turn, frozen=True, tag="swap"):
    """Swap a picture beside with the main one."""

    position: int


class Play(_Turn, frozen=True, tag="play"):
    """Play the main picture through a time, or stand at a period by its place; ``off`` plays no more."""

    time: Name | None = None
    grain: GrainName | None = None
    at: int | None = None
    off: bool = False


Change = (
    See
    | SeeColumn
    | Say
    | Slot
    | Light
    | LightRange
    | PutOut
    | KeepLit
    | SetAside
    | Only
    | OnlyWords
    | Reword
    | BreakDown
    | StepUp
    | ClearAll
    | Zoom
    | Drop
    | Beside
    | TakeAway
    | Alike
    | Play
    | Swap
)


def turn(scene: Scene, change: Change, table: Table) -> tuple[Scene, str]:
    """Return the scene after a change, and the change in a few words.

    Raises
    ------
    BadQuestion
        Where the change does not fit the scene or the table; the scene stands.
    """
    after, label = _turned(scene, change, table)
    after = still_plays(after)
    for question in (after.main, *after.beside):
        if question is not None:
            answers.check(question, table)
    for condition in (*after.only, after.lit):
        if condition is not None:
            check(condition, table)
    # a constructor does not check bounds: what could not be read again must not become a step
    decode(to_json(after), Scene, "picture")
    return after, label


def _turned(scene: Scene, change: Change, table: Table) -> tuple[Scene, str]:  # noqa: C901  (one case a turn)
    match change:
        case See(question):
            return replace(scene, main=question), str(sentence(question, table))
        case SeeColumn(column):
            question = first_question(table.column(column))
            return replace(scene, main=question), short_name(question)
        case Say(words, key):
            reading = meant(words, table, scene, key)
            if reading.do == "back":
                raise OneBack("There is no step before this one", "", "Say what to look at.")
            return reading.scene, reading.label or said_in_short(words)
        case Slot(slot, value):
            return _slot(scene, slot, value, table)
        case BreakDown(by):
            return _down(scene, by, table)
        case StepUp(level):
            _must_hold(scene.within, level, "level")
            up = scene.within[level]
            left = [lower.rows for lower in scene.within[level:]]
            only = tuple(c for c in scene.only if c not in left)
            after = replace(scene, main=up.above, only=only, within=scene.within[:level], lit=up.rows)
            return after, f"up to {short_name(up.above)}"
        case Zoom(window):
            if not isinstance(scene.main, OverTime | Relate | Place):
                raise BadQuestion("Only points, places and lines over time can be zoomed into", "", "")
            if window is None:
                return zoomed_out(scene), "zoomed out"
            if isinstance(scene.main, OverTime):
                return replace(scene, main=replace(scene.main, window_at=window[:2])), "zoomed in"
            return replace(scene, main=replace(scene.main, window=_aimed(window))), "zoomed in"
        case Beside(question):
            return _beside(scene, question)
        case TakeAway(position):
            _must_hold(scene.beside, position, "picture beside")
            beside = scene.beside[:position] + scene.beside[position + 1 :]
            return replace(scene, beside=beside), f"away: {short_name(scene.beside[position])}"
        case Alike(on):
            return replace(scene, alike=on), "on the same scales" if on else "each on its own scale"
        case Play(time, grain, at, off):
            return (whole(scene), "plays no more") if off else started(scene, table, time, grain, at)
        case Swap(position):
            _must_hold(scene.beside, position, "picture beside")
            main = scene.beside[position]
            back = (scene.main,) if scene.main else ()
            beside = scene.beside[:position] + back + scene.beside[position + 1 :]
            return replace(scene, main=main, beside=beside), f"swapped: {short_name(main)}"
        case _:
            return _narrowed(scene, change, table)


def _narrowed(scene: Scene, change: Any, table: Table) -> tuple[Scene, str]:  # noqa: C901  (one case a turn)
    """Return the scene after a change of the lantern or of the filter."""
    match change:
        case Light(rows, add):
            lit = toggle(scene.lit, rows) if add else rows
            return _lit(scene, lit, table)
        case LightRange():
            rows = range_condition(change, table)
            return _lit(scene, toggle(scene.lit, rows) if change.add else rows, table)
        case PutOut():
            return replace(scene, lit=None), "lantern out"
        case KeepLit():
            lit = _must_be_lit(scene)
            return only_lit(scene, lit), f"only {in_words(lit, table)}"
        case SetAside():
            lit = _must_be_lit(scene)
            return without_lit(scene, lit), f"set aside: {in_words(lit, table)}"
        case Only(rows):
            return replace(scene, only=added(scene.only, rows)), f"only {in_words(rows, table)}"
        case OnlyWords(words, light):
            rows = rows_meant(words, table)
            if light:
                return _lit(scene, rows, table)
            return replace(scene, only=added(scene.only, rows)), f"only {in_words(rows, table)}"
        case Drop(position):
            _must_hold(scene.only, position, "condition")
            gone = scene.only[position]
            only = scene.only[:position] + scene.only[position + 1 :]
            within = tuple(level for level in scene.within if level.rows != gone)
            return replace(scene, only=only, within=within), f"no longer only {in_words(gone, table)}"
        case Reword(position, words):
            _must_hold(scene.only, position, "condition")
            gone = scene.only[position]
            others = scene.only[:position] + scene.only[position + 1 :]
            new = tuple(c for c in parts_from_words(words, table) if c not in others)
            only = scene.only[:position] + new + scene.only[position + 1 :]
            within = tuple(level for level in scene.within if level.rows != gone or gone in new)
            return replace(scene, only=only, within=within), f"only {said_in_short(words)}"
        case ClearAll():
            return cleared(scene), "all conditions lifted"
        case _:
            raise TypeError(f"no such turn: {change!r}")


def _aimed(window: tuple[float, float, float, float]) -> tuple[float, float, float, float] | None:
    """Return the ends of a part rounded to what a hand can aim at: a thousandth of its width."""
    if not all(math.isfinite(at) for at in window):
        return None
    found = []
    for low, high in (window[:2], window[2:]):
        places = 3 - math.floor(math.log10(high - low)) if high > low else 12
        found += [round(low, places), round(high, places)]
    return found[0], found[1], found[2], found[3]


def _down(scene: Scene, by: str, table: Table) -> tuple[Scene, str]:
    rows = _must_be_lit(scene)
    if scene.main is None:
        raise BadQuestion("There is no picture to go down from", "", "Choose a column first.")
    if len(scene.within) >= MOST_LEVELS:
        raise BadQuestion(f"{MOST_LEVELS} levels are the deepest", "", "Come up again, or look at the rows.")
    main = down(scene.main, by, table)
    level = Descent(rows, scene.main)
    after = replace(scene, main=main, only=added(scene.only, rows), lit=None, within=(*scene.within, level))
    return after, f"into {in_words(rows, table)}, by {by}"


def range_condition(change: LightRange, table: Table) -> Between:
    """Return the range a hand drew, its ends rounded to what a hand can aim at."""
    column = table.column(change.column)
    if not column.kind.measured:
        raise BadQuestion(f"“{column.name}” is {column.kind}, so it has no range", table.name)
    ends = sorted((change.low, change.high))
    if not all(math.isfinite(end) for end in ends):
        raise BadQuestion("The range has no ends", column.name, "Draw it again.")
    if column.kind.temporal:
        step = DAY if column.kind == "date" or change.grain > HOUR else 60.0
        low, high = (round(end / step) * step for end in ends)
        high = max(high, low + step)
        if low < FIRST or high > LAST:
            raise BadQuestion("The range lies outside the calendar", column.name, "Draw it again.")
        return Between(column.name, iso(low, column.kind), iso(high, column.kind))
    places = -math.floor(math.log10(change.grain)) if change.grain > 0 else 12
    low, high = (round(end, places) for end in ends)
    return Between(column.name, low, high if high > low else low + 10.0**-places)


def _slot(scene: Scene, slot: str, value: Any, table: Table) -> tuple[Scene, str]:
    if scene.main is None:
        raise BadQuestion("There is no picture yet", "", "Choose a column first.")
    question, label = slots.changed(scene.main, slot, value, table, scene.lit)
    return replace(scene, main=question), label


def _lit(scene: Scene, lit: Condition | None, table: Table) -> tuple[Scene, str]:
    return replace(scene, lit=lit), f"lit: {in_words(lit, table)}" if lit is not None else "lantern out"


def _beside(scene: Scene, question: Question | None) -> tuple[Scene, str]:
    added = question or scene.main
    if added is None:
        raise BadQuestion("There is no picture to put beside", "", "Choose a column first.")
    if added in scene.beside:
        raise BadQuestion(
            "That picture is already beside", "", "Choose another, or swap it with the main one."
        )
    if len(scene.beside) >= 3:
        raise BadQuestion("Three pictures fit beside", "", "Take one away first.")
    return replace(scene, beside=(*scene.beside, added)), f"beside: {short_name(added)}"


def _must_be_lit(scene: Scene) -> Condition:
    if scene.lit is None:
        raise BadQuestion("Nothing is lit", "", "Click a mark to light its rows first.")
    return scene.lit


def _must_hold(items: tuple[Any, ...], position: int, what: str) -> None:
    if not 0 <= position < len(items):
        raise BadQuestion(f"There is no such {what} any more", "", "Reload the page.")


def said_in_short(words: str) -> str:
    """Return typed words as a label: as they were typed, cut where they are long.

    >>> said_in_short("late_min   by depot")
    'late_min by depot'
    """
    words = " ".join(words.split())
    return words if len(words) <= 70 else words[:69].rstrip() + "…"


looked_through(Change)
