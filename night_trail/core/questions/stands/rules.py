"""Near-rules of a table, and the few rows that break them: an order, a belonging, a sum."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from itertools import combinations, permutations

import numpy as np
from scipy import special

from night_trail.core.conditions import Above, AllOf, AnyOf, Condition, OneOf
from night_trail.core.language.numbers import number, value
from night_trail.core.moments import DAY
from night_trail.core.questions.stands.found import (
    LEVEL,
    Context,
    Finding,
    Looked,
    bars_of,
    cells_of,
    far_off,
)
from night_trail.core.table import Column, Floats, Ints, Kind

LEAST_ROWS = 100
MOST_ORDERED, MOST_SUMMED, MOST_NESTED, MOST_BELONGING = 14, 10, 16, 2_000
BROKEN = 0.005
"""A rule that more rows break than this part is none."""

OTHERWISE = 0.05
"""What chance alone would break less often than this says nothing."""

NEAR, SHARP = 0.05, 0.001
"""The rows nearest to where a rule would be broken, which show that it is a bound, and how surely."""


def find(look: Looked) -> Iterator[Finding]:
    """Yield the rules that nearly all rows keep."""
    if look.n < LEAST_ROWS:
        return
    yield from _orders(look)
    yield from _sums(look)
    yield from _belonging(look)


def _orders(look: Looked) -> Iterator[Finding]:
    """Yield pairs of columns of one unit of which one is never above the other, but for a few rows."""
    able = [c for c in look.measured if not c.yearly][:MOST_ORDERED]
    pairs = [
        (a, b)
        for a, b in permutations(able, 2)
        if look.asked(a, b)
        and a.kind.temporal == b.kind.temporal
        and a.unit == b.unit
        and (a.kind == Kind.SHARE) == (b.kind == Kind.SHARE)
    ]
    cells = {c.name: look.table.axis(c.name).values[look.some] for c in able}
    rng = np.random.default_rng(len(look.some))
    for low, high in pairs:
        a, b = cells[low.name], cells[high.name]
        known = np.isfinite(a) & np.isfinite(b)
        if np.count_nonzero(known) < LEAST_ROWS:
            continue
        a, b = a[known], b[known]
        if np.count_nonzero(a > b) > 2 * BROKEN * len(a) or (a > rng.permutation(b)).mean() < OTHERWISE:
            continue
        a, b = look.values(low), look.values(high)
        off = (b - a)[np.isfinite(a) & np.isfinite(b)]
        broken = off < 0
        n = int(np.count_nonzero(broken))
        if not n or n > BROKEN * len(off) or not _bounded(off, n, LEVEL / max(len(pairs), 1)):
            continue
        condition = Above(low.name, high.name)
        worst = float(off.min())
        word = "after" if low.kind.temporal else "above"
        said = _distance(low)
        yield Finding(
            "rule",
            (low.name, high.name),
            condition,
            look.count(condition),
            f"{low.name} is {word} {high.name}, by up to {said(-worst)}",
            f"in all other {look.table.rows_in_words(len(off) - n)} it is not",
            BROKEN,
            bars_of(np.clip(off, worst, np.quantile(off, 0.98)), broken, said),
        )


def _distance(column: Column) -> Callable[[float], str]:
    """Return how far two values of a column lie apart, in words."""
    if column.kind.temporal:
        return lambda at: f"{number(at / DAY, 2)} days"
    return lambda at: value(at, column.kind, column.unit)


def _bounded(off: Floats, n: int, level: float) -> bool:
    """Whether differences stop at 0: hardly any lie right below it, or those below are apart.

    ``off`` has shape (rows,); ``n`` of them are under 0.
    """
    above = np.sort(off[off >= 0])
    reach = float(above[min(int(NEAR * len(above)), len(above) - 1)])
    if reach == 0:
        if np.count_nonzero(above == 0) >= max(20, 10 * n):
            return True
    else:
        # going on below 0 as they fall off towards it, so many would lie there (Poisson)
        near, further = np.histogram(above, (0, reach / 2, reach))[0]
        expected = near * near / max(further, 1)
        below = int(np.count_nonzero((off < 0) & (off >= -reach / 2)))
        if special.pdtr(below, expected) < SHARP:
            return True
    sides = far_off(off, level)[1]
    return "low" in sides and sides["low"].n == n


def _sums(look: Looked) -> Iterator[Finding]:
    """Yield columns that are the sum, or the product, of two others but for a few rows."""
    able = [c for c in look.measured if not c.kind.temporal and c.distinct > 12][:MOST_SUMMED]
    some = look.some[:2_000]
    if len(some) < LEAST_ROWS or len(able) < 3:
        return
    cells = {c.name: look.table.axis(c.name).values[some] for c in able}
    done: set[frozenset[str]] = set()
    for a, b in combinations(able, 2):
        for c in able:
            if (
                not look.asked(a, b, c)
                or c.name in (a.name, b.name)
                or frozenset((a.name, b.name, c.name)) in done
            ):
                continue
            for sign, product in (("+", False), ("×", True)):
                x, y, z = cells[a.name], cells[b.name], cells[c.name]
                # of most a few rows tell that it cannot be
                if not _holds(x[::20], y[::20], z[::20], product, 0.8):
                    continue
                if not _holds(x, y, z, product, 1 - 4 * BROKEN):
                    continue
                x, y, z = look.values(a), look.values(b), look.values(c)
                whole = x * y if product else x + y
                known = np.isfinite(whole) & np.isfinite(z)
                broken = known & ~_same(whole, z)
                n = int(np.count_nonzero(broken))
                done.add(frozenset((a.name, b.name, c.name)))
                if not 0 < n <= BROKEN * np.count_nonzero(known):
                    continue
                at = look.at[broken]
                condition = cells_of(at, (c, a, b), look.table)
                off = (z - whole)[known]
                worst = int(np.argmax(np.abs((z - whole)[broken])))
                rule = f"{a.name} {sign} {b.name}"
                others = look.table.rows_in_words(int(np.count_nonzero(known)) - n)
                said = f"{c.name} {value(float(z[broken][worst]), c.kind, c.unit)}"
                yield Finding(
                    "rule",
                    (c.name, a.name, b.name),
                    condition,
                    look.count(condition),
                    f"{said}, where {rule} is {value(float(whole[broken][worst]), c.kind, c.unit)}",
                    f"in all other {others} {c.name} is {rule}",
                    BROKEN,
                    bars_of(off, np.abs(off) > 0, lambda at: number(at, 3)),
                )


def _holds(x: Floats, y: Floats, z: Floats, product: bool, least: float) -> bool:
    """Whether ``z`` is the sum or the product in at least that share of rows; all of shape (rows,)."""
    return bool(_same(x * y if product else x + y, z).mean() >= least)


def _same(a: Floats, b: Floats) -> np.ndarray:
    """Return where numbers agree to the digits they are written with; NaN agrees with nothing."""
    return np.asarray(np.abs(a - b) <= 1e-9 * np.maximum(np.abs(a), np.abs(b)) + 1e-12)


def _belonging(look: Looked) -> Iterator[Finding]:
    """Yield columns whose values each belong to one value of another, but for a few rows."""
    able = [
        c
        for c in look.columns
        if not c.kind.temporal
        and (c.kind.grouping or c.code or c.kind == Kind.IDENTIFIER)
        and 2 <= c.distinct <= min(MOST_BELONGING, look.n // 8)
    ][:MOST_NESTED]
    for inner, outer in permutations(able, 2):
        if not look.asked(inner, outer) or outer.distinct > inner.distinct or outer.distinct < 2:
            continue
        finding = _belongs(look, inner, outer)
        if finding is not None:
            yield finding


def _belongs(look: Looked, inner: Column, outer: Column) -> Finding | None:
    left, right = (look.table.coded(c.name).codes[look.some].astype(np.int64) for c in (inner, outer))
    cells, counts = np.unique(left * (outer.distinct + 2) + right, return_counts=True)
    usual = np.zeros(int(left.max()) + 2, dtype=np.int64)
    np.maximum.at(usual, cells // (outer.distinct + 2), counts)
    # what does not nearly hold in a part need not be looked at in all
    if usual.sum() < (1 - 4 * BROKEN) * len(left):
        return None
    left, right = (look.codes(c).astype(np.int64) for c in (inner, outer))
    known = (left >= 0) & (right >= 0)
    n = int(np.count_nonzero(known))
    if n < LEAST_ROWS:
        return None
    left, right = left[known], right[known]
    names = look.table.coded(inner.name).labels, look.table.coded(outer.name).labels
    m = len(names[1])
    cells, counts = np.unique(left * m + right, return_counts=True)
    usual = np.zeros(len(names[0]), dtype=np.int64)
    order = np.argsort(counts, kind="stable")
    usual[cells[order] // m] = cells[order] % m  # the commonest is written last
    off = cells % m != usual[cells // m]
    broken = int(counts[off].sum())
    commonest = float(np.bincount(right).max()) / n
    # by chance as many would be elsewhere as are not in the commonest value
    if not 0 < broken <= BROKEN * n or 1 - commonest < 10 * BROKEN:
        return None
    # an exception is one against many: of values with few rows neither is the rule
    sizes = np.bincount(left, minlength=len(names[0]))
    clear = counts[off] <= 0.1 * sizes[cells[off] // m]
    if not clear.all() or len(np.flatnonzero(off)) > 200:
        return None
    pairs = [(int(c // m), int(c % m), int(k)) for c, k in zip(cells[off], counts[off], strict=True)]
    pairs.sort(key=lambda p: (-p[2], p[0]))
    parts: list[Condition] = [
        AllOf((OneOf(inner.name, (names[0][i],)), OneOf(outer.name, (names[1][j],)))) for i, j, _ in pairs
    ]
    condition = parts[0] if len(parts) == 1 else AnyOf(tuple(parts))
    i, j, k = pairs[0]
    home = int(usual[i])
    others = look.table.rows_in_words(int(sizes[i]) - k)
    row: Ints = np.bincount(right[left == i], minlength=m)
    shown = np.argsort(-row, kind="stable")[:8]
    shown = shown[row[shown] > 0]
    return Finding(
        "rule",
        (outer.name, inner.name),
        condition,
        look.count(condition),
        f"{inner.name} {names[0][i]} in {outer.name} {names[1][j]} ({look.table.rows_in_words(k)})",
        f"all its other {others} are in {names[1][home]}, and each {inner.name} is in one {outer.name}",
        BROKEN,
        Context(
            tuple(map(float, row[shown])),
            tuple(float(row[s]) if s != home else 0.0 for s in shown),
            f"in {names[1][home]}",
            "elsewhere",
        ),
    )
