"""The sentence of an effect with others held fixed."""

from __future__ import annotations

import re
from typing import Any

from msgspec.structs import replace

from night_trail.core.conditions import Condition
from night_trail.core.errors import BadQuestion
from night_trail.core.language.conditions import take_column
from night_trail.core.language.numbers import listed
from night_trail.core.questions.held.answer import check
from night_trail.core.questions.held.question import MOST_FIXED, Held
from night_trail.core.questions.shared.left_out import read_left_out, toggled
from night_trail.core.questions.shared.sentence import Part, Sentence, chosen
from night_trail.core.table import Table

SHAPE_WORDS = {"effects": "effects", "coefficients": "coefficients", "residuals": "what is left"}
POWER_WORDS = {1: "a straight line", 2: "a line that bends", 3: "a line that bends twice"}
ERROR_WORDS = {"robust": "errors for uneven rows", "plain": "errors for even rows"}
CHOSEN = "what matters most"
NOTHING = "-"


def said(question: Held, table: Table, answer: Any = None) -> Sentence:
    """Return the sentence; its answer names what was chosen to be held fixed."""
    parts = [Part("Does "), Part(question.of, "column"), Part(" still go with "), Part(question.by, "by")]
    addable: list[Part] = []
    if question.power > 1:
        parts += [Part(" along "), Part(POWER_WORDS[question.power], "power")]
    elif table.column(question.by).kind.measured:
        addable.append(Part("along a line that bends…", "power"))
    names = question.fixed
    if names is None and answer is not None:
        names = tuple(n for n in answer.fixed if n != question.product)
    fixed = CHOSEN if names is None else listed(names) if names else "nothing"
    verb = "are" if names and len(names) > 1 else "is"
    parts += [Part(" when "), Part(fixed, "fixed"), Part(f" {verb} "), Part("held fixed", "way")]
    if question.product is not None:
        parts += [Part(", its effect differing by "), Part(question.product, "product")]
    elif table.column(question.by).kind.measured:
        addable.append(Part("its effect differing by…", "product"))
    if question.errors == "plain":
        parts += [Part(", with "), Part(ERROR_WORDS["plain"], "errors")]
    else:
        addable.append(Part("with errors for even rows…", "errors"))
    parts += [Part(", drawn as "), Part(SHAPE_WORDS[question.shape], "shape"), Part("?")]
    return Sentence(tuple(parts), tuple(addable))


def short_name(question: Held) -> str:
    """Return a short name."""
    return f"{question.of} by {question.by}, others held fixed"


_BEGINS = re.compile(r"does ", re.IGNORECASE)
_ENDS = r"(?=,? (?:along|when|its effect|with errors|drawn as|as) |$)"


def read(body: str, table: Table) -> Held | None:
    """Return the question of words: ``does late_min still go with rain_mm when depot is held fixed``."""
    begins = _BEGINS.match(body)
    of, rest = take_column(body[begins.end() :], table) if begins else (None, "")
    if of is None or not (found := re.match(r"still go with ", rest, re.IGNORECASE)):
        return None
    by, rest = take_column(rest[found.end() :], table)
    if by is None:
        way = "Write: does late_min still go with rain_mm."
        raise BadQuestion(f"“{rest}” is no column", table.name, way)
    question = Held(of.name, by.name)
    while rest := rest.strip(" ,"):
        if found := re.match(r"along a line that bends( twice)?", rest, re.IGNORECASE):
            question = replace(question, power=3 if found[1] else 2)
        elif found := re.match(rf"when (.+?) (?:is|are) held fixed{_ENDS}", rest, re.IGNORECASE):
            what = found[1].lower()
            if what not in (CHOSEN, "others", "the others"):
                fixed = () if what == "nothing" else read_left_out(found[1], table)
                question = replace(question, fixed=fixed)
        elif found := re.match(rf"its effect differing by (.+?){_ENDS}", rest, re.IGNORECASE):
            question = replace(question, product=read_left_out(found[1], table)[0])
        elif found := re.match(r"with errors for even rows", rest, re.IGNORECASE):
            question = replace(question, errors="plain")
        elif found := re.match(r"(?:drawn )?as (effects|coefficients|what is left)", rest, re.IGNORECASE):
            shape = next(key for key, words in SHAPE_WORDS.items() if words == found[1].lower())
            question = replace(question, shape=shape)
        else:
            raise BadQuestion(f"“{rest}” was not understood", "", "Try: when depot is held fixed.")
        rest = rest[found.end() :]
    check(question, table)
    return question


def changed(
    question: Held, slot: str, value: Any, table: Table, lit: Condition | None = None
) -> tuple[Held, str]:
    """Return the question with another choice in a slot."""
    if slot in ("column", "by"):
        name = table.column(value or "").name
        field = "of" if slot == "column" else slot
        if name == (question.by if slot == "column" else question.of):
            raise BadQuestion("A column is not held against itself", slot, "Choose another.")
        fixed = None if question.fixed is None else tuple(n for n in question.fixed if n != name)
        asked = replace(question, **{field: name}, fixed=fixed)
        measured = table.column(asked.by).kind.measured
        asked = replace(asked, power=asked.power if measured else 1)
        if not measured or asked.product == name:
            asked = replace(asked, product=None)
        return asked, short_name(asked)
    if slot == "fixed":
        return _fixed(question, value, table)
    if slot == "product":
        by = table.column(value).name if value else None
        return replace(question, product=by), f"differing by {by}" if by else "the same for all rows"
    if slot == "power":
        power = int(
            chosen(slot, str(value or 1), {str(k): words for k, words in POWER_WORDS.items()})
            and (value or 1)
        )
        return replace(question, power=power), f"along {POWER_WORDS[power]}"
    if slot == "errors":
        key = value or "robust"
        return replace(question, errors=key), f"with {chosen(slot, key, ERROR_WORDS)}"
    if slot == "shape":
        return replace(question, shape=value), f"as {chosen(slot, value, SHAPE_WORDS)}"
    raise BadQuestion(f"There is no slot “{slot}” in this sentence")


def _fixed(question: Held, value: Any, table: Table) -> tuple[Held, str]:
    if not value:
        return replace(question, fixed=None), f"{CHOSEN} held fixed"
    if value == NOTHING:
        return replace(question, fixed=()), "nothing held fixed"
    # several at once make the list, one is added to it or taken off
    if "\x1f" in str(value):
        names = tuple(table.column(name).name for name in str(value).split("\x1f") if name)
        return replace(
            question, fixed=names
        ), f"{listed(names)} held fixed" if names else "nothing held fixed"
    name = table.column(value).name
    fixed = toggled(question.fixed or (), name)
    if len(fixed) > MOST_FIXED:
        raise BadQuestion(f"At most {MOST_FIXED} columns are held fixed", "fixed", "Let one go first.")
    return replace(question, fixed=fixed), f"{name} {'held fixed' if name in fixed else 'let go'}"
