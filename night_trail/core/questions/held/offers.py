"""What the slots of an effect with others held fixed offer."""

from __future__ import annotations

from night_trail.core.questions.held.answer import check
from night_trail.core.questions.held.question import Held
from night_trail.core.questions.held.sentence import CHOSEN, ERROR_WORDS, NOTHING, POWER_WORDS, SHAPE_WORDS
from night_trail.core.questions.shared.offers import Looking, Offer, can_be_asked, column_offer, no_slot


def offers(slot: str, look: Looking, question: Held) -> list[Offer]:
    """Return the choices for a slot."""
    table = look.table
    if slot == "column":
        able = [c for c in table.columns if can_be_asked(check, Held(c.name, question.by), table)]
        return [column_offer(c, c.name == question.of) for c in able]
    if slot == "by":
        able = [c for c in table.columns if can_be_asked(check, Held(question.of, c.name), table)]
        return [column_offer(c, c.name == question.by) for c in able]
    if slot == "fixed":
        return _fixed(look, question)
    if slot == "product":
        able = [
            c
            for c in table.columns
            if can_be_asked(check, Held(question.of, question.by, product=c.name), table)
        ]
        same = Offer("the same for all rows", "", question.product is None)
        return [same, *(column_offer(c, c.name == question.product) for c in able)]
    if slot == "power":
        return [Offer(words, str(k), k == question.power) for k, words in POWER_WORDS.items()]
    if slot == "errors":
        return [Offer(words, key, key == question.errors) for key, words in ERROR_WORDS.items()]
    if slot == "shape":
        return [Offer(words, key, key == question.shape) for key, words in SHAPE_WORDS.items()]
    raise no_slot(slot)


def _fixed(look: Looking, question: Held) -> list[Offer]:
    """Offer every column to be held fixed or let go, beside those that are."""
    table = look.table
    names = question.fixed
    if names is None:
        names = tuple(n for n in look.answer(question).fixed if n != question.product)
    found = [Offer(CHOSEN, "", question.fixed is None), Offer("nothing", NOTHING, question.fixed == ())]
    for column in table.columns:
        if column.name in (question.of, question.by) or not can_be_asked(
            check, Held(question.of, question.by, fixed=(column.name,)), table
        ):
            continue
        on = column.name in names
        after = [n for n in names if n != column.name] if on else [*names, column.name]
        # the whole list, so that what was chosen stays
        value = "\x1f".join(["", *after]) if after else NOTHING
        found.append(Offer(f"{'without' if on else 'with'} {column.name}", value, on))
    return found
