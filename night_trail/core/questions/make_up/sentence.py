"""The sentence of a make-up: said, read from typed words, changed slot by slot."""

from __future__ import annotations

import json
import re
from typing import Any, cast

from msgspec.structs import replace

from night_trail.core.conditions import Condition
from night_trail.core.errors import BadQuestion
from night_trail.core.language.conditions import take_column
from night_trail.core.measure import Measure
from night_trail.core.question import decode
from night_trail.core.questions.compare.question import Baseline
from night_trail.core.questions.compare.sentence import baseline_words
from night_trail.core.questions.make_up.answer import check, shapes_for
from night_trail.core.questions.make_up.question import MOST_LEVELS, SLOTS, THEN, MakeUp
from night_trail.core.questions.shared.measure_slots import (
    change_measure,
    leading_measure,
    measure_from,
    measure_parts,
    measure_words,
    short_measure,
)
from night_trail.core.questions.shared.measures import first_measure
from night_trail.core.questions.shared.sentence import Part, Sentence, chosen
from night_trail.core.table import Table

SHAPE_WORDS = {
    "treemap": "a treemap",
    "rings": "rings",
    "bars": "indented bars",
    "squares": "a hundred squares",
    "stair": "a running total",
}
UP = "up"
"""The choice that moves a level before the one above it."""


def said(question: MakeUp, table: Table, answer: Any = None) -> Sentence:
    """Return the sentence of a make-up."""
    parts = [Part("What "), Part("makes up", "way"), Part(" ")]
    parts += [*measure_parts(question.measure, table), Part(" by ")]
    for i, name in enumerate(question.levels):
        if i:
            parts.append(Part(THEN))
        parts.append(Part(name, SLOTS[i]))
    if question.against is not None:
        parts += [Part(" "), Part(f"against {baseline_words(question.against)}", "against")]
    if question.path:
        parts.append(Part(", within "))
        for i, value in enumerate(question.path):
            if i:
                parts.append(Part(THEN))
            parts.append(Part(value, f"within{i}"))
    parts += [Part(", drawn as "), Part(SHAPE_WORDS[question.shape], "shape")]
    addable = []
    if question.shade is not None:
        parts += [Part(", shaded by "), Part(measure_words(question.shade, table), "shade")]
    elif question.against is None:
        addable += [
            Part("shade by a second figure", "shade"),
            Part("against a plan, or a period before", "against"),
        ]
    if len(question.levels) < MOST_LEVELS:
        addable.insert(0, Part("a level below", SLOTS[len(question.levels)]))
    return Sentence((*parts, Part("?")), tuple(addable))


def short_name(question: MakeUp) -> str:
    """Return a make-up's name on the trail and beside."""
    within = f" within {THEN.join(question.path)}" if question.path else ""
    against = f" against {baseline_words(question.against)}" if question.against is not None else ""
    return f"{short_measure(question.measure)} by {THEN.join(question.levels)}{against}{within}"


_BEGINS = re.compile(
    r"(?:what (?:makes|make) up |(?:the )?make-?up of |(?:an? )?(?P<shape>treemap|rings) of )", re.IGNORECASE
)
_THEN = re.compile(r"(?:[›>/]|,?\s*(?:and then|then|and)\b|,)\s*", re.IGNORECASE)


def read(body: str, table: Table) -> MakeUp | None:
    """Return the make-up that words without their filter ask for; None where they ask for another kind.

    Raises
    ------
    BadQuestion
        Saying which part was not understood, where it begins as a make-up.
    """
    begun = _BEGINS.match(body)
    if begun is None:
        return None
    measure, rest = _measure(body[begun.end() :], table)
    by = re.match(r"(?:made up )?(?:by|of|from) ", rest.strip(" ,"), re.IGNORECASE)
    if by is None:
        raise BadQuestion(f"“{body}” names no levels", "levels", "Say by what: by district › line.")
    levels, rest = _levels(rest.strip(" ,")[by.end() :], table)
    shape = (begun["shape"] or "").lower() or shapes_for(MakeUp(measure, levels))[0]
    question = MakeUp(measure, levels, cast(Any, shape))
    while rest := rest.strip(" ,"):
        question, rest = _clause(question, rest, table)
    check(question, table)
    return question


def _measure(text: str, table: Table) -> tuple[Measure, str]:
    found = leading_measure(text, table)
    if found is not None:
        return found
    column, rest = take_column(text, table)
    if column is None:
        raise BadQuestion(f"“{text}” names no figure", table.name, "Name what is made up: boardings by line.")
    return first_measure(column), rest


def _levels(text: str, table: Table) -> tuple[tuple[str, ...], str]:
    levels: list[str] = []
    rest = text
    while True:
        column, behind = take_column(rest, table)
        if column is None:
            if levels:
                break
            raise BadQuestion(f"“{rest}” is not a column", table.name, "Name the column of the first level.")
        levels.append(column.name)
        rest = behind.strip()
        more = _THEN.match(rest)
        if more is None or take_column(rest[more.end() :], table)[0] is None:
            break
        rest = rest[more.end() :]
    return tuple(levels[:MOST_LEVELS]), rest


def _clause(question: MakeUp, rest: str, table: Table) -> tuple[MakeUp, str]:
    if found := re.match(r"within (.+?)(?=,? (?:drawn )?as |, shaded by |$)", rest, re.IGNORECASE):
        path = tuple(one.strip() for one in re.split(r"\s*[›>]\s*", found[1].strip(" ,")))
        return replace(question, path=path), rest[found.end() :]
    for shape, words in sorted(SHAPE_WORDS.items(), key=lambda one: -len(one[1])):
        bare = re.sub(r"^an? ", "", words)
        if found := re.match(rf"(?:drawn )?as (?:an? )?{bare}", rest, re.IGNORECASE):
            return replace(question, shape=cast(Any, shape)), rest[found.end() :]
    if found := re.match(r"against (.+)", rest, re.IGNORECASE):
        column, behind = take_column(found[1], table)
        if column is not None:
            return replace(question, against=Baseline(column=column.name)), behind
        raise BadQuestion(
            f"“{found[1]}” is no column of a plan", "against",
            "For an earlier period keep only some dates first, then choose it from the list.",
        )  # fmt: skip
    if found := re.match(r"(?:shaded|coloured|colored) by (.+)", rest, re.IGNORECASE):
        column, behind = take_column(found[1], table)
        if column is not None:
            return replace(question, shade=first_measure(column)), behind
        shade = leading_measure(found[1], table)
        if shade is not None:
            return replace(question, shade=shade[0]), shade[1]
    raise BadQuestion(f"“{rest}” was not understood", "", "Try: as a treemap.")


def changed(
    question: MakeUp, slot: str, value: Any, table: Table, lit: Condition | None = None
) -> tuple[MakeUp, str]:
    """Return the question with another choice in a slot, and the change in a few words."""
    if slot in SLOTS:
        return _level(question, SLOTS.index(slot), value, table)
    if slot.startswith("within"):
        return _gone(question, slot.removeprefix("within"), value)
    if (other := change_measure(question.measure, slot, value, table, question.levels[0], lit)) is not None:
        made, label = other
        against = question.against
        if against is not None and (against.column == made.column or made.aggregate in ("count", "share")):
            # a plan of one column is none of another
            against = None if against.column is not None else against
        return _fitted(replace(question, measure=made, against=against)), label
    if slot == "against":
        against = decode(value, Baseline, "baseline") if value else None
        label = f"against {baseline_words(against)}" if against is not None else "against nothing"
        return replace(question, against=against, shade=None if against else question.shade), label
    if slot == "shade":
        if not value:
            return replace(question, shade=None), "not shaded"
        shade = measure_from(value, table)
        return replace(question, shade=shade, against=None), f"shaded by {measure_words(shade, table)}"
    if slot == "shape":
        chosen(slot, value, SHAPE_WORDS)
        return replace(question, shape=value), f"as {SHAPE_WORDS[value]}"
    raise BadQuestion(f"There is no slot “{slot}” in this sentence")


def _fitted(question: MakeUp) -> MakeUp:
    """Return the question in a shape that its figure can have."""
    able = shapes_for(question)
    return question if question.shape in able else replace(question, shape=able[0])


def _level(question: MakeUp, at: int, value: Any, table: Table) -> tuple[MakeUp, str]:
    levels = list(question.levels)
    if value is None:
        if at >= len(levels) or len(levels) == 1:
            raise BadQuestion("One level has to stay", SLOTS[at], "Choose another column instead.")
        gone = levels.pop(at)
        return _above(question, levels, at), f"without {gone}"
    if value == UP:
        if not 0 < at < len(levels):
            raise BadQuestion("There is no level above this", SLOTS[at], "Leave it where it is.")
        levels[at - 1], levels[at] = levels[at], levels[at - 1]
        return _above(question, levels, at - 1), f"{levels[at - 1]} before {levels[at]}"
    name = table.column(value).name
    if at < len(levels):
        if name in levels:
            other = levels.index(name)
            levels[at], levels[other] = levels[other], levels[at]
            return _above(question, levels, min(at, other)), THEN.join(levels)
        levels[at] = name
    elif name in levels:
        return question, THEN.join(levels)
    else:
        at = len(levels)
        levels.append(name)
    return _above(question, levels, at), f"by {THEN.join(levels)}"


def _above(question: MakeUp, levels: list[str], changed_at: int) -> MakeUp:
    """Return the question with other levels; what was gone into below the first change is left."""
    path = question.path[: min(changed_at, len(levels) - 1)]
    return replace(question, levels=tuple(levels), path=path)


def _gone(question: MakeUp, at: str, value: Any) -> tuple[MakeUp, str]:
    """Return the question gone into other values: back to a level above, or to a neighbour on it."""
    place = int(at) if at.isdecimal() and int(at) < len(question.path) else None
    if place is None:
        raise BadQuestion("There is no such part of the path", "within", "Reload the page.")
    path = question.path[:place] + (() if value is None else _path_of(value))
    words = f"within {THEN.join(path)}" if path else "all of it"
    return replace(question, path=path), words


def _path_of(value: Any) -> tuple[str, ...]:
    try:
        found = json.loads(value)
    except (TypeError, ValueError):
        found = None
    if (
        not isinstance(found, list)
        or not all(isinstance(one, str) for one in found)
        or len(found) > MOST_LEVELS
    ):
        raise BadQuestion("This path was not understood", "within", "Choose one of the list.")
    return tuple(found)
