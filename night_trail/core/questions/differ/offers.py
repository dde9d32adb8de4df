"""What the slots of how rows differ offer."""

from __future__ import annotations

from night_trail.core.conditions import Condition, OneOf
from night_trail.core.language.conditions import in_words
from night_trail.core.question import to_json
from night_trail.core.questions.differ.question import Differ
from night_trail.core.questions.shared.largest import group_conditions
from night_trail.core.questions.shared.looked_at import looked_at
from night_trail.core.questions.shared.offers import Looking, Offer, no_slot


def offers(slot: str, look: Looking, question: Differ) -> list[Offer]:
    """Return the choices for a slot."""
    if slot == "ones":
        return [_rows(c, look, c == question.ones) for c in _choices(look, question.ones)]
    if slot == "others":
        # of the same column first: what stands beside it is what it is held against
        near = [c for c in _choices(look, question.others) if c != question.ones]
        own = set(question.named)
        near.sort(key=lambda c: not (isinstance(c, OneOf) and c.column in own))
        rest = Offer("the rest", "", question.others is None)
        return [rest, *(_rows(c, look, c == question.others) for c in near)]
    if slot != "without":
        raise no_slot(slot)
    left = [Offer(f"with {name} again", name, True) for name in question.without]
    others = looked_at(look.table, {*question.named, *question.without}, [])
    return [*left, *(Offer(f"without {c.name}", c.name, False) for c in others)]


def _rows(condition: Condition, look: Looking, chosen: bool) -> Offer:
    lit = condition == look.scene.lit
    words = in_words(condition, look.table)
    return Offer(words, to_json(condition), chosen, "what is lit" if lit else "")


def _choices(look: Looking, present: Condition | None) -> list[Condition]:
    found: list[Condition] = [c for c in (present, look.scene.lit) if c is not None]
    return list(dict.fromkeys([*found, *group_conditions(look.table)]))
