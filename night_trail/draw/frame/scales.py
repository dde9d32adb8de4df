"""From data to pixels: linear axes, lanes of groups, ticks and their labels."""

from __future__ import annotations

import datetime as dt
import math
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Any

import numpy as np

from night_trail.core.annotations import At
from night_trail.core.language.numbers import MINUS, number
from night_trail.core.moments import DAY, HOUR, seconds_of, when
from night_trail.core.table import Floats, Kind


@dataclass(frozen=True)
class Linear:
    """Numbers from ``low`` to ``high`` on pixels from ``start`` to ``end``."""

    low: float
    high: float
    start: float
    end: float

    def __call__(self, value: float) -> float:
        """Return the pixel of a value."""
        span = (self.high - self.low) or 1.0
        return self.start + (value - self.low) / span * (self.end - self.start)

    def all(self, values: Floats) -> Floats:
        """Return the pixels of many values.

        Shape (n,); NaN stays NaN.
        """
        span = (self.high - self.low) or 1.0
        return self.start + (values - self.low) / span * (self.end - self.start)

    def place(self, at: At) -> float:
        """Return the pixel of an anchor, kept inside the axis; a lane's anchor goes to the middle."""
        if isinstance(at, tuple):
            return (self.start + self.end) / 2
        low, high = sorted((self.start, self.end))
        return min(max(self(at), low), high)

    def described(self) -> dict[str, Any]:
        """Return what a script needs to turn pixels into places."""
        return {"domain": [self.low, self.high], "range": [round(self.start, 2), round(self.end, 2)]}


@dataclass(frozen=True)
class Log(Linear):
    """Numbers above 0 by their logarithms."""

    def __call__(self, value: float) -> float:
        """Return the pixel of a value; one that has no logarithm stands at the low end."""
        if value <= 0:
            return self.start
        low, high = math.log10(self.low), math.log10(self.high)
        return self.start + (math.log10(value) - low) / ((high - low) or 1.0) * (self.end - self.start)

    def all(self, values: Floats) -> Floats:
        """Return the pixels of many values.

        Shape (n,); NaN stays NaN.
        """
        low, high = math.log10(self.low), math.log10(self.high)
        with np.errstate(divide="ignore", invalid="ignore"):
            shares = (np.log10(values) - low) / ((high - low) or 1.0)
        return np.where(values <= 0, self.start, self.start + shares * (self.end - self.start))

    def described(self) -> dict[str, Any]:
        """Return what a script needs to turn pixels into places."""
        return {**super().described(), "log": True}


@dataclass(frozen=True)
class Upright(Linear):
    """Latitudes by their sines, so that areas stay true (Lambert 1772)."""

    def __call__(self, value: float) -> float:
        """Return the pixel of a latitude."""
        low, high, at = (math.sin(math.radians(one)) for one in (self.low, self.high, value))
        return self.start + (at - low) / ((high - low) or 1.0) * (self.end - self.start)

    def all(self, values: Floats) -> Floats:
        """Return the pixels of many latitudes.

        Shape (n,); NaN stays NaN.
        """
        low, high = math.sin(math.radians(self.low)), math.sin(math.radians(self.high))
        shares = (np.sin(np.radians(values)) - low) / ((high - low) or 1.0)
        return np.asarray(self.start + shares * (self.end - self.start))

    def described(self) -> dict[str, Any]:
        """Return what a script needs to turn pixels into places."""
        return {**super().described(), "sine": True}


@dataclass(frozen=True)
class Lanes:
    """Groups one below the other: each key owns an equal part of the pixels."""

    keys: tuple[str, ...]
    start: float
    end: float

    @property
    def step(self) -> float:
        """The height of one lane in pixels."""
        return (self.end - self.start) / max(len(self.keys), 1)

    def top(self, position: int) -> float:
        """Return the pixel where a lane begins."""
        return self.start + position * self.step

    def place(self, at: At) -> float:
        """Return the pixel of an anchor; one whose group is gone goes to the middle."""
        if isinstance(at, tuple) and at[0] in self.keys:
            return self.top(self.keys.index(at[0])) + at[1] * self.step
        return (self.start + self.end) / 2

    def described(self) -> dict[str, Any]:
        """Return what a script needs to turn pixels into places."""
        return {"keys": list(self.keys), "range": [round(self.start, 2), round(self.end, 2)]}


Scale = Linear | Lanes


@dataclass(frozen=True)
class Tick:
    """A place on an axis and its label."""

    at: float
    label: str


def ticks(low: float, high: float, wanted: int, whole: bool = False) -> list[Tick]:
    """Return about as many round ticks as wanted (extended Wilkinson, Talbot, Lin & Hanrahan 2010)."""
    if not math.isfinite(low) or not math.isfinite(high) or high <= low:
        return [Tick(low, number(low))]
    from mizani.breaks import breaks_extended  # noqa: PLC0415  (slow import)

    near = 1e-9 * (high - low)
    places: list[float] = []
    for n in range(max(2, wanted), max(2, wanted) + 4):
        places = [float(b) for b in breaks_extended(n=n)((low, high))]
        places = [p for p in places if low - near <= p <= high + near and (not whole or p == int(p))]
        if len(places) > 1:
            break  # one place alone does not tell how long anything is
    return [Tick(p, label) for p, label in zip(places, tick_labels(places), strict=True)]


def percent_ticks(low: float, high: float, wanted: int) -> list[Tick]:
    r"""Return round ticks of shares, written as per cents.

    >>> [t.label for t in percent_ticks(0.0, 1.0, 2)]
    ['0\u2009%', '100\u2009%']
    """
    return [Tick(t.at / 100, f"{t.label}\u2009%") for t in ticks(100 * low, 100 * high, wanted)]


def log_ticks(low: float, high: float, wanted: int) -> list[Tick]:
    """Return ticks at 1, 2 and 5 times powers of ten, or at powers alone where there are many.

    >>> [t.label for t in log_ticks(0.8, 30, 5)]
    ['1', '2', '5', '10', '20']
    """
    if not 0 < low < high:
        return [Tick(low, number(low))]
    first, last = math.floor(math.log10(low)), math.ceil(math.log10(high))
    steps = (1, 2, 5) if last - first <= max(2, wanted) / 2 + 1 else (1,)
    every = max(1, math.ceil((last - first) / (max(2, wanted) + 1))) if steps == (1,) else 1
    places = [m * 10.0**p for p in range(first, last + 1, every) for m in steps]
    kept = [p for p in places if low <= p <= high]
    if len(kept) < 2:
        return ticks(low, high, wanted)
    return [Tick(p, number(p, 3)) for p in kept]


def tick_labels(places: Sequence[float]) -> list[str]:
    """Return labels with the decimals that tell the places apart, all alike.

    >>> tick_labels([0, 0.5, 1]), tick_labels([-2000.0, 0.0])
    (['0.0', '0.5', '1.0'], ['−2,000', '0'])
    """
    step = min((abs(b - a) for a, b in pairwise(places)), default=1.0) or 1.0
    largest = max((abs(p) for p in places), default=1.0)
    if largest >= 1e9 or (0 < largest < 1e-4):
        return [number(p, 12) for p in places]
    digits = 0
    while digits < 12 and any(abs(round(p, digits) - p) > 1e-6 * step for p in places):
        digits += 1
    return [f"{p + 0.0:,.{digits}f}".replace("-", MINUS) for p in places]


def date_ticks(low: float, high: float, wanted: int, kind: Kind) -> list[Tick]:
    """Return ticks at calendar places, labelled as finely as they lie."""
    if high - low < HOUR:
        return [Tick(low, _label(low, "%H:%M"))]
    from mizani.breaks import breaks_date  # noqa: PLC0415  (slow import)

    ends = when(low), when(high)
    try:
        places = [seconds_of(at) for at in breaks_date(n=max(2, wanted))(ends)]
    except (ValueError, OverflowError):
        # near its ends the calendar has no round year behind the last
        every = max(1, math.ceil((ends[1].year - ends[0].year) / max(2, wanted) / 500)) * 500
        first = -(-ends[0].year // every) * every or every
        places = [seconds_of(dt.date(year, 1, 1)) for year in range(first, ends[1].year + 1, every)]
    places = [p for p in places if low <= p <= high] or [low]
    step = min((b - a for a, b in pairwise(places)), default=high - low)
    form = "%Y" if step > 360 * DAY else "%b %Y" if step > 27 * DAY else "%-d %b"
    if step < DAY:
        form = "%H:%M" if kind == Kind.DATETIME and high - low < 3 * DAY else "%-d %b"
    if form == "%b %Y" and len(places) > 1:
        years = {_label(p, "%Y") for p in places}
        if len(years) == 1:
            form = "%b"
    labels = [_label(p, form) for p in places]
    return [Tick(p, label) for p, label in zip(places, labels, strict=True)]


def _label(seconds: float, form: str) -> str:
    return when(seconds).strftime(form)


def thinned(found: list[Tick], widths: list[float], pixels: list[float], gap: float) -> list[Tick]:
    """Return every tick, or every second, third … so that centred labels never overlap."""
    for every in range(1, len(found) + 1):
        kept = range(0, len(found), every)
        clear = all(pixels[b] - pixels[a] >= (widths[a] + widths[b]) / 2 + gap for a, b in pairwise(kept))
        if clear:
            return [found[i] for i in kept]
    return found[:1]
