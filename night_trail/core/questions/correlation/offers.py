"""What the slots of a grid of correlations offer."""

from __future__ import annotations

from night_trail.core.questions.correlation.answer import columns_for
from night_trail.core.questions.correlation.question import Correlations
from night_trail.core.questions.correlation.sentence import BY_WORDS
from night_trail.core.questions.shared.offers import Looking, Offer, no_slot


def offers(slot: str, look: Looking, question: Correlations) -> list[Offer]:
    """Return the choices for a slot."""
    if slot == "by":
        return [Offer(words, key, key == question.by) for key, words in BY_WORDS.items()]
    if slot != "columns":
        raise no_slot(slot)
    names = {c.name for c in columns_for(question, look.table)}
    return [
        Offer("all numbers", None, not question.columns),
        *(
            Offer(f"{'without' if c.name in names else 'with'} {c.name}", c.name, c.name in names)
            for c in look.table.columns
            if c.kind.numeric
        ),
    ]
