"""What the slots of a make-up offer."""

from __future__ import annotations

import json

from msgspec.structs import replace

from night_trail.core.language.conditions import in_words
from night_trail.core.periods import baselines
from night_trail.core.question import to_json
from night_trail.core.questions.compare.question import Baseline
from night_trail.core.questions.compare.sentence import baseline_words
from night_trail.core.questions.make_up.answer import MakeUpAnswer, shapes_for
from night_trail.core.questions.make_up.levels import grains_for
from night_trail.core.questions.make_up.question import SLOTS, MakeUp
from night_trail.core.questions.make_up.sentence import SHAPE_WORDS, UP
from night_trail.core.questions.shared.basis import is_banded
from night_trail.core.questions.shared.grouping import can_compare
from night_trail.core.questions.shared.measure_offers import (
    aggregate_offers,
    column_offers,
    per_offers,
    plan_columns,
    shade_offers,
)
from night_trail.core.questions.shared.nesting import belongs
from night_trail.core.questions.shared.offers import Looking, Offer, no_slot

MOST_NEIGHBOURS = 60
HINTS = {
    "treemap": "size at a glance, many parts",
    "rings": "how deep it goes",
    "bars": "figures to be read, also below 0",
    "squares": "shares of few parts",
    "stair": "what adds up to what",
}


def offers(slot: str, look: Looking, question: MakeUp) -> list[Offer]:
    """Return the choices for a slot of a make-up."""
    taken = (*question.levels, question.measure.per)
    if slot == "shape":
        able = shapes_for(question)
        return [Offer(SHAPE_WORDS[key], key, key == question.shape, HINTS[key]) for key in able]
    if slot == "aggregate":
        return aggregate_offers(look, question.measure)
    if slot == "column":
        return column_offers(look, question.measure, taken)
    if slot == "per":
        return per_offers(look, question.measure, question.levels)
    if slot in SLOTS:
        return _levels(look, question, SLOTS.index(slot))
    if slot == "against":
        return _against(look, question)
    if slot == "shade":
        return shade_offers(look, question.shade)
    if slot.startswith("within") and slot.removeprefix("within").isdecimal():
        return _within(look, question, int(slot.removeprefix("within")))
    raise no_slot(slot)


def _against(look: Looking, question: MakeUp) -> list[Offer]:
    """Return earlier periods of the filter and columns that could be a plan."""
    found = list(baselines(look.scene.only, look.table))
    found += [Baseline(column=name) for name in plan_columns(look, question.measure)]
    lit = look.scene.lit
    rest = [] if lit is None else [
        Offer("the lit rows against the rest", to_json(lit), question.even, "made as large", slot="rest")
    ]  # fmt: skip
    return [
        Offer("against nothing", None, question.against is None),
        *rest,
        *(
            Offer(
                f"against {baseline_words(one)}",
                to_json(one),
                one == question.against and not question.even,
                in_words(one.where, look.table) if one.where is not None else "a column",
            )
            for one in found
        ),
    ]


def _levels(look: Looking, question: MakeUp, at: int) -> list[Offer]:
    present = question.names[at] if at < len(question.levels) else None
    above = question.levels[at - 1] if 0 < at <= len(question.levels) else None
    able = [
        c
        for c in look.table.columns
        if can_compare(c) and c.name != question.measure.column and not c.kind.measured
    ]
    able += [c for c in look.table.columns if can_compare(c) and c.kind.measured and is_banded(c)]
    found = []
    if present is not None and len(question.levels) > 1:
        found.append(Offer("leave this level out", None, False))
    if present is not None and at:
        found.append(Offer(f"{present} before {question.names[at - 1]}", UP, False))
    listed = []
    for column in able:
        if column.name == question.measure.column:
            continue
        for grain in grains_for(column):
            name = f"{grain} of {column.name}"
            listed.append((True, Offer(name, name, name == present, "its periods")))
        if column.kind.temporal:
            continue
        nests = (
            above is not None
            and column.name not in question.levels
            and belongs(look.table, column.name, above)
        )
        hint = (
            f"each belongs to one {above}"
            if nests
            else "bands"
            if is_banded(column)
            else (f"{column.distinct:,} values")
        )
        listed.append((not nests, Offer(column.name, column.name, column.name == present, hint)))
    listed.sort(key=lambda one: one[0])
    return found + [offer for _, offer in listed]


def _within(look: Looking, question: MakeUp, at: int) -> list[Offer]:
    """Return the way back to the level above, and the neighbours of what was gone into."""
    if at >= len(question.path):
        raise no_slot(f"within{at}")
    up = "all of it" if at == 0 else f"all of {question.path[at - 1]}"
    answer = look.answer(replace(question, path=question.path[:at]))
    assert isinstance(answer, MakeUpAnswer)  # noqa: S101  (the same kind is asked)
    near = [p for p in answer.parts if p.parent < 0 and not p.others and not p.missing]
    return [
        Offer(f"back to {up}", None, False),
        *(
            Offer(p.label, json.dumps([p.names[-1]]), p.names[-1] == question.path[at], f"{p.n:,} rows")
            for p in near[:MOST_NEIGHBOURS]
        ),
    ]
