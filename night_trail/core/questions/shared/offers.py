"""What a slot offers before it is drawn, and what is looked at when it is asked."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Protocol

from night_trail.core.errors import BadQuestion
from night_trail.core.question import Scene
from night_trail.core.questions.spread.question import Bins
from night_trail.core.rows import Rows
from night_trail.core.table import Column, Table


class Looking(Protocol):
    """A scene on its table, and answers to questions on its rows."""

    @property
    def table(self) -> Table:
        """The table looked at."""

    @property
    def scene(self) -> Scene:
        """What is on the desk."""

    @property
    def rows(self) -> Rows:
        """The rows the scene keeps, and which of them are lit."""

    def answer(self, question: Any) -> Any:
        """Return the answer to a question on these rows."""


@dataclass(frozen=True)
class Offer:
    """What a choice says and what it puts into its slot, or into another ``slot``.

    ``change`` is the turn it makes where that is none of a slot.
    """

    text: str
    value: str | Bins | None
    chosen: bool
    hint: str = ""
    slot: str = ""
    change: Any = None


def column_offer(column: Column, chosen: bool) -> Offer:
    """Return a column as a choice, its kind and unit beside it."""
    return Offer(
        column.name, column.name, chosen, f"{column.kind}{', ' + column.unit if column.unit else ''}"
    )


def can_be_asked(check: Callable[[Any, Table], None], question: Any, table: Table) -> bool:
    """Whether a check lets a question pass."""
    try:
        check(question, table)
    except BadQuestion:
        return False
    return True


def no_slot(slot: str) -> BadQuestion:
    """Return the refusal of a slot that a sentence does not have."""
    return BadQuestion(f"There is no slot “{slot}” in this sentence")
