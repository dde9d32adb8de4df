"""What the slots of a comparison's sentence offer."""

from __future__ import annotations

from msgspec.structs import replace

from night_trail.core.answers.basis import is_banded
from night_trail.core.answers.compare import CompareAnswer, can_compare, shapes_for
from night_trail.core.answers.measures import AGGREGATES, first_measure, fits
from night_trail.core.errors import BadQuestion
from night_trail.core.periods import baselines
from night_trail.core.question import Baseline, Compare, Measure, Rule, to_json
from night_trail.core.slots.compare import (
    BY,
    NAMED,
    ORDER_WORDS,
    SHAPE_WORDS,
    SHOW_WORDS,
    aggregate_words,
    baseline_words,
    keep_words,
    measure_words,
    plain_words,
    rule_words,
)
from night_trail.core.table import Column, Kind
from night_trail.core.words.conditions import in_words
from night_trail.trails.offers import Offer, column_offer
from night_trail.trails.pictures import Desk


def compare_offers(slot: str, desk: Desk, question: Compare) -> list[Offer]:
    """Return the choices for a slot of a comparison."""
    if slot == "shape":
        return [Offer(SHAPE_WORDS[key], key, key == question.shape) for key in shapes_for(question)]
    if slot == "show":
        present = question.baseline.show if question.baseline else ""
        return [Offer(words, key, key == present) for key, words in SHOW_WORDS.items()]
    makers = {
        "aggregate": _aggregates,
        "column": _columns,
        "per": _pers,
        "across": _across,
        "also": _also,
        "more": _more,
        "order": _orders,
        "baseline": _baselines,
        "keep": _keeps,
        "rule": _rules,
    }
    if slot not in makers:
        raise BadQuestion(f"There is no slot “{slot}” in this sentence")
    return makers[slot](desk, question)


def _orders(desk: Desk, question: Compare) -> list[Offer]:
    own = Offer(ORDER_WORDS["own"], "own", question.order == "own")
    if not question.more:
        return [Offer(ORDER_WORDS["value"], "value", question.order == "value"), own]
    return [
        *(
            Offer(
                f"sorted by {measure_words(measure, desk.table)}",
                f"{BY}{i}",
                question.order == "value" and question.by == i,
            )
            for i, measure in enumerate(question.measures)
        ),
        own,
    ]


def _also(desk: Desk, question: Compare) -> list[Offer]:
    taken = (question.across, question.measure.column)
    able = [c for c in desk.table.columns if can_compare(c) and c.name not in taken]
    return [
        Offer("one category", None, question.also is None),
        *(Offer(f"and {c.name}", c.name, c.name == question.also, _groups(c)) for c in able),
    ]


def _groups(column: Column) -> str:
    return "bands" if is_banded(column) else f"{column.distinct:,} values"


def _more(desk: Desk, question: Compare) -> list[Offer]:
    """Return further measures: named ones first, then what makes most sense of each number."""
    able = [c for c in desk.table.columns if c.kind.numeric or c.kind == Kind.YES_NO]
    known = [Measure("count"), *(first_measure(c) for c in able if c.name != question.across)]
    found = list(dict.fromkeys([*desk.table.measures.values(), *known]))
    present = set(question.more)
    return [
        Offer("one measure", None, not present),
        *(
            Offer(
                f"{'without' if m in present else 'and'} {measure_words(m, desk.table)}",
                measure_words(m, desk.table),
                m in present,
            )
            for m in found
            if m != question.measure
        ),
    ]


def _baselines(desk: Desk, question: Compare) -> list[Offer]:
    """Return earlier periods of the filter, columns that could be a plan, and the groups themselves."""
    present = question.baseline
    column = question.measure.column
    found = list(baselines(desk.scene.only, desk.table))
    if column is not None and question.measure.aggregate not in ("count", "share", "distinct"):
        unit = desk.table.column(column).unit
        able = [c for c in desk.table.columns if c.kind.numeric and c.name != column and c.unit == unit]
        # a plan is called after what is planned
        able.sort(key=lambda c: column.lower() not in c.name.lower())
        found += [Baseline(column=c.name) for c in able]
    answer = desk.answer(replace(question, baseline=None, shape="bars", also=None, more=()))
    if isinstance(answer, CompareAnswer):
        found += [Baseline(group=g.label) for g in answer.groups if not g.others][:40]
    hints = {True: "a column", False: "a group"}
    plain = Offer("no baseline", None, present is None)
    return [
        plain,
        *(
            Offer(
                f"against {baseline_words(b)}",
                to_json(b),
                present is not None and replace(present, show="absolute") == b,
                in_words(b.where, desk.table) if b.where is not None else hints[b.column is not None],
            )
            for b in found
        ),
    ]


def _keeps(desk: Desk, question: Compare) -> list[Offer]:
    ladder = [Offer(keep_words(n), str(n), n == question.keep) for n in (3, 5, 8, 12, 20)]
    return [Offer("all that fit", None, question.keep is None), *ladder]


def _rules(desk: Desk, question: Compare) -> list[Offer]:
    made: list[Rule] = [Rule("above"), Rule("below")]
    if question.rule is not None and question.rule not in made:
        made.append(question.rule)
    return [
        Offer("nothing marked", None, question.rule is None),
        *(Offer(f"marking what is {rule_words(r)}", to_json(r), r == question.rule) for r in made),
    ]


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
        Offer(name, NAMED + name, known == measure, plain_words(known, desk.table))
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
        Offer(f"across {c.name}", c.name, c.name == question.across, _groups(c))
        for c in desk.table.columns
        if can_compare(c) and c.name not in (question.measure.column, question.also)
    ]
