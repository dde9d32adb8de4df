"""The figures of the groups of a category: of all rows, of the lit ones, and whether few rows carry one."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from night_trail.core.measure import Measure
from night_trail.core.questions.shared.basis import Basis, Grouping
from night_trail.core.questions.shared.cells import Cells, held_in, lit_in
from night_trail.core.questions.shared.measures import (
    MeasureFigures,
    Tested,
    figures_by_group,
    is_share,
    overall,
    plain_figures,
    tested,
)
from night_trail.core.rows import Codes, Rows
from night_trail.core.table import Floats

HANDFUL = 3
CARRIED = 0.5
"""A group is carried by a handful of rows where they make up half of its sum or more."""


@dataclass(frozen=True)
class GroupFigure:
    """One group: its rows, its figure with a 95 % interval where it has one, the lit part's figure.

    ``apart`` says that a test against all other rows holds after the
    false-discovery step; ``base`` is the figure it is held against.
    """

    position: int
    label: str
    n: int
    value: float
    low: float | None
    high: float | None
    lit_n: int | None
    lit_value: float | None
    others: int = 0
    apart: bool = False
    base: float | None = None


@dataclass(frozen=True)
class Carried:
    """A group whose figure a handful of rows make up: how many, their share of its sum, the least of them."""

    position: int
    rows: int
    share: float
    least: float = 0.0


@dataclass(frozen=True)
class Compared:
    """Each group's figure and that of all; ``n_lit`` of the cells behind them are lit.

    ``tested`` is of all groups, gathered or not.
    """

    groups: list[GroupFigure]
    figures: MeasureFigures
    tested: Tested
    overall: float
    carried: tuple[Carried, ...]
    n_lit: int | None

    def basis(self, rows: Rows, found: Grouping) -> Basis:
        """Return on how many rows the figures rest."""
        assert found.codes is not None  # noqa: S101  (grouped by a column)
        has = found.codes >= 0
        grouped = rows.count(has if rows.kept is None else has & rows.kept)
        used = int(self.figures.n.sum())
        return Basis(
            rows=rows.n,
            used=used,
            missing=grouped - used,
            groupless=rows.n - grouped,
            lit=self.n_lit,
            table_rows=rows.table.n,
        )


def figures_of_groups(measure: Measure, rows: Rows, found: Grouping, key: tuple[object, ...]) -> Compared:
    """Return each group's figure and that of all, remembered under a key that names the grouping."""
    assert found.codes is not None  # noqa: S101  (grouped by a column)
    codes = found.codes
    column = None if measure.column is None else rows.table.column(measure.column)
    n_groups, shares = len(found.groups), is_share(measure, column)
    # what does not depend on the lantern is computed once for a filter
    gathers = found.column is not None and any(g.others and g.band is None for g in found.groups)
    got, whole, carried = rows.remember(
        ("figures", measure, key),
        lambda: _unlit(measure, held_in(measure, rows).grouped(codes), n_groups, shares, not gathers),
    )
    over_all = _tested_over_all(measure, rows, found, shares) if gathers else got.tested
    (lit,) = rows.remember_lit(("figures", measure, key), lambda: (_lit(measure, rows, codes, n_groups),))
    n_lit = None if lit is None else int(lit.n.sum())
    return Compared(_made(found, got, lit, over_all.apart), got, over_all, whole, carried, n_lit)


def _tested_over_all(measure: Measure, rows: Rows, found: Grouping, shares: bool) -> Tested:
    """Return the test of all groups of a category some of which are gathered.

    Groups that are kept because they lead would differ from the rest by being chosen so.
    """
    assert found.column is not None  # noqa: S101  (some of its groups are gathered)
    coded = rows.table.coded(found.column.name)

    def made() -> Tested:
        return tested(measure, held_in(measure, rows).grouped(coded.codes), len(coded.labels), shares)

    every = rows.remember(("tested", measure, found.column.name), made)
    kept = tuple(bool(every.apart) and g.at >= 0 and every.apart[g.at] for g in found.groups)
    return replace(every, apart=kept)


def _lit(measure: Measure, rows: Rows, codes: Codes, n_groups: int) -> MeasureFigures | None:
    held = lit_in(measure, rows)
    return None if held is None else plain_figures(measure, held.grouped(codes), n_groups)


def _made(
    found: Grouping, got: MeasureFigures, lit: MeasureFigures | None, apart: tuple[bool, ...] = ()
) -> list[GroupFigure]:
    return [
        GroupFigure(
            position=i,
            label=group.label,
            n=int(got.n[i]),
            value=float(got.values[i]),
            low=interval[0] if interval else None,
            high=interval[1] if interval else None,
            lit_n=None if lit is None else int(lit.n[i]),
            lit_value=None if lit is None or not lit.n[i] else float(lit.values[i]),
            others=group.others,
            apart=bool(apart) and apart[i],
        )
        for i, (group, interval) in enumerate(zip(found.groups, got.intervals, strict=True))
        if got.n[i] and np.isfinite(got.values[i])
    ]


def plain_groups(measure: Measure, rows: Rows, found: Grouping, codes: Codes) -> list[GroupFigure]:
    """Return each group's figure without interval or test; ``codes`` are those of the rows that count.

    Shape (rows that count,), −1 for none.
    """
    n_groups = len(found.groups)
    got = plain_figures(measure, held_in(measure, rows).grouped(codes), n_groups)
    return _made(found, got, _lit(measure, rows, codes, n_groups))


def _unlit(
    measure: Measure, cells: Cells, n_groups: int, shares: bool, test: bool
) -> tuple[MeasureFigures, float, tuple[Carried, ...]]:
    got = figures_by_group(measure, cells, n_groups, shares, test)
    carried = _carried(measure, cells, got) if measure.aggregate in ("sum", "mean") else ()
    return got, overall(measure, cells), carried


def _carried(measure: Measure, cells: Cells, got: MeasureFigures) -> tuple[Carried, ...]:
    """Return groups whose sum a handful of rows make up: of more than twice as many rows, none below 0."""
    found = []
    sums = got.values * got.n if measure.aggregate == "mean" else got.values
    # a handful can carry a group only where its largest value is a sixth of the sum or more
    able = (got.n > 2 * HANDFUL) & (sums > 0)
    if cells.stands is not None:
        return ()  # no row is seen by itself
    if not able.any() or float(cells.values.max()) * HANDFUL < CARRIED * float(sums[able].min()):
        return ()
    tops: Floats = np.full(len(sums), -np.inf)
    np.maximum.at(tops, cells.codes, cells.values)
    for i in np.flatnonzero(able & (tops * HANDFUL >= CARRIED * sums)):
        values = np.sort(cells.values[cells.codes == i])[::-1]
        if values[-1] < 0:
            continue
        shares = np.cumsum(values[:HANDFUL]) / sums[i]
        enough = np.flatnonzero(shares >= CARRIED)
        if len(enough):
            k = int(enough[0])
            found.append(Carried(int(i), k + 1, float(shares[k]), float(values[k])))
    return tuple(found)
