"""The parts that make up a measure: a tree of groups, each figured from its own rows.

Every row that has a value lies in exactly one part of each level: what lacks a level is a part
of its own there, and where nothing of a part has it the part has no parts. Figures that do not
add up (averages, ratios, medians) are computed from rows at every level, never from the parts.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from night_trail.core.conditions import AllOf, Condition, Missing, Not, OneOf
from night_trail.core.errors import BadQuestion
from night_trail.core.measure import Measure
from night_trail.core.questions.compare.answer import all_compared, plan_of, times_of
from night_trail.core.questions.compare.question import Baseline
from night_trail.core.questions.make_up.against import held_against, inside_of, shaded, those_held
from night_trail.core.questions.make_up.levels import grains_for, level_groups
from night_trail.core.questions.make_up.parts import Part
from night_trail.core.questions.make_up.question import MakeUp, MakeUpShape
from night_trail.core.questions.make_up.tree import Tree, chosen, overall_of, tree_of
from night_trail.core.questions.shared.basis import Basis, Grouping, hues
from night_trail.core.questions.shared.cells import Held, held_in
from night_trail.core.questions.shared.grouping import can_compare, no_groups
from night_trail.core.questions.shared.measures import (
    ADDS_UP,
    NOT_TESTED,
    Tested,
    check_measure,
    is_share,
    tested,
)
from night_trail.core.rows import Rows
from night_trail.core.table import Column, Floats, Ints, Table

OF_AREA: tuple[MakeUpShape, ...] = ("treemap", "rings", "squares")
"""Shapes whose parts are areas of a whole: these must add up, and none may be below 0."""

SMALLEST = 0.0015
"""A part of less than this share of what is drawn is gathered with others of its parent."""

MOST_OF: dict[str, tuple[int, ...]] = {
    "treemap": (60, 40, 30),
    "rings": (40, 24, 16),
    "bars": (24, 8, 5),
    "squares": (12,),
    "stair": (24,),
}
"""So many parts of one parent are kept apart, by depth; what no more than this leaves is gathered."""

ALWAYS = 6
"""So many parts of a parent are kept apart however small they are."""

MOST_PARTS = 900
DEEPEST = 3


@dataclass(frozen=True)
class MakeUpAnswer:
    """The parts that are drawn, parents before their parts, the largest first.

    ``shape`` is how they are drawn: bars where parts lie below 0 and areas were asked. ``total``
    is the figure of what is drawn, ``whole`` that of all rows that are kept. ``ends`` are all parts
    of the first drawn level that have it, drawn or not, largest first, as label and figure.
    ``unnested`` says for levels below the first how many of their values stand under more than one
    parent, and of how many. ``total_base`` is what the whole is held against, ``gone`` the parts of the
    first drawn level that are only there, with their figures. ``tested`` is whether those of the first
    drawn level are alike. ``groupings`` are the groups of each level down to the deepest drawn.
    """

    question: MakeUp
    column: Column | None
    basis: Basis
    shape: MakeUpShape
    total: float
    whole: float
    parts: tuple[Part, ...]
    ends: tuple[tuple[str, float], ...]
    largest: tuple[tuple[str, ...], float] | None
    unnested: tuple[tuple[str, int, int], ...]
    without: tuple[tuple[str, int], ...]
    below: int = 0
    times: int = 0
    total_base: float | None = None
    gone: tuple[tuple[str, float], ...] = ()
    tested: Tested = NOT_TESTED
    groupings: tuple[Grouping, ...] = ()

    @property
    def adds_up(self) -> bool:
        """Whether the figures of parts add up to that of their parent."""
        return self.question.measure.aggregate in ADDS_UP

    def children(self, at: int) -> list[int]:
        """Return the places of the parts of a part, −1 for the top."""
        return [i for i, part in enumerate(self.parts) if part.parent == at]


def check(question: MakeUp, table: Table) -> None:
    """Refuse combinations that make no sense, naming the field."""
    check_measure(question.measure, table)
    if question.shade is not None:
        check_measure(question.shade, table)
    if question.against is not None:
        _check_against(question, question.against, table)
    if len(set(question.names)) < len(question.names):
        raise BadQuestion("A level is there twice", "levels", "Take one of them away.")
    _check_levels(question, table)
    if question.shape not in shapes_for(question):
        raise BadQuestion(
            "Parts of areas must add up, and this figure does not",
            "shape",
            "Draw it as indented bars, or take a sum or a count.",
        )
    if len(question.path) >= len(question.levels):
        raise BadQuestion("There is no level below that", "path", "Add one first.")


def _check_levels(question: MakeUp, table: Table) -> None:
    for name in question.levels:
        if not can_compare(table.column(name)):
            raise no_groups(table.column(name), "levels", "groups")
        if name == question.measure.column:
            raise BadQuestion("A column is not made up of itself", "levels", "Choose another column.")
    for name, grain in zip(question.levels, question.all_grains, strict=True):
        if grain is not None and grain not in grains_for(table.column(name)):
            raise BadQuestion(f"“{name}” has no {grain}s", "levels", "Choose another level.")


def _check_against(question: MakeUp, against: Baseline, table: Table) -> None:
    if question.shade is not None:
        raise BadQuestion(
            "Parts are shaded by a figure, or by their change", "against", "Leave one of them out."
        )
    if question.even and against.where is None:
        raise BadQuestion("Only other rows can be made as large", "against", "Choose rows, not a plan.")
    if against.column is None and against.where is None:
        raise BadQuestion("Parts are held against a plan or earlier rows", "against", "Choose another.")
    if against.column is not None:
        if against.column == question.measure.column or question.measure.aggregate in ("count", "share"):
            raise BadQuestion("A plan is another column of the same kind", "against", "Choose another.")
        check_measure(plan_of(question.measure, against.column), table)


def shapes_for(question: MakeUp) -> tuple[MakeUpShape, ...]:
    """Return the shapes a make-up can be drawn in, the best to begin with first."""
    if question.measure.aggregate not in ADDS_UP:
        return ("bars",)
    return ("treemap", "rings", "bars", "squares", "stair")


def make_up(question: MakeUp, rows: Rows) -> MakeUpAnswer:
    """Return the parts of a measure's figure."""
    measure, depth = question.measure, len(question.path)
    shown = question.names[depth : depth + DEEPEST]
    # what was there before and is gone has its groups as well
    asked = rows
    if question.of is not None:
        rows = those_held(question.of, asked)
        every = asked
    else:
        every = asked if question.against is None else all_compared(question.against, asked)
    levels = level_groups(question, every, depth + len(shown))
    held = held_in(measure, rows)
    gone_into, inside = inside_of(question, levels, held)
    within = held if inside is None else chosen(held, inside)
    key = ("make-up", measure, question.names[: depth + len(shown)], question.path)
    tree = rows.remember(key, lambda: tree_of(measure, levels[depth:], held, within))
    below = sum(int((one < 0).sum()) for one in tree.values)
    shape: MakeUpShape = question.shape
    if below and shape in OF_AREA:
        shape = "bars"
    making = _Making(question, rows, levels[depth:], within, tree, shape, gone_into)
    parts = making.parts()
    if question.shade is not None:
        parts = shaded(parts, question, levels, rows)
    total_base: float | None = None
    gone: tuple[tuple[str, float], ...] = ()
    if question.against is not None:
        parts, total_base, gone = held_against(parts, question, question.against, levels, asked)
    return MakeUpAnswer(
        question=question,
        column=None if measure.column is None else rows.table.column(measure.column),
        basis=_basis(rows, held, within),
        shape=shape,
        total=tree.total,
        whole=tree.whole,
        parts=tuple(parts),
        ends=making.ends(),
        largest=making.largest(),
        unnested=tuple((shown[level], several, of) for level, several, of in tree.unnested),
        without=tuple(
            (name, n)
            for at, name in enumerate(shown, 1)
            if (n := sum(p.n for p in parts if p.missing and p.depth == at))
        ),
        below=below,
        times=times_of(measure, rows),
        total_base=total_base,
        gone=gone,
        tested=rows.remember(("tested", *key), lambda: _tested(measure, rows, tree, within)),
        groupings=tuple(levels),
    )


def _tested(measure: Measure, rows: Rows, tree: Tree, within: Held) -> Tested:
    """Return the test that the parts of the first drawn level are alike; of what adds up there is none."""
    if measure.aggregate in ADDS_UP:
        return NOT_TESTED
    column = None if measure.column is None else rows.table.column(measure.column)
    first = within.coded(tree.placed.ids(0))
    return tested(measure, first, len(tree.placed.parents[0]), is_share(measure, column))


def _basis(rows: Rows, held: Held, within: Held) -> Basis:
    at = within.at
    lit = None
    if rows.lit is not None:
        lit = within.some(np.flatnonzero(rows.lit if at is None else rows.lit[at])).n
    return Basis(
        rows=rows.n,
        used=within.n,
        missing=rows.n - held.n,
        lit=lit,
        table_rows=rows.table.n,
    )


class _Making:
    """The parts that are drawn, chosen from all of them."""

    def __init__(
        self,
        question: MakeUp,
        rows: Rows,
        levels: Sequence[Grouping],
        within: Held,
        tree: Tree,
        shape: MakeUpShape,
        gone_into: Sequence[Condition],
    ) -> None:
        self.gone_into, self.floors = gone_into, shape in OF_AREA
        self.question, self.rows, self.levels, self.within = question, rows, levels, within
        self.tree, self.values, self.n = tree, tree.values, tree.n
        self.total, self.whole = tree.total, tree.whole
        self.adds = question.measure.aggregate in ADDS_UP
        self.most = MOST_OF[shape]
        self.deep = 1 if shape in ("squares", "stair") else tree.placed.depth
        self.hues = hues(rows, levels[0])
        self.made: list[Part] = []
        self.lit_n: list[Ints] = []
        self.lit_values: list[Floats] = []
        if rows.lit is not None:
            shining = np.flatnonzero(rows.lit if within.at is None else rows.lit[within.at])
            for found in tree.placed.figures(question.measure, within.some(shining), shining):
                self.lit_n.append(found.n)
                self.lit_values.append(found.values)

    def ends(self) -> tuple[tuple[str, float], ...]:
        """Return all parts of the first level that have it, drawn or not, the largest first."""
        known = np.flatnonzero(self.tree.codes[0] < len(self.levels[0].groups))
        ordered = self._largest_first(0, known)
        return tuple((self._label(0, int(i)), float(self.values[0][i])) for i in ordered)

    def largest(self) -> tuple[tuple[str, ...], float] | None:
        """Return the largest part of the deepest level that has it; None of one level, or where two are."""
        deep = len(self.values) - 1
        known = np.flatnonzero(self.tree.codes[deep] < len(self.levels[deep].groups))
        if deep == 0 or not len(known):
            return None
        values = np.nan_to_num(self.values[deep][known], nan=-np.inf)
        most = float(values.max())
        if int((values == most).sum()) > 1:
            return None
        return self._names(deep, int(known[np.argmax(values)])), most

    def parts(self) -> list[Part]:
        """Return the parts in the order of the tree, the largest first."""
        self._below(0, 0, -1, self.total, _and(None, *self.gone_into) if self.gone_into else None, ())
        return self.made

    def _below(
        self,
        level: int,
        parent: int,
        place: int,
        figure: float,
        above: Condition | None,
        names: tuple[str, ...],
    ) -> None:
        starts, order = self.tree.places[level]
        own = order[starts[parent] : starts[parent + 1]]
        own = self._largest_first(level, own)
        if level and len(own) == 1 and self._missing(level, int(own[0])):
            return  # nothing of it has the level: it is whole
        keep = self.most[min(level, len(self.most) - 1)]
        at_all = np.arange(len(own))
        opened = "\x1f".join(names) in self.question.opened
        kept = np.ones(len(own), dtype=np.bool_) if opened else at_all < keep
        if self.floors and not opened:
            kept &= (at_all < ALWAYS) | (self.values[level][own] >= SMALLEST * abs(self.total))
        # one alone is no crowd
        if int(kept.sum()) + 1 == len(own):
            kept[:] = True
        apart = [int(i) for i in own[kept][: max(MOST_PARTS - len(self.made), 1)]]
        rest = np.concatenate([own[kept][len(apart) :], own[~kept]])
        here = []
        for i in apart:
            here.append(len(self.made))
            self.made.append(self._part(level, i, place, figure, above, names))
        if len(rest):
            self.made.append(self._gathered(level, rest, apart, place, figure, above, names))
        if level + 1 >= self.deep:
            return
        for at, i in zip(here, apart, strict=True):
            part = self.made[at]
            if not part.missing and len(self.made) < MOST_PARTS:
                before = len(self.made)
                self._below(level + 1, i, at, part.figure, part.condition, part.names)
                self.made[at] = replace(self.made[at], inner=len(self.made) > before)

    def _part(
        self,
        level: int,
        i: int,
        place: int,
        figure: float,
        above: Condition | None,
        names: tuple[str, ...],
    ) -> Part:
        value, code = float(self.values[level][i]), int(self.tree.codes[level][i])
        missing = self._missing(level, i)
        column = self.levels[level].column
        assert column is not None  # noqa: S101  (levels are columns)
        named = Missing(column.name) if missing else self.levels[level].condition(code)
        assert named is not None  # noqa: S101  (the same)
        label = self._label(level, i)
        return Part(
            label=label,
            names=(*names, "" if missing else self.levels[level].groups[code].key),
            depth=level + 1,
            parent=place,
            figure=value,
            n=int(self.n[level][i]),
            of_parent=value / figure if self.adds and figure else None,
            of_all=value / self.whole if self.adds and self.whole else None,
            condition=_and(above, named),
            hue=self.made[place].hue if place >= 0 else 7 if missing else self.hues[code],
            missing=missing,
            lit=int(self.lit_n[level][i]) if self.lit_n else None,
            lit_figure=float(self.lit_values[level][i]) if self.lit_n else None,
        )

    def _gathered(
        self,
        level: int,
        rest: Ints,
        apart: list[int],
        place: int,
        figure: float,
        above: Condition | None,
        names: tuple[str, ...],
    ) -> Part:
        """Return the small parts of one parent as one; its figure is of all its rows."""
        if self.adds:
            value = float(self.values[level][rest].sum())
            lit_value = float(self.lit_values[level][rest].sum()) if self.lit_n else None
        else:
            value, lit_value = self._of_several(level, rest), None
        column = self.levels[level].column
        assert column is not None  # noqa: S101  (levels are columns)
        kept = [int(self.tree.codes[level][i]) for i in apart if not self._missing(level, i)]
        named: list[Condition] = [Not(c) for c in (self.levels[level].condition(at) for at in kept) if c]
        if self.levels[level].groups[0].band is None:
            keys = tuple(self.levels[level].groups[at].key for at in kept)
            named = [Not(OneOf(column.name, keys))] if keys else []
        lacks = any(self._missing(level, int(i)) for i in rest)
        conditions = [*named] if lacks else [*named, Not(Missing(column.name))]
        count = len(rest)
        return Part(
            label=f"{count:,} others",
            names=names,
            depth=level + 1,
            parent=place,
            figure=value,
            n=int(self.n[level][rest].sum()),
            of_parent=value / figure if self.adds and figure else None,
            of_all=value / self.whole if self.adds and self.whole else None,
            condition=_and(above, *conditions),
            hue=self.made[place].hue if place >= 0 else 7,
            others=count,
            lit=int(self.lit_n[level][rest].sum()) if self.lit_n else None,
            lit_figure=lit_value,
        )

    def _of_several(self, level: int, several: Ints) -> float:
        """Return the figure of parts together: of averages weighted, of what else does not add up of rows."""
        if self.question.measure.aggregate == "mean":
            n = self.n[level][several]
            return float(np.average(self.values[level][several], weights=n)) if n.sum() else float("nan")
        among = np.zeros(len(self.values[level]), dtype=np.bool_)
        among[several] = True
        return overall_of(self.question.measure, chosen(self.within, among[self.tree.placed.ids(level)]))

    def _largest_first(self, level: int, own: Ints) -> Ints:
        """Return parts by size, those that lack the level last."""
        values = self.values[level][own]
        lacks = self.tree.codes[level][own] == len(self.levels[level].groups)
        return own[np.lexsort((own, -np.nan_to_num(values, nan=-np.inf), lacks))]

    def _missing(self, level: int, i: int) -> bool:
        return int(self.tree.codes[level][i]) == len(self.levels[level].groups)

    def _label(self, level: int, i: int) -> str:
        if self._missing(level, i):
            column = self.levels[level].column
            return f"without {column.name if column is not None else ''}"
        return self.levels[level].groups[int(self.tree.codes[level][i])].label

    def _names(self, level: int, i: int) -> tuple[str, ...]:
        found: list[str] = []
        while level >= 0:
            found.insert(0, self._label(level, i))
            i = int(self.tree.parents[level][i])
            level -= 1
        return tuple(found)


def _and(above: Condition | None, *more: Condition) -> Condition:
    """Return conditions that all hold; those of one inside another are put side by side."""
    first = above.parts if isinstance(above, AllOf) else (above,) if above is not None else ()
    found = (*first, *more)
    return found[0] if len(found) == 1 else AllOf(found)
