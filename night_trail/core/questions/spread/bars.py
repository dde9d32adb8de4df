"""Bars: how often each value of a category occurs."""

from __future__ import annotations

from dataclasses import dataclass

from night_trail.core.conditions import Condition
from night_trail.core.questions.shared.basis import Basis, Group, Grouping, grouping
from night_trail.core.questions.spread.question import Spread
from night_trail.core.rows import Rows
from night_trail.core.stats.intervals import wilson
from night_trail.core.table import Column

MOST_BARS = 20


@dataclass(frozen=True)
class Bar:
    """One value: its rows, its share of the used rows with a 95 % Wilson interval."""

    position: int
    group: Group
    count: int
    lit: int | None
    share: float
    low: float
    high: float


@dataclass(frozen=True)
class BarsAnswer:
    """Bars in the order they are drawn; small values gathered in the last."""

    question: Spread
    column: Column
    basis: Basis
    grouping: Grouping
    bars: tuple[Bar, ...]

    def condition(self, bar: Bar) -> Condition:
        """Return the condition that names the rows of one bar."""
        condition = self.grouping.condition(bar.position)
        assert condition is not None  # noqa: S101  (bars always group by their column)
        return condition


def bars(question: Spread, rows: Rows) -> BarsAnswer:
    """Return how often each value occurs."""
    column = rows.table.column(question.column)
    groups = grouping(rows, question.column, MOST_BARS)
    assert groups.codes is not None  # noqa: S101  (grouped by the column itself)
    counts = rows.tally(groups.codes, len(groups.groups), rows.kept)
    lit = None if rows.lit is None else rows.tally(groups.codes, len(groups.groups), rows.lit)
    used = int(counts.sum())
    found = []
    for position, group in enumerate(groups.groups):
        count = int(counts[position])
        low, high = wilson(count, used)
        found.append(
            Bar(position, group, count, None if lit is None else int(lit[position]), count / used, low, high)
        )
    if question.order == "frequent":
        found.sort(key=lambda bar: (bar.group.others > 0, -bar.count, bar.position))
    return BarsAnswer(
        question=question,
        column=column,
        basis=Basis(
            rows=rows.n,
            used=used,
            missing=rows.n - used,
            lit=None if lit is None else int(lit.sum()),
            table_rows=rows.table.n,
        ),
        grouping=groups,
        bars=tuple(found),
    )
