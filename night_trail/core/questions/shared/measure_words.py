"""How a figure of a measure is written."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence

from night_trail.core.language.numbers import MINUS, THIN, number, percent, unit_suffix, value
from night_trail.core.measure import Aggregate, Measure
from night_trail.core.questions.shared.measures import ADDS_UP, is_share
from night_trail.core.table import CLOCK, YEAR, Column, Kind

AGGREGATE_WORDS: dict[Aggregate, str] = {
    "mean": "the average",
    "median": "the median",
    "sum": "the sum",
    "count": "the number",
    "distinct": "the number of different",
    "share": "the share",
    "ratio": "the ratio",
}


def aggregate_words(measure: Measure, column: Column | None = None) -> str:
    """Return the aggregate as the sentence names it."""
    if measure.aggregate == "quantile":
        return f"the {number(100 * measure.level)}{THIN}% quantile"
    if measure.aggregate == "mean" and column is not None and column.kind == Kind.YES_NO:
        return "the share"
    return AGGREGATE_WORDS[measure.aggregate]


def gap_of(measure: Measure, column: Column | None) -> Callable[[float], str]:
    """Return how a difference of two figures is written: of shares in percentage points."""
    if is_share(measure, column):
        return points
    if column is not None and column.kind == Kind.SHARE and measure.aggregate not in ("count", "distinct"):
        per = 1.0 if column.unit == "%" else 100.0
        return lambda at: points(at * per / 100)
    return figure_of(measure, column)


def rate(at: float) -> str:
    """Return a ratio, a very small one for a million or a million million.

    >>> rate(0.25), rate(3.2e-5), rate(-3e-12)
    ('0.25', '32 per million', '−3 per million million')
    """
    if at == 0 or not abs(at) < 1e-4:
        return number(at)
    if abs(at) >= 1e-6:
        return f"{number(at * 1e6)} per million"
    return f"{number(at * 1e12)} per million million"


def set_zero(column: Column | None) -> bool:
    """Whether figures count from a zero that is not theirs: twice as many degrees are not twice as warm."""
    return column is not None and column.unit in ("°C", "°F", "°")


def points(share: float) -> str:
    """Return a difference of shares.

    >>> points(0.125), points(0.01)
    ('12.5 percentage points', '1 percentage point')
    """
    text = number(100 * share, 3)
    return f"{text} percentage point{'' if text in ('1', '−1') else 's'}"


def decimals_of(values: Sequence[float], halves: Sequence[float]) -> int | None:
    """Return how many decimals the figures of a picture have: as four digits allow and intervals support.

    None where the largest has more than four digits before the point: each is rounded by itself.

    >>> decimals_of([9.84, 12.312], [0.4, 0.6]), decimals_of([9.84, 12.312], []), decimals_of([51234.0], [])
    (1, 2, None)
    """
    sizes = [abs(v) for v in values if math.isfinite(v) and v]
    if not sizes or max(sizes) >= 1e4 or max(sizes) < 1e-3:
        return None
    decimals = min(3 - math.floor(math.log10(max(sizes))), 6)
    known = sorted(h for h in halves if math.isfinite(h) and h > 0)
    if known:
        decimals = min(decimals, max(0, -math.floor(math.log10(known[len(known) // 2]))))
    # no more than the figures need
    while decimals > 0 and all(round(v, decimals - 1) == round(v, decimals) for v in sizes):
        decimals -= 1
    return max(decimals, 0)


def beside_all(measure: Measure, values: Sequence[float], overall: float) -> list[float]:
    """Return the figures that are written with as many decimals: with that of all, unless it is their sum.

    >>> beside_all(Measure("mean", "v"), [2.0, 5.0], 4.5), beside_all(Measure("sum", "v"), [2.0, 5.0], 7.0)
    ([2.0, 5.0, 4.5], [2.0, 5.0])
    """
    return list(values) if measure.aggregate in ADDS_UP else [*values, overall]


def evened(measure: Measure, column: Column | None, decimals: int | None) -> Callable[[float], str]:
    """Return how a figure is written beside others of its picture: all with as many decimals."""
    plain = figure_of(measure, column)
    unit = "" if column is None or measure.aggregate in ("count", "distinct", "ratio") else column.unit
    if (
        decimals is None
        or is_share(measure, column)
        or unit in (YEAR, CLOCK)
        or (column and column.kind.temporal)
    ):
        return plain

    def said(at: float) -> str:
        if not math.isfinite(at) or abs(at) >= 1e4:
            return plain(at)
        return f"{at:,.{decimals}f}".replace("-", MINUS) + unit_suffix(unit)

    return said


def figure_of(measure: Measure, column: Column | None) -> Callable[[float], str]:
    """Return how a figure of a measure is written: with its unit, as a share, as a count."""
    if is_share(measure, column):
        return lambda at: percent(at, 3)
    if measure.aggregate == "ratio":
        return rate
    if column is None or measure.aggregate in ("count", "distinct"):
        return number
    return lambda at: value(at, column.kind, column.unit)
