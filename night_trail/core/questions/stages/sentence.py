"""The sentence of how far each gets: said, read from typed words, changed slot by slot."""

from __future__ import annotations

import re
from typing import Any, cast

from msgspec.structs import replace

from night_trail.core.conditions import Condition
from night_trail.core.errors import BadQuestion
from night_trail.core.language.conditions import take_column
from night_trail.core.questions.shared.periods import time_column
from night_trail.core.questions.shared.sentence import Part, Sentence, chosen
from night_trail.core.questions.stages.answer import check, order_for
from night_trail.core.questions.stages.question import Stages
from night_trail.core.table import Table

ORDER_WORDS = {"time": "as they come", "column": "in their own order", "many": "as many reach them"}


def said(question: Stages, table: Table, answer: Any = None) -> Sentence:
    """Return the sentence of how far each gets."""
    parts = [Part("How far does each "), Part(question.unit, "unit"), Part(" "), Part("get", "way")]
    parts += [Part(" through "), Part(question.stage, "stage")]
    addable = []
    if question.time is not None:
        parts += [Part(" by "), Part(question.time, "time")]
    elif time_column(table) is not None:
        addable.append(Part("by a time", "time"))
    parts += [Part(", stages "), Part(ORDER_WORDS[order_for(question, table)], "order")]
    if question.across is not None:
        parts += [Part(", across "), Part(question.across, "across")]
    else:
        addable.append(Part("across a category", "across"))
    return Sentence((*parts, Part("?")), tuple(addable))


def short_name(question: Stages) -> str:
    """Return a name on the trail and beside."""
    across = f" across {question.across}" if question.across else ""
    return f"how far each {question.unit} gets through {question.stage}{across}"


_BEGINS = re.compile(r"how far (?:gets|does|do) each ", re.IGNORECASE)


def read(body: str, table: Table) -> Stages | None:
    """Return the question that words without their filter ask; None where they ask for another kind.

    Raises
    ------
    BadQuestion
        Saying which part was not understood, where it begins as one of stages.
    """
    begun = _BEGINS.match(body)
    if begun is None:
        return None
    unit, rest = take_column(body[begun.end() :], table)
    joined = re.match(r"(?:gets? )?(?:through|along) ", rest.strip(), re.IGNORECASE)
    stage, rest = take_column(rest.strip()[joined.end() :], table) if joined else (None, rest)
    if unit is None or stage is None:
        raise BadQuestion(
            f"“{body}” does not name who goes through what",
            table.name,
            "Say it like: each order through status.",
        )
    question = Stages(unit.name, stage.name)
    while rest := rest.strip(" ,"):
        question, rest = _clause(question, rest, table)
    check(question, table)
    return question


def _clause(question: Stages, rest: str, table: Table) -> tuple[Stages, str]:
    if found := re.match(r"by ", rest, re.IGNORECASE):
        column, behind = take_column(rest[found.end() :], table)
        if column is not None:
            return replace(question, time=column.name), behind
    if found := re.match(r"(?:and )?across ", rest, re.IGNORECASE):
        column, behind = take_column(rest[found.end() :], table)
        if column is not None:
            return replace(question, across=column.name), behind
    for order, words in ORDER_WORDS.items():
        if found := re.match(rf"(?:with )?stages {words}", rest, re.IGNORECASE):
            # what is chosen anyway is not kept
            plain = order_for(replace(question, order=None), table)
            return replace(question, order=None if order == plain else cast(Any, order)), rest[found.end() :]
    raise BadQuestion(f"“{rest}” was not understood", "", "Try: by date, across a category.")


def changed(
    question: Stages, slot: str, value: Any, table: Table, lit: Condition | None = None
) -> tuple[Stages, str]:
    """Return the question with another choice in a slot, and the change in a few words."""
    if slot in ("unit", "stage"):
        name = table.column(value or "").name
        other = question.stage if slot == "unit" else question.unit
        if name == other:
            asked = replace(question, unit=question.stage, stage=question.unit, order=None)
            return asked, f"each {asked.unit} through {asked.stage}"
        asked = replace(question, **{slot: name}, order=None)
        return asked, f"each {name}" if slot == "unit" else f"through {name}"
    if slot in ("time", "across"):
        if not value:
            order = None if slot == "time" and question.order == "time" else question.order
            return replace(
                question, **{slot: None}, order=order
            ), f"without {getattr(question, slot) or slot}"
        name = table.column(value).name
        return replace(question, **{slot: name}), f"{'by' if slot == 'time' else 'across'} {name}"
    if slot == "order":
        label = chosen(slot, value, ORDER_WORDS)
        return replace(question, order=value), f"stages {label}"
    raise BadQuestion(f"There is no slot “{slot}” in this sentence")
