"""What the slots of grids offer: numbers together, two categories against chance."""

from __future__ import annotations

from night_trail.core.errors import BadQuestion
from night_trail.core.questions.correlation.answer import columns_for
from night_trail.core.questions.correlation.question import Together
from night_trail.core.questions.correlation.sentence import BY_WORDS
from night_trail.core.questions.crosstab.question import Goes
from night_trail.core.questions.shared.grouping import can_compare
from night_trail.trails.offers import Offer
from night_trail.trails.pictures import Desk


def many_offers(slot: str, desk: Desk, question: Together | Goes) -> list[Offer]:
    """Return the choices for a slot."""
    if isinstance(question, Goes):
        if slot not in ("column", "against"):
            raise BadQuestion(f"There is no slot “{slot}” in this sentence")
        present = {"column": question.column, "against": question.against}[slot]
        able = [c for c in desk.table.columns if can_compare(c)]
        return [Offer(c.name, c.name, c.name == present, str(c.kind)) for c in able]
    if slot == "by":
        return [Offer(words, key, key == question.by) for key, words in BY_WORDS.items()]
    if slot != "columns":
        raise BadQuestion(f"There is no slot “{slot}” in this sentence")
    names = {c.name for c in columns_for(question, desk.table)}
    return [
        Offer("all numbers", None, not question.columns),
        *(
            Offer(f"{'without' if c.name in names else 'with'} {c.name}", c.name, c.name in names)
            for c in desk.table.columns
            if c.kind.numeric
        ),
    ]
