"""The sentences of many numbers together, and of two categories against chance."""

from __future__ import annotations

import re
from typing import Any

from msgspec.structs import replace

from night_trail.core.answers import goes as goes_answer
from night_trail.core.answers import together as together_answer
from night_trail.core.answers.compare import can_compare
from night_trail.core.errors import BadQuestion
from night_trail.core.question import Goes, Together
from night_trail.core.slots.parts import Part, Sentence, chosen
from night_trail.core.table import Table
from night_trail.core.words.conditions import take_column

BY_WORDS = {"line": "by straight lines", "rank": "by ranks"}


def together_said(question: Together, table: Table, answer: Any = None) -> Sentence:
    """Return the sentence of many numbers together."""
    n = len(together_answer.columns_for(question, table))
    parts = [Part("How do "), Part(f"these {n} numbers", "columns"), Part(" "), Part("move together", "way")]
    return Sentence((*parts, Part(", "), Part(BY_WORDS[question.by], "by"), Part("?")))


def together_name(question: Together) -> str:
    """Return a short name."""
    return f"{len(question.columns)} numbers together" if question.columns else "numbers together"


def together_read(body: str, table: Table) -> Together | None:
    """Return the question that typed words ask for: ``how do the numbers move together``."""
    found = re.match(
        r"(?:how do )?(?:(?:these|the|all)(?: \d+)? numbers|numbers)(?: move)? together,?(.*)$",
        body,
        re.IGNORECASE,
    )
    if found is None:
        return None
    rest = found[1].strip(" ,").lower()
    by = next((k for k, words in BY_WORDS.items() if rest == words), None)
    if rest and by is None:
        raise BadQuestion(f"“{rest}” was not understood", "", "Try: by ranks.")
    question = Together(by="rank" if by == "rank" else "line")
    together_answer.check(question, table)
    return question


def together_changed(question: Together, slot: str, value: Any, table: Table) -> tuple[Together, str]:
    """Return the question with another choice in a slot."""
    if slot == "columns":
        names = [c.name for c in together_answer.columns_for(question, table)]
        if not value:
            return replace(question, columns=()), "all numbers together"
        name = table.column(value).name
        kept = tuple(n for n in names if n != name) if name in names else (*names, name)
        return replace(question, columns=kept), f"{'without' if name in names else 'with'} {name}"
    if slot == "by":
        return replace(question, by=value), chosen(slot, value, BY_WORDS)
    raise BadQuestion(f"There is no slot “{slot}” in this sentence")


def goes_said(question: Goes, table: Table, answer: Any = None) -> Sentence:
    """Return the sentence of two categories against chance."""
    parts = [
        Part("Which "),
        Part(question.column, "column"),
        Part(" "),
        Part("goes", "way"),
        Part(" with which "),
    ]
    return Sentence((*parts, Part(question.against, "against"), Part(", against what chance would give?")))


def goes_name(question: Goes) -> str:
    """Return a short name."""
    return f"which {question.column} with which {question.against}"


def goes_read(body: str, table: Table) -> Goes | None:
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
    question = Goes(column.name, against.name)
    goes_answer.check(question, table)
    return question


def _two_categories(body: str, table: Table) -> Goes | None:
    column, rest = take_column(body, table)
    middle = re.match(r"(?:and|with|vs\.?|versus|against) ", rest, re.IGNORECASE)
    against, rest = take_column(rest[middle.end() :], table) if middle else (None, rest)
    if column is None or against is None or rest or column.kind.measured or against.kind.measured:
        return None
    question = Goes(column.name, against.name)
    goes_answer.check(question, table)
    return question


def goes_changed(question: Goes, slot: str, value: Any, table: Table) -> tuple[Goes, str]:
    """Return the question with another choice in a slot."""
    if slot not in ("column", "against"):
        raise BadQuestion(f"There is no slot “{slot}” in this sentence")
    name = table.column(value or "").name
    other = {"column": question.against, "against": question.column}[slot]
    swapped = Goes(question.against, question.column)
    asked = swapped if name == other else replace(question, **{slot: name})
    return asked, goes_name(asked)


def first_goes(table: Table, column: str) -> Goes:
    """Return two categories to begin with: the column, and the first other one of a handful of groups."""
    able = [c for c in table.columns if can_compare(c) and c.name != column and not c.kind.measured]
    able.sort(key=lambda c: not 2 <= c.distinct <= 20)
    if not able or not can_compare(table.column(column)):
        raise BadQuestion("There are no two categories here", table.name, "Cut a number into bands first.")
    return Goes(column, able[0].name)
