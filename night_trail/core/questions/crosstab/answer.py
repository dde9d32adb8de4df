"""Which group of one category goes with which of another, against what chance would give."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from night_trail.core.conditions import AllOf, Condition
from night_trail.core.errors import BadQuestion
from night_trail.core.questions.crosstab.question import Crosstab
from night_trail.core.questions.shared.basis import Basis, Grouping, grouping
from night_trail.core.questions.shared.grouping import can_compare, no_groups
from night_trail.core.rows import Rows
from night_trail.core.stats.groups import chance_of_sparse, v_of_counts
from night_trail.core.table import Column, Floats, Ints, Table

MOST = 20
LEAST_EXPECTED = 5.0


@dataclass(frozen=True)
class CrosstabAnswer:
    """Counts of every pair beside those expected if the categories had nothing to do with each other.

    ``residuals`` are adjusted ones (Haberman 1973): about −2 to 2 by chance.
    ``v`` is Cramér's V with bias correction, ``p`` of Pearson's chi-square.
    """

    question: Crosstab
    column: Column
    against: Column
    basis: Basis
    rows: Grouping
    columns: Grouping
    counts: Ints
    lit: Ints | None
    expected: Floats
    residuals: Floats
    v: float | None
    p: float | None

    def condition(self, i: int, j: int) -> Condition:
        """Return the condition that names the rows of one cell."""
        first, second = self.rows.condition(i), self.columns.condition(j)
        assert first is not None and second is not None  # noqa: S101  (both grouped by columns)
        return AllOf((first, second))


def check(question: Crosstab, table: Table) -> None:
    """Refuse columns that make no groups."""
    if question.column == question.against:
        raise BadQuestion("A column goes with itself", "against", "Choose another column.")
    for name, field in ((question.column, "column"), (question.against, "against")):
        column = table.column(name)
        if not can_compare(column):
            raise no_groups(column, field, "groups")


def goes(question: Crosstab, rows: Rows) -> CrosstabAnswer:
    """Return how often each pair of groups occurs, and how often it would by chance."""
    first, second = grouping(rows, question.column, MOST), grouping(rows, question.against, MOST)
    assert first.codes is not None and second.codes is not None  # noqa: S101  (grouped by columns)
    k, m = len(first.groups), len(second.groups)
    used = (first.codes >= 0) & (second.codes >= 0)
    if rows.kept is not None:
        used &= rows.kept
    pairs = first.codes.astype(np.int64) * m + second.codes
    counts = rows.tally(pairs, k * m, used).reshape(k, m)
    lit = None if rows.lit is None else rows.tally(pairs, k * m, used & rows.lit).reshape(k, m)
    total = int(counts.sum())
    expected, residuals, v, p = against_chance(counts, total)
    return CrosstabAnswer(
        question=question,
        column=rows.table.column(question.column),
        against=rows.table.column(question.against),
        basis=Basis(
            rows=rows.n,
            used=total,
            missing=rows.n - total,
            lit=None if lit is None else int(lit.sum()),
            table_rows=rows.table.n,
        ),
        rows=first,
        columns=second,
        counts=counts,
        lit=lit,
        expected=expected,
        residuals=residuals,
        v=v,
        p=p,
    )


def against_chance(counts: Ints, total: int) -> tuple[Floats, Floats, float | None, float | None]:
    """Return what chance would give, adjusted residuals, Cramér's V and the p of chi-square.

    ``counts`` and the first two have shape (groups of the one, groups of the other).
    """
    from scipy import special  # noqa: PLC0415  (slow import)

    if not total:
        return counts.astype(np.float64), np.zeros(counts.shape), None, None
    lines, columns = counts.sum(axis=1) / total, counts.sum(axis=0) / total
    expected = np.outer(lines, columns) * total
    with np.errstate(invalid="ignore", divide="ignore"):
        spread = np.sqrt(expected * np.outer(1 - lines, 1 - columns))
        residuals = np.where(spread > 0, (counts - expected) / spread, 0.0)
        chi = float(np.nansum(np.where(expected > 0, (counts - expected) ** 2 / expected, 0.0)))
    free = (np.count_nonzero(lines) - 1) * (np.count_nonzero(columns) - 1)
    p = None
    if free > 0:
        sums = [side[side > 0] for side in (counts.sum(axis=1), counts.sum(axis=0))]
        sparse = float(expected[expected > 0].min()) < LEAST_EXPECTED
        p = chance_of_sparse(chi, *sums) if sparse else float(special.chdtrc(free, chi))
    return expected, residuals, v_of_counts(counts), p
