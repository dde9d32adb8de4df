"""A table of cells that stand for many rows each: it says what it was rolled up for, and nothing else."""

from __future__ import annotations

import msgspec
import numpy as np
import polars as pl

from night_trail.core.attached.roll import Roll, follows
from night_trail.core.conditions import AllOf, AnyOf, Condition, Missing, Not
from night_trail.core.errors import Beyond
from night_trail.core.many import Stands
from night_trail.core.reading.kinds import without_missing
from night_trail.core.table import (
    Axis,
    Bools,
    Coded,
    Column,
    Floats,
    FrameSource,
    Ints,
    Kind,
    Ordered,
    Table,
)


class RolledTable(Table):
    """The cells of an attached table's rows, in the columns of the part of them that is at hand.

    ``cells`` have the columns ``n``; ``k0`` … for each key; ``t0`` … for each time, a moment in its
    stretch; ``m0``, ``q0`` … the mean of each measured column and the sum
    of squares around it; ``p0`` … the sums of products; ``w0`` … what each truth says; ``b0`` … how many
    of a binned column's edges lie at or below, −1 for a missing cell, kept as ``places``, with
    the least and the greatest value of the cell, ``x0`` and ``y0``.
    """

    def __init__(self, part: Table, roll: Roll, cells: pl.DataFrame) -> None:
        self._part, self._roll = part, roll
        self._rows_in = np.asarray(cells["n"].to_numpy(), dtype=np.int64)
        series, columns = [], []
        for at, name in enumerate(roll.keys):
            found = _as_kept(part, name, cells[f"k{at}"])
            series.append(found)
            columns.append(_described(part.column(name), found, self._rows_in))
        for at, name in enumerate(roll.times):
            found = _as_time(part.column(name), cells[f"t{at}"])
            series.append(found)
            columns.append(_described(part.column(name), found, self._rows_in))
        self._squares: dict[str, Floats] = {}
        for at, name in enumerate(roll.measured):
            series.append(cells[f"m{at}"].cast(pl.Float64))
            columns.append(_described(part.column(name), series[-1], self._rows_in))
            self._squares[name] = _numbers(cells[f"q{at}"])
        self._products = {pair: _numbers(cells[f"p{at}"]) for at, pair in enumerate(roll.products)}
        self._truths: dict[Condition, Bools] = {
            truth: np.asarray(cells[f"w{at}"].fill_null(False).to_numpy(), dtype=np.bool_)
            for at, truth in enumerate(roll.truths)
        }
        self.places = {
            name: np.asarray(cells[f"b{at}"].to_numpy(), dtype=np.int64)
            for at, (name, _) in enumerate(roll.bins)
        }
        self.ends = {
            name: (_numbers(cells[f"x{at}"], np.nan), _numbers(cells[f"y{at}"], np.nan))
            for at, (name, _) in enumerate(roll.bins)
        }
        super().__init__(
            key=part.key,
            name=part.name,
            columns=columns,
            height=len(cells),
            source=FrameSource(series),
            row_noun=part.row_noun,
            measures=part.measures,
            called=part.called,
        )

    @property
    def n(self) -> int:
        """How many rows there are, those that a filter left where they are among them."""
        return self._part.part_of or int(self._rows_in.sum())

    def stands(self, column: str | None = None, per: str | None = None) -> Stands:
        """Return how many rows each cell stands for, and how their values lie around it."""
        if column is None:
            return Stands(self._rows_in)
        if per is None:
            return Stands(self._rows_in, self._squared(column))
        products = self._products.get((column, per))
        if products is None and column == per:
            products = self._squared(column)
        if products is None:
            # one of them is kept apart, and is the same in all rows of a cell
            products = np.zeros(self.height)
        return Stands(self._rows_in, self._squared(column), self._squared(per), products)

    def _squared(self, name: str) -> Floats:
        found = self._squares.get(name)
        return np.zeros(self.height) if found is None else found

    def counts(self, name: str) -> tuple[list[str], Ints]:
        """Return the labels and counts of the part at hand, so that colours stay what they were."""
        return self._part.counts(name)

    def column(self, name: str) -> Column:
        """Return a column that was rolled up, or say that this one was not."""
        if name not in self:
            raise Beyond(f"“{name}” was not asked for", self.name)
        return super().column(name)

    def told(self, condition: Condition) -> Bools | None:
        """Return what a condition says of each cell; None where its parts, or the cells, say so."""
        if condition in self._roll.where:
            return np.ones(self.height, dtype=np.bool_)
        found = self._truths.get(condition)
        if found is not None:
            return found
        if isinstance(condition, Missing) and condition.column in self._squares:
            return np.isnan(self.axis(condition.column).values)
        if isinstance(condition, Not | AllOf | AnyOf):
            return None
        if not follows(condition, self._roll.keys, self._roll.times, self._roll.step):
            raise Beyond("Something is kept or lit that was not asked for", self.name)
        return None

    def ordered(self, name: str) -> Ordered:
        """Return moments in order; refused of what was rolled up to means."""
        self._kept_apart(name)
        return super().ordered(name)

    def coded(self, name: str) -> Coded:
        """Return values as positions in their labels; refused of what was rolled up to means."""
        self._kept_apart(name)
        return super().coded(name)

    def series(self, name: str) -> pl.Series:
        """Return the values of all cells; refused of what was rolled up to means."""
        self._kept_apart(name)
        return super().series(name)

    def axis(self, name: str) -> Axis:
        """Return the values of all cells on their axis: means of what was measured."""
        self.column(name)
        at = self._positions[name]
        return self._source.remember(at, Axis, lambda: Axis.of(self._source.series(at).alias("cells")))

    def _kept_apart(self, name: str) -> None:
        if name in self._squares:
            raise Beyond(f"The values of “{name}” were not asked for", self.name)


class AsLarge(Table):
    """A part of rows each of which stands for as many as make it as large as all."""

    def __init__(self, part: Table, factor: float) -> None:
        self.__dict__.update(part.__dict__)
        self._many = np.full(part.height, factor)

    @property
    def n(self) -> int:
        """How many rows it stands for."""
        return round(float(self._many.sum()))

    def stands(self, column: str | None = None, per: str | None = None) -> Stands:
        """Return how many rows each row stands for."""
        return Stands(self._many)


def _numbers(cells: pl.Series, otherwise: float = 0.0) -> Floats:
    return np.asarray(cells.cast(pl.Float64).fill_null(otherwise).to_numpy(), dtype=np.float64)


def _described(column: Column, cells: pl.Series, rows_in: Ints) -> Column:
    missing = np.asarray(cells.is_null().to_numpy(), dtype=np.bool_)
    return msgspec.structs.replace(
        column, distinct=cells.drop_nulls().n_unique(), missing=int(rows_in[missing].sum())
    )


def _as_kept(part: Table, name: str, cells: pl.Series) -> pl.Series:
    """Return values of a key as the part at hand keeps them; texts that stand for nothing are missing."""
    kept = part.series(name).dtype
    if cells.dtype == pl.String:
        cells = without_missing(cells)
    if not isinstance(kept, pl.Enum):
        return cells.cast(kept)
    known = kept.categories.to_list()
    fresh = sorted(set(cells.drop_nulls().unique().to_list()) - set(known))
    order = known + fresh if part.column(name).kind == Kind.ORDERED else sorted([*known, *fresh])
    return cells.cast(pl.Enum(order))


def _as_time(column: Column, moments: pl.Series) -> pl.Series:
    return moments.cast(pl.Date) if column.kind == Kind.DATE else moments
