"""A choice before it is drawn."""

from __future__ import annotations

from dataclasses import dataclass

from night_trail.core.questions.spread.question import Bins
from night_trail.core.table import Column
from night_trail.core.turns import Change


@dataclass(frozen=True)
class Offer:
    """What a choice says and what it puts into its slot, or the change it makes where it is another."""

    text: str
    value: str | Bins | None
    chosen: bool
    hint: str = ""
    change: Change | None = None


def column_offer(column: Column, chosen: bool) -> Offer:
    """Return a column as a choice, its kind and unit beside it."""
    return Offer(
        column.name, column.name, chosen, f"{column.kind}{', ' + column.unit if column.unit else ''}"
    )
