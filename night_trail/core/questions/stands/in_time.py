"""What stands out in time: days without rows, values that stay, periods off trend and season, new levels."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np

from night_trail.core.conditions import AllOf, AnyOf, Condition, Not, OneOf, between
from night_trail.core.errors import BadQuestion
from night_trail.core.language.numbers import counted, day, percent, value
from night_trail.core.measure import Measure
from night_trail.core.moments import DAY
from night_trail.core.questions.decomposition.answer import check as check_apart
from night_trail.core.questions.decomposition.question import Decomposition
from night_trail.core.questions.shared.largest import largest
from night_trail.core.questions.shared.measure_words import aggregate_words, figure_of
from night_trail.core.questions.shared.measures import first_measure
from night_trail.core.questions.shared.periods import grain_for, period_condition, time_column
from night_trail.core.questions.shared.rolled import past_of
from night_trail.core.questions.stands.found import BARS, LEVEL, Context, Finding, Looked, far_off
from night_trail.core.rows import Rows
from night_trail.core.stats.calendar import SEASONS, Calendar, period_name
from night_trail.core.stats.decompose import TakenApart, take_apart
from night_trail.core.table import Bools, Column, Floats, Ints

LEAST_DAYS, LONGER = 20, 3.0
LEAST_RUN = 5
MOST_MEASURES, MOST_PERIODS, MOST_GROUPS = 2, 20, 12
_SINGLE = ("slip", "typed", "far")
LEAST_STEP, FIRM = 1.0, 10.0
"""A new level differs by so many spreads of what is left over, and by so many of its own standard errors."""


def find(look: Looked, courses: Sequence[Course], apart: Sequence[TakenApart | None]) -> Iterator[Finding]:
    """Yield what stands out along the table's column of time; ``apart`` are its ``courses`` taken apart."""
    when = time_column(look.table)
    if when is None:
        return
    if look.within is None:
        # a filter has gaps of its own, as winters have summers between them
        if not when.yearly and look.asked(when) and look.rows.kept is None:
            yield from _gaps(look, when)
        yield from _stuck(look, when)
    for course, parts in zip(courses, apart, strict=True):
        if parts is None:
            continue
        for finding in _off_course(look, course, parts):
            yield finding if course.mine is None else _within(look, course.mine, finding)


def _within(look: Looked, mine: OneOf, finding: Finding) -> Finding:
    """Return what stands out in the course of one group as of its rows."""
    called, condition = f"{mine.column} {mine.values[0]}", AllOf((mine, finding.condition))
    return replace(
        finding,
        columns=(*finding.columns, called),
        condition=condition,
        n=look.count(condition),
        here=f"where {mine.column} is {mine.values[0]}: {finding.here}",
    )


def courses(look: Looked, told: Sequence[Finding]) -> list[Course]:
    """Return what is followed through time: of all rows, or in each of the largest groups.

    Values of ``told`` are left out of a column's course: one that is typed for
    want of a value makes no period stand out.
    """
    when = time_column(look.table)
    measures = [] if when is None else _measures(look, when)
    if when is None or not measures:
        return []
    asked: list[tuple[Measure, OneOf | None]] = [(measure, None) for measure in measures]
    if look.within is not None:
        if look.of is None:
            return []
        name = look.within.name
        groups = largest(look.table, name)[:MOST_GROUPS]
        asked = [(measures[-1], OneOf(name, (label,))) for label in groups]
    found = (_course_of(look, when, measure, told, mine) for measure, mine in asked)
    return [course for course in found if course is not None]


def _gaps(look: Looked, when: Column) -> Iterator[Finding]:
    cells = look.values(when)
    cells = cells[np.isfinite(cells)]
    days = np.unique(np.floor(cells / DAY))
    if len(days) < LEAST_DAYS:
        return
    steps = np.diff(days)
    step = float(np.median(steps))
    usual = float(np.quantile(steps, 0.99))
    found = []
    for i in np.argsort(-steps, kind="stable")[:MOST_PERIODS]:
        length = float(steps[i])
        if length <= LONGER * max(step, min(usual, float(np.quantile(steps, 0.95)))):
            break
        # how full the days are elsewhere: so many of them in a row empty by chance
        full = (len(days) - 1) / max((float(days[-1] - days[0]) - length + step) / step, 1.0)
        chance = len(days) * max(1 - min(full, 1.0), 1e-3) ** (length / step - 1)
        if chance < LEVEL:
            found.append((int(i), chance, min(full, 1.0)))
    if not found:
        return
    parts: list[Condition] = []
    for i, _, _ in found:
        for at in (days[i], days[i + 1]):
            parts.append(between(when, float(at * DAY), float((at + 1) * DAY)))
    first = found[0][0]
    condition = AnyOf(tuple(dict.fromkeys(parts)))
    edges = np.linspace(days[0] * DAY, (days[-1] + 1) * DAY, BARS + 1)
    beside = np.isin(np.floor(cells / DAY), [days[i + k] for i, _, _ in found for k in (0, 1)])
    missing = int(steps[first] - 1)
    more = f", and {counted(len(found) - 1, 'more gap')}" if len(found) > 1 else ""
    n, last = look.count(condition), day(float(days[first] * DAY))
    yield Finding(
        "gap",
        (when.name,),
        condition,
        n,
        f"no {look.table.row_noun[1]} after {last} for {counted(missing, 'day')}{more}; "
        f"{look.table.rows_in_words(n)} {'lies' if n == 1 else 'lie'} beside it",
        f"elsewhere they lie {counted(int(step), 'day')} apart"
        if step > 1
        else f"elsewhere {percent(found[0][2])} of days have some",
        min(chance for _, chance, _ in found),
        Context(
            tuple(map(float, np.histogram(cells, edges)[0])),
            tuple(map(float, np.histogram(cells[beside], edges)[0])),
            day(float(days[0] * DAY)),
            day(float(days[-1] * DAY)),
        ),
    )


def _series(look: Looked, when: Column) -> tuple[Ints, Ints | None, Column | None] | None:
    """Return the kept rows in order of time, by group where only groups have one row at a time; else None."""
    axis, at = look.table.moments(when.name), look.at
    if look.n < 60:
        return None
    groups = [
        g
        for g in sorted(look.groups, key=lambda g: g.distinct)
        if look.n <= 1.2 * g.distinct * when.distinct and _one_by_one(look, g, axis.values[at])
    ]
    if when.distinct < look.n and not groups:
        return None
    moments = axis.values[at]
    at, moments = at[np.isfinite(moments)], moments[np.isfinite(moments)]
    if when.distinct >= len(at):
        order = np.argsort(moments, kind="stable")
        return (at[order], None, None) if np.all(np.diff(moments[order]) > 0) else None
    for group in groups:
        codes = look.table.coded(group.name).codes[at].astype(np.int64)
        order = np.lexsort((moments, codes))
        same = np.diff(codes[order]) == 0
        if np.all(np.diff(moments[order])[same] > 0) and float(same.mean()) > 0.9:
            return at[order], codes[order], group
    return None


def _one_by_one(look: Looked, group: Column, moments: Floats) -> bool:
    """Whether rows of a group, its first, follow one another in mostly even steps."""
    codes = look.codes(group)
    steps = np.diff(np.sort(moments[codes == codes[0]]))
    return len(steps) >= 12 and bool(steps.min() > 0) and float((steps == np.median(steps)).mean()) > 0.5


def _stuck(look: Looked, when: Column) -> Iterator[Finding]:
    """Yield numbers that stay the same for long, as where an instrument stood still."""
    able = [c for c in look.measured if not c.kind.temporal and c.distinct >= 20 and look.asked(c)]
    series = _series(look, when) if able else None
    if series is None:
        return
    at, codes, group = series
    for column in able:
        values = look.table.axis(column.name).values[at]
        stays = values[1:] == values[:-1]
        if codes is not None:
            stays &= codes[1:] == codes[:-1]
        start, length = _longest(stays)
        if length + 1 < LEAST_RUN:
            continue
        here = float(values[start])
        run = np.zeros(len(values), dtype=np.bool_)
        run[start : start + length + 1] = True
        # how often this value stays elsewhere; where it is nowhere else, how often any does
        elsewhere = (values[:-1] == here) & ~run[:-1]
        visits = int(np.count_nonzero(elsewhere))
        kept = int(np.count_nonzero(elsewhere & stays))
        any_ = float((stays & ~run[:-1]).sum() + 1) / (len(values) - length)
        stay = (kept + 1) / (visits + 2) if visits >= 5 else max(any_, (kept + 1) / (visits + 10))
        chance = len(values) * stay**length * len(able)
        if chance >= LEVEL:
            continue
        moments = look.table.moments(when.name).values[at]
        parts: list[Condition] = [_from_to(when, float(moments[start]), float(moments[start + length]))]
        if group is not None and codes is not None:
            parts.append(OneOf(group.name, (look.table.coded(group.name).labels[int(codes[start])],)))
        parts.append(between(column, here, here, closed=True))
        condition = AllOf(tuple(parts))
        said, since = value(here, column.kind, column.unit), _when(when, float(moments[start]))
        edges = np.linspace(0, len(values), BARS + 1).astype(np.int64)
        parts_of = [(a, b) for a, b in pairwise(edges.tolist()) if b > a]
        sizes = np.nan_to_num([np.nanmean(np.abs(values[a:b])) for a, b in parts_of])
        share = np.array([run[a:b].mean() for a, b in parts_of])
        yield Finding(
            "stuck",
            (column.name,),
            condition,
            look.count(condition),
            f"{said} in {look.table.rows_in_words(length + 1)} one after another, from {since}",
            "elsewhere one value hardly stays so long",
            chance,
            Context(tuple(map(float, sizes)), tuple(map(float, sizes * share)), "first", "last"),
        )


def _longest(flags: Bools) -> tuple[int, int]:
    """Return where the longest run of True begins, and how long it is; (0, 0) without one."""
    edges = np.flatnonzero(np.diff(np.concatenate([[0], flags.astype(np.int8), [0]])))
    starts, lengths = edges[::2], edges[1::2] - edges[::2]
    if not len(starts):
        return 0, 0
    best = int(np.argmax(lengths))
    return int(starts[best]), int(lengths[best])


def _from_to(when: Column, low: float, high: float) -> Condition:
    if when.yearly:
        first, last = (float(_when(when, at)) for at in (low, high))
        return between(when, first, last, closed=True)
    return between(when, low, high, closed=True)


def _when(when: Column, at: float) -> str:
    if when.yearly:
        return str(np.datetime64(int(at), "s"))[:4]
    return value(at, when.kind)


def _measures(look: Looked, when: Column) -> list[Measure]:
    """Return the figures that are followed through time: rows, and what adds up before what does not."""
    numbers = [c for c in look.measured if c.kind.numeric and c.name != when.name and look.asked(c)]
    numbers.sort(key=lambda c: not c.additive)
    found = [first_measure(c) for c in numbers[:MOST_MEASURES]]
    return [*([Measure("count")] if look.asked(when) else []), *found]


@dataclass(frozen=True)
class Course:
    """A measure through time, of the rows of one group ``mine`` where there is one.

    ``values`` begin at the period ``start`` of ``calendar``, shape (periods,); a season comes back
    after so many of ``lengths``.
    """

    measure: Measure
    column: Column | None
    when: Column
    calendar: Calendar
    start: int
    values: Floats
    lengths: tuple[int, ...]
    mine: OneOf | None

    def taken_apart(self) -> TakenApart | None:
        """Return its trend, season and rest, which asks for no columns."""
        return take_apart(self.values, self.lengths)

    def condition(self, first: int, end: int) -> Condition:
        """Return the rows of some of its periods."""
        return period_condition(self.calendar, self.when, first + self.start, end + self.start)

    def name(self, i: int) -> str:
        """Return one of its periods in words."""
        return period_name(self.calendar, i + self.start)


def _course_of(
    look: Looked, when: Column, measure: Measure, told: Sequence[Finding], mine: OneOf | None
) -> Course | None:
    single = [f.condition for f in told if f.sort in _SINGLE and f.columns[0] == measure.column]
    rows = look.rows.relit(None)
    if single or mine is not None:
        groups = () if mine is None else (mine,)
        rows = Rows(look.table, (*rows.only, *(Not(one) for one in single), *groups))
    question = Decomposition(measure, when.name)
    try:
        check_apart(question, rows.table)
    except BadQuestion:
        return None
    grain = grain_for(question, rows)
    rows, periods, roll = past_of(measure, when.name, grain, None, rows)
    start, end = periods.covered
    values = roll.values[0][start:end]
    if end - start < 3 * LEAST_DAYS or np.isnan(values).all():
        return None
    column = None if measure.column is None else rows.table.column(measure.column)
    return Course(measure, column, when, periods.calendar, start, values, SEASONS[grain], mine)


def _off_course(look: Looked, course: Course, parts: TakenApart) -> Iterator[Finding]:
    rest = np.log(parts.rest) if parts.way == "multiplied" else parts.rest
    peaks = np.flatnonzero(parts.spikes & ~parts.filled & far_off(rest, LEVEL / (4 * (MOST_MEASURES + 1)))[0])
    if len(peaks):
        yield _of_periods(look, course, parts, peaks)
    spread = 1.4826 * float(np.median(np.abs(rest - np.median(rest))))
    if spread <= 0:
        return
    for change in parts.changes:
        before = float(parts.trend[max(change.at - 1, 0)])
        after = float(parts.trend[min(change.at, len(parts.trend) - 1)])
        size = (
            np.log(after / before) if parts.way == "multiplied" and min(before, after) > 0 else after - before
        )
        n, at = len(rest), change.at
        error = spread * float(np.sqrt(1 / max(at, 1) + 1 / max(n - at, 1)))
        if change.level and abs(size) >= LEAST_STEP * spread and abs(size) >= FIRM * error:
            yield _of_shift(look, course, parts, change.at, before, after, float(abs(size) / spread))


def _of_periods(look: Looked, course: Course, parts: TakenApart, at: Ints) -> Finding:
    expected = parts.trend + parts.season if parts.way == "added" else parts.trend * parts.season
    off = parts.values - expected
    at = at[np.argsort(-np.abs(off[at]), kind="stable")][:MOST_PERIODS]
    named = [course.condition(int(i), int(i) + 1) for i in at]
    condition = named[0] if len(named) == 1 else AnyOf(tuple(named))
    first = int(at[0])
    said, figure = _told(look, course)
    more = f", and {counted(len(at) - 1, 'more period')}" if len(at) > 1 else ""
    return Finding(
        "peak",
        _names(course),
        condition,
        look.count(condition),
        f"{figure} is {said(float(parts.values[first]))} in {course.name(first)}{more}",
        f"trend and season give {said(float(expected[first]))} there",
        LEVEL / 10,
        _in_small(course, parts, np.isin(np.arange(len(parts.values)), at)),
    )


def _of_shift(
    look: Looked,
    course: Course,
    parts: TakenApart,
    at: int,
    before: float,
    after: float,
    size: float,
) -> Finding:
    said, figure = _told(look, course)
    condition = course.condition(at, len(parts.values))
    there = np.arange(len(parts.values)) >= at
    return Finding(
        "shift",
        (*_names(course), course.name(at)),
        condition,
        look.count(condition),
        f"from {course.name(at)} on, {figure} lies at {said(after)}",
        f"until then at {said(before)}",
        10.0 ** -min(size, 12.0),
        _in_small(course, parts, there),
    )


def _told(look: Looked, course: Course) -> tuple[Callable[[float], str], str]:
    """Return how figures of a course are told, and what it is a course of."""
    column = course.column
    of = look.table.row_noun[1] if column is None else column.name
    return figure_of(course.measure, column), f"{aggregate_words(course.measure, column)} of {of}"


def _names(course: Course) -> tuple[str, ...]:
    return (course.measure.column or "rows", course.when.name)


def _in_small(course: Course, parts: TakenApart, odd: Bools) -> Context:
    """Return a series in small, of each few periods the highest, and which of them stand out."""
    n = len(parts.values)
    edges = np.linspace(0, n, min(2 * BARS, n) + 1).astype(np.int64)
    low = min(0.0, float(parts.values.min()))
    tall, lit = [], []
    for a, b in pairwise(edges.tolist()):
        there = parts.values[a:b][odd[a:b]]
        mean = float(parts.values[a:b].mean()) - low
        shown = float(there[np.argmax(np.abs(there - parts.values[a:b].mean()))]) - low if len(there) else 0.0
        tall.append(max(mean, shown))
        lit.append(shown)
    return Context(tuple(tall), tuple(lit), course.name(0), course.name(n - 1))
