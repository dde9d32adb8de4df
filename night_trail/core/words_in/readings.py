"""The pictures that typed words may ask for, the likeliest first: new ones, and turns of the desk's."""

from __future__ import annotations

from dataclasses import replace

import msgspec
from msgspec.structs import replace as changed_struct

from night_trail.core.conditions import Condition, joined_all
from night_trail.core.conditions import check as check_condition
from night_trail.core.errors import BadQuestion
from night_trail.core.language.conditions import from_words, in_words
from night_trail.core.measure import Measure
from night_trail.core.question import Scene
from night_trail.core.questions.registry import kind_of
from night_trail.core.questions.shared.measure_slots import measure_from
from night_trail.core.questions.shared.measures import check_measure
from night_trail.core.questions.shared.slot_forms import FORMS
from night_trail.core.sentence import MOST_TYPED, scene_in_words
from night_trail.core.sentence import read as read_exactly
from night_trail.core.table import Column, Table
from night_trail.core.words_in.anew import new_pictures
from night_trail.core.words_in.asked import Asked
from night_trail.core.words_in.filters import narrowed
from night_trail.core.words_in.grammar import asked_of
from night_trail.core.words_in.index import index_of
from night_trail.core.words_in.missed import left_in_words, not_understood, unread
from night_trail.core.words_in.order import in_order
from night_trail.core.words_in.reading import Missed, Reading
from night_trail.core.words_in.tags import Tagger, Way
from night_trail.core.words_in.tokens import tokens_of
from night_trail.core.words_in.turned import remade, turns_of

MOST = 5
LEFT_OVER = 0.9
"""How much less likely a reading is that leaves words over."""
ODD = 1.5
"""A reading that is so much less likely than the best is not shown."""


def readings(text: str, table: Table, scene: Scene | None = None) -> list[Reading]:
    """Return what typed words may ask for, the likeliest first; at most ``MOST``, none where nothing fits."""
    scene = scene or Scene()
    exact = _exact(text, table, scene)
    found = [*([] if exact is None else [exact]), *_guessed(text, table, scene)]
    best: dict[str, Reading] = {}
    for reading in sorted(found, key=lambda r: -r.score):
        best.setdefault(reading.key, reading)
    kept = list(best.values())
    return [r for r in kept if r.score >= kept[0].score - ODD or r.exact][:MOST]


def meant(text: str, table: Table, scene: Scene, key_: str = "") -> Reading:
    """Return what typed words ask for: the reading that was chosen, else the likeliest.

    Raises
    ------
    BadQuestion
        Where nothing can be shown, or only a part of the words was understood
        and nobody has chosen it.
    """
    if len(text) > MOST_TYPED:
        raise BadQuestion("That is too long to be a question", "", "Begin with a column, like: late_min.")
    exact = _exact(text, table, scene)
    if exact is not None and key_ in ("", exact.key):
        return exact  # without an index of the table: its own sentences need none
    found = readings(text, table, scene)
    if key_ and (chosen := next((r for r in found if r.key == key_), None)) is not None:
        return chosen
    if not found:
        raise _refused(text, table, scene)
    best = found[0]
    if not best.whole:
        if (value := _wrong_value(text, table)) is not None:
            raise value
        without = "" if best.scene.main is None else scene_in_words(best.scene, table)
        raise BadQuestion(
            best.hurdle or left_in_words(best.left, table, best.unplaced), "", f"Without it: {without}"
        )
    return best


def _wrong_value(text: str, table: Table) -> BadQuestion | None:
    """Return what the exact reader says of a value that a slot cannot hold: a zone that is none."""
    try:
        read_exactly(text, table)
    except BadQuestion as error:
        return error if error.where in FORMS else None
    return None


def _refused(text: str, table: Table, scene: Scene) -> BadQuestion:
    """Return why nothing new is shown: the exact reader says it best of what is nearly a sentence."""
    if text.strip() and not unread(text, table):
        if scene.main is not None and _stands(text, table, scene):
            return BadQuestion("The picture shows that already", "", "Say what is to change.")
        try:
            read_exactly(text, table)
        except BadQuestion as error:
            return error
    return not_understood(text, table)


def _stands(text: str, table: Table, scene: Scene) -> bool:
    """Whether words only say what the picture on the desk is already."""
    other = changed_struct(scene, main=None)
    return any(r.scene.main == scene.main for r in readings(text, table, other)) or bool(
        _turned_to_itself(text, table, scene)
    )


def _turned_to_itself(text: str, table: Table, scene: Scene) -> bool:
    for _, asked in _asked_ways(text, table, _looked_at(scene, table))[:1]:
        in_order(asked)
        if asked.do:
            return True
        try:
            missed = Missed()
            question = remade(asked, scene.main, kind_of(scene.main), missed, table)  # type: ignore[arg-type]
        except (BadQuestion, msgspec.ValidationError):
            return False
        return question == scene.main and not missed.words and not asked.left
    return False


def rows_meant(text: str, table: Table) -> Condition:
    """Return the rows that a typed phrase names: as an exact condition, else as the word box reads it.

    Raises
    ------
    BadQuestion
        Where no rows are named, or only a part of the words was understood.
    """
    try:
        return from_words(text, table)
    except BadQuestion as error:
        found = rows_named(text, table)
        if not found:
            raise error from None
        condition, left = found[0]
        if left:
            raise BadQuestion(
                left_in_words(left, table), "", f"Without it: {in_words(condition, table)}."
            ) from None
        return condition


def measure_meant(text: str, table: Table) -> Measure:
    """Return the measure that a typed phrase names: exactly, else as the word box reads it.

    Raises
    ------
    BadQuestion
        Where none is named, or more than one measure.
    """
    try:
        return measure_from(text, table)
    except BadQuestion as error:
        for _, asked in _asked_ways(text, table)[:1]:
            more = asked.groups or asked.also or asked.grain or asked.only or asked.wishes or asked.columns
            if len(asked.measures) == 1 and not more and not asked.left:
                check_measure(asked.measures[0], table)
                return asked.measures[0]
        raise error from None


def rows_named(text: str, table: Table) -> list[tuple[Condition, tuple[str, ...]]]:
    """Return the conditions that words may name, the likeliest first, each with what it leaves over."""
    found: dict[Condition, tuple[str, ...]] = {}
    for _, asked in _asked_ways(f"only {text}", table):
        rows = [*asked.only, *asked.lit]
        if not rows or asked.groups or asked.grain:
            continue
        condition = joined_all(*rows)
        # a column named for its rows alone is no word left over
        soft = {c.name for c in asked.soft}
        extra = tuple(c.name for c in asked.columns if c.name not in soft)
        try:
            check_condition(condition, table)
        except BadQuestion:
            continue
        found.setdefault(condition, (*asked.left, *extra))
    return sorted(found.items(), key=lambda pair: len(pair[1]))


def _asked_ways(text: str, table: Table, present: Column | None = None) -> list[tuple[Way, Asked]]:
    """Return the ways through a text, the best first, with what each asks for."""
    tokens = tokens_of(text)
    if not tokens:
        return []
    index = index_of(table)
    ways = Tagger(tokens, table, index).ways()
    return [(way, asked_of(way, table, index, present, tokens)) for way in ways]


def _exact(text: str, table: Table, scene: Scene) -> Reading | None:
    """Return the picture that words ask for as a sentence of the house."""
    try:
        question, only = read_exactly(text, table)
        for condition in only:
            check_condition(condition, table)
    except BadQuestion:
        return None
    after = narrowed(changed_struct(scene, main=question), only, table)
    return Reading(after, "", False, 1_000.0, exact=True)


def _guessed(text: str, table: Table, scene: Scene) -> list[Reading]:
    found: list[Reading] = []
    for way, asked in _asked_ways(text, table, _looked_at(scene, table)):
        in_order(asked)
        score = way.score - asked.penalty - 0.12 * len(asked.guesses)
        for made in (*turns_of(asked, scene, table), *new_pictures(asked, scene, table, index_of(table))):
            found.append(replace(made, score=score + made.score - (0.0 if made.whole else LEFT_OVER)))
    return found


def _looked_at(scene: Scene, table: Table) -> Column | None:
    if scene.main is None or not scene.main.column:
        return None
    return table.column(scene.main.column)
