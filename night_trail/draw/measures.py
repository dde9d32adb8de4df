"""The axis of a measure: its ticks and its title, with the unit."""

from __future__ import annotations

from night_trail.core.answers.measures import is_share
from night_trail.core.measure import Measure
from night_trail.core.slots.compare import measure_words
from night_trail.core.table import Column, Table
from night_trail.draw.canvas import column_ticks
from night_trail.draw.scales import Tick, percent_ticks, ticks

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


def measured_title(
    measure: Measure, column: Column | None, table: Table, low: float = 0.0, high: float = 0.0
) -> str:
    """Return what an axis shows, its unit, and whether it leaves 0 out."""
    text = measure_words(measure, table).removeprefix("the ")
    unit = column.unit if column is not None and measure.aggregate not in UNITLESS else ""
    return f"{text}{', ' + unit if unit else ''}{'' if low <= 0 <= high else ' · not from 0'}"
