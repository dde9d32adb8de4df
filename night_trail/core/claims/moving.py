"""Claims that two numbers move together."""

from __future__ import annotations

import math

import numpy as np

from night_trail.core.claims.claim import Moves
from night_trail.core.claims.verdict import Verdict, ends_of, held_of_100, state_of, together
from night_trail.core.rows import Rows
from night_trail.core.stats.redraws import draws, sums, turned_by
from night_trail.core.table import Floats, Ints


def moves(claim: Moves, rows: Rows) -> Verdict:
    """Return whether two numbers move together, by Pearson's correlation."""
    x, y = (rows.table.axis(name).values for name in (claim.x, claim.y))
    at = np.flatnonzero(rows.keeps & ~np.isnan(x) & ~np.isnan(y))
    x, y = x[at], y[at]
    if len(at) < 3 or np.ptp(x) == 0 or np.ptp(y) == 0:
        return Verdict("fails", math.nan, n=len(at))
    x, y = (x - x.mean()) / x.std(), (y - y.mean()) / y.std()
    sign = -1.0 if claim.down else 1.0
    bag, n_bags, by = together(rows, at, y)
    drawn = draws(n_bags)
    parts = np.stack([sums(bag, n_bags, v) for v in (np.ones(len(x)), x, y, x * x, y * y, x * y)], axis=1)
    r = float((x * y).mean())
    rs = _correlations(drawn @ parts)
    margin = sign * r - claim.least
    redraws = held_of_100(sign * rs - claim.least)
    influence = sign * (x * y - r * (x * x + y * y) / 2)
    whole = parts.sum(axis=0)

    def left(out: Ints) -> float:
        gone = [float(v[out].sum()) for v in (np.ones(len(x)), x, y, x * x, y * y, x * y)]
        return float(sign * _correlations((whole - gone)[None, :])[0] - claim.least)

    turns = turned_by(influence, left) if margin > 0 else None
    return Verdict(state_of(margin, redraws), r, *ends_of(rs), redraws, by, len(at), turns)


def _correlations(parts: Floats) -> Floats:
    """Return correlations from sums of 1, x, y, xx, yy and xy, shape (draws, 6)."""
    n, sx, sy, sxx, syy, sxy = parts.T
    with np.errstate(invalid="ignore", divide="ignore"):
        found: Floats = (n * sxy - sx * sy) / np.sqrt((n * sxx - sx * sx) * (n * syy - sy * sy))
    return found
