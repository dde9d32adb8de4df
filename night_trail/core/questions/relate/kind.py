"""The kind: how one column moves with another."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from night_trail.core.errors import BadQuestion
from night_trail.core.questions.kind import Playing, QuestionKind
from night_trail.core.questions.relate import answer, figures, offers, phrases, sentence, words
from night_trail.core.questions.relate.answer import RelateAnswer
from night_trail.core.questions.relate.question import Relate
from night_trail.core.questions.shared.gist import Gist
from night_trail.core.table import Column, Table


def gist(question: Relate, table: Table) -> Gist:
    """Return what it is about."""
    groups = (question.across,) if question.across else ()
    return Gist(question.column, groups=groups, others=(question.against,))


def from_gist(gist: Gist, table: Table) -> Relate:
    """Return a relation to begin with: with the first other number, a measured group before it."""
    column = table.column(gist.column)
    if not column.kind.measured:
        raise BadQuestion(
            f"“{column.name}” is {column.kind} and has no axis", "way", "Choose a number or date."
        )
    if gist.others:
        coloured = gist.groups[0] if gist.groups else None
        return Relate(column.name, table.column(gist.others[0]).name, coloured)
    taken = table.column(gist.groups[0]) if gist.groups else None
    if taken is not None and taken.kind.measured and taken.name != column.name:
        return Relate(column.name, taken.name)
    numbers = [c for c in table.columns if c.name != column.name and c.kind.numeric and c.distinct > 2]
    if not numbers:
        raise BadQuestion("There is no other number", table.name, "Calculate one, or join a table.")
    coloured = None if taken is None or taken.kind.measured else taken.name
    return Relate(column.name, numbers[0].name, coloured)


def broken_down(question: Relate, by: Column, table: Table) -> Relate:
    """Return the same two columns, coloured by groups."""
    return Relate(question.column, question.against, by.name, question.fit)


def held(one: RelateAnswer, every: Sequence[RelateAnswer]) -> RelateAnswer:
    """Return the answer of one period with its points sized by the largest of all."""
    most = max((answer.largest for answer in every), default=0.0)
    if not one.largest or most <= one.largest:
        return one
    panels = []
    for panel in one.panels:
        size = panel.points.size
        points = panel.points if size is None else replace(panel.points, size=size * one.largest / most)
        panels.append(replace(panel, points=points))
    return replace(one, panels=tuple(panels), largest=most)


KIND = QuestionKind(
    tag="relate",
    way="how it moves with another",
    question=Relate,
    check=answer.check,
    answer=answer.relate,
    said=sentence.said,
    short_name=sentence.short_name,
    phrases=phrases.PHRASES,
    likely=phrases.likely,
    group_slots=("coloured",),
    read=sentence.read,
    changed=sentence.changed,
    offers=offers.offers,
    words={RelateAnswer: words.relate_words},
    figures={RelateAnswer: figures.relate_figures},
    gist=gist,
    from_gist=from_gist,
    broken_down=broken_down,
    playing=Playing(held=held),
)
