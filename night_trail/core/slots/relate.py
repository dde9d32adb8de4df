"""The sentence of a relation: said, read from typed words, changed slot by slot."""

from __future__ import annotations

import re
from typing import Any, cast

from msgspec.structs import replace

from night_trail.core.answers.relate import check
from night_trail.core.errors import BadQuestion
from night_trail.core.question import Relate
from night_trail.core.slots.parts import Part, Sentence, chosen
from night_trail.core.table import Table
from night_trail.core.words.conditions import take_column

FIT_WORDS = {
    "line": "a line",
    "robust": "a robust line",
    "curve": "a curve",
    "none": "no fit",
}


def said(question: Relate, table: Table, answer: Any = None) -> Sentence:
    """Return the sentence of a relation."""
    parts = [
        *(Part("How does "), Part(question.column, "column"), Part(" "), Part("move", "way"), Part(" with ")),
        Part(question.against, "against"),
    ]
    addable: list[Part] = []
    if question.coloured:
        parts += [Part(", "), Part(f"coloured by {question.coloured}", "coloured")]
    else:
        addable.append(Part("colour", "coloured"))
    parts += [Part(", drawn as points with "), Part(FIT_WORDS[question.fit], "fit"), Part("?")]
    return Sentence(tuple(parts), tuple(addable))


def short_name(question: Relate) -> str:
    """Return a relation's name on the trail and beside."""
    return f"{question.column} with {question.against}"


def read(body: str, table: Table) -> Relate | None:
    """Return the relation that words without their filter ask for; None where they ask for none.

    Raises
    ------
    BadQuestion
        Saying which part was not understood, where it begins as a relation.
    """
    body = re.sub(r"^how (?:does|do) ", "", body, flags=re.IGNORECASE)
    column, rest = take_column(body, table)
    start = re.match(r"(?:moves? with|vs\.?|against|versus) ", rest, re.IGNORECASE)
    if column is None or start is None:
        return None
    against, rest = take_column(rest[start.end() :], table)
    if against is None:
        raise BadQuestion(f"“{rest}” is not a column", table.name, "Write it like: late_min vs rain_mm.")
    question = Relate(column.name, against.name)
    while rest := rest.strip(" ,"):
        question, rest = _clause(question, rest, table)
    check(question, table)
    return question


def _clause(question: Relate, rest: str, table: Table) -> tuple[Relate, str]:
    if found := re.match(r"(?:coloured|colored|by colour) by ", rest, re.IGNORECASE):
        column, behind = take_column(rest[found.end() :], table)
        if column is not None:
            return replace(question, coloured=column.name), behind
    for fit, words in sorted(FIT_WORDS.items(), key=lambda f: -len(f[1])):
        if found := re.match(rf"(?:drawn as points )?with {words}", rest, re.IGNORECASE):
            return replace(question, fit=cast(Any, fit)), rest[found.end() :]
    raise BadQuestion(f"“{rest}” was not understood", "", "Try: coloured by district, with a curve.")


def changed(question: Relate, slot: str, value: Any, table: Table) -> tuple[Relate, str]:
    """Return the question with another choice in a slot, and the change in a few words."""
    if slot in ("column", "against"):
        name = table.column(value or "").name
        other = {"column": question.against, "against": question.column}[slot]
        if name == other:
            # the column of the other axis: the axes are swapped
            asked = replace(question, column=question.against, against=question.column)
            return asked, f"axes swapped: {short_name(asked)}"
        asked = replace(question, **{slot: name})
        return asked, short_name(asked)
    if slot == "coloured":
        name_ = table.column(value).name if value else None
        return replace(question, coloured=name_), f"coloured by {value}" if value else "one colour"
    if slot == "fit":
        label = f"with {chosen(slot, value, FIT_WORDS)}"
        return replace(question, fit=value), label
    raise BadQuestion(f"There is no slot “{slot}” in this sentence")
