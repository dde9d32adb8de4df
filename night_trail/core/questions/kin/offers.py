"""What the slots of who belongs to whom offer."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace

from night_trail.core.kinship import summed_up
from night_trail.core.questions.kin.answer import SUMMABLE, KinAnswer, tree_in
from night_trail.core.questions.kin.question import Kin
from night_trail.core.questions.kin.sentence import depth_words
from night_trail.core.questions.shared.measure_offers import aggregate_offers, column_offers, per_offers
from night_trail.core.questions.shared.offers import Looking, Offer, no_slot
from night_trail.core.questions.shared.rules import rule_offers
from night_trail.core.table import Column

MOST_TOPS = 400


def offers(slot: str, look: Looking, question: Kin) -> list[Offer]:
    """Return the choices for a slot."""
    if slot in ("unit", "above"):
        present = question.unit if slot == "unit" else question.above
        able = [c for c in look.table.columns if names(c)]
        return [Offer(c.name, c.name, c.name == present, f"{c.distinct:,} values") for c in able]
    if slot == "depth":
        answer = look.answer(replace(question, depth=1))
        assert isinstance(answer, KinAnswer)  # noqa: S101  (the same kind is asked)
        return [
            Offer(depth_words(n), str(n), n == question.depth)
            for n in range(1, max(2, min(answer.levels, 6)))
        ]
    if slot == "rule":
        return rule_offers(question.rule)
    if slot == "top":
        return _tops(look, question)
    if slot == "aggregate":
        named = look.table.measures
        return [
            o
            for o in aggregate_offers(look, question.measure)
            if o.value in SUMMABLE or (o.text in named and named[o.text].aggregate in SUMMABLE)
        ]
    if slot == "column":
        return column_offers(look, question.measure, (question.unit, question.above))
    if slot == "per":
        return per_offers(look, question.measure)
    raise no_slot(slot)


def names(column: Column) -> bool:
    """Whether a column's values can be names."""
    return column.distinct > 1 and not column.kind.temporal


def _tops(look: Looking, question: Kin) -> list[Offer]:
    """Return who the picture can begin at: those with most below them, and what leads to where it begins."""
    tree = tree_in(question, look.rows)
    under = summed_up(tree, np.ones(len(tree.labels))).astype(int) - 1
    found = [Offer("all of them", None, question.top is None)]
    ordered = np.argsort(-under, kind="stable")[:MOST_TOPS]
    return found + [
        Offer(
            tree.labels[i],
            tree.labels[i],
            tree.labels[i] == question.top,
            f"{under[i]:,} below" if under[i] else "nobody below",
        )
        for i in ordered.tolist()
    ]
