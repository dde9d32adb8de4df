"""What the slots of a place offer."""

from __future__ import annotations

import json

from night_trail.core.places.columns import can_name_places, named_places, pairs
from night_trail.core.places.gazetteer import alternatives
from night_trail.core.questions.place.answer import PlaceAnswer, shapes_for
from night_trail.core.questions.place.question import Place
from night_trail.core.questions.place.sentence import CLASS_WORDS, SHAPE_WORDS, at_words
from night_trail.core.questions.shared.grouping import makes_groups
from night_trail.core.questions.shared.measure_offers import (
    aggregate_offers,
    column_offers,
    per_offers,
    shade_offers,
)
from night_trail.core.questions.shared.offers import Looking, Offer, no_slot
from night_trail.core.questions.shared.rules import rule_offers

MOST_ASKED = 12
"""Of so many names of several places it is asked which is meant."""

HINTS = {
    "dots": "each place by itself, as large as its figure",
    "hexagons": "many rows, where they lie close",
    "areas": "countries and regions, shaded",
    "arcs": "ways from place to place, as wide as their figure",
}
CLASS_HINTS = {"as many": "each shade for as many places", "as wide": "each shade as wide in figures"}


def offers(slot: str, look: Looking, question: Place) -> list[Offer]:  # noqa: C901  (one case a slot)
    """Return the choices for a slot of a place."""
    table = look.table
    if slot == "shape":
        return [
            Offer(SHAPE_WORDS[key], key, key == question.shape, HINTS[key]) for key in shapes_for(question)
        ]
    if slot == "aggregate":
        return aggregate_offers(look, question.measure)
    if slot == "column":
        return column_offers(look, question.measure, question.at)
    if slot == "per":
        return per_offers(look, question.measure, question.at)
    if slot == "classes":
        return [
            Offer(words, key, key == question.classes, CLASS_HINTS[key]) for key, words in CLASS_WORDS.items()
        ]
    if slot == "shade":
        return shade_offers(look, question.shade)
    if slot == "coloured":
        able = [c for c in table.columns if makes_groups(c) and not c.kind.measured]
        none = [Offer("one colour", None, question.coloured is None)]
        return none + [
            Offer(c.name, c.name, c.name == question.coloured, f"{c.distinct:,} values") for c in able
        ]
    if slot == "at":
        return _columns(look, question)
    if slot == "country":
        able = [c for c in table.columns if can_name_places(c) and c.name not in question.at]
        none = [Offer("in whatever country", None, question.country is None)]
        return none + [Offer(c.name, c.name, c.name == question.country) for c in able]
    if slot == "areas":
        none = [Offer("those that ship, or none", None, question.areas is None)]
        return none + [
            Offer(own.name, key, key == question.areas, f"{len(own.areas):,} areas")
            for key, own in table.areas.items()
        ]
    if slot == "onward":
        none = [Offer("where they begin alone", None, question.onward is None)]
        ends = [at for at in pairs(table) if at != question.at]
        return none + [
            Offer(at_words(at), json.dumps(at), question.onward == at, "coordinates") for at in ends
        ]
    if slot == "drawn_on":
        none = [Offer("no plan", None, question.drawn_on is None)]
        return none + [
            Offer(name, key, key == question.drawn_on, f"places of {column}")
            for key, name, column in table.plans
        ]
    if slot == "rule":
        return rule_offers(question.rule)
    if slot == "history":
        none = [Offer("no small lines", None, question.history is None)]
        able_times = [c for c in table.columns if c.dated and c.distinct > 1]
        return none + [Offer(c.name, c.name, c.name == question.history) for c in able_times]
    if slot == "meant":
        return _meanings(look, question)
    if slot == "window":
        return [Offer("zoomed out", None, question.window is None)]
    raise no_slot(slot)


def _meanings(look: Looking, question: Place) -> list[Offer]:
    """Return for each name of several places what it may mean."""
    answer = look.answer(question)
    assert isinstance(answer, PlaceAnswer)  # noqa: S101  (the same kind is asked)
    level = answer.spots.level
    found = [Offer("the largest of each name", None, not question.meant)]
    chosen = dict(question.meant)
    if level not in ("regions", "towns"):
        return found
    for name in (*chosen, *answer.spots.several)[:MOST_ASKED]:
        for key, where in alternatives(name, level):
            found.append(Offer(f"{name} in {where}", json.dumps((name, key)), chosen.get(name) == key, key))
    return found


def _columns(look: Looking, question: Place) -> list[Offer]:
    """Return the pairs of coordinates, then columns that name places, then those that might."""
    if question.drawn_on is not None:
        able = [c for c in look.table.columns if makes_groups(c) and not c.kind.measured]
        return [Offer(c.name, c.name, question.at == (c.name,), f"{c.distinct:,} values") for c in able]
    found = [
        Offer(at_words(at), json.dumps(at), question.at == at, "coordinates") for at in pairs(look.table)
    ]
    first = named_places(look.table)
    names = {c.name for c in first}
    others = [c for c in look.table.columns if can_name_places(c) and c.name not in names]
    for column in (*first, *others):
        hint = "names of places" if column.name in names else f"{column.distinct:,} values"
        found.append(Offer(column.name, column.name, question.at == (column.name,), hint))
    return found
