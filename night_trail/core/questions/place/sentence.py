"""The sentence of a place: said, read from typed words, changed slot by slot."""

from __future__ import annotations

import json
from typing import Any, cast

from msgspec.structs import replace

from night_trail.core.conditions import Condition
from night_trail.core.errors import BadQuestion
from night_trail.core.language.numbers import listed
from night_trail.core.measure import Measure
from night_trail.core.places.columns import coordinates, named_places, outer_place, pairs
from night_trail.core.questions.place.answer import shapes_for
from night_trail.core.questions.place.question import Place
from night_trail.core.questions.shared.measure_slots import (
    change_measure,
    measure_from,
    measure_parts,
    measure_words,
    short_measure,
)
from night_trail.core.questions.shared.periods import time_column
from night_trail.core.questions.shared.rules import changed_rule, rule_words
from night_trail.core.questions.shared.sentence import Part, Sentence, chosen
from night_trail.core.table import Table

SHAPE_WORDS = {"dots": "dots", "hexagons": "hexagons", "areas": "areas", "arcs": "arcs"}
CLASS_WORDS = {"as many": "classes of as many places", "as wide": "classes as wide"}
BY = ", placed by "
MOST_SAID = 2


def at_words(at: tuple[str, ...]) -> str:
    """Return the columns that say where rows lie: the latitude before the longitude, as people do."""
    return " and ".join(reversed(at))


def said(question: Place, table: Table, answer: Any = None) -> Sentence:  # noqa: C901  (one case a slot)
    """Return the sentence of a place."""
    parts = [Part("Where "), Part("is", "way"), Part(" "), *measure_parts(question.measure, table)]
    parts += [Part(BY), Part(at_words(question.at), "at")]
    addable = []
    if question.onward is not None:
        parts += [Part(" and leading to "), Part(at_words(question.onward), "onward")]
    elif len(pairs(table)) > 1 and len(question.at) == 2:
        addable.append(Part("where they lead to", "onward"))
    if question.country is not None:
        parts += [Part(" in "), Part(question.country, "country")]
    elif len(question.at) == 1 and question.drawn_on is None:
        addable.append(Part("in a column of countries", "country"))
    parts += _meant_parts(question)
    if not question.meant and answer is not None and answer.spots.several:
        addable.append(Part("which place a name means", "meant"))
    parts += [Part(", drawn as "), Part(SHAPE_WORDS[question.shape], "shape")]
    if question.areas is not None:
        parts += [Part(" of "), Part(areas_words(question.areas, table), "areas")]
    elif table.areas and question.drawn_on is None and question.onward is None:
        addable.append(Part("areas of one’s own", "areas"))
    if question.drawn_on is not None:
        parts += [Part(" on the plan "), Part(plan_words(question.drawn_on, table), "drawn_on")]
    elif table.plans:
        addable.append(Part("on a plan of one’s own", "drawn_on"))
    if question.coloured is not None:
        parts += [Part(", "), Part(f"coloured by {question.coloured}", "coloured")]
    elif question.shape in ("dots", "arcs") and question.shade is None and question.rule is None:
        addable.append(Part("coloured by a category", "coloured"))
    if question.shade is not None:
        parts += [Part(", "), Part(f"shaded by {measure_words(question.shade, table)}", "shade")]
    elif question.coloured is None and question.rule is None:
        addable.append(Part("shade by a second figure", "shade"))
    if question.rule is not None:
        parts += [Part(", marking what is "), Part(rule_words(question.rule), "rule")]
    elif question.coloured is None and question.shade is None:
        addable.append(Part("mark figures", "rule"))
    if question.classes != "as many":
        parts += [Part(" in "), Part(CLASS_WORDS[question.classes], "classes")]
    elif (question.shape != "dots" or question.shade is not None) and question.rule is None:
        addable.append(Part("cut the shades another way", "classes"))
    if question.history is not None:
        parts += [Part(", with small lines over "), Part(question.history, "history")]
    elif question.shape == "dots" and time_column(table) is not None:
        addable.append(Part("small lines over time", "history"))
    if question.window is not None:
        parts += [Part(", "), Part(window_words(question.window, question.drawn_on is not None), "window")]
    return Sentence((*parts, Part("?")), tuple(addable))


def _meant_parts(question: Place) -> list[Part]:
    """Return which of several places names are taken for."""
    if not question.meant:
        return []
    names = [f"{name} at {where}" for name, where in question.meant[:MOST_SAID]]
    more = f" and {len(question.meant) - MOST_SAID} more" if len(question.meant) > MOST_SAID else ""
    return [Part(", meaning "), Part(f"{listed(names)}{more}", "meant")]


def plan_words(key: str, table: Table) -> str:
    """Return what a plan of one's own is called."""
    found = table.placed_on(key)
    return "that is gone" if found is None else found[0]


def areas_words(key: str, table: Table) -> str:
    """Return what areas of one's own are called."""
    own = table.areas.get(key)
    return own.name if own is not None else "areas that are gone"


def window_words(window: tuple[float, float, float, float], plan: bool = False) -> str:
    """Return the part zoomed into in words: of the Earth, or of a plan."""
    west, east, south, north = (f"{at:g}".replace("-", "−") for at in window)
    if plan:
        return f"zoomed into {west} to {east} across and {south} to {north} up"
    return f"zoomed into longitude {west} to {east} and latitude {south} to {north}"


def short_name(question: Place) -> str:
    """Return a place's name on the trail and beside."""
    by = f" by {question.at[0]}" if len(question.at) == 1 else ""
    return f"where {short_measure(question.measure)} is{by}"


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
    if slot == "onward":
        return _onward(question, value, table)
    if slot == "drawn_on":
        if not value:
            started = start(table, question.measure)
            return replace(started, rule=question.rule, history=question.history), "no plan"
        found = table.placed_on(value)
        column = question.at[0] if found is None else found[1]
        return on_plan(question, value, column, table), f"on the plan {plan_words(value, table)}"
    if slot == "rule":
        rule, label = changed_rule(value)
        if rule is None:
            return replace(question, rule=None), label
        return replace(question, rule=rule, shade=None, coloured=None, classes="as many"), label
    if slot == "history":
        name = table.column(value).name if value else None
        return replace(question, history=name), f"small lines over {name}" if name else "no small lines"
    if slot == "meant":
        return _meant(question, value)
    if slot == "areas":
        if not value:
            shape = "dots" if len(question.at) == 2 else question.shape
            return replace(question, areas=None, shape=cast(Any, shape)), "no areas of one’s own"
        table.own_areas(value)
        asked = replace(question, areas=value, shape="areas", coloured=None, country=None, window=None)
        return asked, f"as areas of {areas_words(value, table)}"
    if slot == "coloured":
        name = table.column(value).name if value else None
        gone = {"shade": None, "rule": None} if name else {}
        asked = replace(question, coloured=name, **gone)
        if name and asked.shape not in ("dots", "arcs"):
            asked = replace(asked, shape="dots")
        return asked, f"coloured by {name}" if name else "one colour"
    if slot == "shade":
        if not value:
            return replace(question, shade=None), "not shaded"
        shade = measure_from(value, table)
        return replace(
            question, shade=shade, coloured=None, rule=None
        ), f"shaded by {measure_words(shade, table)}"
    if slot == "classes":
        label = chosen(slot, value, CLASS_WORDS)
        return replace(question, classes=value), f"in {label}"
    if slot == "shape":
        chosen(slot, value, SHAPE_WORDS)
        # colours and small lines stand at dots
        gone = {} if value == "dots" else {"coloured": None, "history": None}
        return replace(question, shape=value, **gone), f"as {SHAPE_WORDS[value]}"
    if slot == "window":
        return replace(question, window=None), "zoomed out"
    raise BadQuestion(f"There is no slot “{slot}” in this sentence")


def on_plan(question: Place, key: str, column: str, table: Table) -> Place:
    """Return the groups of a column on a plan, with what else was asked of them."""
    table.plan(key)
    return Place(
        question.measure, (column,), "dots", coloured=question.coloured, shade=question.shade,
        classes=question.classes, drawn_on=key, rule=question.rule, history=question.history,
    )  # fmt: skip


def _onward(question: Place, value: Any, table: Table) -> tuple[Place, str]:
    """Return the ways to other columns, or the places alone."""
    if not value:
        return replace(question, onward=None, shape="dots", window=None), "where they begin"
    east, north = _pair(value, table)
    asked = replace(question, onward=(east, north), shape="arcs", areas=None, history=None, window=None)
    return asked, f"leading to {at_words((east, north))}"


def _pair(value: Any, table: Table) -> tuple[str, str]:
    """Return two columns that were chosen together, written as JSON."""
    try:
        found = json.loads(value)
    except (TypeError, ValueError):
        found = None
    if isinstance(found, list) and len(found) == 2 and all(isinstance(one, str) for one in found):
        return table.column(found[0]).name, table.column(found[1]).name
    raise BadQuestion("These are no two columns", "at", "Choose a pair of the list.")


def _meant(question: Place, value: Any) -> tuple[Place, str]:
    """Return the question with one name taken for another place, or each for the largest again."""
    if not value:
        return replace(question, meant=()), "the largest of each name"
    try:
        name, where = json.loads(value)
    except (TypeError, ValueError):
        name = where = None
    if not isinstance(name, str) or not isinstance(where, str):
        raise BadQuestion("This means no place", "meant", "Choose one of the list.")
    others = tuple(one for one in question.meant if one[0] != name)
    return replace(question, meant=(*others, (name, where))), f"{name} at {where}"


def _placed(question: Place, value: Any, table: Table) -> tuple[Place, str]:
    """Return the question placed by other columns: two as JSON, or one that names places."""
    if isinstance(value, str) and value not in table:
        at = _pair(value, table)
        plain = replace(question, at=at, country=None, window=None, drawn_on=None, meant=())
        fits = question.shape in shapes_for(plain)
        asked = plain if fits else replace(plain, shape=shapes_for(plain)[0])
        return asked, f"placed by {at_words(at)}"
    name = table.column(value if isinstance(value, str) else "").name
    if question.drawn_on is not None:
        asked = replace(question, at=(name,), window=None)
        return asked, f"the places of {name}"
    if question.areas is not None:
        return replace(question, at=(name,), window=None), f"placed by {name}"
    named = by_name(table, question.measure, name)
    asked = replace(named, shade=question.shade, classes=question.classes, rule=question.rule)
    return asked, f"placed by {name}"
