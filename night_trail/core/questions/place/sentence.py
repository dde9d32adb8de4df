"""The sentence of a place: said, read from typed words, changed slot by slot."""

from __future__ import annotations

import json
import re
from typing import Any, cast

from msgspec.structs import replace

from night_trail.core.conditions import Condition
from night_trail.core.errors import BadQuestion
from night_trail.core.hand import real
from night_trail.core.language.conditions import take_column
from night_trail.core.measure import Measure
from night_trail.core.places.columns import coordinates, named_places, outer_place
from night_trail.core.questions.place.answer import check, shapes_for
from night_trail.core.questions.place.question import Place
from night_trail.core.questions.shared.measure_slots import (
    change_measure,
    leading_measure,
    measure_from,
    measure_parts,
    measure_words,
    short_measure,
)
from night_trail.core.questions.shared.measures import first_measure
from night_trail.core.questions.shared.sentence import Part, Sentence, chosen
from night_trail.core.table import Table

SHAPE_WORDS = {"dots": "dots", "hexagons": "hexagons", "areas": "areas"}
CLASS_WORDS = {"as many": "classes of as many places", "as wide": "classes as wide"}
BY = ", placed by "


def at_words(at: tuple[str, ...]) -> str:
    """Return the columns that say where rows lie: the latitude before the longitude, as people do."""
    return " and ".join(reversed(at))


def said(question: Place, table: Table, answer: Any = None) -> Sentence:  # noqa: C901  (one case a slot)
    """Return the sentence of a place."""
    parts = [Part("Where "), Part("is", "way"), Part(" "), *measure_parts(question.measure, table)]
    parts += [Part(BY), Part(at_words(question.at), "at")]
    addable = []
    if question.country is not None:
        parts += [Part(" in "), Part(question.country, "country")]
    elif len(question.at) == 1:
        addable.append(Part("in a column of countries", "country"))
    parts += [Part(", drawn as "), Part(SHAPE_WORDS[question.shape], "shape")]
    if question.areas is not None:
        parts += [Part(" of "), Part(areas_words(question.areas, table), "areas")]
    elif table.areas:
        addable.append(Part("areas of one’s own", "areas"))
    if question.coloured is not None:
        parts += [Part(", "), Part(f"coloured by {question.coloured}", "coloured")]
    elif question.shape == "dots" and question.shade is None:
        addable.append(Part("coloured by a category", "coloured"))
    if question.shade is not None:
        parts += [Part(", "), Part(f"shaded by {measure_words(question.shade, table)}", "shade")]
    elif question.coloured is None:
        addable.append(Part("shade by a second figure", "shade"))
    if question.classes != "as many":
        parts += [Part(" in "), Part(CLASS_WORDS[question.classes], "classes")]
    elif question.shape != "dots" or question.shade is not None:
        addable.append(Part("cut the shades another way", "classes"))
    if question.window is not None:
        parts += [Part(", "), Part(window_words(question.window), "window")]
    return Sentence((*parts, Part("?")), tuple(addable))


def areas_words(key: str, table: Table) -> str:
    """Return what areas of one's own are called."""
    own = table.areas.get(key)
    return own.name if own is not None else "areas that are gone"


def window_words(window: tuple[float, float, float, float]) -> str:
    """Return the part zoomed into in words."""
    west, east, south, north = (f"{at:g}".replace("-", "−") for at in window)
    return f"zoomed into longitude {west} to {east} and latitude {south} to {north}"


def short_name(question: Place) -> str:
    """Return a place's name on the trail and beside."""
    by = f" by {question.at[0]}" if len(question.at) == 1 else ""
    return f"where {short_measure(question.measure)} is{by}"


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


def start(table: Table, measure: Measure, named: str | None = None) -> Place:
    """Return a place to begin with: by coordinates, or the column that is named or names places.

    Raises
    ------
    BadQuestion
        Where no column says where rows lie.
    """
    if named is not None:
        return by_name(table, measure, named)
    if (found := coordinates(table)) is not None:
        return Place(measure, found)
    named_ = [c for c in named_places(table) if c.name != measure.column]
    if not named_:
        raise BadQuestion(
            "No column says where rows lie",
            table.name,
            "It needs a latitude and a longitude, or names of countries, regions or towns.",
        )
    return by_name(table, measure, named_[0].name)


def by_name(table: Table, measure: Measure, name: str) -> Place:
    """Return a place by names: as areas where they have some."""
    made = Place(measure, (name,), "areas", outer_place(table, name))
    return _drawable(made, table)


def _drawable(question: Place, table: Table) -> Place:
    from night_trail.core.places.gazetteer import located  # noqa: PLC0415  (reads the names that ship)

    labels = table.coded(question.at[0]).labels
    level = located(list(labels[:500])).level
    shape: Any = "dots" if level == "towns" else "areas"
    # countries lie in no country
    return replace(question, shape=shape, country=None if level == "countries" else question.country)


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
    if found := re.match(r"in (?!classes)", rest, re.IGNORECASE):
        column, behind = take_column(rest[found.end() :], table)
        if column is not None:
            return replace(question, country=column.name), behind, False
    if found := re.match(r"(?:drawn )?as (dots|hexagons|areas)", rest, re.IGNORECASE):
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
    if found := re.match(zoomed, rest, re.IGNORECASE):
        west, east, south, north = (real(one, "window") for one in found.groups())
        return replace(question, window=(west, east, south, north)), rest[found.end() :], False
    raise BadQuestion(f"“{rest}” was not understood", "", "Try: as hexagons, shaded by rain_mm.")


def changed(  # noqa: C901  (one case a slot)
    question: Place, slot: str, value: Any, table: Table, lit: Condition | None = None
) -> tuple[Place, str]:
    """Return the question with another choice in a slot, and the change in a few words."""
    if (other := change_measure(question.measure, slot, value, table, question.at[0], lit)) is not None:
        made, label = other
        return replace(question, measure=made), label
    if slot == "at":
        return _placed(question, value, table)
    if slot == "country":
        name = table.column(value).name if value else None
        return replace(question, country=name), f"in {name}" if name else "in whatever country"
    if slot == "areas":
        if not value:
            shape = "dots" if len(question.at) == 2 else question.shape
            return replace(question, areas=None, shape=cast(Any, shape)), "no areas of one’s own"
        table.own_areas(value)
        asked = replace(question, areas=value, shape="areas", coloured=None, country=None, window=None)
        return asked, f"as areas of {areas_words(value, table)}"
    if slot == "coloured":
        name = table.column(value).name if value else None
        asked = replace(question, coloured=name, shade=None if name else question.shade)
        if name and asked.shape != "dots":
            asked = replace(asked, shape="dots")
        return asked, f"coloured by {name}" if name else "one colour"
    if slot == "shade":
        if not value:
            return replace(question, shade=None), "not shaded"
        shade = measure_from(value, table)
        return replace(question, shade=shade, coloured=None), f"shaded by {measure_words(shade, table)}"
    if slot == "classes":
        label = chosen(slot, value, CLASS_WORDS)
        return replace(question, classes=value), f"in {label}"
    if slot == "shape":
        chosen(slot, value, SHAPE_WORDS)
        coloured = question.coloured if value == "dots" else None
        return replace(question, shape=value, coloured=coloured), f"as {SHAPE_WORDS[value]}"
    if slot == "window":
        return replace(question, window=None), "zoomed out"
    raise BadQuestion(f"There is no slot “{slot}” in this sentence")


def _placed(question: Place, value: Any, table: Table) -> tuple[Place, str]:
    """Return the question placed by other columns: two as JSON, or one that names places."""
    try:
        found = json.loads(value)
    except (TypeError, ValueError):
        found = value
    if isinstance(found, list) and len(found) == 2 and all(isinstance(one, str) for one in found):
        at = (table.column(found[0]).name, table.column(found[1]).name)
        fits = question.shape != "areas" or question.areas is not None
        asked = replace(question, at=at, shape=question.shape if fits else "dots", country=None, window=None)
        return asked, f"placed by {at_words(at)}"
    name = table.column(found if isinstance(found, str) else "").name
    if question.areas is not None:
        return replace(question, at=(name,), window=None), f"placed by {name}"
    named = by_name(table, question.measure, name)
    asked = replace(named, shade=question.shade, classes=question.classes)
    return asked, f"placed by {name}"
