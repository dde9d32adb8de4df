"""How many numbers move together: the correlation of every pair, like standing by like."""

from __future__ import annotations

import itertools
import math
from dataclasses import dataclass

import numpy as np

from night_trail.core.errors import BadQuestion
from night_trail.core.questions.correlation.question import Correlations
from night_trail.core.questions.shared.basis import Basis
from night_trail.core.rows import Rows
from night_trail.core.stats.groups import discoveries
from night_trail.core.stats.relation import correlations, rank_correlations
from night_trail.core.table import Bools, Column, Floats, Ints, Kind, Table, is_row_number

MOST = 40
LEAST = 4


@dataclass(frozen=True)
class CorrelationAnswer:
    """The columns in an order that sets like by like; ``r`` and ``n`` are of every pair, NaN where unknown.

    ``found`` says which pairs differ from 0 after the false-discovery step,
    ``lit_r`` are the correlations of the lit rows.
    """

    question: Correlations
    basis: Basis
    columns: tuple[Column, ...]
    r: Floats
    n: Ints
    found: Bools
    lit_r: Floats | None

    def pairs(self) -> list[tuple[int, int]]:
        """Return the pairs whose correlation is known, the strongest first."""
        k = len(self.columns)
        known = [(i, j) for i in range(k) for j in range(i + 1, k) if math.isfinite(self.r[i, j])]
        return sorted(known, key=lambda p: -abs(float(self.r[p])))


def columns_for(question: Correlations, table: Table) -> list[Column]:
    """Return the columns compared: those named, or all numbers that vary, but for codes and years."""
    if question.columns:
        return [table.column(name) for name in question.columns]
    able = (c for c in table.columns if c.kind.numeric and c.distinct > 2 and not (c.code or c.yearly))
    # a number of the row goes along with whatever the rows are sorted by
    counted = (c for c in able if not _counts_rows(c, table))
    return list(itertools.islice(counted, MOST))


def _counts_rows(column: Column, table: Table) -> bool:
    wanted = column.kind == Kind.WHOLE and column.distinct >= 0.97 * table.height
    return wanted and is_row_number(column, table.axis(column.name).values, table.height)


def check(question: Correlations, table: Table) -> None:
    """Refuse columns that are no numbers, and fewer than two."""
    found = columns_for(question, table)
    for column in found:
        if not column.kind.numeric:
            raise BadQuestion(f"“{column.name}” is {column.kind}", "columns", "Choose numbers.")
    if len(found) < 2:
        raise BadQuestion("Fewer than two numbers vary", table.name, "Calculate one, or join a table.")


def together(question: Correlations, rows: Rows) -> CorrelationAnswer:
    """Return how every pair of numbers is correlated."""
    columns = columns_for(question, rows.table)
    names = tuple(c.name for c in columns)
    matrix = rows.remember(("together", names, question.by), lambda: _matrix(question, rows, names))
    by = rank_correlations if question.by == "rank" else correlations
    r, n = rows.remember(("together r", names, question.by), lambda: by(matrix))
    order = _like_by_like(r)
    lit = None
    if rows.lit is not None:
        where = rows.lit if rows.kept is None else rows.lit[rows.kept]
        lit = by(matrix[where])[0][np.ix_(order, order)] if where.sum() >= LEAST else None
    return CorrelationAnswer(
        question=question,
        basis=Basis(
            rows=rows.n,
            used=rows.n,
            missing=0,
            lit=None if rows.lit is None else rows.n_lit,
            table_rows=rows.table.n,
        ),
        columns=tuple(columns[i] for i in order),
        r=r[np.ix_(order, order)],
        n=n[np.ix_(order, order)],
        found=_found(r, n)[np.ix_(order, order)],
        lit_r=lit,
    )


def _matrix(question: Correlations, rows: Rows, names: tuple[str, ...]) -> Floats:
    made = []
    for name in names:
        values = rows.table.axis(name).values
        made.append(values if rows.kept is None else values[rows.kept])
    return np.column_stack(made)


def _found(r: Floats, n: Ints) -> Bools:
    """Return which pairs differ from 0: Fisher's z of each, Benjamini & Hochberg (1995) over all."""
    from scipy import special  # noqa: PLC0415  (slow import)

    k = len(r)
    upper = [(i, j) for i in range(k) for j in range(i + 1, k) if math.isfinite(r[i, j]) and n[i, j] >= LEAST]
    p = np.array(
        [
            2 * special.ndtr(-math.atanh(min(abs(r[i, j]), 1 - 1e-15)) * math.sqrt(max(n[i, j] - 3, 0)))
            for i, j in upper
        ]
    )
    found = np.zeros((k, k), dtype=np.bool_)
    for (i, j), is_found in zip(upper, discoveries(p), strict=True):
        found[i, j] = found[j, i] = is_found
    return found


def _like_by_like(r: Floats) -> list[int]:
    """Return an order in which columns that move together stand together (average linkage on 1 − |r|)."""
    if len(r) < 3:
        return list(range(len(r)))
    from scipy.cluster.hierarchy import leaves_list, linkage  # noqa: PLC0415  (slow import)
    from scipy.spatial.distance import squareform  # noqa: PLC0415

    apart = 1 - np.abs(np.nan_to_num(r))
    np.fill_diagonal(apart, 0.0)
    tree = linkage(
        squareform((apart + apart.T) / 2, checks=False), "average", optimal_ordering=len(r) <= MOST
    )
    return [int(i) for i in leaves_list(tree)]
