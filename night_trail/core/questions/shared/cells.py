"""Which cells of a measure count, and the group each belongs to."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from night_trail.core.conditions import mask
from night_trail.core.measure import Measure
from night_trail.core.rows import Codes, Rows
from night_trail.core.table import Axis, Bools, Floats, Ints, Table


@dataclass(frozen=True)
class Cells:
    """Cells beside the code of their group; ``below`` is what a ratio divides by."""

    values: Floats
    codes: Ints
    below: Floats | None = None


@dataclass(frozen=True)
class Held:
    """The cells of kept rows that have a value, whatever groups them.

    ``at`` are the rows they stand in, None where they are all rows in order.
    Cells of quantiles ascend.
    """

    values: Floats
    at: Ints | None
    below: Floats | None = None

    @property
    def nbytes(self) -> int:
        """Bytes it holds beside the table's own."""
        if self.at is None:
            return 64
        return self.at.nbytes + self.values.nbytes + (0 if self.below is None else self.below.nbytes)

    def grouped(self, codes: Codes) -> Cells:
        """Return the cells that have a group; ``codes`` are one a row of the table, −1 for none.

        Shape (rows of the table,).
        """
        found = codes if self.at is None else codes[self.at]
        values, below = self.values, self.below
        if len(found) and int(found.min()) < 0:
            chosen = np.flatnonzero(found >= 0)
            found, values = found[chosen], values[chosen]
            below = None if below is None else below[chosen]
        return Cells(values, found.astype(np.int64), below)

    def lit(self, rows: Rows) -> Held:
        """Return the cells of lit rows."""
        assert rows.lit is not None  # noqa: S101  (asked only under a lantern)
        # positions once, and not a mask for each array: a mask is counted through at every use
        chosen = rows.lit_at if self.at is None else np.flatnonzero(rows.lit[self.at])
        return Held(
            self.values[chosen],
            chosen if self.at is None else self.at[chosen],
            None if self.below is None else self.below[chosen],
        )


def held_in(measure: Measure, rows: Rows) -> Held:
    """Return the cells of kept rows that have a value; for a ratio, both values."""
    return rows.remember(("held", measure), lambda: held_of(measure, rows.table, rows.kept))


def lit_in(measure: Measure, rows: Rows) -> Held | None:
    """Return those of lit rows; None where the lantern is out."""
    if rows.lit is None:
        return None
    return rows.remember_lit(("held", measure), lambda: held_in(measure, rows).lit(rows))


def held_of(measure: Measure, table: Table, kept: Bools | None) -> Held:
    """Return the cells that have a value, of the kept rows of a table.

    ``kept`` has shape (rows of the table,), None for all.
    """
    if measure.aggregate in ("median", "quantile") and measure.column is not None:
        # in ascending order, as quantiles need them
        ordered = table.ordered(measure.column)
        values, at = ordered.values, ordered.order.astype(np.int64)
        if kept is not None:
            chosen = np.flatnonzero(kept[at])
            values, at = values[chosen], at[chosen]
        return Held(values, at)
    used = [] if kept is None else [kept]
    below = None
    if measure.aggregate == "share" and measure.where is not None:
        values = mask(measure.where, table).astype(np.float64)
    elif measure.column is None:
        values = np.broadcast_to(1.0, table.height)
    elif measure.aggregate == "distinct" or not table.column(measure.column).kind.measured:
        labels = table.coded(measure.column).codes
        values = labels.astype(np.float64)
        used.append(labels >= 0)
    else:
        values = with_values(table.axis(measure.column), used)
    if measure.aggregate == "ratio" and measure.per is not None:
        below = with_values(table.axis(measure.per), used)
    chosen_at = rows_of_all(used)
    if chosen_at is None:
        return Held(values, None, below)
    return Held(values[chosen_at], chosen_at, None if below is None else below[chosen_at])


def with_values(axis: Axis, used: list[Bools]) -> Floats:
    """Return a column's values, and add to ``used`` which rows have one, where some have none.

    Shape (rows of the table,), NaN where missing.
    """
    if not axis.whole:
        used.append(~np.isnan(axis.values))
    return axis.values


def rows_of_all(used: list[Bools]) -> Ints | None:
    """Return the rows for which all of ``used`` hold; None where that is every row.

    Each of ``used`` has shape (rows of the table,).
    """
    if all(bool(where.all()) for where in used):
        return None
    return np.flatnonzero(np.logical_and.reduce(used))
