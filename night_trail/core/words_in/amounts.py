"""Amounts and stretches of time as conditions on a column."""

from __future__ import annotations

import numpy as np

from night_trail.core.conditions import Between, Condition, Recent, Recurs
from night_trail.core.table import Column, Kind, Table
from night_trail.core.words_in import times
from night_trail.core.words_in.tags import Amount


def when_condition(column: Column, when: times.When) -> Condition | None:
    """Return the rows of a stretch of time, None where a column cannot tell."""
    if isinstance(when, times.Newest):
        return Recent(column.name, when.count, when.unit) if column.kind.temporal else None
    if isinstance(when, times.Recurring):
        if not column.kind.temporal or (when.part == "day" and column.kind == Kind.DATE):
            return None
        return Recurs(column.name, when.part, when.at)
    if not column.yearly:
        low, high = (None if day is None else day.isoformat() for day in (when.low, when.high))
        return Between(column.name, low, high)
    if when.low is not None and when.high is not None:
        return Between(
            column.name, float(when.low.year), float(max(when.high.year - 1, when.low.year)), high_closed=True
        )
    if when.low is not None:
        return Between(column.name, float(when.low.year), None)
    return None if when.high is None else Between(column.name, None, float(when.high.year))


def _is_part(column: Column, table: Table) -> bool:
    """Whether a column's figures are parts of 1, of which 10 % is 0.1."""
    if column.kind == Kind.SHARE:
        return True
    values = table.axis(column.name).values
    present = values[~np.isnan(values)]
    return bool(len(present)) and float(np.abs(present).max()) <= 1.0


def amount_condition(column: Column, amount: Amount, table: Table) -> Condition | None:
    """Return the rows an amount of a column names, None where its ends are turned round."""
    first = float(amount.ends[0])
    if amount.hint in ("%", "percent") and amount.side not in ("top", "bottom") and _is_part(column, table):
        first /= 100
    match amount.side:
        case "over":
            return Between(column.name, first, None, low_open=True)
        case "least":
            return Between(column.name, first, None)
        case "under":
            return Between(column.name, None, first)
        case "most":
            return Between(column.name, None, first, high_closed=True)
        case "is":
            return Between(column.name, first, first, high_closed=True)
        case "between":
            low, high = sorted(float(end) for end in amount.ends)
            return Between(column.name, low, high, high_closed=True)
    if not 0 < first < 100:
        return None
    values = table.ordered(column.name).values
    if not len(values):
        return None
    top = amount.side == "top"
    edge = float(np.quantile(values, 1 - first / 100 if top else first / 100))
    return Between(column.name, edge, None) if top else Between(column.name, None, edge, high_closed=True)
