"""The kind: how far each gets through stages."""

from __future__ import annotations

from msgspec.structs import replace

from night_trail.core.errors import BadQuestion
from night_trail.core.questions.kind import QuestionKind
from night_trail.core.questions.shared.gist import Gist
from night_trail.core.questions.shared.grouping import makes_groups
from night_trail.core.questions.shared.periods import time_column
from night_trail.core.questions.stages import answer, figures, offers, phrases, sentence, words
from night_trail.core.questions.stages.answer import MOST_STAGES, StagesAnswer
from night_trail.core.questions.stages.question import Stages
from night_trail.core.table import Column, Table


def gist(question: Stages, table: Table) -> Gist:
    """Return what it is about."""
    groups = (question.stage, *((question.across,) if question.across else ()))
    return Gist(question.stage, groups=groups, time=question.time, others=(question.unit,))


def from_gist(gist: Gist, table: Table) -> Stages:
    """Return how far units get: through a category of few values, told apart by what recurs most.

    Raises
    ------
    BadQuestion
        Where nothing recurs, or there is no category of few values.
    """
    named = [*gist.groups, *((gist.column,) if gist.named else ()), *gist.others]
    able = [c.name for c in table.columns if _staged(c)]
    stage = next((n for n in (*named, *able) if n in able), None)
    units = [c for c in table.columns if c.name != stage and _recurs(c, table)]
    unit = next((c.name for c in units if c.name in named), None)
    if unit is None and units:
        unit = max(units, key=lambda c: c.distinct).name
    if stage is None or unit is None:
        raise BadQuestion(
            "Nobody goes through stages here",
            table.name,
            "It needs who it is, and at which stage, a row for each.",
        )
    time = gist.time or (found.name if (found := time_column(table)) is not None else None)
    across = next((n for n in gist.groups if n not in (stage, unit) and makes_groups(table.column(n))), None)
    return Stages(unit, stage, time, across)


def _staged(column: Column) -> bool:
    return makes_groups(column) and not column.kind.measured and 2 <= column.distinct <= MOST_STAGES


def _recurs(column: Column, table: Table) -> bool:
    """Whether values stand for somebody that has several rows."""
    named = column.code or not column.kind.measured
    return named and not column.kind.temporal and 2 <= column.distinct <= table.height / 1.5


def broken_down(question: Stages, by: Column, table: Table) -> Stages:
    """Return the same with units told apart by a category."""
    if not makes_groups(by) or by.name in (question.unit, question.stage):
        return question
    return replace(question, across=by.name)


KIND = QuestionKind(
    tag="stages",
    way="how far each gets",
    question=Stages,
    check=answer.check,
    answer=answer.stages,
    said=sentence.said,
    short_name=sentence.short_name,
    phrases=phrases.PHRASES,
    likely=phrases.likely,
    group_slots=("across",),
    read=sentence.read,
    changed=sentence.changed,
    offers=offers.offers,
    words={StagesAnswer: words.stages_words},
    figures={StagesAnswer: figures.stages_figures},
    gist=gist,
    from_gist=from_gist,
    broken_down=broken_down,
)
