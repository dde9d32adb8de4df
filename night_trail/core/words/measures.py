"""How a figure of a measure is written."""

from __future__ import annotations

from collections.abc import Callable

from night_trail.core.answers.measures import is_share
from night_trail.core.measure import Measure
from night_trail.core.table import Column
from night_trail.core.words.numbers import number, percent, value


def figure_of(measure: Measure, column: Column | None) -> Callable[[float], str]:
    """Return how a figure of a measure is written: with its unit, as a share, as a count."""
    if is_share(measure, column):
        return lambda at: percent(at, 3)
    if column is None or measure.aggregate in ("count", "distinct", "ratio"):
        return number
    return lambda at: value(at, column.kind, column.unit)
