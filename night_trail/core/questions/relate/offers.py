"""What the slots of a relation's sentence offer."""

from __future__ import annotations

from night_trail.core.questions.relate.layers import MOST_POINTS
from night_trail.core.questions.relate.question import Relate
from night_trail.core.questions.relate.sentence import FIT_WORDS, LABELS, SCALE_WORDS
from night_trail.core.questions.shared.grouping import makes_groups
from night_trail.core.questions.shared.offers import Looking, Offer, column_offer, no_slot
from night_trail.core.table import Column


def offers(slot: str, look: Looking, question: Relate) -> list[Offer]:
    """Return the choices for a slot of a relation."""
    if slot == "fit":
        return [Offer(f"with {words}", key, key == question.fit) for key, words in FIT_WORDS.items()]
    if slot == "scale":
        return [Offer(words, key, key == question.scale) for key, words in SCALE_WORDS.items()]
    if slot == "margins":
        return [
            Offer("spreads at the edges", "yes", question.margins, "how each column is spread"),
            Offer("points only", None, not question.margins),
        ]
    if slot == "window":
        return [Offer("zoom out", None, False, "all the points")]
    if slot in ("coloured", "panels", "each", "sized"):
        return _by(slot, look, question)
    if slot not in ("column", "against"):
        raise no_slot(slot)
    present = {"column": question.column, "against": question.against}[slot]
    other = {"column": question.against, "against": question.column}[slot]
    able = [c for c in look.table.columns if c.kind.measured and c.missing < look.table.height]
    # the column of the other axis stands last: choosing it swaps the axes
    able.sort(key=lambda c: c.name == other)
    found = [column_offer(c, c.name == present) for c in able if c.name != other]
    swapped = [Offer(f"swap the axes: {c.name}", c.name, False) for c in able if c.name == other]
    return found + swapped


def _by(slot: str, look: Looking, question: Relate) -> list[Offer]:
    words, none = LABELS[slot]
    present = {
        "coloured": question.coloured,
        "panels": question.panels,
        "each": question.each,
        "sized": question.sized,
    }[slot]
    taken = (question.column, question.against)
    able = [c for c in look.table.columns if c.name not in taken and _able(slot, c)]
    hints = [f"{c.distinct:,} values" if slot != "sized" else c.unit for c in able]
    return [
        Offer(none, None, present is None),
        *(
            Offer(f"{words} {c.name}", c.name, c.name == present, hint)
            for c, hint in zip(able, hints, strict=True)
        ),
    ]


def _able(slot: str, column: Column) -> bool:
    if slot == "sized":
        return column.kind.numeric
    if slot == "each":
        return not column.kind.measured and 2 <= column.distinct <= MOST_POINTS
    return makes_groups(column)
