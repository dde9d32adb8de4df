"""The kind: where a series is going."""

from __future__ import annotations

from night_trail.core.questions.forecast import answer, figures, offers, sentence, words
from night_trail.core.questions.forecast.answer import AheadAnswer
from night_trail.core.questions.forecast.question import Ahead
from night_trail.core.questions.kind import QuestionKind
from night_trail.core.questions.over_time.answer import first_over_time
from night_trail.core.questions.over_time.question import OverTime
from night_trail.core.questions.shared.gist import Gist
from night_trail.core.table import Column, Table


def gist(question: Ahead, table: Table) -> Gist:
    """Return what it is about."""
    groups = (question.split,) if question.split else ()
    return Gist(question.column, question.measure, groups, question.time, question.grain, question.zone)


def from_gist(gist: Gist, table: Table) -> Ahead:
    """Return a gist's measure ahead."""
    return Ahead(gist.measured(table), gist.when(table).name, gist.grain, zone=gist.zone)


def broken_down(question: Ahead, by: Column, table: Table) -> OverTime:
    """Return a line over time for each group."""
    return first_over_time(question.measure, table.column(question.time), by.name)


KIND = QuestionKind(
    tag="ahead",
    way="where it is going",
    question=Ahead,
    check=answer.check,
    answer=answer.ahead,
    said=sentence.said,
    short_name=sentence.short_name,
    read=None,
    changed=sentence.changed,
    offers=offers.offers,
    words={AheadAnswer: words.ahead_words},
    figures={AheadAnswer: figures.ahead_figures},
    gist=gist,
    from_gist=from_gist,
    broken_down=broken_down,
)
