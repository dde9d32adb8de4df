"""What the slots of a cycle offer."""

from __future__ import annotations

from night_trail.core.questions.cycle.question import Cycle
from night_trail.core.questions.cycle.sentence import CYCLE_SHAPES, PART_WORDS
from night_trail.core.questions.shared.offers import Looking, Offer, no_slot
from night_trail.core.questions.shared.time_offers import (
    clocks,
    groups,
    offers_first,
    times,
)
from night_trail.core.table import Kind


def offers(slot: str, look: Looking, question: Cycle) -> list[Offer]:
    """Return the choices for a slot."""
    found = offers_first(slot, look, question)
    if found is not None:
        return found
    makers = {"time": _times, "part": _parts, "shape": _cycle_shapes, "split": _cycle_splits}
    if slot not in makers:
        raise no_slot(slot)
    return makers[slot](look, question)


def _parts(look: Looking, question: Cycle) -> list[Offer]:
    timed = look.table.column(question.time).kind == Kind.DATETIME
    hints = {"day": "hours", "week": "weekdays", "year": "months", "quarters": "of the year"}
    return [
        Offer(f"through {words}", key, key == question.part, hints[key])
        for key, words in PART_WORDS.items()
        if timed or key != "day"
    ]


def _cycle_shapes(look: Looking, question: Cycle) -> list[Offer]:
    crossed = "hours" if look.table.column(question.time).kind == Kind.DATETIME else "months"
    hints = {"grid": f"by {crossed}", "rows": f"over the {crossed}"}
    return [Offer(w, k, k == question.shape, hints.get(k, "")) for k, w in CYCLE_SHAPES.items()]


def _cycle_splits(look: Looking, question: Cycle) -> list[Offer]:
    return [
        Offer("all together", None, question.split is None and not question.years),
        Offer("a line for each year", "each year", question.years),
        *(
            Offer(f"for each {c.name}", c.name, c.name == question.split, f"{c.distinct:,} values")
            for c in groups(look)
        ),
    ]


def _times(look: Looking, question: Cycle) -> list[Offer]:
    return [*times(look, question, yearly=False), *clocks(look, question)]
