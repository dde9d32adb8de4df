"""What the slots of a comparison's sentence offer."""

from __future__ import annotations

from night_trail.core.answers.compare import AGGREGATES, first_measure, fits
from night_trail.core.answers.spread import makes_groups
from night_trail.core.errors import BadQuestion
from night_trail.core.question import Compare, Measure
from night_trail.core.slots.compare import NAMED, ORDER_WORDS, SHAPE_WORDS, aggregate_words, plain_parts
from night_trail.core.words.conditions import in_words
from night_trail.trails.offers import Offer, column_offer
from night_trail.trails.pictures import Desk


def compare_offers(slot: str, desk: Desk, question: Compare) -> list[Offer]:
    """Return the choices for a slot of a comparison."""
    if slot == "shape":
        return [Offer(words, key, key == question.shape) for key, words in SHAPE_WORDS.items()]
    if slot == "order":
        return [Offer(words, key, key == question.order) for key, words in ORDER_WORDS.items()]
    makers = {"aggregate": _aggregates, "column": _columns, "per": _pers, "across": _across}
    if slot not in makers:
        raise BadQuestion(f"There is no slot “{slot}” in this sentence")
    return makers[slot](desk, question)


def _aggregates(desk: Desk, question: Compare) -> list[Offer]:
    """Return the aggregates that can be taken, the one that makes most sense first."""
    measure = question.measure
    column = None if measure.column is None else desk.table.column(measure.column)
    best = first_measure(column).aggregate
    noun = desk.table.row_noun[1]
    found = []
    for key in AGGREGATES:
        if key in ("count", "share"):
            continue
        if fits(key, column) or (column is None and key in ("mean", "sum")):
            text = aggregate_words(Measure(key, measure.column), column)
            hint = "makes most sense here" if key == best and column is not None else ""
            found.append(Offer(text, key, key == measure.aggregate, hint))
    found.sort(key=lambda offer: offer.value != best)
    found = [
        Offer(name, NAMED + name, known == measure, "".join(p.text for p in plain_parts(known, desk.table)))
        for name, known in desk.table.measures.items()
    ] + found
    found.append(Offer(f"the number of {noun}", "count", measure.aggregate == "count"))
    if desk.scene.lit is not None:
        lit = in_words(desk.scene.lit, desk.table)
        found.append(
            Offer(f"the share of {noun} where {lit}", "share", measure.where == desk.scene.lit, "lit")
        )
    return found


def _columns(desk: Desk, question: Compare) -> list[Offer]:
    """Return what can be measured: columns the aggregate fits first, then the others."""
    able = [c for c in desk.table.columns if c.name not in (question.across, question.measure.per)]
    able = [c for c in able if c.missing < desk.table.height and not c.kind.temporal]
    able.sort(key=lambda c: not fits(question.measure.aggregate, c))
    return [column_offer(c, c.name == question.measure.column) for c in able]


def _pers(desk: Desk, question: Compare) -> list[Offer]:
    taken = (question.across, question.measure.column)
    able = [c for c in desk.table.columns if c.kind.numeric and c.name not in taken]
    return [column_offer(c, c.name == question.measure.per) for c in able]


def _across(desk: Desk, question: Compare) -> list[Offer]:
    return [
        Offer(f"across {c.name}", c.name, c.name == question.across, f"{c.distinct:,} values")
        for c in desk.table.columns
        if makes_groups(c) and c.name != question.measure.column
    ]
