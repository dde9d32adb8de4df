"""A strip of points: every row at its value, a fixed random part where they are too many."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from night_trail.core.conditions import Condition, between, joined_all
from night_trail.core.questions.shared.axes import BinnedAxis, log_axis, plain_axis
from night_trail.core.questions.shared.basis import Basis, Grouping, grouping
from night_trail.core.questions.spread.question import Spread
from night_trail.core.rows import Rows
from night_trail.core.stats.quantiles import extremes_apart, quantiles
from night_trail.core.table import Bools, Column, Floats, Ints

MOST_POINTS = 1_200
MOST_LANES = 20
SEED = 7


@dataclass(frozen=True)
class StripAnswer:
    """Points in lanes: ``lane`` is each point's group; ``middles`` are the groups' medians,
    ``apart`` is whether the highest and the lowest of them differ beyond chance.

    ``used`` rows have a value and a group; ``values`` are those drawn.
    """

    question: Spread
    column: Column
    basis: Basis
    grouping: Grouping
    values: Floats
    row: Ints
    lane: Ints
    lit: Bools | None
    axis: BinnedAxis
    middles: tuple[float | None, ...]
    not_positive: int = 0
    apart: bool = False

    def condition(self, i: int) -> Condition:
        """Return the condition that names the rows at one point."""
        at = float(self.values[i])
        own = self.grouping.condition(int(self.lane[i]))
        return joined_all(own, between(self.column, at, at, True))


def strip(question: Spread, rows: Rows) -> StripAnswer:
    """Return points of a measured column."""
    table = rows.table
    column = table.column(question.column)
    groups = grouping(rows, question.across, MOST_LANES)
    values = table.axis(column.name).values
    used = ~np.isnan(values)
    if rows.kept is not None:
        used &= rows.kept
    present = int(np.count_nonzero(used))
    if groups.codes is not None:
        used &= groups.codes >= 0
    grouped = int(np.count_nonzero(used))
    if question.scale == "log":
        used &= values > 0
    at = np.flatnonzero(used)
    x = values[at]
    lanes = np.zeros(len(at), dtype=np.int64) if groups.codes is None else groups.codes[at].astype(np.int64)
    parts = [np.sort(x[lanes == i]) for i in range(len(groups.groups))]
    middles = tuple(float(quantiles(part, (0.5,))[0]) if len(part) else None for part in parts)
    named = [
        (middle, part)
        for middle, part, group in zip(middles, parts, groups.groups, strict=True)
        if middle is not None and not group.others
    ]
    axis = log_axis(x, 40) if question.scale == "log" else plain_axis(column, x, 40)
    chosen = np.arange(len(at))
    if len(at) > MOST_POINTS:
        chosen = np.sort(np.random.default_rng(SEED).choice(len(at), MOST_POINTS, replace=False))
    return StripAnswer(
        question=question,
        column=column,
        basis=Basis(
            rows=rows.n,
            used=len(at),
            missing=rows.n - present,
            groupless=present - grouped,
            lit=None if rows.lit is None else int(np.count_nonzero(rows.lit[at])),
            table_rows=table.n,
        ),
        grouping=groups,
        values=x[chosen],
        row=at[chosen],
        lane=lanes[chosen],
        lit=None if rows.lit is None else rows.lit[at[chosen]],
        axis=axis,
        middles=middles,
        not_positive=grouped - len(at),
        apart=extremes_apart(named),
    )
