"""The kind: how a measure compares across groups."""

from __future__ import annotations

from night_trail.core.questions.compare import (
    answer,
    crossed,
    figures,
    offers,
    phrases,
    sentence,
    several,
    words,
)
from night_trail.core.questions.compare.answer import CompareAnswer, compare_question
from night_trail.core.questions.compare.crossed import CrossAnswer
from night_trail.core.questions.compare.question import Compare
from night_trail.core.questions.compare.several import SeveralAnswer
from night_trail.core.questions.kind import Playing, QuestionKind
from night_trail.core.questions.shared.gist import Gist
from night_trail.core.questions.shared.grouping import best_group
from night_trail.core.questions.shared.measures import first_measure
from night_trail.core.rows import Rows
from night_trail.core.table import Column, Table


def answered(question: Compare, rows: Rows) -> CompareAnswer | CrossAnswer | SeveralAnswer:
    """Return the answer: of one category or two, of one measure or several."""
    if question.also:
        return crossed.cross(question, rows)
    return several.several(question, rows) if question.more else answer.compare(question, rows)


def gist(question: Compare, table: Table) -> Gist:
    """Return what it is about."""
    groups = (question.across, question.also) if question.also else (question.across,)
    return Gist(question.column, question.measure, groups)


def from_gist(gist: Gist, table: Table) -> Compare:
    """Return a gist's measure across its groups; a category is counted."""
    column = table.column(gist.column)
    if gist.measure is None and column.kind.grouping and not column.kind.numeric:
        return compare_question(first_measure(None), column)
    across = gist.groups[0] if gist.groups else best_group(table, column)
    return compare_question(gist.measure or first_measure(column), table.column(across))


def broken_down(question: Compare, by: Column, table: Table) -> Compare:
    """Return its measure across other groups."""
    return compare_question(question.measure, by)


KIND = QuestionKind(
    tag="compare",
    way="how groups compare",
    question=Compare,
    check=answer.check,
    answer=answered,
    said=sentence.said,
    short_name=sentence.short_name,
    phrases=phrases.PHRASES,
    likely=phrases.likely,
    group_slots=("across", "also"),
    ungrouped=("shape", "figure"),
    read=sentence.read,
    changed=sentence.changed,
    offers=offers.offers,
    words={
        CompareAnswer: words.compare_words,
        CrossAnswer: words.cross_words,
        SeveralAnswer: words.several_words,
    },
    figures={
        CompareAnswer: figures.compare_figures,
        CrossAnswer: figures.cross_figures,
        SeveralAnswer: figures.several_figures,
    },
    gist=gist,
    from_gist=from_gist,
    broken_down=broken_down,
    playing=Playing(),
)
