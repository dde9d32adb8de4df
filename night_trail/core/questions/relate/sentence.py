"""The sentence of a relation: said, read from typed words, changed slot by slot."""

from __future__ import annotations

import re
from typing import Any, cast

from msgspec.structs import replace

from night_trail.core.conditions import Condition
from night_trail.core.errors import BadQuestion
from night_trail.core.hand import real
from night_trail.core.language.conditions import take_column
from night_trail.core.language.numbers import value as value_words
from night_trail.core.questions.relate.answer import check
from night_trail.core.questions.relate.question import Relate
from night_trail.core.questions.shared.sentence import Part, Sentence, chosen
from night_trail.core.table import Table

FIT_WORDS = {
    "line": "a line",
    "robust": "a robust line",
    "curve": "a curve",
    "none": "no fit",
}


LABELS = {
    "coloured": ("coloured by", "one colour"),
    "sized": ("sized by", "one size"),
    "panels": ("in a panel for each", "in one panel"),
    "each": ("a point for each", "a point a row"),
}
"""What a slot that names a column says with one, and without."""

SCALE_WORDS = {
    "plain": "on plain scales",
    "log": "on log scales",
    "log x": "with the horizontal axis on a log scale",
    "log y": "with the upright axis on a log scale",
    "index": "each against its average",
    "share": "each as a share of its total",
}


def said(question: Relate, table: Table, answer: Any = None) -> Sentence:
    """Return the sentence of a relation."""
    parts = [
        *(Part("How does "), Part(question.column, "column"), Part(" "), Part("move", "way"), Part(" with ")),
        Part(question.against, "against"),
    ]
    addable: list[Part] = []
    if question.each:
        parts += [Part(" "), Part(f"for each {question.each}", "each")]
    else:
        addable.append(Part("a point for each…", "each"))
    for words, slot, name, offer in (
        ("sized by", "sized", question.sized, "size"),
        ("coloured by", "coloured", question.coloured, "colour"),
        ("in a panel for each", "panels", question.panels, "panels"),
    ):
        if name:
            parts += [Part(", "), Part(f"{words} {name}", slot)]
        else:
            addable.append(Part(offer, slot))
    parts += [Part(", drawn as points with "), Part(FIT_WORDS[question.fit], "fit")]
    if question.scale != "plain":
        parts += [Part(" "), Part(SCALE_WORDS[question.scale], "scale")]
    elif not any(table.column(n).kind.temporal for n in (question.column, question.against)):
        addable.append(Part("log scales", "scale"))
    if question.margins:
        parts += [Part(" and "), Part("spreads at the edges", "margins")]
    elif not question.panels:
        addable.append(Part("spreads at the edges", "margins"))
    if question.window is not None:
        parts += [Part(", "), Part(window_words(question, table), "window")]
    return Sentence((*parts, Part("?")), tuple(addable))


def window_words(question: Relate, table: Table) -> str:
    """Return the part zoomed into in words."""
    if question.window is None:
        return "zoomed out"
    x_low, x_high, y_low, y_high = question.window
    spans = [
        f"{name} {value_words(low, column.kind, '')} to {value_words(high, column.kind, column.unit)}"
        for name, low, high in ((question.against, x_low, x_high), (question.column, y_low, y_high))
        if (column := table.column(name))
    ]
    return f"zoomed into {' and '.join(spans)}"


def short_name(question: Relate) -> str:
    """Return a relation's name on the trail and beside."""
    if question.each:
        return f"{question.column} with {question.against} for each {question.each}"
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
    if start is None and (both := re.match(r"and ", rest, re.IGNORECASE)):
        # two columns alone, and not the beginning of several measures
        start = both if take_column(rest[both.end() :], table)[1] == "" else None
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


_NAMED = {
    r"(?:(?:coloured|colored|by colour) )?by ": "coloured",
    r"sized by ": "sized",
    r"(?:in |with )?a panel for each |in panels by |panels by ": "panels",
    r"for each |a point for each ": "each",
}


def _clause(question: Relate, rest: str, table: Table) -> tuple[Relate, str]:
    for pattern, field in _NAMED.items():
        if found := re.match(pattern, rest, re.IGNORECASE):
            column, behind = take_column(rest[found.end() :], table)
            if column is not None:
                return replace(question, **{field: column.name}), behind
    for scale, words in SCALE_WORDS.items():
        if rest.lower().startswith(words):
            return replace(question, scale=cast(Any, scale)), rest[len(words) :]
    if found := re.match(r"(?:and |with )?spreads at the edges", rest, re.IGNORECASE):
        return replace(question, margins=True), rest[found.end() :]
    if found := re.match(r"zoomed into ", rest, re.IGNORECASE):
        return _window_clause(question, rest[found.end() :], table)
    for fit, words in sorted(FIT_WORDS.items(), key=lambda f: -len(f[1])):
        if found := re.match(rf"(?:drawn as points )?with {words}", rest, re.IGNORECASE):
            return replace(question, fit=cast(Any, fit)), rest[found.end() :]
    raise BadQuestion(f"“{rest}” was not understood", "", "Try: coloured by district, with a curve.")


def _window_clause(question: Relate, text: str, table: Table) -> tuple[Relate, str]:
    """Read ``rain_mm 2 to 5 mm and late_min 0 to 9 min``: a range along each axis."""
    ends: list[float] = []
    rest = text
    for name in (question.against, question.column):
        column, rest = take_column(re.sub(r"^and ", "", rest.strip()), table)
        number = r"([-−]?[\d,]*\.?\d+(?:e[-−]?\d+)?)"
        unit = rf"(?:\s?{re.escape(column.unit)})?" if column is not None and column.unit else ""
        found = re.match(rf"{number}\s?to\s{number}{unit}", rest)
        if column is None or column.name != name or found is None:
            raise BadQuestion(
                f"“{text[:80]}” is no part to zoom into", "", "Zoom with the wheel, or + on the picture."
            )
        ends += [real(end, "window") for end in found.groups()]
        rest = rest[found.end() :]
    return replace(question, window=(ends[0], ends[1], ends[2], ends[3])), rest


def _swapped(question: Relate) -> Relate:
    """Return the relation with its axes swapped, and what belongs to an axis with them."""
    window = question.window and (*question.window[2:], *question.window[:2])
    scale = {"log x": "log y", "log y": "log x"}.get(question.scale, question.scale)
    return replace(
        question,
        column=question.against,
        against=question.column,
        window=cast(Any, window),
        scale=cast(Any, scale),
    )


def changed(
    question: Relate, slot: str, value: Any, table: Table, lit: Condition | None = None
) -> tuple[Relate, str]:
    """Return the question with another choice in a slot, and the change in a few words."""
    if slot in ("column", "against"):
        name = table.column(value or "").name
        other = {"column": question.against, "against": question.column}[slot]
        if name == other:
            # the column of the other axis: the axes are swapped
            asked = _swapped(question)
            return asked, f"axes swapped: {short_name(asked)}"
        # what was zoomed into belongs to the column that goes
        scale = "plain" if table.column(name).kind.temporal else question.scale
        asked = replace(question, **{slot: name, "window": None, "scale": scale})
        return asked, short_name(asked)
    if slot in LABELS:
        name_ = table.column(value).name if value else None
        words, none = LABELS[slot]
        asked = replace(question, **{slot: name_})
        if slot == "each":
            asked = replace(asked, window=None)
        return asked, f"{words} {value}" if value else none
    if slot == "margins":
        return replace(question, margins=value == "yes"), "spreads at the edges" if value else "no spreads"
    if slot == "window":
        return replace(question, window=None), "zoomed out"
    if slot == "scale":
        label = chosen(slot, value, SCALE_WORDS)
        return replace(question, scale=value, window=None), label
    if slot == "fit":
        label = f"with {chosen(slot, value, FIT_WORDS)}"
        return replace(question, fit=value), label
    raise BadQuestion(f"There is no slot “{slot}” in this sentence")
