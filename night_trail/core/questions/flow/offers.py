"""What the slots of a flow offer."""

from __future__ import annotations

from night_trail.core.questions.flow.answer import shapes_for
from night_trail.core.questions.flow.question import SLOTS, Flow
from night_trail.core.questions.flow.sentence import SHADE_WORDS, SHAPE_WORDS
from night_trail.core.questions.shared.basis import is_banded
from night_trail.core.questions.shared.grouping import can_compare
from night_trail.core.questions.shared.measure_offers import aggregate_offers, column_offers
from night_trail.core.questions.shared.measures import ADDS_UP
from night_trail.core.questions.shared.offers import Looking, Offer, no_slot


def offers(slot: str, look: Looking, question: Flow) -> list[Offer]:
    """Return the choices for a slot of a flow."""
    if slot == "shape":
        return [Offer(SHAPE_WORDS[key], key, key == question.shape) for key in shapes_for(question)]
    if slot == "shade":
        return [Offer(words, key or None, key == question.shade) for key, words in SHADE_WORDS.items()]
    if slot == "aggregate":
        named = look.table.measures
        return [
            o
            for o in aggregate_offers(look, question.measure)
            if o.value in ADDS_UP or (o.text in named and named[o.text].aggregate in ADDS_UP)
        ]
    if slot == "column":
        return [
            o
            for o in column_offers(look, question.measure, question.stations)
            if isinstance(o.value, str) and look.table.column(o.value).kind.numeric
        ]
    if slot not in SLOTS:
        raise no_slot(slot)
    return _stations(look, question, SLOTS.index(slot))


def _stations(look: Looking, question: Flow, at: int) -> list[Offer]:
    present = question.stations[at] if at < len(question.stations) else None
    able = [c for c in look.table.columns if can_compare(c) and c.name != question.measure.column]
    able.sort(key=lambda c: (c.kind.measured, not 2 <= c.distinct <= 40))
    found = [Offer("leave this station out", None, False)] if present and len(question.stations) > 2 else []
    return found + [
        Offer(c.name, c.name, c.name == present, "bands" if is_banded(c) else f"{c.distinct:,} values")
        for c in able
    ]
