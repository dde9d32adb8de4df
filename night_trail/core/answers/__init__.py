"""One module per question: each turns a question and the rows into an answer.

An answer is a frozen dataclass of plain data: everything the picture and the
words show is in it. ``answer`` is the one door; a new question adds a line to
its registry.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from night_trail.core.answers import compare, relate, spread
from night_trail.core.question import Compare, Question, Relate, Spread
from night_trail.core.rows import Rows
from night_trail.core.table import Table

Answer = spread.SpreadAnswer | compare.CompareAnswer | relate.RelateAnswer

_ANSWERS: dict[type, Callable[[Any, Rows], Answer]] = {
    Spread: spread.answer,
    Compare: compare.compare,
    Relate: relate.relate,
}
_CHECKS: dict[type, Callable[[Any, Table], None]] = {
    Spread: spread.check,
    Compare: compare.check,
    Relate: relate.check,
}


def answer(question: Question, rows: Rows) -> Answer:
    """Return the answer to a question from these rows."""
    check(question, rows.table)
    return _ANSWERS[type(question)](question, rows)


def check(question: Question, table: Table) -> None:
    """Refuse a question that this table cannot answer, before any cell is read."""
    _CHECKS[type(question)](question, table)
