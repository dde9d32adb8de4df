"""The sentence of a grid of two categories."""

from __future__ import annotations

import re
from typing import Any

from msgspec.structs import replace

from night_trail.core.conditions import Condition
from night_trail.core.errors import BadQuestion
from night_trail.core.language.conditions import take_column
from night_trail.core.questions.crosstab import answer as goes_answer
from night_trail.core.questions.crosstab.question import Crosstab
from night_trail.core.questions.shared.grouping import can_compare
from night_trail.core.questions.shared.sentence import Part, Sentence
from night_trail.core.table import Table


def said(question: Crosstab, table: Table, answer: Any = None) -> Sentence:
    """Return the sentence of two categories against chance."""
    parts = [
        Part("Which "),
        Part(question.column, "column"),
        Part(" "),
        Part("goes", "way"),
        Part(" with which "),
    ]
    return Sentence((*parts, Part(question.against, "against"), Part(", against what chance would give?")))


def short_name(question: Crosstab) -> str:
    """Return a short name."""
    return f"which {question.column} with which {question.against}"


def read(body: str, table: Table) -> Crosstab | None:
    """Return the question typed words ask for: ``which district with which depot``, ``district vs depot``."""
    start = re.match(r"which ", body, re.IGNORECASE)
    if start is None:
        return _two_categories(body, table)
    column, rest = take_column(body[start.end() :], table)
    middle = re.match(r"(?:goes )?with which ", rest, re.IGNORECASE)
    if column is None or middle is None:
        return None
    against, rest = take_column(rest[middle.end() :], table)
    rest = re.sub(r",? ?against what chance would give", "", rest, flags=re.IGNORECASE).strip(" ,")
    if against is None or rest:
        raise BadQuestion(
            f"“{rest}” was not understood", "", "Write it like: which district goes with which depot."
        )
    question = Crosstab(column.name, against.name)
    goes_answer.check(question, table)
    return question


def _two_categories(body: str, table: Table) -> Crosstab | None:
    column, rest = take_column(body, table)
    middle = re.match(r"(?:and|with|vs\.?|versus|against) ", rest, re.IGNORECASE)
    against, rest = take_column(rest[middle.end() :], table) if middle else (None, rest)
    if column is None or against is None or rest or column.kind.measured or against.kind.measured:
        return None
    question = Crosstab(column.name, against.name)
    goes_answer.check(question, table)
    return question


def changed(
    question: Crosstab, slot: str, value: Any, table: Table, lit: Condition | None = None
) -> tuple[Crosstab, str]:
    """Return the question with another choice in a slot."""
    if slot not in ("column", "against"):
        raise BadQuestion(f"There is no slot “{slot}” in this sentence")
    name = table.column(value or "").name
    other = {"column": question.against, "against": question.column}[slot]
    swapped = Crosstab(question.against, question.column)
    asked = swapped if name == other else replace(question, **{slot: name})
    return asked, short_name(asked)


def first_crosstab(table: Table, column: str) -> Crosstab:
    """Return two categories to begin with: the column, and the first other one of a handful of groups."""
    able = [c for c in table.columns if can_compare(c) and c.name != column and not c.kind.measured]
    able.sort(key=lambda c: not 2 <= c.distinct <= 20)
    if not able or not can_compare(table.column(column)):
        raise BadQuestion("There are no two categories here", table.name, "Cut a number into bands first.")
    return Crosstab(column, able[0].name)
