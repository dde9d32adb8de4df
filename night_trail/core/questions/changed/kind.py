"""The kind: why a figure changed."""

from __future__ import annotations

import datetime as dt
from contextlib import suppress
from typing import Any

import numpy as np

from night_trail.core.conditions import AllOf, Between, Condition, Not, Recurs
from night_trail.core.errors import BadQuestion
from night_trail.core.measure import Measure
from night_trail.core.moments import GrainName
from night_trail.core.periods import before as period_before
from night_trail.core.questions.changed import answer, figures, offers, phrases, read, sentence, words
from night_trail.core.questions.changed.answer import ChangedAnswer
from night_trail.core.questions.changed.question import Changed
from night_trail.core.questions.kind import QuestionKind
from night_trail.core.questions.over_time.question import OverTime
from night_trail.core.questions.shared.gist import Gist
from night_trail.core.questions.shared.measures import ADDS_UP
from night_trail.core.questions.shared.periods import grain_for, period_condition, periods_of
from night_trail.core.rows import Rows
from night_trail.core.table import Column, Table


def gist(question: Changed, table: Table) -> Gist:
    """Return what it is about: a measure, its parts, and the rows it changed to."""
    dated = [n for n in question.sides if table.column(n).dated]
    time = dated[0] if dated else None
    return Gist(question.column, question.measure, question.by, time, rows=question.after)


def from_gist(gist: Gist, table: Table) -> Changed:
    """Return why the measure changed to the time that is spoken of; without one, over the last step.

    Rows that are no time are held against the rest.
    """
    measure = _with_parts(gist.measured(table), table)
    asked = _asked(gist, measure, table)
    answer.check(asked, table)
    return asked


def _asked(gist: Gist, measure: Measure, table: Table) -> Changed:
    if gist.rows is not None:
        *earlier, spoken = _ends(gist.rows) if gist.from_to else _times(gist.rows)
        if earlier:
            return Changed(measure, earlier[0], spoken)
        with suppress(BadQuestion):
            return Changed(measure, sentence.earlier(spoken, table, period_before), spoken)
        against = gist.against or Not(gist.rows)
        # of sides of different size an average is compared
        if measure.aggregate in ADDS_UP and measure.column is not None:
            measure = Measure("mean", measure.column)
        return Changed(measure, against, gist.rows)
    before, after = last_step(gist, table)
    return Changed(measure, before, after)


def _with_parts(measure: Measure, table: Table) -> Measure:
    """Return a measure whose parts add up: of a median the average, of what is only counted the rows."""
    if measure.aggregate in ("median", "quantile") and measure.column is not None:
        return Measure("mean", measure.column)
    if measure.aggregate == "distinct":
        return Measure("count")
    return measure


def _times(rows: Condition) -> tuple[Condition, ...]:
    """Return months of a year that are spoken of as times of their own, in order; other rows as they are."""
    if not isinstance(rows, AllOf) or len(rows.parts) != 2:
        return (rows,)
    months = next((p for p in rows.parts if isinstance(p, Recurs) and p.part == "year"), None)
    year = next((p for p in rows.parts if isinstance(p, Between)), None)
    if months is None or year is None or year.column != months.column or len(months.at) > 2:
        return (rows,)
    if not isinstance(year.low, str) or not isinstance(year.high, str):
        return (rows,)
    first, end = (dt.date.fromisoformat(at[:10]) for at in (year.low, year.high))
    if (first.month, first.day, end.month, end.day) != (1, 1, 1, 1) or end.year != first.year + 1:
        return (rows,)
    found = []
    for at in sorted(months.at):
        low = dt.date(first.year, at + 1, 1)
        high = dt.date(first.year + at // 11, (at + 1) % 12 + 1, 1)
        found.append(Between(year.column, low.isoformat(), high.isoformat()))
    return tuple(found)


def _ends(rows: Condition) -> tuple[Condition, ...]:
    """Return the first and the last year, or month, of a time that is told from one to another."""
    if not isinstance(rows, Between) or not isinstance(rows.low, str) or not isinstance(rows.high, str):
        return _times(rows)
    low, high = (dt.date.fromisoformat(at[:10]) for at in (rows.low, rows.high))
    months = 12 * (high.year - low.year) + high.month - low.month
    if low.day != 1 or high.day != 1:
        return (rows,)
    long = 12 if (low.month, high.month) == (1, 1) else 1
    if months < 2 * long:
        return (rows,)
    second, last = _later(low, long), _later(high, -long)
    return (
        Between(rows.column, low.isoformat(), second.isoformat()),
        Between(rows.column, last.isoformat(), high.isoformat()),
    )


def _later(day: dt.date, months: int) -> dt.date:
    years, month = divmod(day.month - 1 + months, 12)
    return dt.date(day.year + years, month + 1, 1)


def last_step(gist: Gist, table: Table) -> tuple[Condition, Condition]:
    """Return the last two whole periods of a table."""
    column = gist.when(table)
    rows = Rows(table)
    grain: Any = gist.grain
    if grain in (None, "hour"):
        grain = _grain(gist, table, rows, column)
    periods = periods_of(rows, column.name, "year" if column.yearly else grain)
    whole = np.flatnonzero(periods.whole & (periods.n > 0))
    at = whole if len(whole) > 1 else np.flatnonzero(periods.n)
    if len(at) < 2:
        raise BadQuestion(f"{column.name} has one {grain} only", "way", "Choose a finer step, or light rows.")
    one, other = (period_condition(periods.calendar, column, int(i), int(i) + 1) for i in at[-2:])
    return one, other


def _grain(gist: Gist, table: Table, rows: Rows, column: Column) -> GrainName:
    found = grain_for(OverTime(gist.measured(table), column.name), rows)
    return "day" if found == "hour" else found


def broken_down(question: Changed, by: Column, table: Table) -> Changed:
    """Return the parts by another column."""
    asked, _ = sentence.changed(question, "by", by.name, table)
    return asked


KIND = QuestionKind(
    tag="changed",
    way="why it changed",
    question=Changed,
    check=answer.check,
    answer=answer.changed,
    said=sentence.said,
    short_name=sentence.short_name,
    phrases=phrases.PHRASES,
    likely=phrases.likely,
    group_slots=("by",),
    read=read.read,
    changed=sentence.changed,
    offers=offers.offers,
    words={ChangedAnswer: words.changed_words},
    figures={ChangedAnswer: figures.changed_figures},
    gist=gist,
    from_gist=from_gist,
    broken_down=broken_down,
    takes_rows=True,
)
