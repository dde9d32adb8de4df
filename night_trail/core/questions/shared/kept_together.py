"""Rows that belong together, of one day or one person: what is true of one is half true of the others."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from night_trail.core.moments import DAY
from night_trail.core.table import Bools, Column, Floats, Ints, Kind, Table

LEAST_SETS = 20
TOGETHER = 0.2


def sets_of(table: Table, at: Ints) -> Iterator[tuple[Column, Ints]]:
    """Yield the columns whose equal values keep rows together, with a code for each row of ``at``.

    These are days with several rows, and names that stand in several rows. Rows
    without a value are sets of their own.
    """
    for column in table.columns:
        if column.kind.temporal:
            values = np.floor((table.axis(column.name).values[at] - from_noon(column)) / DAY)
            gone = np.isnan(values)
            codes = _numbered(np.where(gone, 0, values).astype(np.int64))
        elif column.kind == Kind.IDENTIFIER and 2 * column.distinct <= table.height:
            codes = table.coded(column.name).codes[at].astype(np.int64)
            gone = codes < 0
        else:
            continue
        codes[gone] = codes.max(initial=0) + 1 + np.arange(int(gone.sum()))
        n = int(np.count_nonzero(np.bincount(codes)))
        if LEAST_SETS <= n <= 0.75 * len(at):
            yield column, codes


def from_noon(column: Column) -> float:
    """Return how far into the day its days begin, in seconds.

    A night goes on to the morning: what happens before noon belongs to the day before.
    """
    return DAY / 2 if column.kind == Kind.DATETIME else 0.0


def _numbered(values: Ints) -> Ints:
    """Return the place of each value among the different ones; shape (rows,)."""
    low, high = int(values.min(initial=0)), int(values.max(initial=0))
    if high - low > 4 * len(values):
        return np.unique(values, return_inverse=True)[1].astype(np.int64)
    # days of some years are counted and not sorted
    there = np.zeros(high - low + 1, dtype=np.bool_)
    there[values - low] = True
    return np.asarray((np.cumsum(there) - 1)[values - low])


def one_half(sets: Ints) -> Bools:
    """Return which rows are in the first of two parts, those of a set together; both of shape (rows,)."""
    side = np.random.default_rng(len(sets)).random(int(sets.max(initial=0)) + 1) < 0.5
    return np.asarray(side[sets])


def fewest_sets(table: Table, at: Ints) -> Ints | None:
    """Return which of the fewest sets each row is of, shape (rows of ``at``,); None where none are kept."""
    found = (codes for _, codes in sets_of(table, at))
    return min(found, key=lambda codes: int(codes.max()), default=None)


def together(table: Table, at: Ints) -> Ints:
    """Return the fewest sets of rows, each row its own where none are kept; shape (rows of ``at``,)."""
    found = fewest_sets(table, at)
    return np.arange(len(at)) if found is None else found


def on_one_side(table: Table, at: Ints, side: Bools) -> tuple[Column, Ints] | None:
    """Return the column of the fewest sets whose rows are on one side together, and its sets; None without.

    They are where two rows of a set are on different sides less often than two
    of any rows, by a fifth and more (the correlation within sets of Fisher 1925
    for a yes/no). ``side`` has shape (rows of ``at``,).
    """
    found: list[tuple[int, Column, Ints]] = []
    share = float(side.mean()) if len(side) else 0.0
    for column, codes in sets_of(table, at):
        sizes = np.bincount(codes)
        ones = np.bincount(codes, weights=side)
        several = sizes > 1
        apart = 2 * float((ones * (sizes - ones) / np.maximum(sizes - 1, 1))[several].sum())
        expected = 2 * share * (1 - share) * float(sizes[several].sum())
        if expected > 0 and 1 - apart / expected > TOGETHER:
            found.append((int((sizes > 0).sum()), column, codes))
    if not found:
        return None
    _, column, codes = min(found, key=lambda f: f[0])
    return column, codes


def one_of_each(codes: Ints) -> Ints:
    """Return the place of one row of each set, a fixed random one; ``codes`` has shape (rows,), from 0."""
    mixed = np.random.default_rng(len(codes)).permutation(len(codes))
    _, first = np.unique(codes[mixed], return_index=True)
    return np.sort(mixed[first])


def alike_within(y: Floats, sets: Ints) -> float:
    """Return the intraclass correlation of values within sets, 0 where it may be chance (Fisher 1925).

    Both have shape (rows,), without NaN; sets are codes from 0.
    """
    from scipy import special  # noqa: PLC0415  (slow import)

    n = np.bincount(sets)
    k, total = len(n), len(y)
    means = np.bincount(sets, weights=y) / n
    between = float((n * (means - y.mean()) ** 2).sum()) / max(k - 1, 1)
    within = float(((y - means[sets]) ** 2).sum()) / max(total - k, 1)
    if within <= 0 or total <= k:
        return 1.0 if between > 0 else 0.0
    size = (total - float((n.astype(np.float64) ** 2).sum()) / total) / max(k - 1, 1)
    chance = float(special.fdtrc(k - 1, total - k, between / within))
    return (between - within) / (between + (size - 1) * within) if chance < 0.001 else 0.0
