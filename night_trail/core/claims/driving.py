"""Claims that a column is among the first that another goes with."""

from __future__ import annotations

import math

import numpy as np

from night_trail.core.claims.claim import Drives
from night_trail.core.claims.verdict import Verdict, ends_of, held_of_100, state_of, together
from night_trail.core.rows import Rows
from night_trail.core.stats.redraws import SLOW_DRAWS, draws
from night_trail.core.table import Floats, Ints, Kind, Table

MOST_LOOKED_AT = 20_000
MOST_BINS = 10
SHUFFLES = 60
UNTOLD = (Kind.TEXT, Kind.IDENTIFIER)
"""Kinds that tell a row from all others, and are looked at only where they are asked for."""


def drives(claim: Drives, rows: Rows) -> Verdict:
    """Return whether a column is among the first, by what it explains beyond shuffled rows."""
    table = rows.table
    y = _target(table, claim.of)
    at = np.flatnonzero(rows.keeps & ~np.isnan(y))
    if len(at) > MOST_LOOKED_AT:
        at = np.sort(np.random.default_rng(len(at)).choice(at, MOST_LOOKED_AT, replace=False))
    y = y[at]
    if len(at) < 10 or np.ptp(y) == 0:
        return Verdict("fails", math.nan, n=len(at))
    y = (y - y.mean()) / y.std()
    bag, n_bags, by = together(rows, at, y)
    drawn = draws(n_bags, SLOW_DRAWS)
    weights = drawn[:, bag] if len(bag) * len(drawn) <= 4_000_000 else None
    named: list[str] = []
    coded: list[tuple[Ints, int]] = []
    explained: list[Floats] = []
    once = np.ones((1, len(y)))
    for column in table.columns:
        if column.name == claim.of or (
            column.kind in (Kind.TEXT, Kind.IDENTIFIER) and column.name != claim.by
        ):
            continue
        codes, k = _binned(table, column.name, at)
        if k < 2:
            continue
        named.append(column.name)
        coded.append((codes, k))
        first = _explained(y, codes, k, once)
        parts = [weights] if weights is not None else [d[:, bag] for d in np.array_split(drawn, 10)]
        again = np.concatenate([_explained(y, codes, k, part) for part in parts])
        explained.append(np.concatenate([first, again]))
    if claim.by not in named:
        return Verdict("fails", 0.0, n=len(at), drawn=by)
    shares = np.stack(explained, axis=1)
    mine = named.index(claim.by)
    ahead = (shares > shares[:, [mine]]).sum(axis=1)
    share = float(shares[0, mine])
    # rows drawn twice make groups look more alike than they are: what all draws have more is taken off
    shares[1:] -= np.maximum(shares[1:].mean(axis=0) - shares[0], 0.0)
    level = _by_chance(y, coded, bag, n_bags)
    passes = np.where((ahead < claim.first) & (shares[:, mine] > level), 1.0, -1.0)
    leads = named[int(np.argmax(shares[0]))]
    redraws = held_of_100(passes[1:])
    low, high = ends_of(shares[1:, mine])
    sure = state_of(float(passes[0]), redraws)
    return Verdict(sure, share, low, high, redraws, by, len(at), None, float(ahead[0] + 1), leads)


def _by_chance(y: Floats, columns: list[tuple[Ints, int]], bag: Ints, n_bags: int) -> float:
    """Return the share that the best of all columns explains of shuffled rows, exceeded in 5 of 100 shuffles.

    Rows of one bag stay together, in the order they have.
    """
    rng = np.random.default_rng(len(y))
    order = np.argsort(bag, kind="stable")
    ends = np.searchsorted(bag[order], np.arange(n_bags + 1))
    once = np.ones((1, len(y)))
    best = np.empty(SHUFFLES)
    for i in range(SHUFFLES):
        # whole bags change places, so that rows of a day still share what they share
        mixed = np.concatenate([order[ends[j] : ends[j + 1]] for j in rng.permutation(n_bags)])
        shuffled = np.empty(len(y))
        shuffled[order] = y[mixed]
        best[i] = max(float(_explained(shuffled, codes, k, once)[0]) for codes, k in columns)
    return float(np.quantile(best, 0.95))


def _target(table: Table, name: str) -> Floats:
    if table.column(name).kind == Kind.YES_NO:
        coded = table.coded(name)
        yes = list(coded.labels).index("yes") if "yes" in coded.labels else -2
        return np.where(coded.codes < 0, np.nan, (coded.codes == yes).astype(np.float64))
    return table.axis(name).values


def _binned(table: Table, name: str, at: Ints) -> tuple[Ints, int]:
    """Return the group of each row of ``at``: a value of a category, a tenth of a number, or missing."""
    column = table.column(name)
    if column.kind.measured:
        values = table.axis(name).values[at]
        known = values[~np.isnan(values)]
        if not len(known):
            return np.zeros(len(at), dtype=np.int64), 1
        edges = np.unique(np.quantile(known, np.linspace(0, 1, MOST_BINS + 1)[1:-1]))
        codes = np.searchsorted(edges, values, side="right")
        codes = np.where(np.isnan(values), len(edges) + 1, codes)
    else:
        codes = table.coded(name).codes[at].astype(np.int64) + 1
    found, codes = np.unique(codes, return_inverse=True)
    if len(found) > 2 * MOST_BINS:
        # many values: those that occur most, the rest together
        counts = np.bincount(codes)
        keep = np.argsort(-counts)[: 2 * MOST_BINS]
        place = np.full(len(counts), 2 * MOST_BINS)
        place[keep] = np.arange(len(keep))
        return place[codes].astype(np.int64), 2 * MOST_BINS + 1
    return codes.astype(np.int64), len(found)


def _explained(y: Floats, codes: Ints, k: int, weights: Floats) -> Floats:
    """Return the share of differences that groups explain (ε², Kelley 1935), shape (draws,).

    ``y`` and ``codes`` have shape (rows,), ``weights`` (draws, rows).
    """
    found = np.empty(len(weights))
    for i, w in enumerate(weights):
        n, s = np.bincount(codes, w, k), np.bincount(codes, w * y, k)
        total_n, total_s = n.sum(), s.sum()
        squares = float((w * y * y).sum()) - total_s**2 / total_n
        used = int((n > 0).sum())
        between = float((s[n > 0] ** 2 / n[n > 0]).sum()) - total_s**2 / total_n
        within = squares - between
        left = max(total_n - used, 1)
        found[i] = 1 - (within / left) / (squares / max(total_n - 1, 1)) if squares > 0 else 0.0
    return found
