"""The sentence of a make-up: said, read from typed words, changed slot by slot."""

from __future__ import annotations

import json
import re
from collections.abc import Sequence
from typing import Any, cast

from msgspec.structs import replace

from night_trail.core.conditions import Condition, Not
from night_trail.core.errors import BadQuestion
from night_trail.core.language.conditions import in_words, take_column
from night_trail.core.measure import Measure
from night_trail.core.moments import GRAINS, GrainName
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
from night_trail.core.questions.shared.measures import ADDS_UP, first_measure
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
    for i, name in enumerate(question.names):
        if i:
            parts.append(Part(THEN))
        parts.append(Part(name, SLOTS[i]))
    if question.against is not None:
        of = "" if question.of is None else f"where {in_words(question.of, table)} "
        parts += [Part(f" {of}"), Part(f"against {against_words(question)}", "against")]
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


def against_words(question: MakeUp) -> str:
    """Return what parts are held against, empty for nothing."""
    if question.against is None:
        return ""
    words = baseline_words(question.against)
    # of averages each stands for itself, however many rows there are
    scaled = question.even and question.measure.aggregate in ADDS_UP
    return f"{words}, made as large" if scaled else words


def short_name(question: MakeUp) -> str:
    """Return a make-up's name on the trail and beside."""
    within = f" within {THEN.join(question.path)}" if question.path else ""
    against = f" against {against_words(question)}" if question.against is not None else ""
    return f"{short_measure(question.measure)} by {THEN.join(question.names)}{against}{within}"


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
    levels, grains, rest = _levels(rest.strip(" ,")[by.end() :], table)
    shape = (begun["shape"] or "").lower() or shapes_for(MakeUp(measure, levels))[0]
    question = MakeUp(measure, levels, cast(Any, shape), grains=grains)
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


_OF = re.compile(rf"({'|'.join(GRAINS)})s? of ", re.IGNORECASE)


def _level_in(text: str, table: Table) -> tuple[str | None, GrainName | None, str]:
    """Return the column a level begins with, the periods where it is a time, and what follows."""
    column, behind = take_column(text, table)
    found = _OF.match(text)
    if column is not None or found is None:
        return (None if column is None else column.name), None, behind
    column, behind = take_column(text[found.end() :], table)
    if column is None or not column.kind.temporal:
        return None, None, text
    return column.name, cast(GrainName, found[1].lower()), behind


def _trimmed(grains: Sequence[GrainName | None]) -> tuple[GrainName | None, ...]:
    """Return periods without those at the end that are none."""
    kept = list(grains)
    while kept and kept[-1] is None:
        kept.pop()
    return tuple(kept)


def _levels(text: str, table: Table) -> tuple[tuple[str, ...], tuple[GrainName | None, ...], str]:
    levels: list[str] = []
    grains: list[GrainName | None] = []
    rest = text
    while True:
        column, grain, behind = _level_in(rest, table)
        if column is None:
            if levels:
                break
            raise BadQuestion(f"“{rest}” is not a column", table.name, "Name the column of the first level.")
        levels.append(column)
        grains.append(grain)
        rest = behind.strip()
        more = _THEN.match(rest)
        if more is None or _level_in(rest[more.end() :], table)[0] is None:
            break
        rest = rest[more.end() :]
    return tuple(levels[:MOST_LEVELS]), _trimmed(grains[:MOST_LEVELS]), rest


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
        even = question.even and against is not None
        return _fitted(replace(question, measure=made, against=against, even=even)), label
    if slot == "against":
        against = decode(value, Baseline, "baseline") if value else None
        label = f"against {baseline_words(against)}" if against is not None else "against nothing"
        held = replace(question, against=against, even=False, shade=None if against else question.shade)
        return held, label
    if slot == "rest":
        where = decode(value, Condition, "condition")
        against = Baseline(where=Not(where), called="the rest")
        held = replace(question, against=against, even=True, shade=None)
        return held, f"{in_words(where, table)} against the rest"
    if slot == "shade":
        if not value:
            return replace(question, shade=None), "not shaded"
        shade = measure_from(value, table)
        return replace(
            question, shade=shade, against=None, even=False
        ), f"shaded by {measure_words(shade, table)}"
    if slot == "shape":
        chosen(slot, value, SHAPE_WORDS)
        return replace(question, shape=value), f"as {SHAPE_WORDS[value]}"
    raise BadQuestion(f"There is no slot “{slot}” in this sentence")


def _fitted(question: MakeUp) -> MakeUp:
    """Return the question in a shape that its figure can have."""
    able = shapes_for(question)
    return question if question.shape in able else replace(question, shape=able[0])


def _level(question: MakeUp, at: int, value: Any, table: Table) -> tuple[MakeUp, str]:
    levels = list(zip(question.levels, question.all_grains, strict=True))
    if value is None:
        if at >= len(levels) or len(levels) == 1:
            raise BadQuestion("One level has to stay", SLOTS[at], "Choose another column instead.")
        levels.pop(at)
        return _above(question, levels, at), f"without {question.names[at]}"
    if value == UP:
        if not 0 < at < len(levels):
            raise BadQuestion("There is no level above this", SLOTS[at], "Leave it where it is.")
        levels[at - 1], levels[at] = levels[at], levels[at - 1]
        return _above(question, levels, at - 1), f"{question.names[at]} before {question.names[at - 1]}"
    name, grain, rest = _level_in(str(value), table)
    if name is None or rest.strip():
        name, grain = table.column(value).name, None
    level = (name, grain)
    if at < len(levels):
        if level in levels:
            other = levels.index(level)
            levels[at], levels[other] = levels[other], levels[at]
            at = min(at, other)
        else:
            levels[at] = level
    elif level not in levels:
        at = len(levels)
        levels.append(level)
    else:
        return question, THEN.join(question.names)
    made = _above(question, levels, at)
    return made, f"by {THEN.join(made.names)}"


def _above(question: MakeUp, levels: Sequence[tuple[str, GrainName | None]], changed_at: int) -> MakeUp:
    """Return the question with other levels; what was gone into below the first change is left."""
    path = question.path[: min(changed_at, len(levels) - 1)]
    names, grains = tuple(name for name, _ in levels), _trimmed([grain for _, grain in levels])
    return replace(question, levels=names, grains=grains, path=path, opened=())


def _gone(question: MakeUp, at: str, value: Any) -> tuple[MakeUp, str]:
    """Return the question gone into other values: back to a level above, or to a neighbour on it."""
    place = int(at) if at.isdecimal() and int(at) < len(question.path) else None
    if place is None:
        raise BadQuestion("There is no such part of the path", "within", "Reload the page.")
    path = question.path[:place] + (() if value is None else _path_of(value))
    words = f"within {THEN.join(path)}" if path else "all of it"
    return replace(question, path=path, opened=()), words


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
