"""Box plots: quartiles, whiskers, notches and outlying points, across groups."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from night_trail.core.answers.basis import Basis, Grouping, grouping, joined
from night_trail.core.conditions import Between, Condition, Missing, Not, iso
from night_trail.core.question import Spread
from night_trail.core.rows import Rows
from night_trail.core.stats.quantiles import BoxFigures, box
from night_trail.core.table import Bools, Column, Floats

__all__ = ["Box", "BoxFigures", "BoxesAnswer", "Outlying", "boxes"]

MOST_BOXES = 20
CELLS = 400
"""Outlying values closer than this part of the axis are drawn as one point."""


@dataclass(frozen=True)
class Outlying:
    """A point beyond the whiskers: ``count`` rows from ``low`` to ``high`` (both held)."""

    low: float
    high: float
    count: int
    lit: int


@dataclass(frozen=True)
class Box:
    """One group's box; ``lit`` are the figures of its lit rows, where there are any."""

    position: int
    label: str
    figures: BoxFigures
    n_lit: int | None
    lit: BoxFigures | None
    outlying: tuple[Outlying, ...]


@dataclass(frozen=True)
class BoxesAnswer:
    """Box plots, one per group, in the order they are drawn."""

    question: Spread
    column: Column
    basis: Basis
    grouping: Grouping
    boxes: tuple[Box, ...]
    low: float
    high: float

    def condition(self, box: Box) -> Condition:
        """Return the condition that names the rows of one box."""
        return self.grouping.condition(box.position) or Not(Missing(self.column.name))

    def outlying_condition(self, box: Box, point: Outlying) -> Condition:
        """Return the condition that names the rows of one outlying point."""
        temporal = self.column.kind.temporal
        low: float | str = iso(point.low, self.column.kind) if temporal else point.low
        high: float | str = iso(point.high, self.column.kind) if temporal else point.high
        between = Between(self.column.name, low, high, high_closed=True)
        return joined(self.grouping.condition(box.position), between)


def boxes(question: Spread, rows: Rows) -> BoxesAnswer:
    """Return the box plots of a measured column."""
    column = rows.table.column(question.column)
    values = rows.axis(question.column)
    present = ~np.isnan(values)
    groups = grouping(rows, question.across, MOST_BOXES)
    used = present if groups.codes is None else present & (groups.codes >= 0)
    at = values[used]
    lit = None if rows.lit is None else rows.lit[used]
    low, high = (float(at.min()), float(at.max())) if len(at) else (0.0, 1.0)
    found = []
    for position, members in _members(groups, used, len(at)):
        if len(members):
            inside_lit = None if lit is None else lit[members]
            label = groups.groups[position].label
            found.append(_box(position, label, at[members], inside_lit, (high - low) / CELLS))
    if question.order == "frequent":
        # highest middle first; what was gathered stays last
        found.sort(key=lambda b: (groups.groups[b.position].others > 0, -b.figures.median, b.position))
    return BoxesAnswer(
        question=question,
        column=column,
        basis=Basis(
            rows=rows.n,
            used=len(at),
            missing=rows.n - int(np.count_nonzero(present)),
            groupless=int(np.count_nonzero(present)) - len(at),
            lit=None if lit is None else int(np.count_nonzero(lit)),
            table_rows=rows.table.height,
        ),
        grouping=groups,
        boxes=tuple(found),
        low=low,
        high=high,
    )


def _members(groups: Grouping, used: Bools, n: int) -> list[tuple[int, np.ndarray]]:
    """Return each group's rows as positions among the used ones."""
    if groups.codes is None:
        return [(0, np.arange(n))]
    codes = groups.codes[used].astype(np.int16)
    order = np.argsort(codes, kind="stable")
    bounds = np.searchsorted(codes[order], np.arange(len(groups.groups) + 1))
    return [(i, order[bounds[i] : bounds[i + 1]]) for i in range(len(groups.groups))]


def _box(position: int, label: str, values: Floats, lit: Bools | None, cell: float) -> Box:
    figures = box(values)
    n_lit = None if lit is None else int(np.count_nonzero(lit))
    return Box(
        position=position,
        label=label,
        figures=figures,
        n_lit=n_lit,
        lit=box(values[lit]) if lit is not None and n_lit else None,
        outlying=_outlying(values, figures.outside, lit, cell),
    )


def _outlying(values: Floats, outside: Bools, lit: Bools | None, cell: float) -> tuple[Outlying, ...]:
    """Gather values beyond the whiskers that would be drawn on one spot."""
    beyond = values[outside]
    if not len(beyond):
        return ()
    lit_beyond = np.zeros(len(beyond), dtype=np.bool_) if lit is None else lit[outside]
    order = np.argsort(beyond, kind="stable")
    beyond, lit_beyond = beyond[order], lit_beyond[order]
    cells = np.floor(beyond / cell) if cell > 0 else np.zeros(len(beyond))
    starts = np.flatnonzero(np.concatenate([[True], np.diff(cells) > 0]))
    ends = np.append(starts[1:], len(beyond))
    lit_sums = np.add.reduceat(lit_beyond.astype(np.int64), starts)
    return tuple(
        Outlying(float(beyond[s]), float(beyond[e - 1]), int(e - s), int(k))
        for s, e, k in zip(starts, ends, lit_sums, strict=True)
    )
