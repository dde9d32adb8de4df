"""Which groups made the difference between a period and what it is held against."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from night_trail.core.questions.over_time.question import OverTime
from night_trail.core.questions.shared.grouping import makes_groups
from night_trail.core.questions.shared.measures import ADDS_UP
from night_trail.core.questions.shared.periods import Periods
from night_trail.core.rows import Rows
from night_trail.core.stats.change import chance_of, off_course, side_of, z_of_history, z_of_sums
from night_trail.core.table import Bools, Coded, Floats

CANDIDATES = 6
"""How many categories are asked which of their groups made a difference."""

NAMED, BY_CHANCE = 3, 0.05
LEAST_STEPS, MOST_STEPS = 6, 60


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

    For sums and counts each group's difference is its part of the whole one. A group
    is named where it moved otherwise than the rest, beyond what rows do by chance and
    beyond its own earlier steps, for as many groups and categories as were looked at.
    Other measures have no parts.
    """
    measure, table = question.measure, rows.table
    if table.stands() is not None:
        return ()  # cells do not say how rows scatter
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
    values = np.ones(table.height) if measure.column is None else table.axis(measure.column).values
    known = ~np.isnan(values)
    inside = [_in_periods(periods, *ends) & known for ends in ((first_base, base + 1), (first_at, at + 1))]
    best: tuple[float, tuple[Contribution, ...]] = (BY_CHANCE, ())
    for name in names:
        coded = table.coded(name)
        n, has = len(coded.labels), coded.codes >= 0
        if n < 2:
            continue
        sides = (np.flatnonzero(where & has) for where in inside)
        before, after = (side_of(values[i], coded.codes[i].astype(np.int64), None, n) for i in sides)
        p = chance_of(*z_of_sums(before, after))
        looked = n * len(names)
        if question.view == "plain" and float(p.min()) * looked < best[0]:
            p = np.maximum(p, _by_its_past(periods, values, coded, known & has, at, base))
        p = p * looked
        if float(p.min()) < best[0]:
            off, change = off_course(before, after), after.sums - before.sums
            # what stood still while the rest moved made no difference
            off = np.where((p < BY_CHANCE) & (off * change > 0), np.abs(off), 0.0)
            named = [i for i in np.argsort(-off, kind="stable")[:NAMED] if off[i]]
            best = float(p.min()), tuple(Contribution(name, coded.labels[i], float(change[i])) for i in named)
    return best[1]


def _by_its_past(
    periods: Periods, values: Floats, coded: Coded, known: Bools, at: int, base: int
) -> Floats | float:
    """Return how likely a step of each group's share is by its earlier ones; 0 where there are too few.

    ``values`` and ``known`` have shape (rows,).
    """
    n, lag = len(coded.labels), at - base
    if lag < 1:
        return 0.0
    rows = np.flatnonzero(known & (periods.codes >= 0) & (periods.codes <= at))
    cells = periods.codes[rows] * n + coded.codes[rows]
    sums = np.bincount(cells, weights=values[rows], minlength=(at + 1) * n)[: (at + 1) * n].reshape(-1, n)
    total = sums.sum(axis=1, keepdims=True)
    with np.errstate(invalid="ignore", divide="ignore"):
        shares = np.where(total != 0, sums / total, np.nan)
    steps = shares[lag:] - shares[:-lag]
    past = steps[:-1][~np.isnan(steps[:-1]).any(axis=1)][-MOST_STEPS:]
    if len(past) < LEAST_STEPS or np.isnan(steps[-1]).any():
        return 0.0
    z = z_of_history(past, steps[-1])
    # where a share never moved before, its earlier steps tell nothing
    return np.where(z == 0, np.where(past.any(axis=0), 1.0, 0.0), chance_of(z, len(past) - 1))


def _in_periods(periods: Periods, first: int, end: int) -> Bools:
    return np.asarray((periods.codes >= first) & (periods.codes < end))
