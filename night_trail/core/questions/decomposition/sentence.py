"""The sentence of a series taken apart."""

from __future__ import annotations

from typing import Any

from msgspec.structs import replace

from night_trail.core.conditions import Condition
from night_trail.core.errors import BadQuestion
from night_trail.core.questions.decomposition.question import Decomposition
from night_trail.core.questions.shared.measure_slots import measure_parts, short_measure
from night_trail.core.questions.shared.sentence import Part, Sentence, chosen
from night_trail.core.questions.shared.time_change import changed_first
from night_trail.core.questions.shared.time_sentence import GRAIN_WORDS
from night_trail.core.table import Table

WAY_WORDS = {"added": "added up", "multiplied": "multiplied"}
APART_SHOW = {
    "parts": "all parts",
    "season": "the season's shape",
    "adjusted": "the series without its season",
}


def said(question: Decomposition, table: Table, answer: Any = None) -> Sentence:
    """Return the sentence of a series taken apart."""
    grain = question.grain or (answer.calendar.grain if answer is not None else None)
    way = question.way or (answer.parts.way if answer is not None and answer.parts is not None else None)
    parts = [
        Part("What are the "),
        Part("trend and seasons", "way"),
        Part(" of "),
        *measure_parts(question.measure, table),
    ]
    parts += [Part(" "), Part(GRAIN_WORDS[grain] if grain else "over time", "grain")]
    parts += [Part(", "), Part(WAY_WORDS[way] if way else "as fits", "how")]
    parts += [Part(", shown as "), Part(APART_SHOW[question.show], "show"), Part("?")]
    return Sentence(tuple(parts), (Part("use a part as a column", "column-of"),))


def short_name(question: Decomposition) -> str:
    """Return a picture's name on the trail and beside."""
    return f"{short_measure(question.measure)} taken apart"


def changed(
    question: Decomposition, slot: str, value: Any, table: Table, lit: Condition | None = None
) -> tuple[Decomposition, str]:
    """Return the question with another choice in a slot, and the change in a few words."""
    if (found := changed_first(question, slot, value, table, lit)) is not None:
        return found
    if slot == "how":
        if value is None:
            return replace(question, way=None), "as fits"
        return replace(question, way=value), chosen(slot, value, WAY_WORDS)
    if slot == "show":
        return replace(question, show=value), f"as {chosen(slot, value, APART_SHOW)}"
    raise BadQuestion(f"There is no slot “{slot}” in this sentence")
