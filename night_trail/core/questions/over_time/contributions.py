"""Which groups made the difference between a period and what it is held against."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from night_trail.core.questions.over_time.question import OverTime
from night_trail.core.questions.shared.grouping import makes_groups
from night_trail.core.questions.shared.measures import ADDS_UP
from night_trail.core.questions.shared.periods import Periods
from night_trail.core.rows import Rows
from night_trail.core.table import Bools

CANDIDATES = 6
"""How many categories are asked which of their groups made a difference."""

NAMED = 3


@dataclass(frozen=True)
class Contribution:
    """A group's part of a difference between a period and what it is held against."""

    column: str
    label: str
    change: float


def contributions(
    question: OverTime, rows: Rows, periods: Periods, at: int, base: int
) -> tuple[Contribution, ...]:
    """Return which groups made the difference between two periods, the largest parts first.

    For sums and counts each group's difference is its part of the whole one. The
    category named is the one whose groups differ most unequally: where one
    group makes up most of what moved. Other measures have no parts.
    """
    measure, table = question.measure, rows.table
    if measure.aggregate not in ADDS_UP or question.view not in ("plain", "to date") or question.until:
        return ()
    if question.split:
        names = [question.split]
    else:
        able = [c for c in table.columns if makes_groups(c) and 2 <= c.distinct <= 60 and not c.kind.numeric]
        names = [c.name for c in sorted(able, key=lambda c: c.missing)[:CANDIDATES]]
    first_at, first_base = at, base
    if question.view == "to date":
        years = periods.calendar.year_of()
        first_at = int(np.flatnonzero(years == years[at])[0])
        first_base = max(base - (at - first_at), 0)
    weights = None if measure.column is None else table.axis(measure.column).values
    if (stands := table.stands()) is not None:
        weights = np.asarray(stands.n * (1.0 if weights is None else weights), dtype=np.float64)
    inside = _in_periods(periods, first_at, at + 1), _in_periods(periods, first_base, base + 1)
    if weights is not None:
        has = ~np.isnan(weights)
        inside = inside[0] & has, inside[1] & has
    best: tuple[float, list[Contribution]] = (0.0, [])
    for name in names:
        coded = table.coded(name)
        grouped = (np.flatnonzero(where & (coded.codes >= 0)) for where in inside)
        now, before = (
            np.bincount(
                coded.codes[at_],
                weights=None if weights is None else weights[at_],
                minlength=len(coded.labels),
            )
            for at_ in grouped
        )
        change = now.astype(np.float64) - before
        size = float(np.abs(change).sum())
        if size <= 0:
            continue
        order = np.argsort(-np.abs(change), kind="stable")
        # one of many groups that makes up most is worth more than one of two
        unequal = float(np.abs(change[order[0]])) / size - 1 / len(change)
        if unequal > best[0]:
            best = (unequal, [Contribution(name, coded.labels[i], float(change[i])) for i in order[:NAMED]])
    return tuple(c for c in best[1] if c.change)


def _in_periods(periods: Periods, first: int, end: int) -> Bools:
    return np.asarray((periods.codes >= first) & (periods.codes < end))
