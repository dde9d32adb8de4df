"""Spreads as curves: a density, or the running share of rows up to each value."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from night_trail.core.conditions import Condition, Missing, Not
from night_trail.core.questions.shared.basis import (
    Basis,
    Grouping,
    Member,
    basis_of,
    grouping,
    hues,
    measured,
    members_of,
    together,
)
from night_trail.core.questions.shared.positive import above_zero
from night_trail.core.questions.spread.question import Spread
from night_trail.core.rows import Rows
from night_trail.core.stats.bins import window
from night_trail.core.stats.density import density
from night_trail.core.stats.quantiles import Summary, box, extremes_apart, quantiles, summary
from night_trail.core.table import Column, Floats, Kind

MOST_CURVES = 8
PLACES = 201


@dataclass(frozen=True)
class Curve:
    """One group's curve: places and heights, the lit rows' own, and its median."""

    position: int
    label: str
    n: int
    x: Floats
    y: Floats
    lit_x: Floats | None
    lit_y: Floats | None
    lit_n: int | None
    middle: float


@dataclass(frozen=True)
class CurvesAnswer:
    """Curves on one axis from ``low`` to ``high``; ``bandwidth`` is that of the first density.

    The lit part of a density is drawn inside it: its area is the lit share.
    """

    question: Spread
    column: Column
    basis: Basis
    grouping: Grouping
    hues: tuple[int, ...]
    curves: tuple[Curve, ...]
    low: float
    high: float
    overall: Summary | None
    bandwidth: float | None
    not_positive: int = 0
    beyond: int = 0
    apart: bool = False

    def condition(self, curve: Curve) -> Condition:
        """Return the condition that names the rows of one curve."""
        return self.grouping.condition(curve.position) or Not(Missing(self.column.name))


def curves(question: Spread, rows: Rows) -> CurvesAnswer:
    """Return density curves or running shares of a measured column."""
    column = rows.table.column(question.column)
    groups = grouping(rows, question.across, MOST_CURVES)
    found, left = above_zero(question, measured(rows, question.column, groups))
    at = together(rows, question.column, found).values
    overall = summary(at)
    low, high = _ends(question, at)
    made, width, named = [], None, []
    for member in members_of(found, len(groups.groups)):
        if len(member.values):
            curve, width_ = _curve(
                question, column, member, groups.groups[member.position].label, (low, high)
            )
            made.append(curve)
            if not groups.groups[member.position].others:
                named.append((curve.middle, member.each))
            width = width if width is not None else width_
    return CurvesAnswer(
        question=question,
        column=column,
        basis=basis_of(rows, question.column, found.rows, found.rows_lit, left),
        grouping=groups,
        hues=hues(rows, groups),
        curves=tuple(made),
        low=low,
        high=high,
        overall=overall,
        bandwidth=width,
        not_positive=left,
        beyond=int(np.count_nonzero((at < low) | (at > high))),
        apart=extremes_apart(named),
    )


def _ends(question: Spread, at: Floats) -> tuple[float, float]:
    """Return the ends of the axis; far tails are left out as in a histogram."""
    if not len(at):
        return (1.0, 10.0) if question.scale == "log" else (0.0, 1.0)
    low, high = float(at[0]), float(at[-1])
    if question.ends == "gathered" and question.scale != "log":
        figures = box(at)
        kept = window(at, figures.low_whisker, figures.high_whisker)
        low, high = kept.low, kept.high
    return (low, high) if high > low else (low - 0.5, high + 0.5)


def _curve(
    question: Spread, column: Column, member: Member, label: str, ends: tuple[float, float]
) -> tuple[Curve, float | None]:
    values, lit = member.values, member.lit
    lit_values = None if lit is None else values[lit]
    width: float | None = None
    lit_x: Floats | None = None
    lit_y: Floats | None = None
    if question.shape == "running":
        x, y = _running(values)
        if lit_values is not None and len(lit_values):
            lit_x, lit_y = _running(lit_values)
    else:
        low, high = _room(column, values, ends)
        x, y, width = density(values, low, high)
        if lit_values is not None and len(lit_values) > 1:
            lit_x, lit_y, _ = density(lit_values, low, high, width)
            lit_y = lit_y * (len(lit_values) / len(values))
    middle = float(quantiles(values, (0.5,))[0])
    lit_n = None if lit_values is None else len(lit_values)
    return Curve(member.position, label, len(values), x, y, lit_x, lit_y, lit_n, middle), width


def _room(column: Column, values: Floats, ends: tuple[float, float]) -> tuple[float, float]:
    """Return the grid of a density: a little beyond the values, but never below 0 where none is."""
    low, high = min(float(values[0]), ends[0]), max(float(values[-1]), ends[1])
    room = 0.1 * (high - low) or 0.5
    floor = 0.0 if low >= 0 and not column.kind.temporal else -np.inf
    top = 1.0 if column.kind == Kind.SHARE and high <= 1 else np.inf
    return max(low - room, floor), min(high + room, top)


def _running(ascending: Floats) -> tuple[Floats, Floats]:
    """Return where the running share stands: exact at each place, at most 201 of them."""
    shares = np.linspace(0, 1, min(PLACES, len(ascending) + 1))
    ranks = np.clip(np.ceil(shares * len(ascending)).astype(np.int64), 1, len(ascending))
    x = ascending[ranks - 1]
    # ties: as many rows as are no higher
    y = np.searchsorted(ascending, x, side="right") / len(ascending)
    return x, y
