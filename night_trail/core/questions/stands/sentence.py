"""The sentence of what stands out."""

from __future__ import annotations

import re
from typing import Any

from msgspec.structs import replace

from night_trail.core.conditions import Condition
from night_trail.core.errors import BadQuestion
from night_trail.core.language.conditions import take_column
from night_trail.core.questions.shared.left_out import toggled
from night_trail.core.questions.shared.sentence import Part, Sentence
from night_trail.core.questions.stands.answer import check
from night_trail.core.questions.stands.question import MOST_ASIDE, Stands
from night_trail.core.table import Table

WHOLE = "the whole table"


def said(question: Stands, table: Table, answer: Any = None) -> Sentence:
    """Return the sentence of what stands out."""
    parts = [Part("What "), Part("stands out", "way"), Part(" in "), Part(question.of or WHOLE, "column")]
    addable: tuple[Part, ...] = ()
    if question.within is not None:
        parts += [Part(" within each "), Part(question.within, "within")]
    else:
        addable = (Part("within each…", "within"),)
    return Sentence((*parts, Part("?")), addable)


def short_name(question: Stands) -> str:
    """Return a short name."""
    within = f" within each {question.within}" if question.within else ""
    return f"what stands out{f' in {question.of}' if question.of else ''}{within}"


_BEGINS = re.compile(r"what (?:stands out|is (?:odd|strange|unusual))(?: in (.+))?$", re.IGNORECASE)


def read(body: str, table: Table) -> Stands | None:
    """Return the question of typed words: ``what stands out in late_min within each line``."""
    found = _BEGINS.match(body.strip())
    if found is None:
        return None
    rest, of, within = (found[1] or "").strip(), None, None
    if whole := re.match(rf"{WHOLE}|the table|it all", rest, re.IGNORECASE):
        rest = rest[whole.end() :].strip()
    elif rest:
        column, rest = take_column(rest, table)
        if column is None:
            raise BadQuestion(f"“{rest}” is no column", table.name, "Write: what stands out in late_min.")
        of = column.name
    if inside := re.match(r"within (?:each |every )?", rest, re.IGNORECASE):
        column, rest = take_column(rest[inside.end() :], table)
        within = None if column is None else column.name
    if rest:
        raise BadQuestion(f"“{rest}” was not understood", "", "Try: within each, and a category.")
    question = Stands(of, within)
    check(question, table)
    return question


def changed(
    question: Stands, slot: str, value: Any, table: Table, lit: Condition | None = None
) -> tuple[Stands, str]:
    """Return the question with another choice in a slot."""
    if slot == "column":
        of = table.column(value).name if value else None
        within = None if of == question.within else question.within
        asked = replace(question, of=of, within=within)
        return asked, f"in {of}" if of else f"in {WHOLE}"
    if slot == "within":
        within = table.column(value).name if value else None
        return replace(question, within=within), f"within each {within}" if within else "within all rows"
    if slot == "aside":
        if not isinstance(value, str) or not 0 < len(value) <= 500:
            raise BadQuestion(
                "There is nothing of that name to put aside", "aside", "Choose one of the list."
            )
        put = toggled(question.aside, value)
        if len(put) > MOST_ASIDE:
            raise BadQuestion(f"{MOST_ASIDE} things are put aside already", "aside", "Take some back first.")
        return replace(question, aside=put), "put aside" if value in put else "taken back"
    raise BadQuestion(f"There is no slot “{slot}” in this sentence")
