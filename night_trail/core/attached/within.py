"""How far a part of attached rows may be from all of them, in the mean and the median of a column."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from night_trail.core.measure import Measure
from night_trail.core.question import Question
from night_trail.core.questions.registry import kind_of
from night_trail.core.questions.shared.measure_words import gap_of
from night_trail.core.rows import Rows
from night_trail.core.table import Floats

LEAST = 100
NORMAL = 1.959963984540054
"""Standard errors that 95 of 100 parts lie within."""


@dataclass(frozen=True)
class Errors:
    """How far the 95 % intervals of a mean and a median reach, in the unit of the values."""

    mean: float
    median: float


def errors_of(values: Floats, drawn: float) -> Errors | None:
    """Return how far the mean and the median of rows drawn at random are from those of all.

    The mean by its standard error, the median by the values at the ranks that it may have
    (Woodruff 1952), both less where much of all was drawn. None of too few, or of one value.

    Parameters
    ----------
    values
        The cells of the part, shape (rows,), without NaN.
    drawn
        The share of all rows that the part has, up to 1.
    """
    n = len(values)
    if n < LEAST or float(np.ptp(values)) == 0:
        return None
    left = float(np.sqrt(max(1.0 - drawn, 0.0)))
    ranks = 0.5 * NORMAL * left / np.sqrt(n)
    low, middle, high = np.quantile(values, (0.5 - ranks, 0.5, 0.5 + ranks))
    mean = NORMAL * float(values.std(ddof=1)) / float(np.sqrt(n)) * left
    return Errors(mean, float(max(high - middle, middle - low)))


def within(question: Question, rows: Rows, whole: int) -> str:
    """Return how far what a picture shows of a part may be from ``whole`` rows; empty where nothing is said.

    ``rows`` are those of the part. Groups have intervals of their own; sums and counts are
    told as estimates, with theirs.
    """
    gist = kind_of(question).gist(question, rows.table)
    name = gist.told_apart
    asked = "mean" if gist.measure is None else gist.measure.aggregate
    if not name or asked not in ("mean", "median", "quantile"):
        return ""
    column = rows.table.column(name)
    if not column.kind.numeric or column.code:
        return ""

    def errors() -> tuple[Errors | None]:
        cells = rows.table.axis(name).values
        cells = cells if rows.kept is None else cells[rows.kept]
        return (errors_of(cells[np.isfinite(cells)], rows.table.height / max(whole, 1)),)

    (found,) = rows.remember(("within", name, whole), errors)
    if found is None:
        return ""
    said = gap_of(Measure("mean", name), column)
    median = f", its median within {said(found.median)}" if found.median else ""
    return f"In 95 of 100 such parts the mean of {name} is within {said(found.mean)} of all rows’{median}."
