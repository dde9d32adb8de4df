"""The kind: how a measure runs through the day, the week or the year."""

from __future__ import annotations

from msgspec.structs import replace

from night_trail.core.questions.cycle import answer, figures, offers, phrases, read, sentence, words
from night_trail.core.questions.cycle.answer import CycleAnswer
from night_trail.core.questions.cycle.question import Cycle
from night_trail.core.questions.kind import QuestionKind
from night_trail.core.questions.shared.gist import Gist, gist_in_time
from night_trail.core.table import Column, Table


def from_gist(gist: Gist, table: Table) -> Cycle:
    """Return a gist's measure through a cycle."""
    return Cycle(gist.measured(table), gist.when(table).name, split=gist.split(table), zone=gist.zone)


def broken_down(question: Cycle, by: Column, table: Table) -> Cycle:
    """Return a line for each group."""
    return replace(question, split=by.name, years=False, shape="line")


KIND = QuestionKind(
    tag="cycle",
    way="how it runs through the week or year",
    question=Cycle,
    check=answer.check,
    answer=answer.cycle,
    said=sentence.said,
    short_name=sentence.short_name,
    phrases=phrases.PHRASES,
    likely=phrases.likely,
    group_slots=("split",),
    read=read.read,
    changed=sentence.changed,
    offers=offers.offers,
    words={CycleAnswer: words.cycle_words},
    figures={CycleAnswer: figures.cycle_figures},
    gist=gist_in_time,
    from_gist=from_gist,
    broken_down=broken_down,
)
