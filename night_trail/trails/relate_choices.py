"""What the slots of a relation's sentence offer."""

from __future__ import annotations

from night_trail.core.answers.spread import makes_groups
from night_trail.core.errors import BadQuestion
from night_trail.core.question import Relate
from night_trail.core.slots.relate import FIT_WORDS
from night_trail.trails.offers import Offer, column_offer
from night_trail.trails.pictures import Desk


def relate_offers(slot: str, desk: Desk, question: Relate) -> list[Offer]:
    """Return the choices for a slot of a relation."""
    if slot == "fit":
        return [Offer(f"with {words}", key, key == question.fit) for key, words in FIT_WORDS.items()]
    if slot == "coloured":
        return _colours(desk, question)
    if slot not in ("column", "against"):
        raise BadQuestion(f"There is no slot “{slot}” in this sentence")
    present = {"column": question.column, "against": question.against}[slot]
    other = {"column": question.against, "against": question.column}[slot]
    able = [c for c in desk.table.columns if c.kind.measured and c.missing < desk.table.height]
    # the column of the other axis stands last: choosing it swaps the axes
    able.sort(key=lambda c: c.name == other)
    found = [column_offer(c, c.name == present) for c in able if c.name != other]
    swapped = [Offer(f"swap the axes: {c.name}", c.name, False) for c in able if c.name == other]
    return found + swapped


def _colours(desk: Desk, question: Relate) -> list[Offer]:
    plain = Offer("one colour", None, question.coloured is None)
    return [
        plain,
        *(
            Offer(f"coloured by {c.name}", c.name, c.name == question.coloured, f"{c.distinct:,} values")
            for c in desk.table.columns
            if makes_groups(c)
        ),
    ]
