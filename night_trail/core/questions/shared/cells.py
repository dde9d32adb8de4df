"""Which cells of a measure count, and the group each belongs to."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from night_trail.core.conditions import mask
from night_trail.core.many import Stands, total
from night_trail.core.measure import Measure
from night_trail.core.rows import Codes, Rows
from night_trail.core.table import Axis, Bools, Floats, Ints, Table


@dataclass(frozen=True)
class Cells:
    """Cells beside the code of their group; ``below`` is what a ratio divides by.

    ``stands`` says how many rows each is for, None where each is one.
    """

    values: Floats
    codes: Ints
    below: Floats | None = None
    stands: Stands | None = None


@dataclass(frozen=True)
class Held:
    """The cells of kept rows that have a value, whatever groups them.

    ``at`` are the rows they stand in, None where they are all rows in order.
    Cells of quantiles ascend.
    """

    values: Floats
    at: Ints | None
    below: Floats | None = None
    stands: Stands | None = None

    @property
    def n(self) -> int:
        """How many rows they are the cells of."""
        return len(self.values) if self.stands is None else int(self.stands.n.sum())

    def sum(self) -> float:
        """Return the sum of their values."""
        return total(self.values, self.stands)

    def some(self, which: Ints) -> Held:
        """Return some of the cells; ``which`` are their positions among these, shape (some,)."""
        return Held(
            self.values[which],
            which if self.at is None else self.at[which],
            None if self.below is None else self.below[which],
            None if self.stands is None else self.stands.at(which),
        )

    def coded(self, codes: Ints) -> Cells:
        """Return the cells beside a code for each of them, shape (cells,)."""
        return Cells(self.values, codes, self.below, self.stands)

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
        values, below, stands = self.values, self.below, self.stands
        if len(found) and int(found.min()) < 0:
            chosen = np.flatnonzero(found >= 0)
            found, values = found[chosen], values[chosen]
            below = None if below is None else below[chosen]
            stands = None if stands is None else stands.at(chosen)
        return Cells(values, found.astype(np.int64), below, stands)

    def lit(self, rows: Rows) -> Held:
        """Return the cells of lit rows."""
        assert rows.lit is not None  # noqa: S101  (asked only under a lantern)
        # positions once, and not a mask for each array: a mask is counted through at every use
        return self.some(rows.lit_at if self.at is None else np.flatnonzero(rows.lit[self.at]))


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
        stands = table.stands()
        return Held(values, at, stands=None if stands is None else stands.at(at))
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
    held = Held(values, None, below, table.stands(measure.column, measure.per))
    chosen_at = rows_of_all(used)
    return held if chosen_at is None else held.some(chosen_at)


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
