"""How a figure of a measure is written."""

from __future__ import annotations

from collections.abc import Callable

from night_trail.core.answers.measures import is_share
from night_trail.core.measure import Measure
from night_trail.core.table import Column, Kind
from night_trail.core.words.numbers import number, percent, value


def gap_of(measure: Measure, column: Column | None) -> Callable[[float], str]:
    """Return how a difference of two figures is written: of shares in percentage points."""
    if is_share(measure, column):
        return points
    if column is not None and column.kind == Kind.SHARE and measure.aggregate not in ("count", "distinct"):
        per = 1.0 if column.unit == "%" else 100.0
        return lambda at: points(at * per / 100)
    return figure_of(measure, column)


def points(share: float) -> str:
    """Return a difference of shares.

    >>> points(0.125), points(0.01)
    ('12.5 percentage points', '1 percentage point')
    """
    text = number(100 * share, 3)
    return f"{text} percentage point{'' if text in ('1', '−1') else 's'}"


def figure_of(measure: Measure, column: Column | None) -> Callable[[float], str]:
    """Return how a figure of a measure is written: with its unit, as a share, as a count."""
    if is_share(measure, column):
        return lambda at: percent(at, 3)
    if column is None or measure.aggregate in ("count", "distinct", "ratio"):
        return number
    return lambda at: value(at, column.kind, column.unit)
