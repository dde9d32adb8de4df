"""What the slots of a comparison's sentence offer."""

from __future__ import annotations

from msgspec.structs import replace

from night_trail.core.language.conditions import in_words
from night_trail.core.language.numbers import counted
from night_trail.core.periods import baselines
from night_trail.core.question import to_json
from night_trail.core.questions.compare.answer import CompareAnswer, by_difference, shapes_for
from night_trail.core.questions.compare.question import Baseline, Compare, End
from night_trail.core.questions.compare.sentence import (
    AXIS_WORDS,
    BY,
    ORDER_WORDS,
    SHAPE_WORDS,
    SHOW_WORDS,
    baseline_words,
    keep_words,
    least_words,
)
from night_trail.core.questions.shared.basis import is_banded
from night_trail.core.questions.shared.grouping import can_compare
from night_trail.core.questions.shared.measure_offers import (
    aggregate_offers,
    column_offers,
    more_offers,
    per_offers,
    plan_columns,
)
from night_trail.core.questions.shared.measure_slots import measure_words
from night_trail.core.questions.shared.offers import Looking, Offer, no_slot
from night_trail.core.questions.shared.rules import rule_offers
from night_trail.core.table import Column

MANY_VALUES = 200


def offers(slot: str, look: Looking, question: Compare) -> list[Offer]:
    """Return the choices for a slot of a comparison."""
    if slot == "shape":
        return [Offer(SHAPE_WORDS[key], key, key == question.shape) for key in shapes_for(question)]
    if slot == "show":
        present = question.baseline.show if question.baseline else ""
        return [Offer(words, key, key == present) for key, words in SHOW_WORDS.items()]
    makers = {
        "aggregate": lambda look, q: aggregate_offers(look, q.measure),
        "column": lambda look, q: column_offers(look, q.measure, (q.across, q.measure.per)),
        "per": lambda look, q: per_offers(look, q.measure, (q.across,)),
        "across": _across,
        "also": _also,
        "more": lambda look, q: more_offers(look, q.measure, q.more, (q.across,)),
        "order": _orders,
        "baseline": _baselines,
        "keep": _keeps,
        "least": _leasts,
        "rule": lambda look, q: rule_offers(q.rule),
        "axis": _axes,
    }
    if slot not in makers:
        raise no_slot(slot)
    return makers[slot](look, question)


def _orders(look: Looking, question: Compare) -> list[Offer]:
    own = Offer(ORDER_WORDS["own"], "own", question.order == "own")
    if not question.more:
        return [Offer(ORDER_WORDS["value"], "value", question.order == "value"), own]
    return [
        *(
            Offer(
                f"sorted by {measure_words(measure, look.table)}",
                f"{BY}{i}",
                question.order == "value" and question.by == i,
            )
            for i, measure in enumerate(question.measures)
        ),
        own,
    ]


def _also(look: Looking, question: Compare) -> list[Offer]:
    taken = (question.across, question.measure.column)
    able = [c for c in _by_size(look) if can_compare(c) and c.name not in taken]
    return [
        Offer("one category", None, question.also is None),
        *(Offer(f"and {c.name}", c.name, c.name == question.also, _groups(c)) for c in able),
    ]


def _by_size(look: Looking) -> list[Column]:
    """Return the columns in their order, those of which only some groups could be drawn last."""
    return sorted(look.table.columns, key=lambda c: not is_banded(c) and c.distinct > MANY_VALUES)


def _groups(column: Column) -> str:
    return "bands" if is_banded(column) else f"{column.distinct:,} values"


def _baselines(look: Looking, question: Compare) -> list[Offer]:
    """Return earlier periods of the filter, columns that could be a plan, and the groups themselves."""
    present = question.baseline
    found = list(baselines(look.scene.only, look.table))
    found += [Baseline(column=name) for name in plan_columns(look, question.measure)]
    answer = look.answer(replace(question, baseline=None, shape="bars", also=None, more=()))
    if isinstance(answer, CompareAnswer):
        found += [Baseline(group=g.label) for g in answer.groups if not g.others][:40]
    if present is not None and present.target is not None:
        found.append(replace(present, show="absolute"))
    hints = {True: "a column", False: "a group"}
    plain = Offer("no baseline", None, present is None)
    return [
        plain,
        *(
            Offer(
                f"against {baseline_words(b)}",
                to_json(b),
                present is not None and replace(present, show="absolute") == b,
                ""
                if b.target is not None
                else in_words(b.where, look.table)
                if b.where is not None
                else hints[b.column is not None],
            )
            for b in found
        ),
    ]


def _keeps(look: Looking, question: Compare) -> list[Offer]:
    differ = by_difference(question)
    ladder: list[tuple[int | None, End]] = [(n, "most") for n in (3, 5, 8, 12, 20)]
    ladder += [(None, "least"), (5, "least"), (12, "least"), (5, "both"), (12, "both")]
    present = (question.keep, question.end)
    return [
        Offer("all that fit", None, present == (None, "most")),
        *(
            Offer(
                keep_words(n, end, differ),
                f"{n or ''}" if end == "most" else f"{end}:{n or ''}",
                present == (n, end),
            )
            for n, end in ladder
        ),
    ]


def _leasts(look: Looking, question: Compare) -> list[Offer]:
    """Return how many rows a group needs to be ranked, with how many groups that leaves."""
    answer = look.answer(replace(question, least=1, baseline=None, also=None, more=(), shape="dots"))
    assert isinstance(answer, CompareAnswer)  # noqa: S101  (one measure across one category)
    sizes = answer.ranking.n[answer.ranking.order] if answer.ranking is not None else None
    found = [Offer("groups of any size", None, question.least == 1)]
    for least in sorted({2, 5, 10, 30, 100, 1_000, question.least} - {1}):
        hint = "" if sizes is None else counted(int((sizes >= least).sum()), "group")
        found.append(Offer(least_words(least, look.table), str(least), question.least == least, hint))
    return found


def _axes(look: Looking, question: Compare) -> list[Offer]:
    hints = {"zero": "lengths compare", "cut": "small differences show, lengths mislead"}
    return [Offer(words, key, key == question.axis, hints[key]) for key, words in AXIS_WORDS.items()]


def _across(look: Looking, question: Compare) -> list[Offer]:
    return [
        Offer(f"across {c.name}", c.name, c.name == question.across, _groups(c))
        for c in _by_size(look)
        if can_compare(c) and c.name not in (question.measure.column, question.also)
    ]
