"""Whether a relation turns around or fades within the groups of a third column."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from night_trail.core.rows import Rows
from night_trail.core.stats import relation
from night_trail.core.table import Floats, Ints

LEAST_IN_GROUP = 10
GROUPS_TRIED = 12
LOSS = 0.5


@dataclass(frozen=True)
class Turning:
    """A category within whose groups the relation turns around or loses more than half."""

    column: str
    overall: float
    within: float


def turning_of(
    rows: Rows,
    x: Floats,
    y: Floats,
    at: Ints,
    strength: relation.Correlation | None,
    line: relation.FittedLine | None,
) -> Turning | None:
    """Look within the groups of plausible categories for a relation that turns or fades (Simpson 1951).

    All have shape (rows that have both,), without NaN; ``at`` says where they stand in the table.
    """
    x, y, at = relation.some_of(x, y, at)
    if line is None or strength is None or abs(strength.pearson) < 0.1 or len(x) < 5 * LEAST_IN_GROUP:
        return None
    able = [
        c for c in rows.table.columns if c.kind.grouping and 2 <= c.distinct <= 50 and not c.kind.temporal
    ][:GROUPS_TRIED]
    worst: Turning | None = None
    for column in able:
        codes = rows.table.coded(column.name).codes[at]
        has = codes >= 0
        if np.count_nonzero(has) < 0.8 * len(x) or np.bincount(codes[has]).max() < LEAST_IN_GROUP:
            continue
        within = relation.within_slope(x[has], y[has], codes[has].astype(np.int64))
        kept = 0.0 if within is None else within / line.slope
        if kept < LOSS and (worst is None or kept < worst.within / line.slope):
            worst = Turning(column.name, line.slope, within or 0.0)
    return worst
