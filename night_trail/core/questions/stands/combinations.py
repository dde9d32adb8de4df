"""Combinations that no single column shows: a pair of values that hardly meet, a number off its partner."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import combinations

import numpy as np
from scipy import special

from night_trail.core.conditions import AllOf, AnyOf, Condition, OneOf
from night_trail.core.language.numbers import number, value
from night_trail.core.questions.shared.basis import paired
from night_trail.core.questions.stands.found import (
    LEVEL,
    MOST_CELLS,
    Context,
    Finding,
    Looked,
    bars_of,
    cells_of,
    far_off,
    thinned,
)
from night_trail.core.stats.relation import ranks
from night_trail.core.table import Column, Floats

CLOSE = 0.5
"""The rank correlation from which one number says what is usual of another."""

MOST_PAIRS, STEPS = 12, 40
MOST_VALUES, MOST_GROUPED = 60, 14
EXPECTED, TENTH = 15.0, 0.1
"""Two values that should meet so often by chance, and meet at most in a tenth of it, hardly meet."""


def find(look: Looked) -> Iterator[Finding]:
    """Yield pairs of columns in which a few rows are off."""
    yield from _numbers(look)
    yield from _values(look)


def _numbers(look: Looked) -> Iterator[Finding]:
    pairs = [pair for pair in _partners(look) if look.asked(*pair)]
    level = LEVEL / (4 * max(len(pairs), 1))
    for x, y in pairs:
        a, b = look.values(x), look.values(y)
        known = np.isfinite(a) & np.isfinite(b)
        a, b, sets = a[known], b[known], look.sets_of(known)
        z, lines = _off(a, b)
        if z is None:
            continue
        rows, sides = far_off(z, level, sets)
        chance = min((side.chance for side in sides.values()), default=1.0)
        # what is far in one column alone is told of that column
        rows &= ~far_off(a, level, sets)[0] & ~far_off(b, level, sets)[0]
        if not rows.any():
            continue
        at = look.at[known][rows][np.argsort(-np.abs(z[rows]), kind="stable")]
        condition = cells_of(at, (x, y), look.table)
        furthest = f"; these are the {MOST_CELLS} furthest of {len(at):,}" if len(at) > MOST_CELLS else ""
        first = int(np.argmax(np.abs(z[rows])))
        there, by, line = (float(cells[rows][first]) for cells in (b, a, lines))
        here = f"{y.name} {value(there, y.kind, y.unit)} with {x.name} {value(by, x.kind, x.unit)}{furthest}"
        usual = f"with such {x.name}, {y.name} is about {value(line, y.kind, y.unit)}"
        context = bars_of(z, rows, lambda at: f"{number(at, 2)} spreads")
        yield Finding("odd", (y.name, x.name), condition, look.count(condition), here, usual, chance, context)


def _partners(look: Looked) -> list[tuple[Column, Column]]:
    """Return pairs of columns that move together by ranks: of each column its closest, the closest first."""
    able = [c for c in look.measured if not c.kind.temporal and c.distinct > 12]
    some = look.some
    if len(some) < 60 or len(able) < 2:
        return []
    cells = np.column_stack([look.table.axis(c.name).values[some] for c in able])
    there = np.isfinite(cells)
    placed = np.zeros_like(cells)
    for j in range(len(able)):
        # what is missing lies in the middle, and says nothing of how columns move
        known = ranks(cells[there[:, j], j])
        placed[there[:, j], j] = (known - known.mean()) / (known.std() or 1.0)
    close = np.abs(placed.T @ placed) / np.maximum(there.T.astype(float) @ there.astype(float), 1.0)
    np.fill_diagonal(close, 0.0)
    found: dict[frozenset[int], tuple[float, int, int]] = {}
    for j in range(len(able)):
        i = int(np.argmax(close[j]))
        if close[j, i] >= CLOSE:
            found.setdefault(frozenset((i, j)), (float(close[j, i]), i, j))
    ordered = sorted(found.values(), key=lambda f: (-f[0], f[1], f[2]))[:MOST_PAIRS]
    return [(able[i], able[j]) for _, i, j in ordered]


def _off(x: Floats, y: Floats) -> tuple[Floats | None, Floats]:
    """Return how many local spreads ``y`` is off where others with such ``x`` lie, and that place.

    Medians of stretches of as many rows each, joined by lines; the spread is
    1.4826 times the median distance within a stretch. None where it is exact.
    """
    some, its = thinned(x), thinned(y)
    steps = min(STEPS, len(some) // 30)
    if steps < 2:
        return None, y
    edges = np.unique(np.quantile(some, np.linspace(0, 1, steps + 1)))
    if len(edges) < 3:
        return None, y
    stretch = np.clip(np.searchsorted(edges, some, side="right") - 1, 0, len(edges) - 2)
    order = np.argsort(stretch, kind="stable")
    parts = np.split(order, np.cumsum(np.bincount(stretch, minlength=len(edges) - 1))[:-1])
    parts = [part for part in parts if len(part) >= 8]
    if len(parts) < 2:
        return None, y
    middles = np.array([np.median(some[part]) for part in parts])
    heights = np.array([np.median(its[part]) for part in parts])
    line = np.interp(x, middles, heights)
    # beyond the outer middles the line goes on as between the two before
    for end, inner in ((0, 1), (-1, -2)):
        if middles[end] != middles[inner]:
            slope = (heights[end] - heights[inner]) / (middles[end] - middles[inner])
            beyond = x < middles[0] if end == 0 else x > middles[-1]
            line[beyond] = heights[end] + slope * (x[beyond] - middles[end])
    off = y - line
    spreads = np.array([np.median(np.abs(thinned(off)[part])) for part in parts])
    usual = float(np.median(np.abs(thinned(off))))
    if usual <= 1e-9 * float(np.ptp(y)):
        return None, y
    spread = 1.4826 * np.maximum(np.interp(x, middles, spreads), 0.25 * usual)
    # far beyond the outer middles, counted in the last steps between them, less is known of what is usual
    steps_at = np.maximum(np.abs(np.diff(middles))[[0, -1]], 1e-300)
    outside = np.maximum((middles[0] - x) / steps_at[0], (x - middles[-1]) / steps_at[1])
    spread = spread * (1 + np.maximum(outside / 3 - 1, 0.0))
    return off / spread, line


def _values(look: Looked) -> Iterator[Finding]:
    able = [c for c in look.groups if c.distinct <= MOST_VALUES][:MOST_GROUPED]
    pairs = [pair for pair in combinations(able, 2) if look.asked(*pair)]
    for a, b in pairs:
        names = look.table.coded(a.name).labels, look.table.coded(b.name).labels
        k, m = len(names[0]), len(names[1])
        cells = paired(look.codes(a), look.codes(b), m)
        if look.n and cells.min() < 0:
            cells = cells[cells >= 0]
        n = len(cells)
        if n < 100:
            continue
        counts = np.bincount(cells, minlength=k * m).reshape(k, m)
        expected = np.outer(counts.sum(axis=1), counts.sum(axis=0)) / n
        hardly = (counts > 0) & (expected >= EXPECTED) & (counts <= TENTH * expected)
        # at most so many, where so many are expected (Poisson)
        chance = special.pdtr(counts, expected) * (counts.size * len(pairs))
        hardly &= chance < LEVEL
        rows = int(counts[hardly].sum())
        if not rows or rows > 0.01 * n or hardly.sum() > 0.1 * np.count_nonzero(counts):
            continue
        places = [(int(i), int(j)) for i, j in np.argwhere(hardly)]
        i, j = min(places, key=lambda c: (counts[c] / expected[c], c))
        parts: list[Condition] = [
            AllOf((OneOf(a.name, (names[0][p],)), OneOf(b.name, (names[1][q],)))) for p, q in places[:200]
        ]
        condition = parts[0] if len(parts) == 1 else AnyOf(tuple(parts))
        here = f"{a.name} {names[0][i]} with {b.name} {names[1][j]}: {counts[i, j]:,}"
        usual = f"{number(float(expected[i, j]), 2)} if the two had nothing to do with each other"
        row = np.argsort(-counts[i], kind="stable")
        odd = np.where(hardly[i, row], counts[i, row], 0)
        context = Context(
            tuple(map(float, counts[i, row])),
            tuple(map(float, odd)),
            f"{names[1][int(row[0])]} …",
            f"of {a.name} {names[0][i]}",
        )
        yield Finding(
            "odd",
            (a.name, b.name),
            condition,
            look.count(condition),
            here,
            usual,
            float(chance[i, j]),
            context,
        )
