"""The period before a range of dates, and the same period a year earlier."""

from __future__ import annotations

import calendar
import datetime as dt
from collections.abc import Iterable, Iterator

from night_trail.core.conditions import Between, Condition, Recent, recent_range
from night_trail.core.questions.compare.question import Baseline
from night_trail.core.table import Table

BEFORE, YEAR_BEFORE = "the period before", "a year earlier"


def baselines(only: Iterable[Condition], table: Table) -> Iterator[Baseline]:
    """Yield the earlier rows that a filter on dates can be held against."""
    for condition in only:
        found = recent_range(condition, table) if isinstance(condition, Recent) else condition
        if not isinstance(found, Between) or not table.column(found.column).kind.temporal:
            continue
        period = ends(found, table)
        if period is None:
            continue
        for called, (start, end) in ((BEFORE, before(*period)), (YEAR_BEFORE, year_before(*period))):
            where = Between(found.column, start.date().isoformat(), end.date().isoformat())
            yield Baseline(where=where, called=called)


def ends(condition: Between, table: Table) -> tuple[dt.datetime, dt.datetime] | None:
    """Return the days a range covers, the end left out; an open end is the newest date."""
    if not isinstance(condition.low, str):
        return None
    start = dt.datetime.fromisoformat(condition.low)
    if isinstance(condition.high, str):
        end = dt.datetime.fromisoformat(condition.high)
        whole_day = end == dt.datetime.combine(end.date(), dt.time())
        end = end + dt.timedelta(days=1) if condition.high_closed and whole_day else end
    else:
        newest = table.series(condition.column).max()
        if not isinstance(newest, dt.date):
            return None
        end = dt.datetime(newest.year, newest.month, newest.day) + dt.timedelta(days=1)
    start, end = (dt.datetime.combine(at.date(), dt.time()) for at in (start, end))
    return (start, end) if start < end and start.year > 1 else None


def before(start: dt.datetime, end: dt.datetime) -> tuple[dt.datetime, dt.datetime]:
    """Return the period of the same length before: by whole months where it is made of them.

    >>> day = dt.datetime(2024, 3, 1)
    >>> [at.date().isoformat() for at in before(day, dt.datetime(2024, 4, 1))]
    ['2024-02-01', '2024-03-01']
    """
    if start.day == end.day == 1:
        months = (end.year - start.year) * 12 + end.month - start.month
        return _shifted(start, months), start
    return start - (end - start), start


def year_before(start: dt.datetime, end: dt.datetime) -> tuple[dt.datetime, dt.datetime]:
    """Return the same dates a year earlier; 29 February becomes the 28th."""
    return _shifted(start, 12), _shifted(end, 12)


def _shifted(at: dt.datetime, months: int) -> dt.datetime:
    year, month = divmod(at.year * 12 + at.month - 1 - months, 12)
    year = max(year, 1)
    return at.replace(year=year, month=month + 1, day=min(at.day, calendar.monthrange(year, month + 1)[1]))
