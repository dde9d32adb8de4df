"""A driver opened: its effect large with band and rows, and what it does together with another column."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Sequence

import numpy as np

from night_trail.core.conditions import AllOf, Condition
from night_trail.core.language.numbers import value
from night_trail.core.questions.drivers.answer import Driver, DriversAnswer, Pair
from night_trail.core.questions.drivers.effects import Effect
from night_trail.core.questions.drivers.features import Feature
from night_trail.core.questions.drivers.words import signed
from night_trail.core.table import Table
from night_trail.draw.frame.canvas import UNCOUNTED, Canvas, Size, column_ticks, label, line
from night_trail.draw.frame.scales import Linear, Tick, ticks
from night_trail.draw.frame.svg import Svg, el
from night_trail.draw.frame.text import shortened

ROWS_TALL = 34.0
GRID = 0.4
"""The part of the width that two columns together take."""


def draw_opened(answer: DriversAnswer, one: Driver, table: Table, size: Size, prefix: str) -> Canvas:
    """Return the effect of one driver; beside it, where there is room, the pair it acts most with."""
    canvas = Canvas(size, prefix, has_lit=False)
    effect = one.effect
    assert effect is not None  # noqa: S101  (only drivers with an effect are opened)
    pair = next((p for p in answer.pairs if effect.feature in (p.one, p.other)), None)
    if canvas.labelled:
        canvas.left, canvas.right, canvas.top = 70.0, 14.0, 26.0 if canvas.full else 8.0
        canvas.bottom = 46.0 + ROWS_TALL if canvas.full else 24.0
    else:
        canvas.left = canvas.right = canvas.top = canvas.bottom = 1.0
    start, end = canvas.x_start, canvas.x_end
    effect_end = start + (1 - GRID) * (end - start) - 60.0 if canvas.full and pair is not None else end
    _effect(canvas, answer, effect, start, effect_end)
    if canvas.full and pair is not None:
        _grid(canvas, answer, pair, effect.feature, effect_end + 110.0, end)
    return canvas


def _said(feature: Feature) -> Callable[[float], str]:
    """Return how a place of a feature is written."""
    if feature.labels:
        return lambda at: feature.labels[int(at)]
    column = feature.column
    return lambda at: value(at, column.kind, column.unit)


def _condition(feature: Feature, at: Sequence[float], i: int) -> Condition | None:
    """Return the rows nearest to a place."""
    if feature.labels:
        return feature.condition([int(at[i])])
    middles = [(a + b) / 2 for a, b in itertools.pairwise(at)]
    low, high = (middles[i - 1] if i else None), (middles[i] if i < len(middles) else None)
    return None if low is None and high is None else feature.between(low, high)


def _effect(canvas: Canvas, answer: DriversAnswer, effect: Effect, start: float, end: float) -> None:
    feature, written = effect.feature, signed(answer)
    shown = np.arange(len(effect.at))
    if feature.labels:
        shown = np.argsort(-effect.n, kind="stable")[:24]
        shown = shown[np.argsort(effect.at[shown])]
    at, middle, half, n = (part[shown] for part in (effect.at, effect.effect, effect.half, effect.n))
    low, high = min(float((middle - half).min()), 0.0), max(float((middle + half).max()), 0.0)
    y = Linear(low, high if high > low else low + 1.0, canvas.y_end, canvas.y_start)
    step = (end - start) / max(len(at), 1)
    if feature.labels:
        x: Callable[[float], float] = lambda i: start + (i + 0.5) * step  # noqa: E731
        places = [x(i) for i in range(len(at))]
    else:
        scale = Linear(float(at.min()), float(at.max()) or 1.0, start, end)
        places = [scale(float(one)) for one in at]
        canvas.x = scale
    canvas.y = y
    if canvas.labelled:
        factor = 100.0 if answer.is_share else 1.0
        found = [
            Tick(t.at / factor, written(t.at / factor)) for t in ticks(factor * y.low, factor * y.high, 5)
        ]
        for tick in found:
            canvas.under.append(line(start, y(tick.at), end, y(tick.at), "grid"))
            canvas.over.append(label(tick.label, start - 10, y(tick.at) + 4, "end"))
        canvas.under.append(line(start, y(0.0), end, y(0.0), "axis"))
    if feature.labels:
        _points(canvas, places, [feature.labels[int(k)] for k in at], middle, half, y, step)
    else:
        _curve(canvas, places, middle, half, y)
        if canvas.labelled:
            spots = column_ticks(
                feature.column, scale.low, scale.high, max(2, int((end - start) / 90)), False
            )
            base = canvas.y_end + (ROWS_TALL if canvas.full else 0.0) + 18
            canvas.over += [label(t.label, scale(t.at), base, "middle") for t in spots]
    if canvas.full:
        what = answer.column.name if not answer.is_share else f"share of {answer.value}"
        canvas.over.append(
            label(f"what {feature.name} does to {what}", start, canvas.y_start - 10, "start", "axis-title")
        )
        _rows(canvas, feature, at, middle, n, places, written)
        bottom = canvas.y_end + ROWS_TALL + 38
        canvas.over.append(
            label(f"{feature.name}; bars: rows", (start + end) / 2, bottom, "middle", "axis-title")
        )


def _curve(canvas: Canvas, places: list[float], middle: np.ndarray, half: np.ndarray, y: Linear) -> None:
    both = list(zip(places, middle, half, strict=True))
    above = [f"{x:.1f} {y(float(m + h)):.1f}" for x, m, h in both]
    below = [f"{x:.1f} {y(float(m - h)):.1f}" for x, m, h in both]
    canvas.under.append(el("path", class_="fit-band", d=f"M{'L'.join(above)}L{'L'.join(below[::-1])}Z"))
    course = "L".join(f"{x:.1f} {y(float(m)):.1f}" for x, m, _ in both)
    canvas.over.append(el("path", class_="fit", d=f"M{course}"))


def _points(
    canvas: Canvas,
    places: list[float],
    names: list[str],
    middle: np.ndarray,
    half: np.ndarray,
    y: Linear,
    step: float,
) -> None:
    for x, name, m, h in zip(places, names, middle, half, strict=True):
        canvas.over.append(line(x, y(float(m - h)), x, y(float(m + h)), "importance-spread"))
        canvas.over.append(el("circle", class_="dot", cx=x, cy=y(float(m)), r=4.0 if canvas.full else 2.5))
        if canvas.full and step > 34:
            text = shortened(name, step - 6, 11.5)
            canvas.over.append(label(text, x, canvas.y_end + ROWS_TALL + 18, "middle"))


def _rows(
    canvas: Canvas,
    feature: Feature,
    at: np.ndarray,
    middle: np.ndarray,
    n: np.ndarray,
    places: list[float],
    written: Callable[[float], str],
) -> None:
    """Draw how many rows stand at each place, each bar a mark that lights them."""
    most, said = float(n.max()) or 1.0, _said(feature)
    base = canvas.y_end + ROWS_TALL
    edges = [places[0], *((a + b) / 2 for a, b in itertools.pairwise(places)), places[-1]]
    if feature.labels and len(places) > 1:
        wide = places[1] - places[0]
        edges[0], edges[-1] = places[0] - wide / 2, places[-1] + wide / 2
    for i, (x0, x1) in enumerate(itertools.pairwise(edges)):
        high = max((ROWS_TALL - 8) * float(n[i]) / most, 0.8)
        key = f"rows\x1f{feature.name}\x1f{i}"
        bar = el(
            "rect",
            class_="bar",
            id=canvas.id("n", key),
            x=x0 + 0.5,
            y=base - high,
            width=max(x1 - x0 - 1, 0.8),
            height=high,
        )
        condition = _condition(feature, at.tolist(), i)
        if condition is None:
            canvas.over.append(bar)
            continue
        card = [f"{feature.name} about {said(float(at[i]))}", f"{written(float(middle[i]))}", "light these"]
        canvas.mark(bar, None, key, condition, card, UNCOUNTED)


def _grid(
    canvas: Canvas, answer: DriversAnswer, pair: Pair, first: Feature, start: float, end: float
) -> None:
    """Draw what two columns do together: a cell each few values of both, its colour how far from the mean."""
    turned = pair.one != first
    one, other = (pair.other, pair.one) if turned else (pair.one, pair.other)
    grid = pair.grid.T if turned else pair.grid
    ats = (pair.at[1], pair.at[0]) if turned else pair.at
    written = signed(answer)
    most = float(np.abs(grid).max()) or 1.0
    wide, tall = (end - start) / grid.shape[0], (canvas.y_end - canvas.y_start) / grid.shape[1]
    names = _said(one), _said(other)
    canvas.over.append(
        label(f"together with {other.name}", start, canvas.y_start - 10, "start", "axis-title")
    )
    for j, at in enumerate(ats[1]):
        y = canvas.y_end - (j + 0.5) * tall + 4
        canvas.over.append(label(shortened(names[1](float(at)), 62, 11.5), start - 6, y, "end"))
    for i, at in enumerate(ats[0]):
        if wide > 30 or i in (0, len(ats[0]) - 1):
            x = start + (i + 0.5) * wide
            canvas.over.append(
                label(shortened(names[0](float(at)), max(wide, 40), 11.5), x, canvas.y_end + 16, "middle")
            )
        for j, up in enumerate(ats[1]):
            _cell(
                canvas,
                written,
                (one, other),
                ats,
                (i, j),
                float(grid[i, j]) / most,
                float(grid[i, j]),
                start,
                wide,
                tall,
                names[0](float(at)),
                names[1](float(up)),
            )


def _cell(
    canvas: Canvas,
    written: Callable[[float], str],
    features: tuple[Feature, Feature],
    ats: tuple[np.ndarray, np.ndarray],
    at: tuple[int, int],
    share: float,
    size: float,
    start: float,
    wide: float,
    tall: float,
    one: str,
    other: str,
) -> None:
    i, j = at
    shape: Svg = el(
        "rect",
        class_="pair-more" if size >= 0 else "pair-less",
        id=canvas.id("p", f"{i}-{j}"),
        x=start + i * wide + 0.5,
        y=canvas.y_end - (j + 1) * tall + 0.5,
        width=max(wide - 1, 1.0),
        height=max(tall - 1, 1.0),
        fill_opacity=f"{max(abs(share), 0.04):.2f}",
    )
    parts = [_condition(f, a.tolist(), k) for f, a, k in zip(features, ats, at, strict=True)]
    named = tuple(p for p in parts if p is not None)
    card = [f"{features[0].name} {one}, {features[1].name} {other}", written(size), "light these"]
    if len(named) == 2:
        canvas.mark(shape, None, f"pair\x1f{i}\x1f{j}", AllOf(named), card, UNCOUNTED)
    else:
        canvas.over.append(shape)
