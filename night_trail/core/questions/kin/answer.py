"""Who belongs to whom, with the figure of each unit alone and of all below it."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from night_trail.core.conditions import Condition, OneOf, Under
from night_trail.core.errors import BadQuestion
from night_trail.core.kinship import Tree, all_below, children_of, summed_up, tree_of
from night_trail.core.measure import Aggregate
from night_trail.core.questions.kin.question import Kin
from night_trail.core.questions.shared.basis import Basis
from night_trail.core.questions.shared.cells import Cells, held_in
from night_trail.core.questions.shared.measures import ADDS_UP, check_measure
from night_trail.core.rows import Rows
from night_trail.core.table import Column, Floats, Ints, Table

SUMMABLE: tuple[Aggregate, ...] = ("sum", "count", "mean", "share", "ratio")
"""Figures that can be put together from those below: by their sums, and what these are divided by."""

MOST_CHILDREN, MOST_SHOWN, MOST_DEEP = 14, 300, 5
MOST_LIT = 400
"""A unit with more below it lights them as all that is below it, not name by name."""


@dataclass(frozen=True)
class Unit:
    """A unit that is drawn: its figure alone and with all below it, and how many stand below.

    ``parent`` is its place among those drawn, −1 at the top, ``depth`` counts from 0 there.
    ``odd`` says what is strange about it. One of ``others`` gathers that many.
    """

    key: str
    label: str
    parent: int
    depth: int
    own: float
    below: float
    n_own: int
    n_below: int
    children: int
    under: int
    opened: bool
    condition: Condition
    odd: str = ""
    others: int = 0
    lit: int | None = None


@dataclass(frozen=True)
class Below:
    """All units from the top down, drawn or not, parents first, and their figures.

    ``above`` is a place among ``labels``, −1 at the top. ``own``, ``below`` and ``n`` have shape
    (units,), as has ``under``, how many stand below each.
    """

    labels: tuple[str, ...]
    above: tuple[int, ...]
    own: Floats
    below: Floats
    n: Ints
    under: Ints


@dataclass(frozen=True)
class KinAnswer:
    """The units that are drawn, parents before those below; ``path`` leads from the roots to the top.

    ``roots``, ``units`` and ``levels`` count all of them; ``circle``, ``several``, ``unknown`` name
    what is strange: where a circle was cut, who has several above, who is named but is no unit.
    ``total`` is the figure of all rows, ``largest`` the unit directly below the top with the most.
    """

    question: Kin
    column: Column | None
    basis: Basis
    units: int
    roots: int
    levels: int
    total: float
    shown: tuple[Unit, ...]
    path: tuple[str, ...]
    circle: tuple[str, ...]
    several: tuple[str, ...]
    unknown: tuple[str, ...]
    branches: tuple[tuple[str, float], ...]
    below: Below

    @property
    def adds_up(self) -> bool:
        """Whether figures of units add up to that of who stands above."""
        return self.question.measure.aggregate in ADDS_UP

    def marked(self, value: float) -> bool:
        """Whether the rule marks a figure."""
        rule = self.question.rule
        return rule is not None and rule.marks(value, self.total)


def check(question: Kin, table: Table) -> None:
    """Refuse combinations that make no sense, naming the field."""
    check_measure(question.measure, table)
    if question.measure.aggregate not in SUMMABLE:
        raise BadQuestion(
            "This figure cannot be put together from those below",
            "measure",
            "Take a sum, a count or an average.",
        )
    if question.unit == question.above:
        raise BadQuestion("Nobody belongs to themselves", "above", "Choose another column.")
    for name in (question.unit, question.above):
        if table.column(name).kind.temporal:
            raise BadQuestion(f"“{name}” is a time, and names nobody", "unit", "Choose a column of names.")


def kin(question: Kin, rows: Rows) -> KinAnswer:
    """Return the tree, with its figures from the rows that are kept."""
    table, measure = rows.table, question.measure
    tree = tree_in(question, rows)
    held = held_in(measure, rows)
    codes = table.coded(question.unit).codes
    cells = held.grouped(codes)
    size = len(tree.labels)
    sums: Floats = np.bincount(cells.codes, weights=cells.values, minlength=size).astype(np.float64)
    n = np.bincount(cells.codes, minlength=size)
    over = _over(question, cells, n, size)
    all_sums, all_over = summed_up(tree, sums), None if over is None else summed_up(tree, over)
    lit = None
    if rows.lit is not None:
        own = codes[rows.lit]
        lit = summed_up(tree, np.bincount(own[own >= 0], minlength=size).astype(np.float64))
    making = _Making(
        question, tree,
        _divided(sums, over), _divided(all_sums, all_over), n, summed_up(tree, n).astype(np.int64), lit,
    )  # fmt: skip
    shown = making.shown()
    named = tree.labels
    return KinAnswer(
        question=question,
        column=None if measure.column is None else table.column(measure.column),
        basis=Basis(
            rows=rows.n,
            used=len(cells.values),
            missing=rows.n - len(held.values),
            groupless=len(held.values) - len(cells.values),
            lit=None if rows.lit is None else rows.n_lit,
            table_rows=table.n,
        ),
        units=size,
        roots=int((tree.parent < 0).sum()),
        levels=int(tree.level.max(initial=-1)) + 1,
        total=float(_divided(np.array([sums.sum()]), None if over is None else np.array([over.sum()]))[0]),
        shown=shown,
        path=making.path,
        circle=tuple(named[i] for i in tree.circle),
        several=tuple(named[i] for i in tree.several),
        unknown=tuple(named[tree.rows :]),
        branches=making.branches(),
        below=making.all_below(),
    )


def tree_in(question: Kin, rows: Rows) -> Tree:
    """Return who belongs to whom in all rows of the table, made once."""
    unit, above = question.unit, question.above
    return rows.remember(("kin", unit, above), lambda: tree_of(rows.table, unit, above))


def _over(question: Kin, cells: Cells, n: Ints, size: int) -> Floats | None:
    """Return what sums are divided by; None for what adds up."""
    if question.measure.aggregate in ADDS_UP:
        return None
    if cells.below is not None:
        return np.bincount(cells.codes, weights=cells.below, minlength=size).astype(np.float64)
    return n.astype(np.float64)


def _divided(sums: Floats, over: Floats | None) -> Floats:
    if over is None:
        return sums
    with np.errstate(invalid="ignore", divide="ignore"):
        return np.where(over != 0, sums / over, np.nan)


class _Making:
    """The units that are drawn, chosen from all of them."""

    def __init__(
        self,
        question: Kin,
        tree: Tree,
        own: Floats,
        below: Floats,
        n: Ints,
        n_below: Ints,
        lit: Floats | None,
    ) -> None:
        self.question, self.tree, self.own, self.below = question, tree, own, below
        self.n, self.n_below, self.lit = n, n_below, lit
        self.children = children_of(tree)
        self.under = summed_up(tree, np.ones(len(tree.labels))).astype(np.int64) - 1
        self.several = set(tree.several)
        self.made: list[Unit] = []
        self.top = -1
        self.path: tuple[str, ...] = ()
        if question.top is not None:
            if question.top not in tree.labels:
                raise BadQuestion(
                    f"There is no “{question.top[:60]}” in {question.unit}", "top", "Go back to all of them."
                )
            self.top = tree.labels.index(question.top)
            at, path = self.top, list[str]()
            while (at := int(tree.parent[at])) >= 0:
                path.insert(0, tree.labels[at])
            self.path = tuple(path)

    def branches(self) -> tuple[tuple[str, float], ...]:
        """Return all units directly below the top by their figure, the largest first."""
        own = self._ranked(self.top)
        return tuple((self.tree.labels[i], float(self.below[i])) for i in own)

    def all_below(self) -> Below:
        """Return every unit from the top down, in the order of the tree."""
        places: list[int] = []
        parents: list[int] = []
        tops = [self.top] if self.top >= 0 else self._ranked(-1)
        waiting = [(at, -1) for at in reversed(tops)]
        while waiting:
            at, above = waiting.pop()
            waiting += [(one, len(places)) for one in reversed(self._ranked(at))]
            places.append(at)
            parents.append(above)
        index = np.array(places, dtype=np.int64)
        labels = tuple(self.tree.labels[at] for at in places)
        return Below(
            labels, tuple(parents), self.own[index], self.below[index], self.n_below[index], self.under[index]
        )

    def shown(self) -> tuple[Unit, ...]:
        """Return the units in the order of the tree."""
        if self.top >= 0:
            self.made.append(self._unit(self.top, -1, 0))
            self._below(self.top, 0, 1)
        else:
            self._below(-1, -1, 0)
        return tuple(self.made)

    def _ranked(self, at: int) -> list[int]:
        own = self.children.get(at, [])
        return sorted(own, key=lambda i: (math.isnan(self.below[i]), -np.nan_to_num(self.below[i]), i))

    def _opens(self, at: int, depth: int) -> bool:
        label = self.tree.labels[at]
        if not self.children.get(at) or label in self.question.closed or depth + 1 >= MOST_DEEP:
            return False
        return depth < self.question.depth or label in self.question.opened

    def _below(self, at: int, place: int, depth: int) -> None:
        own = self._ranked(at)
        room = max(MOST_SHOWN - len(self.made), 1)
        kept = own[: min(MOST_CHILDREN, room)]
        if len(own) - len(kept) == 1:
            kept = own
        places = []
        for one in kept:
            places.append(len(self.made))
            self.made.append(self._unit(one, place, depth))
        if rest := own[len(kept) :]:
            self.made.append(self._gathered(rest, place, depth))
        for one, here in zip(kept, places, strict=True):
            if self.made[here].opened and len(self.made) < MOST_SHOWN:
                self._below(one, here, depth + 1)

    def _unit(self, at: int, place: int, depth: int) -> Unit:
        tree, label = self.tree, self.tree.labels[at]
        odd = ""
        if at in tree.circle:
            odd = "a circle was cut here"
        elif at >= tree.rows:
            odd = "only named as being above"
        elif at in self.several:
            odd = "has several above"
        under, question = int(self.under[at]), self.question
        condition: Condition
        if under > MOST_LIT:
            condition = Under(question.unit, question.above, label)
        else:
            names = tuple(tree.labels[i] for i in all_below(self.children, at))
            condition = OneOf(question.unit, names)
        return Unit(
            key=label,
            label=label,
            parent=place,
            depth=depth,
            own=float(self.own[at]),
            below=float(self.below[at]),
            n_own=int(self.n[at]),
            n_below=int(self.n_below[at]),
            children=len(self.children.get(at, [])),
            under=under,
            opened=self._opens(at, depth),
            condition=condition,
            odd=odd,
            lit=None if self.lit is None else int(self.lit[at]),
        )

    def _gathered(self, rest: list[int], place: int, depth: int) -> Unit:
        figures = self.below[rest]
        adds = self.question.measure.aggregate in ADDS_UP
        n = int(self.n_below[rest].sum())
        known = n > 0 and self.question.measure.aggregate in ("mean", "share")
        weighted = float(np.nansum(figures * self.n_below[rest]) / n) if known else float("nan")
        labels = [self.tree.labels[i] for i in rest[:MOST_LIT]]
        above = self.made[place].key if place >= 0 else ""
        return Unit(
            key=f"{above}\x1fothers",
            label=f"{len(rest):,} others",
            parent=place,
            depth=depth,
            own=float("nan"),
            below=float(figures.sum()) if adds else weighted,
            n_own=0,
            n_below=n,
            children=0,
            under=int(self.under[rest].sum()),
            opened=False,
            condition=OneOf(self.question.unit, tuple(labels)),
            others=len(rest),
            lit=None if self.lit is None else int(self.lit[rest].sum()),
        )
