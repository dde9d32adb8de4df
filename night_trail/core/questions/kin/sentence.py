"""The sentence of who belongs to whom: said, read from typed words, changed slot by slot."""

from __future__ import annotations

import re
from typing import Any

from msgspec.structs import replace

from night_trail.core.conditions import Condition
from night_trail.core.errors import BadQuestion
from night_trail.core.hand import whole
from night_trail.core.language.conditions import take_column
from night_trail.core.measure import Measure
from night_trail.core.questions.kin.answer import check
from night_trail.core.questions.kin.question import MOST_NAMED, Kin
from night_trail.core.questions.shared.measure_slots import (
    change_measure,
    leading_measure,
    measure_parts,
)
from night_trail.core.questions.shared.measures import first_measure
from night_trail.core.questions.shared.rules import changed_rule, read_rule, rule_words
from night_trail.core.questions.shared.sentence import Part, Sentence
from night_trail.core.table import Table

MOST_LEVELS = 20


def said(question: Kin, table: Table, answer: Any = None) -> Sentence:
    """Return the sentence of who belongs to whom."""
    parts = [Part("Who "), Part("belongs to whom", "way"), Part(", from "), Part(question.unit, "unit")]
    parts += [Part(" and "), Part(question.above, "above"), Part(", with ")]
    parts += measure_parts(question.measure, table)
    addable = []
    if question.top is not None:
        parts += [Part(", below "), Part(question.top, "top")]
    else:
        addable.append(Part("begin at one of them", "top"))
    parts += [Part(", opened "), Part(depth_words(question.depth), "depth")]
    if question.rule is not None:
        parts += [Part(", marking what is "), Part(rule_words(question.rule), "rule")]
    else:
        addable.append(Part("mark figures", "rule"))
    return Sentence((*parts, Part("?")), tuple(addable))


def depth_words(depth: int) -> str:
    """Return how far a tree is opened.

    >>> depth_words(1), depth_words(3)
    ('one level down', '3 levels down')
    """
    return "one level down" if depth == 1 else f"{depth} levels down"


def short_name(question: Kin) -> str:
    """Return a name on the trail and beside."""
    below = f" below {question.top}" if question.top else ""
    return f"who belongs to whom{below}"


_BEGINS = re.compile(r"who belongs to whom,? (?:from|by) |(?:the )?tree of ", re.IGNORECASE)


def read(body: str, table: Table) -> Kin | None:
    """Return the tree that words without their filter ask for; None where they ask for another kind.

    Raises
    ------
    BadQuestion
        Saying which part was not understood, where it begins as a tree.
    """
    begun = _BEGINS.match(body)
    if begun is None:
        return None
    unit, rest = take_column(body[begun.end() :], table)
    joined = re.match(r",? ?(?:and|under|below) ", rest, re.IGNORECASE)
    above, rest = take_column(rest[joined.end() :], table) if joined else (None, rest)
    if unit is None or above is None:
        raise BadQuestion(
            f"“{body}” does not name who and who is above",
            table.name,
            "Say it like: from unit and belongs_to.",
        )
    question = Kin(unit.name, above.name, Measure("count"))
    while rest := rest.strip(" ,"):
        question, rest = _clause(question, rest, table)
    check(question, table)
    return question


def _clause(question: Kin, rest: str, table: Table) -> tuple[Kin, str]:
    if found := re.match(r"with ", rest, re.IGNORECASE):
        measured = leading_measure(rest[found.end() :], table)
        if measured is not None:
            return replace(question, measure=measured[0]), measured[1]
        column, behind = take_column(rest[found.end() :], table)
        if column is not None:
            return replace(question, measure=first_measure(column)), behind
    if marking := read_rule(rest):
        return replace(question, rule=marking[0]), marking[1]
    if found := re.match(r"below (.+?)(?=,? (?:opened|marking) |$)", rest, re.IGNORECASE):
        return replace(question, top=found[1].strip()), rest[found.end() :]
    if found := re.match(r"opened (?:(one) level|(\d{1,2}) levels) down", rest, re.IGNORECASE):
        return replace(question, depth=_levels(found[2] or "1")), rest[found.end() :]
    raise BadQuestion(
        f"“{rest}” was not understood", "", "Try: with the sum of a column, opened 3 levels down."
    )


def _levels(text: Any) -> int:
    if not (depth := whole(text, MOST_LEVELS)):
        raise BadQuestion(f"It is opened 1 to {MOST_LEVELS} levels", "depth", "Write a whole number.")
    return depth


def changed(
    question: Kin, slot: str, value: Any, table: Table, lit: Condition | None = None
) -> tuple[Kin, str]:
    """Return the question with another choice in a slot, and the change in a few words."""
    if slot in ("unit", "above"):
        name = table.column(value or "").name
        other = question.above if slot == "unit" else question.unit
        fresh = replace(question, top=None, opened=(), closed=())
        if name == other:
            return replace(fresh, unit=question.above, above=question.unit), "the other way round"
        return replace(fresh, **{slot: name}), f"{'from' if slot == 'unit' else 'above:'} {name}"
    if slot == "top":
        return replace(question, top=value or None), f"below {value}" if value else "all of them"
    if slot == "rule":
        rule, label = changed_rule(value)
        return replace(question, rule=rule), label
    if slot == "depth":
        depth = _levels(value)
        return replace(question, depth=depth, opened=(), closed=()), f"opened {depth_words(depth)}"
    if (measured := change_measure(question.measure, slot, value, table, question.unit, lit)) is not None:
        made, label = measured
        return replace(question, measure=made), label
    raise BadQuestion(f"There is no slot “{slot}” in this sentence")


def turned(question: Kin, key: str, opened: bool) -> Kin:
    """Return the question with one unit closed that was opened, or opened that was not."""
    others = tuple(one for one in question.opened if one != key)
    shut = tuple(one for one in question.closed if one != key)
    if opened:
        return replace(question, opened=others, closed=(*shut, key)[-MOST_NAMED:])
    return replace(question, opened=(*others, key)[-MOST_NAMED:], closed=shut)
