"""The shape of an effect: a step, a line, lowest or highest in the middle, a value apart from the rest."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

import numpy as np

from night_trail.core.conditions import Condition
from night_trail.core.moments import DAY
from night_trail.core.questions.drivers.features import OTHERS, Feature
from night_trail.core.table import Floats, Kind

Shape = Literal["step", "line", "valley", "hill", "curve", "values", "flat"]
IS_STEP, IS_LINE, IS_BENT = 0.85, 0.93, 0.4


@dataclass(frozen=True)
class Effect:
    """What a column does to the target, around its mean.

    ``at`` are values, or codes of a category; ``effect`` has shape (values,), in
    the target's unit, ``half`` how far either side of it the folds' effects lie,
    ``n`` how many rows each stands for. ``missing`` is the effect of having no value.
    """

    feature: Feature
    at: Floats
    effect: Floats
    half: Floats
    n: Floats
    missing: float | None

    @property
    def size(self) -> float:
        """How far its lowest and highest lie apart, over values that some rows have."""
        enough = self.n >= 0.01 * self.n.sum()
        seen = self.effect[enough] if enough.any() else self.effect
        return float(np.ptp(seen)) if len(seen) else 0.0


@dataclass(frozen=True)
class Said:
    """An effect in short: its shape, where it turns or steps, by how much, and the rows where it is highest.

    ``by`` is a step's height, or a line's slope for ``each`` so much of the column;
    ``values`` are the codes of a category, the highest first.
    """

    shape: Shape
    by: float
    turn: float | None = None
    each: float = 1.0
    values: tuple[int, ...] = ()
    rows: Condition | None = None


COARSER = 0.8
"""A coarser category is shown in a finer one's place where it keeps so much of what that does."""


def coarser(one: Effect, feature: Feature, parents: dict[int, int]) -> Effect | None:
    """Return an effect of a category by a coarser one that its values belong to; None where that loses much.

    ``parents`` has the coarser code of each code.
    """
    codes = np.array([parents.get(int(k), -1) for k in one.at])
    if (codes < 0).any():
        return None
    at = np.unique(codes)
    place = np.searchsorted(at, codes)
    n = np.bincount(place, weights=one.n).astype(np.float64)
    safe = np.maximum(n, 1e-12)
    effect = np.bincount(place, weights=one.n * one.effect) / safe
    half = np.bincount(place, weights=one.n * one.half) / safe
    kept = float((n * effect**2).sum()) / (float((one.n * one.effect**2).sum()) or 1.0)
    if kept < COARSER or len(at) < 2:
        return None
    return Effect(feature, at.astype(np.float64), effect, half, n, one.missing)


def said(one: Effect) -> Said:
    """Return the shape of an effect."""
    if not len(one.at) or one.size == 0:
        return Said("flat", 0.0)
    return _of_values(one) if one.feature.labels else _of_numbers(one)


def _of_values(one: Effect) -> Said:
    enough = np.flatnonzero(one.n >= 0.005 * one.n.sum())
    named = [i for i in enough if one.feature.labels[int(one.at[i])] != OTHERS]
    able = [int(i) for i in (named or range(len(one.at)))]
    order = sorted(able, key=lambda i: -float(one.effect[i]))
    codes = tuple(int(one.at[i]) for i in order)
    # the value that stands furthest from the others' mean is the one that is named
    far = max((order[0], order[-1]), key=lambda i: abs(_against_rest(one, i)))
    by = float(_against_rest(one, far))
    values = codes if far == order[0] else codes[::-1]
    return Said("values", by, values=values, rows=one.feature.condition([values[0]]))


def _against_rest(one: Effect, i: int) -> float:
    rest = one.n.sum() - one.n[i]
    others = float((one.n * one.effect).sum() - one.n[i] * one.effect[i]) / rest if rest > 0 else 0.0
    return float(one.effect[i]) - others


def _of_numbers(one: Effect) -> Said:
    n, effect, at = one.n, one.effect, one.at
    weight = n / n.sum()
    mean = float((weight * effect).sum())
    whole = float((weight * (effect - mean) ** 2).sum())
    if whole <= 0:
        return Said("flat", 0.0)
    low_side, best, place = _step(effect, weight, whole)
    centred = at - float((weight * at).sum())
    across = float((weight * centred**2).sum())
    slope = float((weight * centred * effect).sum()) / across if across > 0 else 0.0
    straight = slope**2 * across / whole
    top = int(np.argmax(effect))
    if best >= IS_STEP and best > straight + 0.02:
        turn = rounded((at[place] + at[place + 1]) / 2, at, one.feature)
        high = low_side > 0
        rows = one.feature.between(turn, None) if high else one.feature.between(None, turn)
        return Said("step", abs(low_side), turn, rows=rows, values=(1 if high else -1,))
    if straight >= IS_LINE:
        third = rounded(float(np.quantile(at, 0.75 if slope > 0 else 0.25)), at, one.feature)
        rows = one.feature.between(third, None) if slope > 0 else one.feature.between(None, third)
        each = _round_each(float(np.ptp(at)))
        return Said("line", slope * each, each=each, rows=rows)
    bottom = int(np.argmin(effect))
    size = float(np.ptp(effect))
    ends = min(effect[0], effect[-1]) - effect[bottom], effect[top] - max(effect[0], effect[-1])
    if ends[0] >= IS_BENT * size or ends[1] >= IS_BENT * size:
        valley = ends[0] >= ends[1]
        turn = rounded(float(at[bottom if valley else top]), at, one.feature)
        side = 0 if effect[0] > effect[-1] else -1
        edge = float(at[1] if side == 0 else at[-2])
        rows = one.feature.between(None, edge) if side == 0 else one.feature.between(edge, None)
        if not valley:
            near = effect >= effect[top] - size / 4
            rows = one.feature.between(float(at[near][0]), float(at[near][-1]) if not near[-1] else None)
        return Said("valley" if valley else "hill", size, turn, rows=rows)
    if top >= len(at) / 2:
        rows = one.feature.between(float(at[max(top - 1, 0)]), None)
    else:
        rows = one.feature.between(None, float(at[min(top + 1, len(at) - 1)]))
    rising = effect[-1] > effect[0]
    return Said("curve", size if rising else -size, rows=rows)


def _step(effect: Floats, weight: Floats, whole: float) -> tuple[float, float, int]:
    """Return the step that fits an effect best: its height, what it explains, and the place before it.

    All have shape (values,), without NaN.
    """
    best = (0.0, -1.0, 0)
    for place in range(len(effect) - 1):
        w = float(weight[: place + 1].sum())
        if not 0.005 < w < 0.995:
            continue
        low = float((weight[: place + 1] * effect[: place + 1]).sum()) / w
        high = float((weight[place + 1 :] * effect[place + 1 :]).sum()) / (1 - w)
        explained = w * (1 - w) * (high - low) ** 2 / whole
        if explained > best[1]:
            best = (high - low, explained, place)
    return best


def rounded(value: float, at: Floats, feature: Feature) -> float:
    """Return a place that can be read, to a hundredth of what the column spans.

    ``at`` has shape (values,), without NaN.
    """
    if feature.column.kind.temporal:
        return float(round(value / DAY) * DAY)
    if feature.column.kind == Kind.WHOLE:
        return float(math.ceil(value))
    span = float(np.ptp(at))
    return round(float(value), 2 - math.floor(math.log10(span))) if span > 0 else float(value)


def _round_each(span: float) -> float:
    """Return for how much of a column a slope is said: one, or a power of ten that is a part of its span."""
    if 1 <= span < 1_000:
        return 1.0
    return float(10.0 ** math.floor(math.log10(span / 10))) if span > 0 else 1.0
