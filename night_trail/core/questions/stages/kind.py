"""The kind: how far each gets through stages."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace

from night_trail.core.errors import BadQuestion
from night_trail.core.questions.kind import QuestionKind
from night_trail.core.questions.shared.gist import Gist
from night_trail.core.questions.shared.grouping import makes_groups
from night_trail.core.questions.shared.periods import time_column
from night_trail.core.questions.stages import answer, figures, offers, phrases, sentence, words
from night_trail.core.questions.stages.answer import MOST_STAGES, StagesAnswer
from night_trail.core.questions.stages.question import Stages
from night_trail.core.table import Column, Kind, Table

MOST_TRIED, MOST_LOOKED_AT = 4, 50_000
ONCE, SEVERAL = 1.3, 1.5
"""So many rows a unit has of a stage at most, and so many stages at least, where it goes through them."""
RECURS = 1.05
"""So many rows somebody has on average."""
LEAST_STEPS, STEADY = 20, 0.95
"""With fewer stages so many steps from one to the next are in one order, nearly all of them."""


def gist(question: Stages, table: Table) -> Gist:
    """Return what it is about."""
    groups = (question.stage, *((question.across,) if question.across else ()))
    return Gist(question.stage, groups=groups, time=question.time, others=(question.unit,))


def from_gist(gist: Gist, table: Table) -> Stages:
    """Return how far units get: through the category each of them has about once.

    Raises
    ------
    BadQuestion
        Where no two columns are like that, and none were named.
    """
    named = [*gist.groups, *((gist.column,) if gist.named else ()), *gist.others]
    able = sorted((c for c in table.columns if _staged(c)), key=lambda c: c.name not in named)[:MOST_TRIED]
    units = [c for c in table.columns if _recurs(c, table)]
    # a number may only count; what is called by one has its rows at several stages, each about once
    units = sorted(units, key=lambda c: (c.name not in named, _numbers(c), -c.distinct))[:MOST_TRIED]
    pairs = [(u.name, s.name) for s in able for u in units if u.name != s.name]
    # of two that were named those of fewer values are the stages
    said = [(u, s) for u, s in pairs if u in named and s in named]
    both = max(said, key=lambda pair: table.column(pair[0]).distinct, default=None)
    time = gist.time or (own.name if (own := time_column(table)) is not None else None)
    found = both or next((pair for pair in pairs if _goes_through(table, *pair, time)), None)
    if found is None:
        raise BadQuestion(
            "Nobody goes through stages here",
            table.name,
            "It needs who it is, and at which stage, a row for each.",
        )
    across = next((n for n in gist.groups if n not in found and makes_groups(table.column(n))), None)
    return Stages(found[0], found[1], time, across)


def _goes_through(table: Table, unit: str, stage: str, time: str | None) -> bool:
    """Whether units have each of the stages about once, and several of them or always in one order."""
    units, stages = (table.coded(name).codes[:MOST_LOOKED_AT] for name in (unit, stage))
    has = (units >= 0) & (stages >= 0)
    if not has.any():
        return False
    pairs = len(np.unique(units[has].astype(np.int64) * MOST_STAGES + stages[has]))
    present = len(np.unique(units[has]))
    if has.sum() >= ONCE * pairs:
        return False
    return SEVERAL * present < pairs or (time is not None and _in_one_order(table, unit, stage, time))


def _in_one_order(table: Table, unit: str, stage: str, time: str) -> bool:
    """Whether of any two stages that follow each other one comes first nearly always."""
    units, stages = (table.coded(name).codes[:MOST_LOOKED_AT] for name in (unit, stage))
    moments = table.moments(time).values[:MOST_LOOKED_AT]
    at = np.flatnonzero((units >= 0) & (stages >= 0) & ~np.isnan(moments))
    at = at[np.lexsort((moments[at], units[at]))]
    next_ = (units[at[1:]] == units[at[:-1]]) & (moments[at[1:]] > moments[at[:-1]])
    one, other = stages[at[:-1]][next_].astype(np.int64), stages[at[1:]][next_].astype(np.int64)
    wide = len(table.coded(stage).labels)
    steps = np.bincount(one * wide + other, minlength=wide * wide).reshape(wide, wide)
    steps = steps - np.diag(np.diag(steps))
    n = int(steps.sum())
    return n >= LEAST_STEPS and float(np.maximum(steps, steps.T).sum()) / 2 >= STEADY * n


def _staged(column: Column) -> bool:
    return makes_groups(column) and not column.kind.measured and 2 <= column.distinct <= MOST_STAGES


def _recurs(column: Column, table: Table) -> bool:
    """Whether values stand for somebody that has several rows."""
    named = column.code or not column.kind.measured or _numbers(column)
    return named and not column.kind.temporal and 2 <= column.distinct <= table.height / RECURS


def _numbers(column: Column) -> bool:
    """Whether a column has whole numbers without a unit, which may be what something is called by."""
    return column.kind == Kind.WHOLE and not column.code and not column.unit


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
