"""Claims that a measure repeats."""

from __future__ import annotations

import math

import numpy as np

from night_trail.core.claims.claim import Repeats
from night_trail.core.claims.verdict import Verdict, held_of_100, state_of
from night_trail.core.moments import GrainName
from night_trail.core.questions.decomposition.answer import DecompositionAnswer, apart
from night_trail.core.questions.decomposition.question import Decomposition
from night_trail.core.rows import Rows
from night_trail.core.stats.redraws import SLOW_DRAWS
from night_trail.core.table import Floats

GRAINS: dict[str, GrainName] = {"year": "month", "week": "day", "day": "hour"}
PERIODS = {"year": 12, "week": 7, "day": 24}


def repeats(claim: Repeats, rows: Rows) -> Verdict:
    """Return whether a season shows, and how often its shape is shared where rounds are drawn anew."""
    answer = apart(Decomposition(claim.measure, claim.time, GRAINS[claim.every]), rows)
    period = PERIODS[claim.every]
    parts = answer.parts
    n = int(answer.n.sum())
    if parts is None or period not in parts.periods:
        return Verdict("fails", 0.0, n=n, drawn=f"{claim.every}s")
    strength = parts.strengths[parts.periods.index(period)]
    explained = _rounds_explained(answer, period)
    if explained is None:
        return Verdict("holds", strength, n=n, drawn=f"{claim.every}s")
    redraws = held_of_100(explained)
    return Verdict(state_of(strength, redraws), strength, math.nan, math.nan, redraws, f"{claim.every}s", n)


def _rounds_explained(answer: DecompositionAnswer, period: int) -> Floats | None:
    """Return for rounds drawn anew by how much their common shape explains more than chance gives it.

    None where fewer than three rounds are whole. Shape (draws,).
    """
    assert answer.parts is not None  # noqa: S101  (asked only of parts)
    parts = answer.parts
    rest = parts.values - parts.trend if parts.way == "added" else parts.values / parts.trend
    rest = np.where(np.isfinite(rest), rest, np.nan)
    whole = len(rest) // period
    if whole < 3:
        return None
    rounds = rest[-whole * period :].reshape(whole, period)
    rounds = rounds - np.nanmean(rounds, axis=1, keepdims=True)

    def share(of: Floats) -> float:
        mean = np.nanmean(of, axis=0)
        total = float(np.nansum(of**2))
        return float(len(of) * np.nansum(mean**2)) / total if total else 0.0

    rng = np.random.default_rng(whole)
    by_chance = []
    for _ in range(SLOW_DRAWS * 2):
        turned = np.stack([np.roll(one, rng.integers(period)) for one in rounds])
        by_chance.append(share(turned))
    level = float(np.quantile(by_chance, 0.95))
    return np.array([share(rounds[rng.integers(0, whole, whole)]) - level for _ in range(SLOW_DRAWS)])
