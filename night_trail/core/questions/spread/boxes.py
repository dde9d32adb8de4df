"""Box plots: quartiles, whiskers, notches and outlying points, across groups."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from night_trail.core.conditions import Between, Condition, Missing, Not, iso, joined_all
from night_trail.core.many import Runs, each_row, place_in
from night_trail.core.questions.shared.basis import (
    Basis,
    Grouping,
    Member,
    basis_of,
    grouping,
    measured,
    members_of,
    together,
)
from night_trail.core.questions.shared.positive import above_zero
from night_trail.core.questions.spread.question import Spread
from night_trail.core.rows import Rows
from night_trail.core.stats.bins import window
from night_trail.core.stats.quantiles import BoxFigures, box, extremes_apart, letter_values
from night_trail.core.table import Column, Floats

__all__ = ["Box", "BoxFigures", "BoxesAnswer", "Outlying", "boxes"]

MOST_BOXES = 20
CELLS, CELLS_IN_ALL = 400, 1_000
"""Outlying values in one cell of the axis are drawn as one point; cells are fewer where groups are many."""


@dataclass(frozen=True)
class Outlying:
    """A point beyond the whiskers: ``count`` rows from ``low`` to ``high`` (both held).

    ``end`` is −1 or 1 where the rows lie beyond the low or high end of the axis
    and are gathered at it.
    """

    low: float
    high: float
    count: int
    lit: int
    end: int = 0


@dataclass(frozen=True)
class Box:
    """One group's box; ``lit`` are the figures of its lit rows, where there are any.

    ``letters`` are its letter values, from the quarters outwards.
    """

    position: int
    label: str
    figures: BoxFigures
    n_lit: int | None
    lit: BoxFigures | None
    outlying: tuple[Outlying, ...]
    letters: tuple[tuple[float, float], ...] = ()


@dataclass(frozen=True)
class BoxesAnswer:
    """Box plots, one per group, in the order they are drawn.

    The axis runs from ``low`` to ``high``; ``lowest`` and ``highest`` are the
    extreme values, which far outlying rows gathered at the ends may have.
    ``apart`` is whether the highest and the lowest middle differ beyond chance.
    """

    question: Spread
    column: Column
    basis: Basis
    grouping: Grouping
    boxes: tuple[Box, ...]
    low: float
    high: float
    lowest: float
    highest: float
    not_positive: int = 0
    apart: bool = False

    def gathered(self, end: int) -> int:
        """Return how many rows are gathered at the low (−1) or high (1) end."""
        return sum(p.count for b in self.boxes for p in b.outlying if p.end == end)

    def condition(self, box: Box) -> Condition:
        """Return the condition that names the rows of one box."""
        return self.grouping.condition(box.position) or Not(Missing(self.column.name))

    def outlying_condition(self, box: Box, point: Outlying) -> Condition:
        """Return the condition that names the rows of one outlying point."""
        temporal = self.column.kind.temporal
        low: float | str = iso(point.low, self.column.kind) if temporal else point.low
        high: float | str = iso(point.high, self.column.kind) if temporal else point.high
        between = Between(self.column.name, low, high, high_closed=True)
        return joined_all(self.grouping.condition(box.position), between)


def boxes(question: Spread, rows: Rows) -> BoxesAnswer:
    """Return the box plots of a measured column."""
    column = rows.table.column(question.column)
    groups = grouping(rows, question.across, MOST_BOXES)
    cells, left = above_zero(question, measured(rows, question.column, groups))
    members = [m for m in members_of(cells, len(groups.groups)) if len(m.values)]
    figures = [box(m.each) for m in members]
    every = together(rows, question.column, cells)
    at = each_row(every.values, every.n)
    lowest, highest = (float(at[0]), float(at[-1])) if len(at) else (0.0, 1.0)
    low, high = _window(question, at, figures) if len(at) else (lowest, highest)
    cell = (high - low) / min(CELLS, max(50, CELLS_IN_ALL // max(1, len(members))))
    found = [
        _box(
            member,
            groups.groups[member.position].label,
            figure,
            (low, high, cell),
            question.shape == "letters",
        )
        for member, figure in zip(members, figures, strict=True)
    ]
    if question.order == "frequent":
        # highest middle first; what was gathered stays last
        found.sort(key=lambda b: (groups.groups[b.position].others > 0, -b.figures.median, b.position))
    return BoxesAnswer(
        question=question,
        column=column,
        basis=basis_of(rows, question.column, cells.rows, cells.rows_lit, left),
        grouping=groups,
        boxes=tuple(found),
        low=low,
        high=high,
        lowest=lowest,
        highest=highest,
        not_positive=left,
        apart=extremes_apart(
            [
                (figure.median, member.each)
                for member, figure in zip(members, figures, strict=True)
                if not groups.groups[member.position].others
            ]
        ),
    )


def _window(question: Spread, at: Floats | Runs, figures: list[BoxFigures]) -> tuple[float, float]:
    """Return the ends of the axis: far tails are left out as in a histogram, but no box and no whisker."""
    low, high = float(at[0]), float(at[-1])
    if question.ends == "open" or question.scale == "log":
        return low, high
    least, most = min(f.low_whisker for f in figures), max(f.high_whisker for f in figures)
    kept = window(at, least, most)
    return kept.low, kept.high


def _box(
    member: Member, label: str, figures: BoxFigures, axis: tuple[float, float, float], lettered: bool
) -> Box:
    each = member.each
    letters = letter_values(each) if lettered else ()
    if letters:
        # what lies beyond the outermost letters stands as points of its own
        low, high = letters[-1]
        figures = replace(
            figures,
            low_whisker=low,
            high_whisker=high,
            below=place_in(each, low),
            above=figures.n - place_in(each, high, "right"),
        )
    lit = member.lit_alone

    def cells(rows: int) -> int:
        # a whisker ends between two values, and so between what stands for many rows
        return each.cells(rows) if isinstance(each, Runs) else rows

    return Box(
        position=member.position,
        label=label,
        figures=figures,
        n_lit=None if lit is None else len(lit),
        lit=box(lit) if lit is not None and len(lit) else None,
        outlying=(
            *_outlying(member, slice(0, cells(figures.below)), axis),
            *_outlying(member, slice(cells(figures.n - figures.above), None), axis),
        ),
        letters=letters,
    )


def _outlying(member: Member, where: slice, axis: tuple[float, float, float]) -> tuple[Outlying, ...]:
    """Gather values beyond a whisker that would be drawn on one spot, or beyond the axis."""
    beyond = member.values[where]
    if not len(beyond):
        return ()
    low, high, cell = axis
    lit = np.zeros(len(beyond), dtype=np.bool_) if member.lit is None else member.lit[where]
    n = np.ones(len(beyond), dtype=np.int64) if member.n is None else member.n[where]
    cells = np.floor(beyond / cell) if cell > 0 else np.zeros(len(beyond))
    cells = np.where(beyond > high, np.inf, np.where(beyond < low, -np.inf, cells))
    starts = np.flatnonzero(np.concatenate([[True], cells[1:] != cells[:-1]]))
    ends = np.append(starts[1:], len(beyond))
    sums, lit_sums = np.add.reduceat(n, starts), np.add.reduceat(np.where(lit, n, 0), starts)
    return tuple(
        Outlying(
            float(beyond[s]),
            float(beyond[e - 1]),
            int(count),
            int(k),
            int(np.sign(cells[s])) if np.isinf(cells[s]) else 0,
        )
        for s, e, count, k in zip(starts, ends, sums, lit_sums, strict=True)
    )
