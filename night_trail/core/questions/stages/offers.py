"""What the slots of how far each gets offer."""

from __future__ import annotations

from msgspec.structs import replace

from night_trail.core.questions.shared.grouping import makes_groups
from night_trail.core.questions.shared.offers import Looking, Offer, can_be_asked, no_slot
from night_trail.core.questions.stages.answer import MOST_STAGES, check, order_for
from night_trail.core.questions.stages.question import Stages
from night_trail.core.questions.stages.sentence import ORDER_WORDS

HINTS = {
    "time": "what mostly comes before is before",
    "column": "the order the column was given",
    "many": "the most first",
}


def offers(slot: str, look: Looking, question: Stages) -> list[Offer]:
    """Return the choices for a slot."""
    columns = look.table.columns
    if slot == "unit":
        able = [c for c in columns if c.distinct > 1 and not c.kind.temporal]
        able.sort(key=lambda c: -c.distinct)
        return [Offer(c.name, c.name, c.name == question.unit, f"{c.distinct:,} values") for c in able]
    if slot == "stage":
        able = [c for c in columns if makes_groups(c) and not c.kind.temporal]
        able.sort(key=lambda c: not 2 <= c.distinct <= MOST_STAGES)
        return [Offer(c.name, c.name, c.name == question.stage, f"{c.distinct:,} values") for c in able]
    if slot == "time":
        found = [Offer("without a time", None, question.time is None)]
        return found + [Offer(c.name, c.name, c.name == question.time) for c in columns if c.dated]
    if slot == "across":
        found = [Offer("all of them", None, question.across is None)]
        able = [c for c in columns if makes_groups(c) and c.name not in (question.unit, question.stage)]
        return found + [
            Offer(c.name, c.name, c.name == question.across, f"{c.distinct:,} values") for c in able
        ]
    if slot == "order":
        present = order_for(question, look.table)
        able_orders = [o for o in ORDER_WORDS if can_be_asked(check, replace(question, order=o), look.table)]
        return [Offer(ORDER_WORDS[o], o, o == present, HINTS[o]) for o in able_orders]
    raise no_slot(slot)
