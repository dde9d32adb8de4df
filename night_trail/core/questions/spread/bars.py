"""Bars: how often each value of a category occurs."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from night_trail.core.conditions import Condition
from night_trail.core.questions.shared.basis import Basis, Group, Grouping, grouping
from night_trail.core.questions.spread.question import Spread
from night_trail.core.rows import Codes, Rows
from night_trail.core.stats.intervals import wilson
from night_trail.core.table import Bools, Column, Ints

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
    counts = _tally(groups.codes, rows.kept, len(groups.groups))
    lit = None if rows.lit is None else _tally(groups.codes, rows.lit, len(groups.groups))
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
            table_rows=rows.table.height,
        ),
        grouping=groups,
        bars=tuple(found),
    )


def _tally(codes: Codes, where: Bools | None, n_groups: int) -> Ints:
    chosen = codes if where is None else codes[where]
    # code −1, no group, is counted in a first place that is left out
    return np.asarray(np.bincount(chosen + 1, minlength=n_groups + 1)[1:], dtype=np.int64)
