"""A place read from typed words."""

from __future__ import annotations

import re
from typing import Any, cast

from msgspec.structs import replace

from night_trail.core.errors import BadQuestion
from night_trail.core.hand import real
from night_trail.core.language.conditions import take_column
from night_trail.core.measure import Measure
from night_trail.core.questions.place.answer import check, shapes_for
from night_trail.core.questions.place.question import Place
from night_trail.core.questions.place.sentence import CLASS_WORDS, by_name, on_plan, start
from night_trail.core.questions.shared.measure_slots import leading_measure
from night_trail.core.questions.shared.measures import first_measure
from night_trail.core.questions.shared.rules import read_rule
from night_trail.core.table import Table

_NAME, _WHERE = r"[^,]+?", r"-?\d+\.\d\d, -?\d+\.\d\d|[A-Z]{3}-[^\s,]+"
_MEANING = re.compile(rf"meaning ({_NAME} at (?:{_WHERE})(?: and {_NAME} at (?:{_WHERE}))*)")

_BEGINS = re.compile(
    r"where (?:is|are|lies|lie) (?P<asked>.+)|(?:an? )?map of (?P<map>.+)"
    r"|(?P<shown>.+?) on (?:a|the) map(?P<more>.*)",
    re.IGNORECASE,
)


def read(body: str, table: Table) -> Place | None:
    """Return the place that words without their filter ask for; None where they ask for another kind.

    Raises
    ------
    BadQuestion
        Saying which part was not understood, where it begins as a place.
    """
    begun = _BEGINS.fullmatch(body)
    if begun is None or re.match(r"where (?:is|are) .+ going\b", body, re.IGNORECASE):
        return None
    text = begun["asked"] or begun["map"] or f"{begun['shown']}{begun['more'] or ''}"
    measure, rest = _measure(text, table)
    question = _begun(table, measure, rest)
    shaped = False
    while rest := rest.strip(" ,"):
        question, rest, own = _clause(question, rest, table)
        shaped = shaped or own
    if not shaped and question.shape not in shapes_for(question):
        question = replace(question, shape=shapes_for(question)[0])
    check(question, table)
    return question


def _begun(table: Table, measure: Measure, rest: str) -> Place:
    """Return where it is to begin with: by the column that is named, else by the table's own."""
    found = re.search(r"(?:placed|located) (?:by|from) (.+)", rest, re.IGNORECASE)
    named = take_column(found[1], table)[0] if found else None
    return Place(measure, (named.name,)) if named is not None else start(table, measure)


def _measure(text: str, table: Table) -> tuple[Measure, str]:
    found = leading_measure(f"{text} ", table)
    if found is not None:
        return found
    column, rest = take_column(text, table)
    if column is None:
        raise BadQuestion(
            f"“{text}” names no figure", table.name, "Name what lies there: a column, or the rows."
        )
    return first_measure(column), rest


def _clause(question: Place, rest: str, table: Table) -> tuple[Place, str, bool]:  # noqa: C901  (one case a phrase)
    if found := re.match(r"(?:placed |located )?(?:by|from) ", rest, re.IGNORECASE):
        first, behind = take_column(rest[found.end() :], table)
        if first is None:
            raise BadQuestion(
                f"“{rest}” is not a column", table.name, "Say: placed by latitude and longitude."
            )
        more = re.match(r"and ", behind.strip(), re.IGNORECASE)
        second, after = take_column(behind.strip()[more.end() :], table) if more else (None, "")
        if second is not None:
            return replace(question, at=(second.name, first.name), country=None), after, False
        return by_name(table, question.measure, first.name), behind, False
    if found := re.match(r"and (?:leading|on) to ", rest, re.IGNORECASE):
        first, behind = take_column(rest[found.end() :], table)
        more = re.match(r"and ", behind.strip(), re.IGNORECASE)
        second, after = take_column(behind.strip()[more.end() :], table) if more else (None, "")
        if first is not None and second is not None:
            return replace(question, onward=(second.name, first.name), shape="arcs"), after, True
    if found := re.match(r"on the plan ", rest, re.IGNORECASE):
        plans = sorted(table.plans, key=lambda one: -len(one[1]))
        for key, name, own in plans:
            if rest[found.end() :].lower().startswith(name.lower()):
                return on_plan(question, key, own, table), rest[found.end() + len(name) :], True
    if found := re.match(r"(?:with )?small lines over ", rest, re.IGNORECASE):
        column, behind = take_column(rest[found.end() :], table)
        if column is not None:
            return replace(question, history=column.name), behind, False
    if found := _MEANING.match(rest):
        told = re.findall(rf"({_NAME}) at ({_WHERE})(?: and |$)", found[1])
        return (
            replace(question, meant=tuple((name.strip(), at) for name, at in told)),
            rest[found.end() :],
            False,
        )
    if marking := read_rule(rest):
        return replace(question, rule=marking[0]), marking[1], False
    if found := re.match(r"in (?!classes)", rest, re.IGNORECASE):
        column, behind = take_column(rest[found.end() :], table)
        if column is not None:
            return replace(question, country=column.name), behind, False
    if found := re.match(r"(?:drawn )?as (dots|hexagons|areas|arcs)", rest, re.IGNORECASE):
        return replace(question, shape=cast(Any, found[1].lower())), rest[found.end() :], True
    if found := re.match(r"of ", rest, re.IGNORECASE):
        named = sorted(table.areas.items(), key=lambda one: -len(one[1].name))
        for key, own in named:
            if rest[found.end() :].lower().startswith(own.name.lower()):
                return replace(question, areas=key), rest[found.end() + len(own.name) :], True
    if found := re.match(r"(shaded|coloured|colored) by ", rest, re.IGNORECASE):
        column, behind = take_column(rest[found.end() :], table)
        if column is not None and found[1].lower() != "shaded" and not column.kind.measured:
            return replace(question, coloured=column.name), behind, False
        if column is not None:
            return replace(question, shade=first_measure(column)), behind, False
        shade = leading_measure(f"{rest[found.end() :]} ", table)
        if shade is not None:
            return replace(question, shade=shade[0]), shade[1], False
    for classes, words in CLASS_WORDS.items():
        if found := re.match(rf"(?:in )?{words}", rest, re.IGNORECASE):
            return replace(question, classes=cast(Any, classes)), rest[found.end() :], False
    number = r"([-−]?\d+(?:\.\d+)?)"
    zoomed = rf"zoomed into longitude {number} to {number} and latitude {number} to {number}"
    planned = rf"zoomed into {number} to {number} across and {number} to {number} up"
    if found := re.match(rf"{zoomed}|{planned}", rest, re.IGNORECASE):
        west, east, south, north = (real(one, "window") for one in found.groups() if one is not None)
        return replace(question, window=(west, east, south, north)), rest[found.end() :], False
    raise BadQuestion(f"“{rest}” was not understood", "", "Try: as hexagons, shaded by rain_mm.")
