"""What is known of each period beside the measure, past and ahead: named days, and a column that goes on."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from night_trail.core.conditions import OneOf, mask
from night_trail.core.errors import BadQuestion
from night_trail.core.measure import Measure
from night_trail.core.moments import DAY, HOUR, GrainName
from night_trail.core.questions.forecast.question import Forecast
from night_trail.core.questions.shared.basis import ALL_ROWS
from night_trail.core.questions.shared.periods import periods_of
from night_trail.core.questions.shared.rolled import placed, rolled
from night_trail.core.rows import Rows
from night_trail.core.stats.calendar import Calendar, period_name
from night_trail.core.table import Floats, Kind, Table


@dataclass(frozen=True)
class Known:
    """Indicators of periods, a column each: those the forecast rests on, and those ahead.

    ``assumed`` is the period from which on nothing is known of a yes/no column,
    and no is taken for it.
    """

    past: Floats
    ahead: Floats
    assumed: int | None = None

    @property
    def pair(self) -> tuple[Floats, Floats]:
        """Both, as a forecast takes them."""
        return self.past, self.ahead


def check_known(question: Forecast, table: Table) -> None:
    """Refuse a column that says nothing of a period."""
    if question.known is None:
        return
    column = table.column(question.known)
    if column.name in (question.measure.column, question.measure.per, question.time):
        raise BadQuestion("What is forecast is not known ahead", "known", "Choose another column.")
    if column.kind != Kind.YES_NO and not column.kind.numeric:
        raise BadQuestion(f"“{column.name}” is {column.kind}", "known", "Choose a yes/no column or a number.")


def known_of(question: Forecast, rows: Rows, calendar: Calendar, start: int, end: int) -> Known | None:
    """Return what is known of the periods of a calendar, the past from ``start`` to ``end``.

    An event, and a yes/no column, counts by its share of a period's days; a day
    is a yes where most of its rows say so. A number counts by its mean. An event
    called like the yes/no column says when that will be yes.

    Raises
    ------
    BadQuestion
        Where a number has no rows in the periods ahead.
    """
    named = list(dict.fromkeys(event.name for event in question.events))
    if question.known is not None and question.known not in named:
        named.append(question.known)
    if not named:
        return None
    found = np.zeros((calendar.n, len(named)))
    for event in question.events:
        found[:, named.index(event.name)] += _share(calendar, *event.ends)
    assumed = None
    if question.known is not None:
        at = named.index(question.known)
        said = _yes(question.known, question, rows, calendar)
        if said is None:
            said = _means(question.known, question, rows, calendar)
            _must_be_known(question.known, said, calendar, end)
            usual = float(np.nanmean(said[start:end])) if not np.isnan(said[start:end]).all() else 0.0
            found[:, at] = np.where(np.isnan(said), usual, said)
        else:
            told = np.flatnonzero(np.isfinite(said))
            after = max(int(told[-1]) + 1 if len(told) else 0, end)
            # days that were named say how it goes on
            assumed = after if after < calendar.n and not found[end:, at].any() else None
            found[:, at] = np.maximum(found[:, at], np.nan_to_num(said))
    return Known(found[start:end], found[end:], assumed)


def _share(calendar: Calendar, low: float, high: float) -> Floats:
    inside = np.minimum(calendar.edges[1:], high) - np.maximum(calendar.edges[:-1], low)
    return np.asarray(np.maximum(inside, 0.0) / np.diff(calendar.edges))


def _yes(name: str, question: Forecast, rows: Rows, calendar: Calendar) -> Floats | None:
    """Return which share of each period's days is a yes, NaN without rows; None for other columns."""
    if rows.table.column(name).kind != Kind.YES_NO:
        return None
    finer: GrainName = "hour" if calendar.grain == "hour" else "day"
    fine = periods_of(rows, question.time, finer, 1, question.zone)
    yes = mask(OneOf(name, ("yes",)), rows.table) & (fine.codes >= 0)
    counts = rows.tally(fine.codes, fine.calendar.n, yes)
    place = np.searchsorted(calendar.edges, fine.calendar.edges[:-1], side="right") - 1
    inside = (place >= 0) & (place < calendar.n)
    flagged = np.bincount(place[inside], weights=(2 * counts > fine.n)[inside], minlength=calendar.n)
    has = np.bincount(place[inside], weights=(fine.n > 0)[inside], minlength=calendar.n)
    long = np.diff(calendar.edges) / (HOUR if finer == "hour" else DAY)
    return np.where(has > 0, flagged / long, np.nan)


def _means(name: str, question: Forecast, rows: Rows, calendar: Calendar) -> Floats:
    periods = periods_of(rows, question.time, calendar.grain, 1, question.zone)
    key = (question.time, calendar.grain, 1, question.zone, None, "known")
    means = rolled(Measure("mean", name), rows, periods, ALL_ROWS, key).values[0]
    return placed(means, periods, calendar)


def _must_be_known(name: str, said: Floats, calendar: Calendar, end: int) -> None:
    unknown = np.flatnonzero(np.isnan(said[end:]))
    if len(unknown):
        raise BadQuestion(
            f"“{name}” has no rows in {period_name(calendar, end + int(unknown[0]))}",
            "known",
            "Add rows with its values to come, or look less far ahead.",
        )
