"""The form of a distribution in words: limits that hold values up, long and heavy tails, abrupt ends."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from night_trail.core.stats.bins import default_width
from night_trail.core.stats.quantiles import quantiles
from night_trail.core.table import Floats

LEAST, LEAST_DIFFERENT = 200, 30
"""Fewer values, or fewer different ones, are not judged."""

MOSTLY = 0.7
"""What is left without limits has no humps of its own where it is less of the values."""

SURE = 4.5
"""Standard errors that a claim must stand out by: many columns are looked at, and each from two ends."""

BEYOND_A_BELL = 0.00698
"""Share of a normal distribution beyond Tukey's fences, 2.698 standard deviations away."""


@dataclass(frozen=True)
class Limit:
    """Values that are exactly the lowest or highest of all; ``share`` is their part of all values."""

    at: float
    share: float
    high: bool


@dataclass(frozen=True)
class Form:
    """What is striking about a distribution with one hump; places in the column's unit.

    ``tail`` is 1 for a long tail towards high values, −1 towards low ones, else 0.
    ``far`` is the share beyond Tukey's fences where both sides hold more than a bell.
    ``stops`` are ends (False low, True high) before which the values do not thin out,
    ``even`` is whether they lie evenly from end to end.
    """

    limits: tuple[Limit, ...] = ()
    tail: int = 0
    far: float | None = None
    stops: tuple[bool, ...] = ()
    even: bool = False


NO_FORM = Form()


def form(ascending: Floats) -> Form:
    """Return the form of sorted values without NaN; an empty one where too few are different.

    ``ascending`` has shape (n,), in any unit.
    """
    if not _judged(ascending):
        return NO_FORM
    found = limits(ascending)
    free = _without(ascending, found)
    if not _judged(free):
        return Form(found)
    tail = _tail(free)
    ends = () if found else _dense_ends(free)
    # amounts begin at zero by nature
    near_zero = 0.05 * float(free[-1] - free[0])
    stops = tuple(high for high in ends if abs(free[-1 if high else 0]) > near_zero)
    return Form(found, tail, None if tail else _far(free), stops, len(ends) == 2 and _even(free))


def limits(ascending: Floats) -> tuple[Limit, ...]:
    """Return the ends of sorted values at which they pile up, as where figures are capped.

    An end counts where its value alone holds a hundredth of all and twice as many as each
    of the twenty different values next to it, by 4.5 standard errors of the difference.
    """
    found: list[Limit] = []
    if not len(ascending):
        return ()
    for high in (False, True):
        # mirrored, either end is the low one
        values = -ascending[::-1] if high else ascending
        count, beside = _ties(values, 20)
        if count < 0.01 * len(values) or len(beside) < 20:
            continue
        most = max(beside)
        if count >= 2 * most and count - most > SURE * math.sqrt(count + most):
            found.append(Limit(float(ascending[-1 if high else 0]), count / len(values), high))
    return tuple(found)


def free_of_limits(ascending: Floats) -> Floats:
    """Return sorted values without those piled up at an end; all of them where little would be left."""
    free = _without(ascending, limits(ascending))
    return free if len(free) >= MOSTLY * len(ascending) else ascending


def _without(ascending: Floats, found: tuple[Limit, ...]) -> Floats:
    low, high = 0, len(ascending)
    for limit in found:
        if limit.high:
            high = int(np.searchsorted(ascending, limit.at))
        else:
            low = int(np.searchsorted(ascending, limit.at, side="right"))
    return ascending[low:high]


def _judged(ascending: Floats) -> bool:
    if len(ascending) < LEAST or ascending[0] == ascending[-1]:
        return False
    return len(_ties(ascending, LEAST_DIFFERENT)[1]) >= LEAST_DIFFERENT - 1


def _ties(ascending: Floats, most: int) -> tuple[int, list[int]]:
    """Return how often the lowest value occurs, and how often each of the next different ones."""
    counts: list[int] = []
    at = 0
    while at < len(ascending) and len(counts) <= most:
        after = int(np.searchsorted(ascending, ascending[at], side="right"))
        counts.append(after - at)
        at = after
    return counts[0], counts[1:]


def _tail(ascending: Floats) -> int:
    """Return the side with a tail at least twice as long as the other's, beyond chance.

    Lengths are those from the median to the 5 % and 95 % quantiles. Beyond chance: the longer one
    stays longer with every quantile moved against it by 3.3 standard errors of its rank.
    """
    n = len(ascending)

    def at(share: float, errors: float = 0.0) -> float:
        place = share + errors * math.sqrt(share * (1 - share) / n)
        return float(ascending[int(np.clip(round(place * (n - 1)), 0, n - 1))])

    low, middle, high = at(0.05), at(0.5), at(0.95)
    if high - middle >= 2 * (middle - low):
        sure = at(0.95, -3.3) - at(0.5, 3.3) > at(0.5, 3.3) - at(0.05, -3.3)
        return int(sure)
    if middle - low >= 2 * (high - middle):
        sure = at(0.5, -3.3) - at(0.05, 3.3) > at(0.95, 3.3) - at(0.5, -3.3)
        return -int(sure)
    return 0


def _far(ascending: Floats) -> float | None:
    """Return the share beyond Tukey's fences where it is twice a bell's on each side, beyond chance."""
    n = len(ascending)
    q1, q3 = (float(q) for q in quantiles(ascending, (0.25, 0.75)))
    reach = 1.5 * (q3 - q1)
    below = int(np.searchsorted(ascending, q1 - reach))
    above = n - int(np.searchsorted(ascending, q3 + reach, side="right"))
    if min(below, above) < BEYOND_A_BELL * n:
        return None
    both = below + above
    return both / n if both - SURE * math.sqrt(both) > 2 * BEYOND_A_BELL * n else None


def _dense_ends(ascending: Floats) -> tuple[bool, ...]:
    """Return the ends before which the values are at least half as dense as at their densest."""
    low, high = float(ascending[0]), float(ascending[-1])
    q1, q3 = (float(q) for q in quantiles(ascending, (0.25, 0.75)))
    width = min(default_width(len(ascending), q1, q3, low, high, whole=False), (high - low) / 20)
    edges = np.arange(low, high + width, width)
    densest = int(np.diff(np.searchsorted(ascending, edges)).max())
    first = int(np.searchsorted(ascending, low + width))
    last = len(ascending) - int(np.searchsorted(ascending, high - width, side="right"))
    found = []
    for count, is_high in ((first, False), (last, True)):
        # half as dense, even if the end held fewer and the densest bin more by chance
        sure = count - 3 * math.sqrt(count) > 0.5 * (densest - 3 * math.sqrt(densest)) and count >= 30
        if sure:
            found.append(is_high)
    return tuple(found)


def _even(ascending: Floats) -> bool:
    """Return whether no more than a twentieth of the values lies elsewhere than spread evenly."""
    low, high = float(ascending[0]), float(ascending[-1])
    expected = (ascending - low) / (high - low)
    return float(np.abs(expected - np.linspace(0, 1, len(ascending))).max()) < 0.05
