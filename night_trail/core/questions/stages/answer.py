"""How many units reach each stage, how many are lost before the next, and how long it takes.

A unit got as far as the furthest stage it has a row of, and counts as having reached every stage
before that one. Times are from its first row at a stage to its first at the next.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from night_trail.core.conditions import Condition, OneOf
from night_trail.core.errors import BadQuestion
from night_trail.core.questions.shared.basis import Basis, Grouping, grouping, hues
from night_trail.core.questions.shared.grouping import makes_groups
from night_trail.core.questions.shared.measures import NOT_TESTED, Tested
from night_trail.core.questions.stages.question import Order, Stages
from night_trail.core.rows import Codes, Rows
from night_trail.core.stats.groups import chi_square_of_shares
from night_trail.core.table import Bools, Column, Floats, Ints, Kind, Table

MOST_STAGES, MOST_GROUPS, MOST_CELLS = 24, 6, 40_000_000
MOST_LIT = 400
"""So many units that stop at a stage are named by a condition."""

FEW = 5
"""Of fewer times no quartiles are told."""


@dataclass(frozen=True)
class Stage:
    """A stage: how many units reached it, or one after it, and how many of those have a row of it.

    ``lit`` is how many that reached it have a lit row. ``seconds`` are the quartiles of how long it
    took from the stage before, of ``timed`` units; None where that is not known. ``back`` units came
    to it before they came to the one before it. ``stopped`` names those that got no further, where
    they are not too many.
    """

    label: str
    reached: int
    own: int
    condition: Condition
    lit: int | None = None
    seconds: tuple[float, float, float] | None = None
    timed: int = 0
    back: int = 0
    stopped: Condition | None = None


@dataclass(frozen=True)
class Group:
    """Units of one value of the category: how many there are, and how many of them reach each stage.

    ``others`` is how many values are gathered in it.
    """

    label: str
    hue: int
    units: int
    reached: tuple[int, ...]
    condition: Condition | None
    others: int = 0


@dataclass(frozen=True)
class StagesAnswer:
    """The stages in their order. ``order`` is how that was found; ``skipped`` units lack a stage they passed.

    ``fresh`` of the units that stopped came to their last stage so late that at least a quarter of
    the others took longer from there to the next: they may still go on. ``steady`` is the share of
    pairs of stages that one unit has which came as they stand, None where no time tells. ``tested``
    is whether as many of each group get to the last stage.
    """

    question: Stages
    column: Column
    basis: Basis
    order: Order
    units: int
    stages: tuple[Stage, ...]
    groups: tuple[Group, ...]
    skipped: int
    fresh: int
    lit_units: int | None = None
    steady: float | None = None
    tested: Tested = NOT_TESTED

    def lost(self, at: int) -> int:
        """Return how many reached a stage and not the next."""
        return self.stages[at].reached - self.stages[at + 1].reached


def check(question: Stages, table: Table) -> None:
    """Refuse combinations that make no sense, naming the field."""
    unit, stage = table.column(question.unit), table.column(question.stage)
    if question.unit == question.stage:
        raise BadQuestion("A stage is not reached by itself", "unit", "Choose who goes through the stages.")
    if unit.kind.temporal or unit.distinct < 2:
        raise BadQuestion(f"“{unit.name}” tells nobody apart", "unit", "Choose a column of names or numbers.")
    if not makes_groups(stage) or stage.kind.temporal:
        raise BadQuestion(f"“{stage.name}” has no stages", "stage", "Choose a category.")
    if question.time is not None and not table.column(question.time).dated:
        what = f"“{question.time}” is {table.column(question.time).kind} and no time"
        raise BadQuestion(what, "time", "Choose a column of dates.")
    if question.order == "time" and question.time is None:
        raise BadQuestion("Without a time nothing comes first", "order", "Choose a time, or another order.")
    if question.order == "column" and stage.kind != Kind.ORDERED:
        raise BadQuestion(f"“{stage.name}” has no order of its own", "order", "Choose another order.")
    if question.across in (question.unit, question.stage):
        raise BadQuestion(f"“{question.across}” is there already", "across", "Choose another column.")
    if question.across is not None and not makes_groups(table.column(question.across)):
        raise BadQuestion(f"“{question.across}” has no groups", "across", "Choose a category.")


def order_for(question: Stages, table: Table) -> Order:
    """Return how stages are put in order: by the column's own order before time, and that before numbers."""
    if question.order is not None:
        return question.order
    if table.column(question.stage).kind == Kind.ORDERED:
        return "column"
    return "time" if question.time is not None else "many"


@dataclass(frozen=True)
class _Passed:
    """The first time of each unit at each stage, infinite where it has none; shape (units, stages).

    ``names`` are the places of the units among the labels of their column, ``first`` the row each
    has first of all.
    """

    firsts: Floats
    names: Ints
    first: Ints
    labels: tuple[str, ...]
    order: Order

    @property
    def nbytes(self) -> int:
        """Bytes it holds."""
        return self.firsts.nbytes + self.names.nbytes + self.first.nbytes


def stages(question: Stages, rows: Rows) -> StagesAnswer:
    """Return how far units get."""
    table = rows.table
    key = ("stages", question.unit, question.stage, question.time, question.order)
    passed = rows.remember(key, lambda: _passed(question, rows))
    there = np.isfinite(passed.firsts)
    k, m = there.shape
    furthest = m - 1 - np.argmax(there[:, ::-1], axis=1) if k and m else np.empty(0, dtype=np.int64)
    reached = np.array([int((furthest >= at).sum()) for at in range(m)], dtype=np.int64)
    shining = _shining(question, rows, passed)
    took = [_took(passed.firsts, at) if at and question.time is not None else None for at in range(m)]
    made = []
    for at in range(m):
        label = passed.labels[at]
        seconds, timed, back = took[at] or (None, 0, 0)
        stopped = passed.names[furthest == at]
        lit = None if shining is None else int((shining & (furthest >= at)).sum())
        made.append(
            Stage(
                label=label,
                reached=int(reached[at]),
                own=int(there[:, at].sum()),
                condition=OneOf(question.stage, (label,)),
                lit=lit,
                seconds=seconds,
                timed=timed,
                back=back,
                stopped=_stopped(question, table, stopped) if at < m - 1 else None,
            )
        )
    groups = tuple(_groups(question, rows, passed, furthest, m))
    return StagesAnswer(
        question=question,
        column=table.column(question.stage),
        basis=_basis(question, rows),
        order=passed.order,
        units=k,
        stages=tuple(made),
        groups=groups,
        skipped=int((there.sum(axis=1) < furthest + 1).sum()) if k else 0,
        fresh=_fresh(passed.firsts, furthest, [one.seconds for one in made]) if question.time else 0,
        lit_units=None if shining is None else int(shining.sum()),
        steady=_steady(passed.firsts) if question.time is not None else None,
        tested=_tested(groups),
    )


def _tested(groups: Sequence[Group]) -> Tested:
    if len(groups) < 2:
        return NOT_TESTED
    last = np.array([one.reached[-1] for one in groups], dtype=np.int64)
    units = np.array([one.units for one in groups], dtype=np.int64)
    return Tested("chi-square", chi_square_of_shares(last, units))


def _basis(question: Stages, rows: Rows) -> Basis:
    """Return how many rows say who is at which stage and, where a time is asked for, when."""
    unit, stage = (rows.table.coded(name).codes for name in (question.unit, question.stage))
    used = (unit >= 0) & (stage >= 0)
    if rows.kept is not None:
        used &= rows.kept
    has = int(used.sum())
    timed = has
    if question.time is not None:
        timed = int((used & ~np.isnan(rows.table.moments(question.time).values)).sum())
    lit = None if rows.lit is None else rows.n_lit
    return Basis(rows.n, timed, rows.n - has, has - timed, lit, rows.table.height)


def _passed(question: Stages, rows: Rows) -> _Passed:
    table = rows.table
    unit, stage = table.coded(question.unit), table.coded(question.stage)
    used = (unit.codes >= 0) & (stage.codes >= 0)
    if rows.kept is not None:
        used &= rows.kept
    times = np.zeros(table.height) if question.time is None else table.moments(question.time).values
    used &= ~np.isnan(times)
    at = np.flatnonzero(used)
    names, units = _present(unit.codes[at], len(unit.labels))
    present, codes = _present(stage.codes[at], len(stage.labels))
    if len(present) > MOST_STAGES:
        raise BadQuestion(
            f"{question.stage} has {len(present):,} values, more than stages anyone goes through",
            "stage",
            f"Choose another column, or keep at most {MOST_STAGES} of them.",
        )
    k, m = len(names), len(present)
    if k * m > MOST_CELLS:
        raise BadQuestion(f"{k:,} times {m} stages are too many", "unit", "Keep fewer rows.")
    flat = np.full(k * m, np.inf)
    np.minimum.at(flat, units * m + codes, times[at])
    firsts: Floats = flat.reshape(k, m)
    first = np.full(k, table.height, dtype=np.int64)
    earliest = firsts.min(axis=1) if m else np.empty(0)
    opens = times[at] == earliest[units] if k else np.empty(0, dtype=np.bool_)
    # from the last row to the first, so that the first stays
    first[units[opens][::-1]] = at[opens][::-1]
    order = order_for(question, table)
    placed = _in_order(order, firsts)
    labels = tuple(stage.labels[int(present[i])] for i in placed)
    return _Passed(firsts[:, placed], names, first, labels, order)


def _present(codes: Codes, width: int) -> tuple[Ints, Ints]:
    """Return the codes that occur, ascending, and the place of each among them; shape (rows,)."""
    seen = np.zeros(width, dtype=np.bool_)
    seen[codes] = True
    return np.flatnonzero(seen), (np.cumsum(seen) - 1)[codes]


def _in_order(order: Order, firsts: Floats) -> Ints:
    """Return the stages in their order; shape (units, stages) of first times, infinite for none."""
    there = np.isfinite(firsts)
    n = there.sum(axis=0)
    own = np.arange(firsts.shape[1])
    if order == "column" or not firsts.size:
        return own
    if order == "many":
        return np.asarray(np.lexsort((own, -n)))
    # how many of a unit's other stages come before it, on average, of those there could be
    before = np.zeros(len(own))
    for at in own.tolist():
        both = there[:, [at]] & there
        earlier = (firsts < firsts[:, [at]]) & both
        later = (firsts > firsts[:, [at]]) & both
        total = int(earlier.sum() + later.sum())
        before[at] = earlier.sum() / total if total else 0.5
    return np.asarray(np.lexsort((-n, before)))


def _took(firsts: Floats, at: int) -> tuple[tuple[float, float, float] | None, int, int]:
    """Return the quartiles of how long it took from the stage before, of how many, and who came back."""
    here, before = firsts[:, at], firsts[:, at - 1]
    both = np.isfinite(here) & np.isfinite(before)
    long = here[both] - before[both]
    onward = long[long >= 0]
    if len(onward) < FEW:
        return None, len(onward), int((long < 0).sum())
    low, middle, high = np.quantile(onward, (0.25, 0.5, 0.75)).tolist()
    return (low, middle, high), len(onward), int((long < 0).sum())


def _steady(firsts: Floats) -> float | None:
    """Return the share of pairs of stages that came in their order, of those that did not come at once."""
    right = wrong = 0
    for at in range(1, firsts.shape[1]):
        here = firsts[:, [at]]
        both = np.isfinite(firsts[:, :at]) & np.isfinite(here)
        right += int((both & (firsts[:, :at] < here)).sum())
        wrong += int((both & (firsts[:, :at] > here)).sum())
    return right / (right + wrong) if right + wrong else None


def _fresh(firsts: Floats, furthest: Ints, seconds: list[tuple[float, float, float] | None]) -> int:
    """Return how many stopped so late that they may still go on."""
    known = firsts[np.isfinite(firsts)]
    if not len(known):
        return 0
    newest, found = float(known.max()), 0
    for at in range(firsts.shape[1] - 1):
        quartiles = seconds[at + 1]
        if quartiles is None:
            continue
        last = firsts[furthest == at, at]
        found += int((newest - last < quartiles[2]).sum())
    return found


def _shining(question: Stages, rows: Rows, passed: _Passed) -> Bools | None:
    """Return which units have a lit row; shape (units,)."""
    if rows.lit is None:
        return None
    codes: Codes = rows.table.coded(question.unit).codes[rows.lit]
    return np.asarray(np.isin(passed.names, codes))


def _stopped(question: Stages, table: Table, names: Ints) -> Condition | None:
    if not 0 < len(names) <= MOST_LIT:
        return None
    labels = table.coded(question.unit).labels
    return OneOf(question.unit, tuple(labels[int(i)] for i in names))


def _groups(question: Stages, rows: Rows, passed: _Passed, furthest: Ints, m: int) -> list[Group]:
    """Return the units of each group by the value of the first row each has; the largest groups first."""
    if question.across is None:
        return []
    found: Grouping = grouping(rows, question.across, MOST_GROUPS)
    assert found.codes is not None  # noqa: S101  (a category groups)
    own, colours = found.codes[passed.first], hues(rows, found)
    made = []
    for at, group in enumerate(found.groups):
        mine = furthest[own == at]
        counts = tuple(int((mine >= stage).sum()) for stage in range(m))
        made.append(Group(group.label, colours[at], len(mine), counts, found.condition(at), group.others))
    return sorted((one for one in made if one.units), key=lambda one: -one.units)
