"""What the slots of what stands out offer."""

from __future__ import annotations

from night_trail.core.questions.shared.offers import Looking, Offer, can_be_asked, column_offer, no_slot
from night_trail.core.questions.stands.answer import check
from night_trail.core.questions.stands.question import Stands
from night_trail.core.questions.stands.sentence import WHOLE
from night_trail.core.questions.stands.words import title


def offers(slot: str, look: Looking, question: Stands) -> list[Offer]:
    """Return the choices for a slot."""
    table = look.table
    if slot == "column":
        able = [c for c in table.columns if can_be_asked(check, Stands(c.name), table)]
        return [
            Offer(WHOLE, "", question.of is None),
            *(column_offer(c, c.name == question.of) for c in able),
        ]
    if slot == "within":
        within = [
            c
            for c in table.columns
            if 2 <= c.distinct <= 200
            and c.name != question.of
            and can_be_asked(check, Stands(question.of, c.name), table)
        ]
        return [
            Offer("all rows", "", question.within is None),
            *(column_offer(c, c.name == question.within) for c in within),
        ]
    if slot == "aside":
        answer = look.answer(question)
        put = [Offer(f"{title(f)}, back again", f.key, True) for f in answer.aside]
        return [*put, *(Offer(title(f), f.key, False, f"{f.n:,}") for f in answer.findings)]
    raise no_slot(slot)
