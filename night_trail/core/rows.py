"""The rows a scene looks at: those the filter keeps, and which of them are lit."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
import numpy.typing as npt
import polars as pl

from night_trail.core.conditions import Condition, mask
from night_trail.core.table import Bools, Floats, Table


@dataclass(frozen=True)
class Measured:
    """The kept, present cells of a measured column in ascending order.

    ``values`` ascend; ``lit`` says which of them are lit and ``codes`` which
    group each belongs to, None where nothing is lit or nothing is grouped.
    """

    values: Floats
    lit: Bools | None
    codes: npt.NDArray[np.int32] | None


class Rows:
    """A table seen through the conditions of a scene.

    Everything is computed when first asked for and kept, so that the pictures
    of one scene share masks.
    """

    def __init__(self, table: Table, only: tuple[Condition, ...] = (), lit: Condition | None = None) -> None:
        self.table, self.only, self.lit_condition = table, only, lit
        self._in_order: dict[str, Bools] = {}

    @cached_property
    def kept(self) -> Bools | None:
        """Which rows of the table are kept; None where all are."""
        if not self.only:
            return None
        return np.logical_and.reduce([mask(c, self.table) for c in self.only])  # type: ignore[no-any-return]

    @cached_property
    def lit(self) -> Bools | None:
        """Which rows of the table are kept and lit; None where the lantern is out."""
        if self.lit_condition is None:
            return None
        lit = mask(self.lit_condition, self.table)
        return lit if self.kept is None else lit & self.kept

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

    def measured(self, name: str, codes: npt.NDArray[np.int32] | None = None) -> Measured:
        """Return the kept cells of a measured column in order.

        ``codes`` is a group for every row of the table, −1 for none; rows
        without one are left out.
        """
        ordered = self.table.ordered(name)
        order, values = ordered.order, ordered.values
        keep = self._kept_in_order(name)
        grouped = None if codes is None else codes[order]
        if grouped is not None:
            keep = grouped >= 0 if keep is None else keep & (grouped >= 0)
        lit = None if self.lit is None else self.lit[order]
        if keep is None or bool(keep.all()):
            return Measured(values, lit, grouped)
        return Measured(
            values[keep], None if lit is None else lit[keep], None if grouped is None else grouped[keep]
        )

    def present(self, name: str) -> int:
        """Return how many kept rows have the column."""
        keep = self._kept_in_order(name)
        return len(self.table.ordered(name).order) if keep is None else int(np.count_nonzero(keep))

    def _kept_in_order(self, name: str) -> Bools | None:
        if self.kept is None:
            return None
        if name not in self._in_order:
            self._in_order[name] = self.kept[self.table.ordered(name).order]
        return self._in_order[name]
