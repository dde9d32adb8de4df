"""Where a series changes its level or the slope of its trend, its seasons fitted beside."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

import numpy as np

from night_trail.core.stats.seasons import overtones, waves
from night_trail.core.table import Floats

MOST_EXACT = 4_000
"""Longer series are looked at in blocks, each of them a mean."""

MOST_CHANGES = 8
COST = 4
"""How many parameters of BIC a change costs: its place can be chosen among many."""

SLOPE_LASTS = 2
"""How many times as long as a level a slope must last on both sides of its turn."""

SHARP = 0.5
"""How much of a step must show between the values right before and right after it."""

WANDERS, TURNS = 0.7, 3.5
"""Where what is left wanders so, a slope must turn by so many standard errors of the steps."""

MOST_BENDS = 5
"""A smooth curve of this degree that fits as well is no break of trend."""


@dataclass(frozen=True)
class Change:
    """A change at a position: the step in level there, and the slopes before and after, per period."""

    at: int
    step: float
    slope_before: float
    slope_after: float
    level: bool


@dataclass(frozen=True)
class Changed:
    """The changes of a series, and what they add to it: steps and turns alone, from 0 on."""

    changes: tuple[Change, ...]
    part: Floats


Kind = Literal["step", "turn"]
Chosen = tuple[int, Kind]


def changes(values: Floats, least: int, periods: tuple[int, ...] = ()) -> Changed:
    """Return the changes of level and slope of a series that may have seasons.

    Steps, turns of the slope, a straight trend and the waves of every season are
    fitted together by least squares, so that a long season cannot swallow a step
    nor a step pass for a season. Changes are added one at a time, the best of all
    places first, all places looked at anew each time (sequential least squares,
    after Bai & Perron 1998); how many there are is chosen by BIC of errors that
    are an autoregression of order 1, without which noise that clings to itself
    would change. A step must show right where it is, and a turn must beat a
    smooth curve; in what wanders it must stand out from the steps.

    Parameters
    ----------
    values
        One dimension, no NaN.
    least
        The fewest periods a level or slope must last.
    periods
        The seasons that may be there, in values a round.
    """
    n = len(values)
    block = math.ceil(n / MOST_EXACT)
    if block > 1:
        whole = values[: n // block * block].reshape(-1, block).mean(axis=1)
        found = changes(whole, max(3, least // block), tuple(p // block for p in periods if p // block > 1))
        moved = tuple(
            Change(c.at * block, c.step, c.slope_before / block, c.slope_after / block, c.level)
            for c in found.changes
        )
        return Changed(
            moved, np.interp(np.arange(n), (np.arange(len(whole)) + 0.5) * block - 0.5, found.part)
        )
    least = max(3, least)
    nothing = Changed((), np.zeros(n))
    if n < max(2 * least, 12) or float(np.ptp(values)) == 0:
        return nothing
    at = np.linspace(-1, 1, n)
    seasons = [waves(n, p, overtones(n, p)) for p in periods if 2 * p <= n]
    ground = np.column_stack([np.ones(n), at, *seasons])
    if ground.shape[1] + 8 > n:
        return nothing
    chosen = _without_curves(values, ground, _chosen(values, ground, least), least)
    chosen = _that_show(values, ground, chosen, least)
    if not chosen:
        return nothing
    sizes, slope = _sizes(values, ground, chosen)
    part = np.column_stack([_basis(n, c) for c in chosen]) @ sizes
    return Changed(_described(chosen, sizes, slope), part)


def _basis(n: int, change: Chosen) -> Floats:
    at, kind = change
    t = np.arange(n, dtype=np.float64)
    return (t >= at).astype(np.float64) if kind == "step" else np.maximum(t - at, 0.0)


def _with(ground: Floats, chosen: list[Chosen]) -> Floats:
    return np.column_stack([ground, *(_basis(len(ground), c) for c in chosen)])


def _off(values: Floats, x: Floats) -> tuple[Floats, Floats]:
    """Return an orthonormal basis of the columns, and the values without what these explain."""
    q = np.linalg.qr(x)[0]
    return q, values - q @ (q.T @ values)


def _bic(rest: Floats, changes_: int) -> float:
    n, whole = len(rest), float(rest @ rest)
    tied = min(max(float(rest[:-1] @ rest[1:]) / whole, 0.0), 0.9999) if whole > 0 else 0.0
    return n * math.log(max(whole / n * (1 - tied**2), 1e-300)) + COST * changes_ * math.log(n)


def _best(q: Floats, rest: Floats, least: int, taken: list[Chosen]) -> Chosen | None:
    """Return the step or turn that explains most of what is left; all places at once, by running sums."""
    n = len(rest)
    place = np.arange(n)
    tails, left = np.cumsum(q[::-1], axis=0)[::-1], np.cumsum(rest[::-1])[::-1]
    long = (n - place).astype(np.float64)
    own = long - (tails**2).sum(axis=1)
    steps = np.where(own > 1e-6 * long, left**2 / np.maximum(own, 1e-12), 0.0)
    # a turn's slope is the sum of the steps behind it
    turned = np.vstack([np.cumsum(tails[::-1], axis=0)[::-1][1:], np.zeros((1, q.shape[1]))])
    behind = np.append(np.cumsum(left[::-1])[::-1][1:], 0.0)
    m = long - 1
    squares = m * (m + 1) * (2 * m + 1) / 6
    own = squares - (turned**2).sum(axis=1)
    turns = np.where(own > 1e-6 * np.maximum(squares, 1.0), behind**2 / np.maximum(own, 1e-12), 0.0)
    able = (place >= least) & (place <= n - least)
    for at, _ in taken:
        able &= np.abs(place - at) >= least
    lasts = (place >= SLOPE_LASTS * least) & (place <= n - SLOPE_LASTS * least)
    steps, turns = np.where(able, steps, 0.0), np.where(able & lasts, turns, 0.0)
    i, j = int(steps.argmax()), int(turns.argmax())
    if max(steps[i], turns[j]) <= 0:
        return None
    return (i, "step") if steps[i] >= turns[j] else (j, "turn")


def _chosen(values: Floats, ground: Floats, least: int) -> list[Chosen]:
    """Return the changes of which BIC is least, sought forward and then backward."""
    chosen: list[Chosen] = []
    q, rest = _off(values, ground)
    tried = [(_bic(rest, 0), chosen)]
    for _ in range(MOST_CHANGES):
        found = _best(q, rest, least, chosen)
        if found is None:
            break
        chosen = [*chosen, found]
        for _ in range(2):
            for k in range(len(chosen)):
                others = chosen[:k] + chosen[k + 1 :]
                moved = _best(*_off(values, _with(ground, others)), least, others)
                chosen[k] = moved or chosen[k]
        q, rest = _off(values, _with(ground, chosen))
        tried.append((_bic(rest, len(chosen)), list(chosen)))
        # two that together are worth it can hide each other: one more is tried before giving up
        if len(tried) > 3 and tried[-1][0] > tried[-2][0] > tried[-3][0]:
            break
    best, chosen = min(tried, key=lambda t: t[0])
    while chosen:
        less = [chosen[:k] + chosen[k + 1 :] for k in range(len(chosen))]
        costs = [_bic(_off(values, _with(ground, c))[1], len(c)) for c in less]
        k = int(np.argmin(costs))
        if costs[k] >= best:
            break
        best, chosen = costs[k], less[k]
    return chosen


def _without_curves(values: Floats, ground: Floats, chosen: list[Chosen], least: int) -> list[Chosen]:
    """Return the changes without turns, where a smooth curve beside the steps fits as well."""
    turns = [c for c in chosen if c[1] == "turn"]
    if not turns:
        return chosen
    steps = [c for c in chosen if c[1] == "step"]
    cost = _bic(_off(values, _with(ground, chosen))[1], len(chosen))
    at = np.linspace(-1, 1, len(values))
    for degree in range(2, MOST_BENDS + 1):
        curve = np.polynomial.legendre.legvander(at, degree)[:, 2:]
        smooth = np.column_stack([_with(ground, steps), curve])
        # two bends cost what a change does
        bends = max(1.0, (degree - 1) / 2)
        rest = _off(values, smooth)[1]
        if _bic(rest, len(steps)) + COST * bends * math.log(len(values)) <= cost:
            # what was a step may have been a part of the curve
            again = _chosen(values, np.column_stack([ground, curve]), least)
            return [c for c in again if c[1] == "step"]
    return chosen


def _that_show(values: Floats, ground: Floats, chosen: list[Chosen], least: int) -> list[Chosen]:
    """Return the changes that are where they are said to be, and not a wandering's way from here to there."""
    while chosen:
        x = _with(ground, chosen)
        sizes = np.linalg.lstsq(x, values, rcond=None)[0]
        rest = values - x @ sizes
        whole = float(rest @ rest)
        tied = float(rest[:-1] @ rest[1:]) / whole if whole > 0 else 0.0
        steps = np.diff(values - ground @ sizes[: ground.shape[1]])
        noise = 1.4826 * float(np.median(np.abs(steps - np.median(steps))))
        edges = sorted(at for at, _ in chosen)
        odd = None
        for k, (at, kind) in enumerate(chosen):
            size = float(sizes[ground.shape[1] + k])
            if kind == "step":
                # beside the step alone: what else changes is taken out, and so is the season
                others = values - x @ sizes + size * _basis(len(values), (at, kind))
                near = min(least, 5)
                shown_ = float(np.median(others[at : at + near]) - np.median(others[max(at - near, 0) : at]))
                fails = shown_ * np.sign(size) < SHARP * abs(size)
            else:
                before = at - max([e for e in edges if e < at], default=0)
                after = min([e for e in edges if e > at], default=len(values)) - at
                error = noise * math.sqrt(1 / max(before, 1) + 1 / max(after, 1))
                fails = tied > WANDERS and abs(size) < TURNS * error
            if fails:
                odd = k
                break
        if odd is None:
            return chosen
        chosen = chosen[:odd] + chosen[odd + 1 :]
    return chosen


def _sizes(values: Floats, ground: Floats, chosen: list[Chosen]) -> tuple[Floats, float]:
    """Return the size of each change, and the slope of the trend before any, per period."""
    found = np.asarray(np.linalg.lstsq(_with(ground, chosen), values, rcond=None)[0], dtype=np.float64)
    return found[ground.shape[1] :], float(found[1]) * 2 / (len(values) - 1)


def _described(chosen: list[Chosen], sizes: Floats, slope: float) -> tuple[Change, ...]:
    made = []
    for (at, kind), size in sorted(zip(chosen, sizes.tolist(), strict=True)):
        after = slope if kind == "step" else slope + size
        made.append(Change(at, size if kind == "step" else 0.0, slope, after, kind == "step"))
        slope = after
    return tuple(made)
