"""The sentence of each question and its slots: one module a question.

Each says its question (``said``), names it in short, reads it from typed words
and changes it slot by slot. The slot ``way`` leads from one question to another.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from night_trail.core.answers.compare import compare_question, first_measure
from night_trail.core.answers.spread import MOST_GROUPS, can_group, first_question
from night_trail.core.conditions import Condition
from night_trail.core.errors import BadQuestion
from night_trail.core.question import Compare, Question, Spread
from night_trail.core.slots import compare, spread
from night_trail.core.slots.parts import Part, Sentence
from night_trail.core.table import Column, Table

__all__ = ["Part", "Sentence", "changed", "read_body", "sentence", "short_name"]

WAYS = {"spread": "how it is spread", "compare": "how groups compare"}

_SAID: dict[type, Callable[[Any, Table, Any], Sentence]] = {Spread: spread.said, Compare: compare.said}
_SHORT: dict[type, Callable[[Any], str]] = {Spread: spread.short_name, Compare: compare.short_name}


def sentence(question: Question, table: Table, answer: Any = None) -> Sentence:
    """Return the sentence of a question.

    With its answer at hand, what was chosen from the data is named too.
    """
    return _SAID[type(question)](question, table, answer)


def short_name(question: Question) -> str:
    """Return a picture's name on the trail and beside."""
    return _SHORT[type(question)](question)


def read_body(body: str, table: Table) -> Question:
    """Return the question that typed words without their filter ask for."""
    return compare.read(body, table) or spread.read(body, table)


def changed(
    question: Question, slot: str, value: Any, table: Table, lit: Condition | None = None
) -> tuple[Question, str]:
    """Return the question with another choice in a slot, and the change in a few words."""
    if slot == "way":
        return _another_way(question, value, table)
    if isinstance(question, Compare):
        return compare.changed(question, slot, value, table, lit)
    return spread.changed(question, slot, value, table)


def _another_way(question: Question, value: Any, table: Table) -> tuple[Question, str]:
    if value not in WAYS:
        raise BadQuestion(f"“{value}” does not fit there", "way", f"Choose {' or '.join(WAYS)}.")
    if value == "spread":
        column = table.column(question.column)
        asked = first_question(column)
        return asked, spread.short_name(asked)
    if isinstance(question, Compare):
        return question, compare.short_name(question)
    column = table.column(question.column)
    if column.kind.grouping and not column.kind.numeric:
        asked_for = compare_question(first_measure(None), column)
    else:
        across = question.across or _best_group(table, column)
        asked_for = compare_question(first_measure(column), table.column(across))
    return asked_for, compare.short_name(asked_for)


def _best_group(table: Table, measured: Column) -> str:
    """Return a category to compare across: one of a handful of groups before one of many."""
    able = [
        c
        for c in table.columns
        if c.name != measured.name and can_group(c) and 2 <= c.distinct <= MOST_GROUPS
    ]
    if not able:
        raise BadQuestion("No column makes groups to compare", table.name, "Cut a number into bands first.")
    return min(able, key=lambda c: (c.kind.numeric, not 3 <= c.distinct <= 20, c.distinct)).name
