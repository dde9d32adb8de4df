"""Where rows, or groups of rows, lie between two columns, before anything is drawn."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from night_trail.core.measure import Measure
from night_trail.core.questions.relate.question import Relate
from night_trail.core.questions.shared.cells import held_in, rows_of_all, with_values
from night_trail.core.rows import Rows
from night_trail.core.table import Bools, Column, Floats, Ints


@dataclass(frozen=True)
class Cloud:
    """Places of rows or groups, before they are drawn; ``at`` are positions of rows, or of groups."""

    x: Floats
    y: Floats
    at: Ints
    not_positive: int = 0
    outside: int = 0
    left: int = 0
    names: tuple[str, ...] = ()
    n: Ints | None = None

    def only(self, where: Bools) -> Cloud:
        """Return some of the places.

        ``where`` has shape (places,).
        """
        names = tuple(n for n, kept in zip(self.names, where, strict=True) if kept) if self.names else ()
        n = None if self.n is None else self.n[where]
        return replace(self, x=self.x[where], y=self.y[where], at=self.at[where], names=names, n=n)

    @property
    def nbytes(self) -> int:
        """Bytes it holds."""
        return self.x.nbytes + self.y.nbytes + self.at.nbytes


def cloud_of(question: Relate, rows: Rows) -> Cloud:
    """Return the places of kept rows that have both columns, or of groups of them."""
    if question.each is not None:
        return _above_zero(_of_each(question, rows), question)
    used = [] if rows.kept is None else [rows.kept]
    x, y = (with_values(rows.table.axis(name), used) for name in (question.against, question.column))
    at = rows_of_all(used)
    if at is None:
        return _above_zero(Cloud(x, y, np.arange(len(x))), question)
    cloud = Cloud(x[at], y[at], at, left=rows.n - len(at))
    return _above_zero(cloud, question)


def _above_zero(cloud: Cloud, question: Relate) -> Cloud:
    """Leave out what a log scale has no place for, and count it."""
    if not (question.log_x or question.log_y):
        return cloud
    fits = np.ones(len(cloud.x), dtype=np.bool_)
    if question.log_x:
        fits &= cloud.x > 0
    if question.log_y:
        fits &= cloud.y > 0
    return replace(cloud.only(fits), not_positive=int(np.count_nonzero(~fits)))


def zoomed(cloud: Cloud, question: Relate) -> Cloud:
    """Return the places inside the part zoomed into; those outside are counted."""
    assert question.window is not None  # noqa: S101  (asked only where there is one)
    x_low, x_high, y_low, y_high = question.window
    inside = (cloud.x >= x_low) & (cloud.x <= x_high) & (cloud.y >= y_low) & (cloud.y <= y_high)
    return replace(cloud.only(inside), outside=int(np.count_nonzero(~inside)))


def sums(column: Column) -> bool:
    """Whether a group's figure of a column is its sum, not its average."""
    return column.kind.numeric and column.additive


def figures_of(column: Column, rows: Rows, each: str) -> Floats:
    """Return a figure of a column for every label of another: the sum of what adds up, else the average."""
    return rows.remember(("figures of each", column.name, each), lambda: _figures_of(column, rows, each))


def _figures_of(column: Column, rows: Rows, each: str) -> Floats:
    coded = rows.table.coded(each)
    cells, k = held_in(Measure("mean", column.name), rows).grouped(coded.codes), len(coded.labels)
    values = cells.values
    n = np.bincount(cells.codes, minlength=k)
    # dates around a middle, so that they keep their digits
    middle = float(np.rint(values.mean())) if len(values) and column.kind.temporal else 0.0
    totals = np.bincount(cells.codes, weights=values - middle if middle else values, minlength=k)
    with np.errstate(invalid="ignore", divide="ignore"):
        return np.where(n > 0, totals if sums(column) else middle + totals / n, np.nan)


def _of_each(question: Relate, rows: Rows) -> Cloud:
    assert question.each is not None  # noqa: S101  (asked only where there is one)
    table = rows.table
    coded = table.coded(question.each)
    kept = coded.codes if rows.kept is None else coded.codes[rows.kept]
    n = np.bincount(kept[kept >= 0], minlength=len(coded.labels))
    x, y = (
        figures_of(table.column(name), rows, question.each) for name in (question.against, question.column)
    )
    at = np.flatnonzero((n > 0) & ~np.isnan(x) & ~np.isnan(y))
    names = tuple(coded.labels[i] for i in at)
    return Cloud(x[at], y[at], at, left=rows.n - int(n[at].sum()), names=names, n=n[at].astype(np.int64))
