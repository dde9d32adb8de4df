"""A step from one period to the next that a group made otherwise than the others: why did it happen.

It is found on one part of the rows, must be there again on the other, and on all
of them beyond chance over every step of every group that was looked at.
"""

from __future__ import annotations

import itertools
from dataclasses import dataclass

import numpy as np

from night_trail.core.moments import GRAINS
from night_trail.core.questions.changed.question import Changed
from night_trail.core.questions.over_time.question import OverTime
from night_trail.core.questions.shared.cells import held_of
from night_trail.core.questions.shared.grouping import makes_groups
from night_trail.core.questions.shared.kept_together import one_half, together
from night_trail.core.questions.shared.measures import ADDS_UP
from night_trail.core.questions.shared.periods import Periods, grain_for, period_condition, periods_of
from night_trail.core.rows import Rows
from night_trail.core.stats.change import Side, chance_of, off_course, z_of_history, z_of_sums
from night_trail.core.table import Bools, Coded, Floats, Ints

CANDIDATES, MOST_GROUPS = 6, 60
LEAST_PERIODS, MOST_PERIODS = 8, 120
MOST_ROWS = 200_000
FIRST, AGAIN = 0.01, 0.01
"""The chance allowed over all steps looked at, and for one on the second part."""


@dataclass(frozen=True)
class OddStep:
    """The question why, and how much of its own figure the group moved otherwise than the others."""

    question: Changed
    strength: float


def odd_step(question: OverTime, rows: Rows) -> tuple[OddStep | None, int]:
    """Return the step of a group that is furthest from what the others did, and how many were looked at.

    Of sums and counts alone: a group is held against how the others moved, by rows
    that come by themselves, and by its own other steps; it must be odd by both.
    """
    names = _names(question, rows)
    cells = _cells(question, rows) if names else None
    if cells is None:
        return None, 0
    half = one_half(together(rows.table, cells.at))
    tried, best = 0, None
    for name in names:
        parts = (half, ~half, np.ones(len(half), dtype=np.bool_))
        one, other, whole = (_steps(cells, rows.table.coded(name), part) for part in parts)
        if one is None or other is None or whole is None:
            continue
        tried += one.by_rows.size
        found = _furthest(one, other, whole)
        if found is not None and (best is None or whole.by_rows[found] < best[0]):
            best = float(whole.by_rows[found]), name, found[0], float(whole.part[found])
    if best is None or best[0] * tried >= FIRST:
        return None, tried
    _, name, step, strength = best
    column = rows.table.column(question.time)
    at = cells.first + step
    before, after = (period_condition(cells.periods.calendar, column, i, i + 1) for i in (at, at + 1))
    return OddStep(Changed(question.measure, before, after, (name,)), strength), tried


def _names(question: OverTime, rows: Rows) -> list[str]:
    """Return the columns whose groups are looked at: those drawn, else the first few categories."""
    table = rows.table
    plain = question.view == "plain" and not question.more and question.zone is None
    if question.measure.aggregate not in ADDS_UP or not plain or table.stands() is not None:
        return []
    columns = table.columns if question.split is None else [table.column(question.split)]
    able = [c for c in columns if makes_groups(c) and not c.kind.numeric and c.name != question.time]
    able = [c for c in able if 2 <= c.distinct <= MOST_GROUPS]
    return [c.name for c in sorted(able, key=lambda c: c.missing)[:CANDIDATES]]


@dataclass(frozen=True)
class _Cells:
    """The measured cells of whole periods, ``first`` the first of ``n``; all three have shape (cells,)."""

    at: Ints
    values: Floats
    period: Ints
    periods: Periods
    first: int
    n: int


def _cells(question: OverTime, rows: Rows) -> _Cells | None:
    """Return the latest periods and a part of the rows where there are many; None where periods are few."""
    grain = grain_for(question, rows)
    if GRAINS.index(grain) < GRAINS.index("day"):
        return None
    periods = periods_of(rows, question.time, grain)
    first, end = periods.covered
    first = max(first, end - MOST_PERIODS)
    if end - first < LEAST_PERIODS:
        return None
    held = held_of(question.measure, rows.table, rows.kept)
    at = np.arange(rows.table.height) if held.at is None else held.at
    values = held.values
    if len(at) > MOST_ROWS:
        some = np.sort(np.random.default_rng(len(at)).choice(len(at), MOST_ROWS, replace=False))
        at, values = at[some], values[some]
    period = periods.codes[at].astype(np.int64) - first
    inside = (period >= 0) & (period < end - first)
    return _Cells(at[inside], values[inside], period[inside], periods, first, end - first)


@dataclass(frozen=True)
class _Steps:
    """Of every step of every group, shape (steps, groups).

    ``by_rows`` is how likely it is where rows come by themselves, ``by_past`` by the
    group's other steps; ``part`` is what moved otherwise of its own figure.
    """

    by_rows: Floats
    by_past: Floats
    z: Floats
    part: Floats


def _furthest(one: _Steps, other: _Steps, whole: _Steps) -> tuple[int, int] | None:
    """Return the step and group furthest out on one part; None where it is not there again, or is usual."""
    step, group = (int(i) for i in np.unravel_index(int(np.argmin(one.by_rows)), one.by_rows.shape))
    looked = one.by_rows.size
    again = (other.by_rows < AGAIN) & (one.z * other.z > 0) & (whole.by_past * looked < FIRST)
    before = (step - 1, group)
    returns = step > 0 and again[before] and whole.z[before] * whole.z[step, group] < 0
    if returns and whole.by_rows[before] * looked < FIRST:
        # a dip is asked about where it begins, not where it ends
        step -= 1
    return (step, group) if again[step, group] else None


def _steps(cells: _Cells, coded: Coded, which: Bools) -> _Steps | None:
    """Return the steps of groups among some of the cells, ``which`` of shape (cells,); None without any."""
    codes = coded.codes[cells.at].astype(np.int64)
    some = which & (codes >= 0)
    n, groups = cells.n, len(coded.labels)
    place, values = (cells.period * groups + codes)[some], cells.values[some]
    rows, sums, squares = (
        np.bincount(place, weights=w, minlength=n * groups).reshape(n, groups)
        for w in (None, values, values * values)
    )
    size = np.abs(sums).sum(axis=1, keepdims=True)
    if not size.all() or groups < 2:
        return None
    sides = [Side(rows[i], sums[i], squares[i], rows[i].astype(np.float64)) for i in range(n)]
    pairs = list(itertools.pairwise(sides))
    found = [z_of_sums(*pair) for pair in pairs]
    z = np.array([one[0] for one in found])
    by_rows = np.array([chance_of(*one) for one in found])
    moved = np.diff(sums / size, axis=0)
    past = z_of_history(moved, moved)
    # what never moved before has no usual step
    by_past = np.where(past == 0, 1.0, chance_of(past, len(moved) - 2))
    part = np.abs(np.array([off_course(*pair) for pair in pairs]))
    part = part / np.maximum(np.abs(sums[1:]) + np.abs(sums[:-1]), 1e-300)
    return _Steps(by_rows, by_past, z, part)
