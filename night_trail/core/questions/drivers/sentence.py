"""The sentence of what drives a column."""

from __future__ import annotations

import re
from typing import Any

from msgspec.structs import replace

from night_trail.core.conditions import Condition
from night_trail.core.errors import BadQuestion
from night_trail.core.language.conditions import take_column
from night_trail.core.language.numbers import listed
from night_trail.core.questions.drivers.answer import check
from night_trail.core.questions.drivers.question import ALONE, Drivers
from night_trail.core.questions.shared.left_out import left_out_part, read_left_out, toggled
from night_trail.core.questions.shared.sentence import Part, Sentence, chosen
from night_trail.core.table import Table

SHAPE_WORDS = {"drivers": "bars", "rules": "a few rules"}


def said(question: Drivers, table: Table, answer: Any = None) -> Sentence:
    """Return the sentence; its answer names the value of a category, and what keeps rows together."""
    parts = [Part("What "), Part("drives", "way"), Part(" "), Part(question.of, "column")]
    addable: list[Part] = []
    value = question.value or (answer.value if answer is not None else None)
    if value is not None:
        parts += [Part(" being "), Part(value, "value")]
    left, more = left_out_part(question.without)
    parts += left
    addable += more
    if question.back:
        parts += [Part(", with "), Part(listed(question.back), "back"), Part(" put back")]
    kept = question.together
    if kept is None and answer is not None and answer.together is not None:
        kept = answer.together.name
    if kept == ALONE:
        parts += [Part(", with "), Part("each row by itself", "together")]
    elif kept is not None:
        parts += [Part(", with "), Part(f"rows of one {kept} kept together", "together")]
    else:
        addable.append(Part("rows kept together…", "together"))
    parts += [Part(", drawn as "), Part(SHAPE_WORDS[question.shape], "shape")]
    if question.opened is not None:
        parts += [Part(", opened at "), Part(question.opened, "opened")]
    elif question.shape == "drivers":
        addable.append(Part("opened at…", "opened"))
    parts.append(Part("?"))
    return Sentence(tuple(parts), tuple(addable))


def short_name(question: Drivers) -> str:
    """Return a short name."""
    being = f" being {question.value}" if question.value is not None else ""
    opened = f", {question.opened}" if question.opened is not None else ""
    return f"what drives {question.of}{being}{opened}"


_BEGINS = re.compile(r"what (?:drives|explains|determines|affects|influences) ", re.IGNORECASE)


def read(body: str, table: Table) -> Drivers | None:
    """Return the question of typed words: ``what drives late_min, leaving out crew, as a few rules``."""
    begins = _BEGINS.match(body)
    column, rest = take_column(body[begins.end() :], table) if begins else (None, "")
    if column is None:
        return None
    question = Drivers(column.name)
    if found := re.match(r"being (.+?)(?=, (?:leaving|with|drawn)|$)", rest, re.IGNORECASE):
        question, rest = replace(question, value=found[1]), rest[found.end() :]
    ends = r"(?=,? (?:leaving out|with|drawn as|as|opened at) |$)"
    while rest := rest.strip(" ,"):
        if found := re.match(rf"(?:leaving out|without) (.+?){ends}", rest, re.IGNORECASE):
            question = replace(question, without=read_left_out(found[1], table))
        elif found := re.match(r"with (.+?) put back", rest, re.IGNORECASE):
            question = replace(question, back=read_left_out(found[1], table))
        elif found := re.match(r"with each row by itself", rest, re.IGNORECASE):
            question = replace(question, together=ALONE)
        elif found := re.match(r"with \S+ of one (?:day of )?(.+?) kept together", rest, re.IGNORECASE):
            question = replace(question, together=read_left_out(found[1], table)[0])
        elif found := re.match(rf"opened at (.+?){ends}", rest, re.IGNORECASE):
            question = replace(question, opened=read_left_out(found[1], table)[0])
        elif found := re.match(r"(?:drawn )?as (a few rules|bars)", rest, re.IGNORECASE):
            question = replace(question, shape="rules" if "rules" in found[1] else "drivers")
        else:
            raise BadQuestion(
                f"“{rest}” was not understood", "", "Try: leaving out a column, as a few rules."
            )
        rest = rest[found.end() :]
    check(question, table)
    return question


def changed(
    question: Drivers, slot: str, value: Any, table: Table, lit: Condition | None = None
) -> tuple[Drivers, str]:
    """Return the question with another choice in a slot."""
    if slot == "column":
        name = table.column(value or "").name
        asked = Drivers(name, without=tuple(n for n in question.without if n != name), shape=question.shape)
        return asked, short_name(asked)
    if slot == "value":
        return replace(question, value=value or None), f"being {value}" if value else "its commonest value"
    if slot in ("without", "back"):
        name = table.column(value or "").name
        names: tuple[str, ...] = getattr(question, slot)
        out = (name in names) == (slot == "back")
        asked = replace(question, **{slot: toggled(names, name)})
        if slot == "back":
            return asked, f"{name} {'set apart' if out else 'put back'}"
        return asked, f"{'without' if out else 'with'} {name}"
    if slot == "together":
        kept = value or None
        if kept not in (None, ALONE):
            kept = table.column(value).name
        words = {None: "kept together as needed", ALONE: "each row by itself"}.get(
            kept, f"kept together by {kept}"
        )
        return replace(question, together=kept), words
    if slot == "opened":
        opened = table.column(value).name if value else None
        shown = replace(question, opened=opened, shape="drivers")
        return shown, f"opened at {opened}" if opened else "all drivers"
    if slot == "shape":
        return replace(question, shape=value, opened=None), f"as {chosen(slot, value, SHAPE_WORDS)}"
    raise BadQuestion(f"There is no slot “{slot}” in this sentence")
