"""The kind: how a measure changed over time."""

from __future__ import annotations

from msgspec.structs import replace

from night_trail.core.questions.kind import QuestionKind
from night_trail.core.questions.over_time import answer, figures, offers, phrases, read, sentence, words
from night_trail.core.questions.over_time.answer import OverTimeAnswer, first_over_time, fitted
from night_trail.core.questions.over_time.question import OverTime
from night_trail.core.questions.shared.gist import Gist, gist_in_time
from night_trail.core.questions.shared.time_offers import neighbours
from night_trail.core.table import Column, Table


def from_gist(gist: Gist, table: Table) -> OverTime:
    """Return a gist's measure over time."""
    made = first_over_time(gist.measured(table), gist.when(table), gist.split(table))
    return replace(made, grain=gist.grain, zone=gist.zone)


def broken_down(question: OverTime, by: Column, table: Table) -> OverTime:
    """Return a line for each group."""
    return fitted(replace(question, split=by.name, against=None))


KIND = QuestionKind(
    tag="over time",
    way="how it changed over time",
    question=OverTime,
    check=answer.check,
    answer=answer.over_time,
    said=sentence.said,
    short_name=sentence.short_name,
    phrases=phrases.PHRASES,
    likely=phrases.likely,
    group_slots=("split",),
    read=read.read,
    changed=sentence.changed,
    offers=offers.offers,
    words={OverTimeAnswer: words.over_time_words},
    figures={OverTimeAnswer: figures.over_time_figures},
    gist=gist_in_time,
    from_gist=from_gist,
    broken_down=broken_down,
    neighbours=neighbours,
)
