"""Which columns make groups, and which of them are best compared."""

from __future__ import annotations

from night_trail.core.errors import BadQuestion
from night_trail.core.questions.spread.question import Order
from night_trail.core.table import Column, Kind, Table

MOST_GROUPS = 200
"""A column with more values than this sorts rows into too many groups to be set side by side."""


def can_group(column: Column) -> bool:
    """Whether rows can be set side by side by this column's values."""
    return column.kind.grouping or (not column.kind.temporal and 1 < column.distinct <= 50)


def no_groups(column: Column, field: str, too_many: str, instead: str = "Choose a category.") -> BadQuestion:
    """Return why a column's values make no groups: too many for something, one only, or moments.

    ``instead`` is the way on of a category with too many of them.
    """
    if column.kind.temporal:
        return BadQuestion(
            f"“{column.name}” is {column.kind}, and moments make no groups",
            field,
            "Take it over time, or choose a category.",
        )
    why = "one value only" if column.distinct < 2 else f"{column.distinct:,} values, too many {too_many}"
    way_on = instead if column.distinct > 1 and column.kind.grouping else "Choose a category."
    return BadQuestion(f"“{column.name}” has {why}", field, way_on)


def makes_groups(column: Column) -> bool:
    """Whether its values can group rows, and are few enough to be told apart."""
    return can_group(column) and column.distinct <= MOST_GROUPS


def natural_order(column: Column) -> Order:
    """Return the order in which a category's values are best shown: its own where it has one."""
    return "own" if column.kind == Kind.ORDERED else "frequent"


def can_compare(column: Column) -> bool:
    """Whether rows can be compared by this column: by its values, however many, or by bands of them.

    Of many values those that lead are kept, and the rest gathered.
    """
    return makes_groups(column) or column.distinct > 1


def best_group(table: Table, measured: Column) -> str:
    """Return a category to compare across: one of a handful of groups before one of many."""
    able = [c for c in table.columns if c.name != measured.name and makes_groups(c) and c.distinct >= 2]
    if not able:
        raise BadQuestion("No column makes groups to compare", table.name, "Cut a number into bands first.")
    return min(able, key=lambda c: (c.kind.numeric, not 3 <= c.distinct <= 20, c.distinct)).name
