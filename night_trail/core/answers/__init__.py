"""One module per question: each turns a question and the rows into an answer.

An answer is a frozen dataclass of plain data: everything the picture and the
words show is in it. ``answer`` is the one door; a new question adds a line to
its registry.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from night_trail.core.answers import (
    ahead,
    apart,
    compare,
    cross,
    cycle,
    goes,
    over_time,
    relate,
    several,
    spread,
    together,
)
from night_trail.core.question import Compare, Goes, Question, Relate, Spread, Together
from night_trail.core.rows import Rows
from night_trail.core.table import Table
from night_trail.core.time_questions import Ahead, Apart, Cycle, OverTime

Compared = compare.CompareAnswer | cross.CrossAnswer | several.SeveralAnswer
Timed = over_time.OverTimeAnswer | cycle.CycleAnswer | apart.ApartAnswer | ahead.AheadAnswer
Many = together.TogetherAnswer | goes.GoesAnswer
Answer = spread.SpreadAnswer | Compared | relate.RelateAnswer | Many | Timed


def _compared(question: Compare, rows: Rows) -> Compared:
    """Return the answer to a comparison: of one category or two, of one measure or several."""
    if question.also:
        return cross.cross(question, rows)
    return several.several(question, rows) if question.more else compare.compare(question, rows)


_ANSWERS: dict[type, Callable[[Any, Rows], Answer]] = {
    Spread: spread.answer,
    Compare: _compared,
    Relate: relate.relate,
    Together: together.together,
    Goes: goes.goes,
    OverTime: over_time.over_time,
    Cycle: cycle.cycle,
    Apart: apart.apart,
    Ahead: ahead.ahead,
}
_CHECKS: dict[type, Callable[[Any, Table], None]] = {
    Spread: spread.check,
    Compare: compare.check,
    Relate: relate.check,
    Together: together.check,
    Goes: goes.check,
    OverTime: over_time.check,
    Cycle: cycle.check,
    Apart: apart.check,
    Ahead: ahead.check,
}


def answer(question: Question, rows: Rows) -> Answer:
    """Return the answer to a question from these rows."""
    check(question, rows.table)
    return _ANSWERS[type(question)](question, rows)


def check(question: Question, table: Table) -> None:
    """Refuse a question that this table cannot answer, before any cell is read."""
    _CHECKS[type(question)](question, table)
