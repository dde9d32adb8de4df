"""The kind: where a figure flows."""

from __future__ import annotations

from night_trail.core.errors import BadQuestion
from night_trail.core.measure import Measure
from night_trail.core.questions.flow import answer, figures, offers, phrases, sentence, words
from night_trail.core.questions.flow.answer import SHARED, FlowAnswer
from night_trail.core.questions.flow.question import SLOTS, Flow
from night_trail.core.questions.kind import QuestionKind
from night_trail.core.questions.shared.gist import Gist
from night_trail.core.questions.shared.grouping import can_compare, makes_groups
from night_trail.core.questions.shared.measures import ADDS_UP, first_measure
from night_trail.core.table import Column, Table

MOST_VALUES, FEW = 40, 12


def gist(question: Flow, table: Table) -> Gist:
    """Return what it is about."""
    return Gist(question.column, question.measure, question.stations)


def from_gist(gist: Gist, table: Table) -> Flow:
    """Return where a gist's measure flows: through its groups, else between columns that share values."""
    column = table.column(gist.column)
    counted = not gist.named or not column.kind.numeric
    measure = gist.measure or first_measure(None if counted else column)
    if measure.aggregate not in ADDS_UP:
        measure = Measure("count")
    named = [*gist.groups, *gist.others]
    named += [column.name] if gist.named and makes_groups(column) and not column.kind.measured else []
    stations = [n for n in dict.fromkeys(named) if n != measure.column and can_compare(table.column(n))]
    if len(stations) < 2:
        stations = _between(table, stations, measure)
    return Flow(measure, tuple(stations[: len(SLOTS)]))


def _between(table: Table, first: list[str], measure: Measure) -> list[str]:
    """Return two columns to flow between: such as share their values before others."""
    able = [
        c
        for c in table.columns
        if makes_groups(c) and not c.kind.measured and c.distinct > 1 and c.name != measure.column
    ]
    if len(able) < 2:
        # numbers of a few values make groups where nothing better does
        able = [
            c for c in table.columns if makes_groups(c) and 1 < c.distinct <= FEW and c.name != measure.column
        ]
    able.sort(key=lambda c: not 2 <= c.distinct <= MOST_VALUES)
    if first:
        able = [table.column(first[0]), *(c for c in able if c.name != first[0])]
    labels = {c.name: set(table.coded(c.name).labels) for c in able[:12]}
    for one, own in list(labels.items())[: 1 if first else None]:
        for other, theirs in labels.items():
            if other != one and len(own & theirs) >= SHARED * max(len(own), len(theirs)):
                return [one, other]
    if len(able) < 2:
        raise BadQuestion(
            "There are no two categories to flow between", table.name, "Cut a number into bands."
        )
    return [able[0].name, able[1].name]


def broken_down(question: Flow, by: Column, table: Table) -> Flow:
    """Return the same with another station behind the last."""
    if by.name in question.stations:
        return question
    if len(question.stations) >= len(SLOTS):
        raise BadQuestion("There are five stations already", "stations", "Leave one out first.")
    return Flow(question.measure, (*question.stations, by.name), "bands", question.shade)


KIND = QuestionKind(
    tag="flow",
    way="where it flows",
    question=Flow,
    check=answer.check,
    answer=answer.flow,
    said=sentence.said,
    short_name=sentence.short_name,
    phrases=phrases.PHRASES,
    likely=phrases.likely,
    group_slots=SLOTS,
    read=sentence.read,
    changed=sentence.changed,
    offers=offers.offers,
    words={FlowAnswer: words.flow_words},
    figures={FlowAnswer: figures.flow_figures},
    gist=gist,
    from_gist=from_gist,
    broken_down=broken_down,
)
