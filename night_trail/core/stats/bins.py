"""Where the bins of a histogram lie, and which value falls into which."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import cast

import numpy as np

from night_trail.core.many import Runs, place_in
from night_trail.core.moments import MEAN_SECONDS, MONDAY, GrainName, numbered, starts
from night_trail.core.stats.quantiles import quantiles
from night_trail.core.table import Floats, Ints

FEWEST, MOST = 5, 120
"""How many bins a default histogram has."""

HARD_MOST = 2_000
"""How many bins may ever be computed; more could not be drawn."""

STEPS = (1.0, 2.0, 2.5, 5.0, 10.0)
CALENDAR_SECONDS: dict[str, float] = {"minute": 60.0, **MEAN_SECONDS}
"""Mean length of each calendar width."""


def round_width(width: float, whole: bool = False) -> float:
    """Return the nearest of 1, 2, 2.5 and 5 × 10^k on a log scale; whole where asked.

    >>> round_width(0.23), round_width(7.4), round_width(2.4, whole=True)
    (0.25, 10.0, 2.0)
    """
    exponent = math.floor(math.log10(width))
    # built from text: 2.5e-3 is then the very number a person would write
    candidates = [float(f"{step}e{exponent}") for step in STEPS]
    if whole:
        candidates = [c for c in candidates if c >= 1 and c == int(c)] or [1.0]
    return min(candidates, key=lambda c: abs(math.log(c / width)))


def next_width(width: float, whole: bool, up: bool) -> float:
    """Return the neighbouring round width, wider or narrower.

    >>> next_width(1.0, False, True), next_width(1.0, False, False), next_width(1.0, True, False)
    (2.0, 0.5, 1.0)
    """
    near = math.floor(math.log10(width))
    ladder = [float(f"{step}e{k}") for k in range(near - 2, near + 3) for step in STEPS[:-1]]
    if whole:
        ladder = [w for w in ladder if w >= 1 and w == int(w)]
    beyond = [w for w in ladder if (w > width * 1.0001 if up else w < width * 0.9999)]
    return (beyond[0] if up else beyond[-1]) if beyond else width


def default_width(n: int, q1: float, q3: float, low: float, high: float, whole: bool) -> float:
    """Return the default bin width for the values between ``low`` and ``high``.

    Freedman & Diaconis (1981): 2 · IQR · n^(−1/3). Where half the values or
    more are one (IQR 0), Sturges (1926): range / (log2 n + 1). Rounded, then
    widened or narrowed until 5 to 120 bins cover the range.
    """
    span = high - low
    if span <= 0:
        return 1.0 if whole or low == 0 else round_width(abs(low) / 10)
    raw = 2 * (q3 - q1) * n ** (-1 / 3) if q3 > q1 else span / (math.log2(n) + 1)
    width = round_width(max(raw, span / 1e6), whole)
    while bin_count(low, high, width) > MOST:
        width = next_width(width, whole, up=True)
    while bin_count(low, high, width) < FEWEST and (narrower := next_width(width, whole, up=False)) < width:
        width = narrower
    return width


def ruled_count(rule: str, values: Floats) -> int:
    """Return how many even bins a published rule asks for, at least 1, from the lowest value to the highest.

    Sturges (1926): log2 n + 1 bins. Scott (1979): bins of (24 √π / n)^(1/3) standard deviations.
    Freedman & Diaconis (1981): bins of 2 · IQR · n^(−1/3); Sturges where half the values are one.
    The square root of n. Broken counts are rounded up. ``values`` has no NaN.

    >>> [ruled_count(rule, np.arange(100.0)) for rule in ("sturges", "scott", "freedman", "root")]
    [8, 5, 5, 10]
    """
    n = len(values)
    span = float(np.ptp(values)) if n else 0.0
    if span <= 0:
        return 1
    if rule == "root":
        return math.ceil(math.sqrt(n))
    if rule == "scott":
        return math.ceil(span / (math.cbrt(24 * math.sqrt(math.pi) / n) * float(np.std(values))))
    if rule == "freedman":
        q1, q3 = (float(q) for q in quantiles(values, (0.25, 0.75)))
        if q3 > q1:
            return math.ceil(span * math.cbrt(n) / (2 * (q3 - q1)))
    return math.ceil(math.log2(n) + 1)


def bin_count(low: float, high: float, width: float, start: float = 0.0) -> int:
    """Return how many left-closed bins aligned to ``start`` cover low to high."""
    return math.floor((high - start) / width) - math.floor((low - start) / width) + 1


def even_edges(low: float, high: float, width: float, start: float = 0.0) -> Floats:
    """Return edges from the bin that holds ``low`` to the bin that holds ``high``.

    Every edge is rounded to the decimals of the width and start, so that 0.3
    as an edge is the same double as 0.3 read from a file and ownership stays
    left-closed.
    """
    first = math.floor((low - start) / width)
    last = math.floor((high - start) / width) + 1
    edges = start + np.arange(first, last + 1, dtype=np.float64) * width
    return np.round(edges, min(15, max(decimals(width), decimals(start))))


def decimals(value: float) -> int:
    """Return how many decimals a number is written with.

    >>> decimals(2.5), decimals(100.0), decimals(1e-3)
    (1, 0, 3)
    """
    mantissa, _, power = f"{value:.12g}".partition("e")
    return max(0, len(mantissa.partition(".")[2]) - int(power or 0))


def calendar_edges(low: float, high: float, unit: str) -> Floats:
    """Return calendar edges in seconds that cover ``low`` to ``high``.

    Weeks begin on Monday (ISO 8601). Fixed-length units come out even; months,
    quarters and years follow the calendar.
    """
    if unit in ("minute", "hour", "day", "week"):
        width = CALENDAR_SECONDS[unit]
        return even_edges(low, high, width, start=float(MONDAY) if unit == "week" else 0.0)
    grain = cast(GrainName, unit)
    first, last = numbered(np.array([low, high]), grain)
    return starts(np.arange(first, last + 2), grain)


def calendar_unit(low: float, high: float, time_of_day: bool) -> str:
    """Return the finest calendar width that cuts the span into at most 120 bins."""
    units = list(CALENDAR_SECONDS) if time_of_day else ["day", "week", "month", "quarter", "year"]
    span = max(high - low, 1.0)
    return next((u for u in units if span / CALENDAR_SECONDS[u] <= MOST - 1), "year")


def cuts(ascending: Floats, edges: Floats) -> Ints:
    """Return where sorted values are cut: k + 2 stretches for k bins, as k + 3 positions.

    The first stretch lies below the first edge, the last from the last edge
    on. Bins are left-closed: an edge belongs to the bin at its right.

    ``ascending`` has shape (n,) without NaN, ``edges`` shape (k + 1,).

    >>> cuts(np.array([-1.0, 0.0, 0.5, 1.0, 9.0]), np.array([0.0, 1.0, 2.0])).tolist()
    [0, 1, 3, 4, 5]
    """
    inner = np.searchsorted(ascending, edges, side="left")
    return np.concatenate([[0], inner, [len(ascending)]]).astype(np.int64)


@dataclass(frozen=True)
class Window:
    """The stretch of values drawn bin by bin, and whether tails lie outside it."""

    low: float
    high: float
    gathers_low: bool
    gathers_high: bool


FEW_FAR, MOST_FAR, SQUEEZED = 0.01, 0.1, 0.05


def window(ascending: Floats | Runs, low_whisker: float, high_whisker: float) -> Window:
    """Return what to draw bin by bin, leaving out far tails that would squeeze the rest.

    ``ascending`` is sorted. A tail is gathered where it lies further from the whiskers' middle than
    1.5 times their span, holds under 1 % of the values, and leaving it out
    shortens the axis by a quarter or more; where the rest would have a twentieth
    of the axis, it may hold a tenth of the values.

    Shape (n,) without NaN, in the column's unit, as the whiskers are.
    """
    near_low, near_high = _near(low_whisker, high_whisker)
    outside = (place_in(ascending, near_low), len(ascending) - place_in(ascending, near_high))
    ends = (float(ascending[0]), float(ascending[-1]))
    return _kept(ends, (low_whisker, high_whisker), outside, len(ascending))


def window_of(values: Floats) -> Window:
    """Return the window of values in any order, whiskers after Tukey (1977); NaN are left out.

    >>> window_of(np.array([3.0, 1.0, 2.0]))
    Window(low=1.0, high=3.0, gathers_low=False, gathers_high=False)
    """
    # numbers alone are sorted in less time than quartiles are selected, and then the rest is looked up
    ascending = np.sort(values)
    # what is missing comes last
    return window_of_ascending(ascending[: int(np.searchsorted(ascending, np.nan))])


def window_of_ascending(ascending: Floats) -> Window:
    """Return the window of values in ascending order.

    Shape (n,) without NaN.
    """
    q1, q3 = (float(q) for q in quantiles(ascending, (0.25, 0.75)))
    reach = 1.5 * (q3 - q1)
    first = int(np.searchsorted(ascending, q1 - reach))
    last = int(np.searchsorted(ascending, q3 + reach, side="right")) - 1
    low, high = min(float(ascending[first]), q1), max(float(ascending[last]), q3)
    return window(ascending, low, high)


def _near(low_whisker: float, high_whisker: float) -> tuple[float, float]:
    span, middle = high_whisker - low_whisker, (low_whisker + high_whisker) / 2
    return middle - 1.5 * span, middle + 1.5 * span


def _kept(
    ends: tuple[float, float], whiskers: tuple[float, float], outside: tuple[int, int], n: int
) -> Window:
    low, high = ends
    if whiskers[1] - whiskers[0] <= 0:
        return Window(low, high, False, False)
    near_low, near_high = _near(*whiskers)

    def gathers(count: int, kept_span: float) -> bool:
        # a tail that would leave the rest a bar or two is gathered though more lie in it
        few = MOST_FAR if kept_span < SQUEEZED * (high - low) else FEW_FAR
        return 0 < count < few * n and kept_span < 0.75 * (high - low)

    above = gathers(outside[1], near_high - max(low, near_low))
    below = gathers(outside[0], min(high, near_high) - near_low)
    return Window(near_low if below else low, near_high if above else high, below, above)
