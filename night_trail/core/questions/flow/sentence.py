"""The sentence of a flow: said, read from typed words, changed slot by slot."""

from __future__ import annotations

import re
from typing import Any, cast

from msgspec.structs import replace

from night_trail.core.conditions import Condition
from night_trail.core.errors import BadQuestion
from night_trail.core.language.conditions import take_column
from night_trail.core.measure import Measure
from night_trail.core.questions.flow.answer import check, shapes_for
from night_trail.core.questions.flow.question import MOST_STATIONS, SLOTS, Flow
from night_trail.core.questions.shared.measure_slots import (
    change_measure,
    leading_measure,
    measure_parts,
    measure_words,
    short_measure,
)
from night_trail.core.questions.shared.measures import ADDS_UP, first_measure
from night_trail.core.questions.shared.sentence import Part, Sentence, chosen
from night_trail.core.table import Table

SHAPE_WORDS = {"bands": "bands", "matrix": "a matrix"}
SHADE_WORDS = {"": "coloured by where it comes from", "chance": "coloured by how far it is from chance"}
TO = " to "


def said(question: Flow, table: Table, answer: Any = None) -> Sentence:
    """Return the sentence of a flow."""
    parts = [Part("Where does "), *measure_parts(question.measure, table), Part(" ")]
    parts += [Part("flow", "way"), Part(" from ")]
    for i, name in enumerate(question.stations):
        if i:
            parts.append(Part(TO))
        parts.append(Part(name, SLOTS[i]))
    parts += [Part(", drawn as "), Part(SHAPE_WORDS[question.shape], "shape")]
    addable = []
    if question.shade:
        parts += [Part(", "), Part(SHADE_WORDS[question.shade], "shade")]
    else:
        addable.append(Part("colour by chance", "shade"))
    if len(question.stations) < MOST_STATIONS:
        addable.insert(0, Part("and then to", SLOTS[len(question.stations)]))
    return Sentence((*parts, Part("?")), tuple(addable))


def short_name(question: Flow) -> str:
    """Return a flow's name on the trail and beside."""
    return f"{short_measure(question.measure)} from {TO.join(question.stations)}"


_BEGINS = re.compile(
    r"(?:where (?:does|do) (?P<asked>.+?) flow|(?:the )?flow of (?P<of>.+?)) from ", re.IGNORECASE
)


def read(body: str, table: Table) -> Flow | None:
    """Return the flow that words without their filter ask for; None where they ask for another kind.

    Raises
    ------
    BadQuestion
        Saying which part was not understood, where it begins as a flow.
    """
    begun = _BEGINS.match(body)
    if begun is None:
        return None
    measure = _measure((begun["asked"] or begun["of"]).strip(), table)
    stations: list[str] = []
    rest = body[begun.end() :]
    while True:
        column, behind = take_column(rest, table)
        if column is None:
            raise BadQuestion(
                f"“{rest}” is not a column", table.name, "Say it like: from one column to another."
            )
        stations.append(column.name)
        rest = behind.strip()
        more = re.match(r",? ?(?:and )?(?:then )?to ", rest, re.IGNORECASE)
        if more is None:
            break
        rest = rest[more.end() :]
    if not 2 <= len(stations) <= MOST_STATIONS:
        raise BadQuestion(
            "A flow has two to five stations", "stations", "Say it like: from one column to another."
        )
    question = Flow(measure, tuple(stations))
    while rest := rest.strip(" ,"):
        question, rest = _clause(question, rest)
    check(question, table)
    return question


def _measure(text: str, table: Table) -> Measure:
    found = leading_measure(f"{text} ", table)
    if found is not None and not found[1].strip():
        return found[0]
    column, rest = take_column(text, table)
    if column is None or rest:
        raise BadQuestion(f"“{text}” is no figure", table.name, "Name what flows: a column, or the rows.")
    own = first_measure(column)
    return own if own.aggregate in ADDS_UP else Measure("sum", column.name)


def _clause(question: Flow, rest: str) -> tuple[Flow, str]:
    if found := re.match(r"(?:drawn )?as (?:a )?(bands|matrix)", rest, re.IGNORECASE):
        return replace(question, shape=cast(Any, found[1].lower())), rest[found.end() :]
    if found := re.match(r"colou?red by how far it is from chance|against chance", rest, re.IGNORECASE):
        return replace(question, shade="chance"), rest[found.end() :]
    if found := re.match(r"colou?red by where it comes from", rest, re.IGNORECASE):
        return replace(question, shade=""), rest[found.end() :]
    raise BadQuestion(f"“{rest}” was not understood", "", "Try: as a matrix, against chance.")


def changed(
    question: Flow, slot: str, value: Any, table: Table, lit: Condition | None = None
) -> tuple[Flow, str]:
    """Return the question with another choice in a slot, and the change in a few words."""
    if slot in SLOTS:
        return _station(question, SLOTS.index(slot), value, table)
    if (other := change_measure(question.measure, slot, value, table, question.stations[0], lit)) is not None:
        made, label = other
        if slot == "column" and made.aggregate not in ADDS_UP:
            made = Measure("sum", made.column)
            label = measure_words(made, table)
        return replace(question, measure=made), label
    if slot == "shape":
        chosen(slot, value, SHAPE_WORDS)
        return replace(question, shape=value), f"as {SHAPE_WORDS[value]}"
    if slot == "shade":
        wanted = value or ""
        label = chosen(slot, wanted, SHADE_WORDS)
        return replace(question, shade=wanted), label
    raise BadQuestion(f"There is no slot “{slot}” in this sentence")


def _station(question: Flow, at: int, value: Any, table: Table) -> tuple[Flow, str]:
    stations = list(question.stations)
    if value is None:
        if at >= len(stations) or len(stations) == 2:
            raise BadQuestion("Two stations have to stay", SLOTS[at], "Choose another column instead.")
        gone = stations.pop(at)
        return _fitted(replace(question, stations=tuple(stations))), f"without {gone}"
    name = table.column(value).name
    if at < len(stations):
        if name in stations:
            other = stations.index(name)
            stations[at], stations[other] = stations[other], stations[at]
        else:
            stations[at] = name
    elif name not in stations:
        stations.append(name)
    return _fitted(replace(question, stations=tuple(stations))), f"from {TO.join(stations)}"


def _fitted(question: Flow) -> Flow:
    able = shapes_for(question)
    return question if question.shape in able else replace(question, shape=able[0])
