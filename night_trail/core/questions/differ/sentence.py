"""The sentence of how some rows differ from others."""

from __future__ import annotations

import re
from typing import Any

from msgspec.structs import replace

from night_trail.core.conditions import Condition, joined_all
from night_trail.core.errors import BadQuestion
from night_trail.core.language.conditions import in_words, parts_from_words
from night_trail.core.question import decode
from night_trail.core.questions.differ import answer as differ_answer
from night_trail.core.questions.differ.question import Differ
from night_trail.core.questions.shared.left_out import left_out_part, read_left_out, toggled
from night_trail.core.questions.shared.sentence import Part, Sentence
from night_trail.core.table import Table


def said(question: Differ, table: Table, answer: Any = None) -> Sentence:
    """Return the sentence of two sets of rows."""
    plural = table.row_noun[1]
    parts = [Part(f"How do {plural} where "), Part(in_words(question.ones, table), "ones"), Part(" ")]
    parts += [Part("differ", "way"), Part(" from ")]
    if question.others is None:
        parts.append(Part("the rest", "others"))
    else:
        parts += [Part("those where "), Part(in_words(question.others, table), "others")]
    left, addable = left_out_part(question.without)
    return Sentence((*parts, *left, Part("?")), addable)


def short_name(question: Differ) -> str:
    """Return a short name."""
    return f"how rows by {question.column} differ"


_SAID = re.compile(
    r"how do(?:es)? .{0,80}?\bwhere (?P<ones>.+?),? differ from "
    r"(?:the (?:rest|others)|(?:those|.{1,60}?) where (?P<others>.+?))(?:,? leaving out (?P<without>.+))?$",
    re.IGNORECASE,
)


def read(body: str, table: Table) -> Differ | None:
    """Return the question of typed words: ``how do trips where depot is Northgate differ from the rest``."""
    found = _SAID.match(body)
    if found is None:
        return None
    ones = joined_all(*parts_from_words(found["ones"], table))
    others = joined_all(*parts_from_words(found["others"], table)) if found["others"] else None
    without = read_left_out(found["without"], table) if found["without"] else ()
    question = Differ(ones, others, without)
    differ_answer.check(question, table)
    return question


def changed(
    question: Differ, slot: str, value: Any, table: Table, lit: Condition | None = None
) -> tuple[Differ, str]:
    """Return the question with another choice in a slot; rows are given as a condition's JSON."""
    if slot == "without":
        name = table.column(value or "").name
        words = f"{'with' if name in question.without else 'without'} {name}"
        return replace(question, without=toggled(question.without, name)), words
    if slot not in ("ones", "others"):
        raise BadQuestion(f"There is no slot “{slot}” in this sentence")
    if slot == "others" and not value:
        return replace(question, others=None), "from the rest"
    rows = decode(value or "", Condition, "condition")
    if slot == "others":
        return replace(question, others=rows), f"from {in_words(rows, table)}"
    others = None if question.others == rows else question.others
    return replace(question, ones=rows, others=others), in_words(rows, table)
