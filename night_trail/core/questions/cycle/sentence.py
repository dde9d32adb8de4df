"""The sentence of a cycle."""

from __future__ import annotations

from typing import Any

from msgspec.structs import replace

from night_trail.core.conditions import Condition
from night_trail.core.errors import BadQuestion
from night_trail.core.questions.cycle.question import Cycle
from night_trail.core.questions.shared.measure_slots import measure_parts, short_measure
from night_trail.core.questions.shared.sentence import Part, Sentence, chosen
from night_trail.core.questions.shared.time_change import changed_first
from night_trail.core.table import Kind, Table

PART_WORDS = {"day": "the day", "week": "the week", "year": "the year", "quarters": "the quarters"}
CYCLE_SHAPES = {
    "line": "a line",
    "columns": "columns",
    "grid": "a grid of weekdays",
    "rows": "a row for each weekday",
}


def said(question: Cycle, table: Table, answer: Any = None) -> Sentence:
    """Return the sentence of a measure through a cycle."""
    parts = [
        Part("How does "),
        *measure_parts(question.measure, table),
        Part(" "),
        Part("run", "way"),
        Part(" through "),
    ]
    parts.append(Part(PART_WORDS[question.part], "part"))
    addable = []
    if question.split:
        parts += [Part(" "), Part(f"for each {question.split}", "split")]
    elif question.years:
        parts += [Part(" "), Part("in each year", "split")]
    elif not question.by_weekday:
        addable.append(Part("a line for each group or year", "split"))
    if question.zone:
        parts += [Part(" "), Part(f"by the clock of {question.zone}", "zone")]
    elif table.column(question.time).kind == Kind.DATETIME:
        addable.append(Part("the clock", "zone"))
    parts += [Part(", drawn as "), Part(CYCLE_SHAPES[question.shape], "shape"), Part("?")]
    return Sentence(tuple(parts), tuple(addable))


def short_name(question: Cycle) -> str:
    """Return a picture's name on the trail and beside."""
    return f"{short_measure(question.measure)} through {PART_WORDS[question.part]}"


def changed(
    question: Cycle, slot: str, value: Any, table: Table, lit: Condition | None = None
) -> tuple[Cycle, str]:
    """Return the question with another choice in a slot, and the change in a few words."""
    if (found := changed_first(question, slot, value, table, lit)) is not None:
        return found
    if slot == "part":
        return replace(
            question, part=value, shape="line" if question.by_weekday else question.shape
        ), f"through {chosen(slot, value, PART_WORDS)}"
    if slot == "shape":
        label = chosen(slot, value, CYCLE_SHAPES)
        grid = {"split": None, "years": False} if value in ("grid", "rows") else {}
        return replace(question, shape=value, **grid), f"as {label}"
    if slot == "split":
        shape = "line" if question.by_weekday else question.shape
        if value == "each year":
            return replace(question, years=True, split=None, shape=shape), "in each year"
        name = table.column(value).name if value else None
        return replace(
            question, split=name, years=False, shape=shape
        ), f"for each {value}" if value else "all together"
    raise BadQuestion(f"There is no slot “{slot}” in this sentence")
