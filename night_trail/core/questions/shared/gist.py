"""What a question is about, whatever its kind: any kind can be made from it."""

from __future__ import annotations

from dataclasses import dataclass

from night_trail.core.conditions import Condition
from night_trail.core.errors import BadQuestion
from night_trail.core.measure import Measure
from night_trail.core.moments import GrainName
from night_trail.core.questions.shared.grouping import makes_groups
from night_trail.core.questions.shared.measures import first_measure
from night_trail.core.questions.shared.periods import time_column
from night_trail.core.questions.shared.time_question import AskedOfTime
from night_trail.core.table import Column, Table


@dataclass(frozen=True)
class Gist:
    """The column a question looks at first, its measure, what groups its rows, its time.

    ``measure`` is None where a column itself is looked at; ``alone`` says
    whether one column's values are what the picture is about. ``others`` are
    further columns that were named beside the first, ``rows`` those that are spoken
    of, and ``against`` those they are set against; ``from_to`` says that they were told from one time
    to another. ``named`` is whether any column was.
    """

    column: str
    measure: Measure | None = None
    groups: tuple[str, ...] = ()
    time: str | None = None
    grain: GrainName | None = None
    zone: str | None = None
    alone: bool = True
    others: tuple[str, ...] = ()
    rows: Condition | None = None
    against: Condition | None = None
    named: bool = True
    from_to: bool = False

    @property
    def told_apart(self) -> str | None:
        """The column whose values groups would tell apart; None where rows are only counted, or many are."""
        if self.measure is not None:
            return self.measure.column
        return self.column if self.alone else None

    def when(self, table: Table) -> Column:
        """Return the column of its time, or the first the table has."""
        found = table.column(self.time) if self.time else time_column(table)
        if found is None:
            raise BadQuestion("The table has no column of dates", "way", "Read a column as dates first.")
        return found

    def measured(self, table: Table) -> Measure:
        """Return its measure, or the one first taken of its column."""
        if self.measure is not None:
            return self.measure
        column = table.column(self.column)
        return first_measure(None if column.kind.temporal or column.kind.grouping else column)

    def split(self, table: Table) -> str | None:
        """Return what may group a series: its first groups, where they are few and are not its time."""
        across = self.groups[0] if self.groups else None
        apart = across and across != self.when(table).name and makes_groups(table.column(across))
        return across if apart else None


def gist_in_time(question: AskedOfTime, table: Table) -> Gist:
    """Return what a question about a measure over time is about."""
    groups = (question.across,) if question.across else ()
    grain, zone = getattr(question, "grain", None), getattr(question, "zone", None)
    return Gist(question.column, question.measure, groups, question.time, grain, zone)
