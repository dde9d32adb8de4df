"""Whether the values of one category each belong to one value of another."""

from __future__ import annotations

import numpy as np

from night_trail.core.table import Table

LOOKED_AT_FIRST = 500
"""Rows that are looked at first: one value beside two others among them rules most pairs out."""


def belongs(table: Table, finer: str, coarser: str) -> bool:
    """Whether each value of a finer category stands beside one value of a coarser one, which has fewer.

    Values that stand in single rows belong to anything: several rows a value are asked for.
    """
    fine, coarse = table.column(finer), table.column(coarser)
    if fine.kind.measured or coarse.kind.measured or not 1 < coarse.distinct < fine.distinct:
        return False
    a, b = table.coded(finer), table.coded(coarser)
    both = np.flatnonzero((a.codes >= 0) & (b.codes >= 0))
    if len(both) < 2 * fine.distinct:
        return False

    def single(at: np.ndarray) -> bool:
        pairs = np.unique(a.codes[at].astype(np.int64) * len(b.labels) + b.codes[at])
        return len(np.unique(pairs // len(b.labels))) == len(pairs)

    return single(both[:LOOKED_AT_FIRST]) and single(both)
