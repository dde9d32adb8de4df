"""Named stretches of days behind a measure over time, and where a moving feast lay the year before."""

from __future__ import annotations

import numpy as np

from night_trail.core.conditions import OneOf as Value
from night_trail.core.conditions import mask
from night_trail.core.questions.over_time.question import OverTime
from night_trail.core.questions.shared.periods import Periods, runs
from night_trail.core.rows import Rows
from night_trail.core.stats.calendar import Calendar
from night_trail.core.table import Ints

EVENT_YEARS = 2


def events(question: OverTime, calendar: Calendar) -> list[tuple[str, int, int]]:
    """Return the events inside the calendar as (name, first period, end)."""
    found = []
    for event in question.events:
        low, high = event.ends
        first = max(int(np.searchsorted(calendar.edges, low, side="right")) - 1, 0)
        end = min(int(np.searchsorted(calendar.edges, high - 1, side="right")), calendar.n)
        if end > first:
            found.append((event.name, first, end))
    return found


def moved_by_events(at: Ints, question: OverTime, calendar: Calendar) -> Ints:
    """Return where the year before lies, the days of a moving feast against those of its last time.

    ``at`` has shape (periods,), the period of a year earlier for each, −1 where there is none.
    """
    if calendar.grain not in ("day", "hour") or not question.events:
        return at
    found = at.copy()
    places = events(question, calendar)
    back = calendar.back_a_year()
    for name, first, end in places:
        earlier = [
            p for p in places if p[0] == name and first - EVENT_YEARS * back < p[1] < first - back // 2
        ]
        if earlier:
            start = max(p[1] for p in earlier)
            found[first:end] = np.arange(start, start + end - first)
    return found


def yes_bands(question: OverTime, rows: Rows, periods: Periods) -> list[tuple[str, int, int]]:
    """Return the periods in which most rows say yes, as bands."""
    if question.bands is None:
        return []
    yes = mask(Value(question.bands, ("yes",)), rows.table) & (periods.codes >= 0)
    counts = rows.tally(periods.codes, periods.calendar.n, yes)
    return [(question.bands, a, b) for a, b in runs(2 * counts > periods.n)]
