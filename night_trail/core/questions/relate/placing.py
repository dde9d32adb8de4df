"""The axes two columns are drawn on, and the cell of the density layer each place lies in."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from night_trail.core.abreast import abreast
from night_trail.core.questions.relate.cloud import Cloud
from night_trail.core.questions.relate.layers import CELLS_X, CELLS_Y
from night_trail.core.questions.relate.question import Relate
from night_trail.core.questions.shared.axes import BinnedAxis, fixed_axis, group_axis, log_axis, plain_axis
from night_trail.core.rows import Codes, Rows
from night_trail.core.stats.bins import Window, window_of, window_of_ascending
from night_trail.core.table import Bools, Column, Floats, Ints, Kind


@dataclass(frozen=True)
class Placed:
    """Both axes, and in which cell each place lies, counted along y first."""

    x: BinnedAxis
    y: BinnedAxis
    cell: Ints

    @property
    def nbytes(self) -> int:
        """Bytes it holds."""
        return self.cell.nbytes


def placing(question: Relate, rows: Rows, cloud: Cloud) -> Callable[[], Placed]:
    """Return what places a cloud, all columns fetched, so that any thread can do it."""
    along = [_Along.of(question, rows, cloud, which) for which in (0, 1)]

    def place() -> Placed:
        (y_axis, y_cells), (x_axis, x_cells) = abreast(len(cloud.x), along[1].placed, along[0].placed)
        cells = x_cells * np.int32(len(y_axis.edges) - 1)
        cells += y_cells
        if len(cells) > len(cloud.at):
            cells = cells[cloud.at]
        return Placed(x_axis, y_axis, cells.astype(np.int64))

    return place


@dataclass(frozen=True)
class _Along:
    """All that is needed to place a cloud along one of its axes; 0 is the horizontal one.

    ``values`` are the cloud's, ``cells`` the whole column's, of which ``kept`` are.
    """

    question: Relate
    rows: Rows
    cloud: Cloud
    which: int
    column: Column
    values: Floats
    cells: Floats
    kept: Bools | None

    @classmethod
    def of(cls, question: Relate, rows: Rows, cloud: Cloud, which: int) -> _Along:
        """Return it, the column fetched."""
        name, values = ((question.against, cloud.x), (question.column, cloud.y))[which]
        table = rows.table
        return cls(
            question, rows, cloud, which, table.column(name), values, table.axis(name).values, rows.kept
        )

    def placed(self) -> tuple[BinnedAxis, Codes]:
        """Return the axis, and the cell along it of each place, or of each row where these are most."""
        axis = self._axis()
        if self.question.each is not None or 2 * len(self.values) < len(self.cells):
            return axis, axis.cell_of(self.values).astype(np.int32)
        # found for all rows, so that the axis that stays when the other is swapped is at hand
        return axis, self.rows.remember(
            ("cells along", self.column.name, axis.log, axis.edges.tobytes()),
            lambda: self._cell_of(axis)(self.cells).astype(np.int32),
        )

    def _cell_of(self, axis: BinnedAxis) -> Callable[[Floats], Ints]:
        return axis.cell_of_whole if self.column.kind == Kind.WHOLE else axis.cell_of

    def _axis(self) -> BinnedAxis:
        question, column, values, which = self.question, self.column, self.values, self.which
        # many small panels show coarser cells
        cells = (CELLS_X, CELLS_Y)[which] // (2 if question.panels else 1)
        log = (question.log_x, question.log_y)[which]
        if question.window is not None:
            low, high = question.window[2 * which], question.window[2 * which + 1]
            made = fixed_axis(low, high, cells, log)
        elif log:
            made = log_axis(values, cells)
        elif question.each is not None:
            made = group_axis(values, cells)
        else:
            near = None
            if len(values) and column.kind.numeric:
                # of the column, not of the pair, for the same reason
                near = self.rows.remember(("window", column.name), self._window)
            made = plain_axis(column, values, cells, near)
        if question.scale == "plain":
            return made
        total, mean = (float(values.sum()), float(values.mean())) if len(values) else (0.0, 0.0)
        if question.scale == "index" and mean > 0:
            return replace(made, factor=100 / mean, words="average = 100")
        if question.scale == "share" and total > 0:
            return replace(made, factor=100 / total, words="% of the total")
        return made

    def _window(self) -> Window:
        known = self.rows.table.ordered_at_hand(self.column.name) if self.kept is None else None
        if known is not None:
            return window_of_ascending(known.values)
        return window_of(self.cells if self.kept is None else self.cells[self.kept])
