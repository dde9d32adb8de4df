"""What the slots of a change offer."""

from __future__ import annotations

import json
from collections.abc import Iterator

import numpy as np

from night_trail.core.conditions import Condition, Not
from night_trail.core.errors import BadQuestion
from night_trail.core.language.numbers import listed
from night_trail.core.question import to_json
from night_trail.core.questions.changed.answer import LEVEL, tried
from night_trail.core.questions.changed.history import steps_of
from night_trail.core.questions.changed.question import Changed
from night_trail.core.questions.changed.segments import candidates
from night_trail.core.questions.changed.sentence import changed, side_words
from night_trail.core.questions.shared.largest import group_conditions
from night_trail.core.questions.shared.measure_offers import aggregate_offers, column_offers, per_offers
from night_trail.core.questions.shared.offers import Looking, Offer, no_slot
from night_trail.core.questions.shared.periods import period_condition

MOST_PERIODS = 40


def offers(slot: str, look: Looking, question: Changed) -> list[Offer]:
    """Return the choices for a slot."""
    if slot == "aggregate":
        parts = ("median", "quantile", "distinct")
        return [o for o in aggregate_offers(look, question.measure) if o.value not in parts]
    if slot in ("column", "per"):
        of = column_offers if slot == "column" else per_offers
        return of(look, question.measure, question.sides)
    if slot in ("before", "after"):
        present = question.before if slot == "before" else question.after
        found = dict.fromkeys((present, *_sides(look, question)))
        near = [*_earlier(question, look)] if slot == "before" else []
        return [*near, *(Offer(side_words(c, look.table), to_json(c), c == present) for c in found)]
    if slot == "by":
        return [Offer("what tells most", "", not question.by), *_told(look, question)]
    if slot == "also":
        own = question.by[:1] or look.answer(question).chosen[:1]
        able = [n for n in candidates(question, look.table) if n not in own]
        return [Offer(f"and {n}", json.dumps([*own, n]), (*own, n) == question.by, slot="by") for n in able]
    raise no_slot(slot)


def _earlier(question: Changed, look: Looking) -> Iterator[Offer]:
    """Yield what lies before the later side: the period before, and the same a year before; else the rest."""
    for name in ("period before", "year before"):
        try:
            asked, _ = changed(question, "before", name, look.table)
        except BadQuestion:
            break
        words = side_words(asked.before, look.table)
        yield Offer(f"the {name}", name, asked.before == question.before, words)
    else:
        return
    yield Offer("the rest", "rest", question.before == Not(question.after))


def _told(look: Looking, question: Changed) -> Iterator[Offer]:
    told = look.answer(question).told
    looked = tried(told, look.table)
    for one in told:
        sure = one.chance * looked < LEVEL
        value = one.by[0] if len(one.by) == 1 else json.dumps(list(one.by))
        hint = f"most of all {one.largest}" if sure else "all moved alike"
        yield Offer(f"by {listed(one.by)}", value, one.by == question.by, hint)


def _sides(look: Looking, question: Changed) -> Iterator[Condition]:
    """Yield periods of the step that is asked, the newest first; else what is lit, and groups."""
    steps = steps_of(question, look.rows)
    if steps is not None:
        column = look.table.column(steps.time)
        periods = steps.periods
        has = np.flatnonzero(periods.n)[::-1][:MOST_PERIODS]
        yield from (period_condition(periods.calendar, column, int(i), int(i) + 1) for i in has)
        return
    if look.scene.lit is not None:
        yield look.scene.lit
    yield from group_conditions(look.table, question.sides)
