"""The rows a scene looks at: those the filter keeps, and which of them are lit."""

from __future__ import annotations

from functools import cached_property

import numpy as np
import polars as pl

from night_trail.core.conditions import Condition, mask
from night_trail.core.table import Bools, Floats, Ints, Kind, Table, as_text, on_axis


class Rows:
    """A table seen through the conditions of a scene.

    Everything is computed when first asked for and kept, so that the pictures
    of one scene share masks.
    """

    def __init__(self, table: Table, only: tuple[Condition, ...] = (), lit: Condition | None = None) -> None:
        self.table, self.only, self.lit_condition = table, only, lit

    @cached_property
    def kept(self) -> Bools | None:
        """Which rows of the table are kept; None where all are."""
        if not self.only:
            return None
        return np.logical_and.reduce([mask(c, self.table) for c in self.only])  # type: ignore[no-any-return]

    @cached_property
    def lit(self) -> Bools | None:
        """Which of the kept rows are lit; None where the lantern is out."""
        if self.lit_condition is None:
            return None
        lit = mask(self.lit_condition, self.table)
        return lit if self.kept is None else lit[self.kept]

    @cached_property
    def n(self) -> int:
        """How many rows are kept."""
        return self.table.height if self.kept is None else int(np.count_nonzero(self.kept))

    @cached_property
    def n_lit(self) -> int:
        """How many of the kept rows are lit."""
        return 0 if self.lit is None else int(np.count_nonzero(self.lit))

    def series(self, name: str) -> pl.Series:
        """Return the kept cells of a column."""
        series = self.table.series(name)
        return series if self.kept is None else series.filter(pl.Series(self.kept))

    def axis(self, name: str) -> Floats:
        """Return the kept cells of a measured column on its axis, missing ones as NaN."""
        return on_axis(self.series(name))

    def codes(self, name: str) -> tuple[Ints, list[str]]:
        """Return each kept row's value as a position in a list of labels, −1 where missing.

        Labels are in the column's own order: as numbers or dates where they
        are such, no before yes, else by the alphabet.
        """
        return codes(self.series(name), self.table.column(name).kind)


def codes(series: pl.Series, kind: Kind) -> tuple[Ints, list[str]]:
    """Return cells as positions in their sorted labels, −1 where missing."""
    if isinstance(series.dtype, pl.Enum):
        labels = series.dtype.categories.to_list()
        physical = series.to_physical().cast(pl.Int64).fill_null(-1).to_numpy()
        return np.asarray(physical, dtype=np.int64), labels
    distinct = series.drop_nulls().unique().sort()
    labels = as_text(distinct).to_list()
    encoded = as_text(series).cast(pl.Enum(labels)).to_physical().cast(pl.Int64).fill_null(-1)
    return np.asarray(encoded.to_numpy(), dtype=np.int64), labels
