"""What the slots of a grid of two categories offer."""

from __future__ import annotations

from night_trail.core.questions.crosstab.question import Crosstab
from night_trail.core.questions.shared.grouping import can_compare
from night_trail.core.questions.shared.offers import Looking, Offer, no_slot


def offers(slot: str, look: Looking, question: Crosstab) -> list[Offer]:
    """Return the choices for a slot."""
    if slot not in ("column", "against"):
        raise no_slot(slot)
    present = {"column": question.column, "against": question.against}[slot]
    able = [c for c in look.table.columns if can_compare(c)]
    return [Offer(c.name, c.name, c.name == present, str(c.kind)) for c in able]
