"""The axis of a measure: its ticks and its title, with the unit."""

from __future__ import annotations

import numpy as np

from night_trail.core.measure import Measure
from night_trail.core.questions.shared.measure_slots import measure_words
from night_trail.core.questions.shared.measures import is_share
from night_trail.core.table import Column, Floats, Table
from night_trail.draw.frame.canvas import column_ticks
from night_trail.draw.frame.scales import Tick, percent_ticks, ticks

NEAR = 0.35
"""0 is taken into an axis whose lowest value is less than so much of the highest."""

UNITLESS = ("count", "distinct", "share", "ratio")


def measured_ticks(
    measure: Measure, column: Column | None, low: float, high: float, wanted: int
) -> list[Tick]:
    """Return ticks on the axis of a measure, in its unit."""
    if is_share(measure, column):
        return percent_ticks(low, high, wanted)
    if column is None or measure.aggregate in UNITLESS:
        return ticks(low, high, wanted)
    return column_ticks(column, low, high, wanted, whole=False)


def measured_ends(values: Floats, from_zero: bool = False) -> tuple[float, float]:
    """Return the ends of an upright axis: what is there with a little room, 0 where it is near or asked for.

    Shape (n,); NaN and infinities are left out.

    >>> measured_ends(np.array([10.0, 100.0]))
    (0.0, 105.0)
    """
    values = values[np.isfinite(values)]
    if not len(values):
        return 0.0, 1.0
    low, high = float(values.min()), float(values.max())
    if from_zero or 0 <= low < NEAR * high:
        low, high = min(low, 0.0), max(high, 0.0)
    room = 0.05 * (high - low) or max(0.05 * abs(high), 0.5)
    return (low if low == 0 else low - room), (high if high == 0 > low else high + room)


def measured_title(
    measure: Measure, column: Column | None, table: Table, low: float = 0.0, high: float = 0.0
) -> str:
    """Return what an axis shows, its unit, and whether it leaves 0 out."""
    text = measure_words(measure, table).removeprefix("the ")
    unit = column.unit if column is not None and measure.aggregate not in UNITLESS else ""
    return f"{text}{', ' + unit if unit else ''}{'' if low <= 0 <= high else ' · not from 0'}"
