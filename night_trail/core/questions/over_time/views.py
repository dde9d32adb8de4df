"""What is made of the figures of periods: running totals, rolling means, an index, days evened out."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from night_trail.core.errors import BadQuestion
from night_trail.core.moments import DAY, weekday
from night_trail.core.questions.over_time.question import OverTime, View
from night_trail.core.questions.shared.basis import ALL_ROWS
from night_trail.core.questions.shared.measures import ADDS_UP
from night_trail.core.questions.shared.periods import Periods, periods_of
from night_trail.core.questions.shared.rolled import rolled
from night_trail.core.rows import Rows
from night_trail.core.stats.calendar import Calendar
from night_trail.core.table import Bools, Floats

ADDING: tuple[View, ...] = ("running", "to date", "per day", "evened")
"""Views that only sums and counts have."""

UNEVEN = {"month": 1 / 12, "quarter": 1 / 4, "year": 1.0}
"""Periods that differ in their days, as parts of a year."""

YEAR_DAYS = 365.2425


def fits_view(question: OverTime) -> bool:
    """Whether a question's view fits its measure and, where they were asked for, its periods."""
    if question.view in ADDING and question.measure.aggregate not in ADDS_UP:
        return False
    if question.view != "evened":
        return True
    return question.until is None and (question.grain is None or question.grain in UNEVEN)


def check_view(question: OverTime) -> None:
    """Refuse a view that makes no sense of a measure or of these periods."""
    if question.view in ADDING and question.measure.aggregate not in ADDS_UP:
        raise BadQuestion("Only sums and counts add up over time", "view", "Choose a rolling mean.")
    if not fits_view(question):
        raise BadQuestion(
            "Only months, quarters and years differ in their days", "view", "Take a coarser step."
        )


def viewer(question: OverTime, rows: Rows, periods: Periods) -> Callable[[Floats, Floats | None], Floats]:
    """Return what makes figures of periods as the question wants them shown.

    It takes the figures and, for an index, those whose first period is 100.
    """
    calendar = periods.calendar
    if question.view == "evened":
        factors = rows.remember(
            ("evened", question.measure, question.time, calendar.grain, question.year_start, question.zone),
            lambda: even_factors(question, rows, periods),
        )
        return lambda values, _: values * factors

    def viewed(values: Floats, foot: Floats | None) -> Floats:
        has = ~np.isnan(values)
        match question.view:
            case "running":
                return np.where(has, np.cumsum(np.where(has, values, 0.0)), np.nan)
            case "to date":
                return np.where(has, _to_date(np.where(has, values, 0.0), calendar), np.nan)
            case "rolling":
                return rolling_mean(values, question.window)
            case "index":
                first = first_whole(values if foot is None else foot, periods.whole)
                return np.full(len(values), np.nan) if not first else 100 * values / first
            case "per day":
                return np.asarray(values / calendar.days())
        return values

    return viewed


def even_factors(question: OverTime, rows: Rows, periods: Periods) -> Floats:
    """Return what each period's figure is multiplied by, as if all had the same number of each weekday.

    A weekday counts as much as its days bring on average over the whole periods
    kept, all groups together; a period's own days are held against as many of
    each weekday as such a period has on average. Months, quarters and years
    then differ neither for their length nor for their weekends.
    """
    calendar = periods.calendar
    if calendar.grain not in UNEVEN:
        raise BadQuestion(
            f"{calendar.grain.capitalize()}s do not differ in their days", "view", "Take a coarser step."
        )
    days = periods_of(rows, question.time, "day", 1, question.zone)
    daily = rolled(question.measure, rows, days, ALL_ROWS, (question.time, "day", question.zone)).values[0]
    first, end = periods.covered
    at = days.calendar.edges[:-1]
    inside = (at >= calendar.edges[first]) & (at < calendar.edges[end]) if end > first else at > -np.inf
    which = weekday((at[inside] // DAY).astype(np.int64))
    n = np.bincount(which, minlength=7)
    brings = np.bincount(which, weights=np.nan_to_num(daily[inside]), minlength=7) / np.maximum(n, 1)
    own = calendar.weekdays() @ brings
    usual = YEAR_DAYS * UNEVEN[calendar.grain] / 7 * brings.sum()
    with np.errstate(invalid="ignore", divide="ignore"):
        found = usual / own
    # where the weekdays cancel out there is nothing to even
    return np.where(np.isfinite(found) & (found > 0), found, 1.0)


def _to_date(values: Floats, calendar: Calendar) -> Floats:
    sums = np.cumsum(values)
    before = np.zeros(len(values))
    for at in np.flatnonzero(np.diff(calendar.year_of())) + 1:
        before[at:] = sums[at - 1]
    return np.asarray(sums - before)


def rolling_mean(values: Floats, window: int) -> Floats:
    """Return the mean of each period and those before it, where all of the window are there.

    Shape (periods,); NaN where one of the window is missing.

    >>> rolling_mean(np.array([1.0, 2.0, 3.0, 6.0]), 2).tolist()[1:]
    [1.5, 2.5, 4.5]
    """
    found = np.full(len(values), np.nan)
    if window <= len(values):
        found[window - 1 :] = np.lib.stride_tricks.sliding_window_view(values, window).mean(axis=1)
    return found


def first_whole(values: Floats, whole: Bools) -> float | None:
    """Return the first figure of a period that is covered from end to end.

    Both have shape (periods,); None where none is covered and has a figure.
    """
    at = np.flatnonzero(~np.isnan(values) & whole)
    return float(values[at[0]]) if len(at) else None
