"""Where a measure is going: a forecast with the bands its past errors give, for all or each group."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from functools import partial

import msgspec
import numpy as np

from night_trail.core.answers.basis import ALL_ROWS, Basis, Grouping, grouping, hues
from night_trail.core.answers.compare import can_compare
from night_trail.core.answers.measures import ADDS_UP, fits
from night_trail.core.answers.rolled import (
    Periods,
    Rolled,
    check_time,
    grain_for,
    period_condition,
    periods_of,
    rolled,
)
from night_trail.core.conditions import Condition
from night_trail.core.errors import BadQuestion
from night_trail.core.rows import Rows
from night_trail.core.stats.calendar import SEASONS, Calendar, GrainName, period_name
from night_trail.core.stats.forecast import LEAST, LEVELS, Forecast, forecast
from night_trail.core.table import Bools, Column, Floats, Table
from night_trail.core.time_questions import Ahead

HORIZONS: dict[GrainName, int] = {"hour": 48, "day": 28, "week": 13, "month": 12, "quarter": 8, "year": 5}
MOST_GROUPS = 16
BAND_LEVELS = LEVELS
"""The chances of the bands, in per cent, in the order of a forecast's rows."""

SURE_LEVEL = 80
"""The band spoken of in words."""


@dataclass(frozen=True)
class GroupAhead:
    """A group's past and its forecast; totals of all groups agree with that of all rows."""

    position: int
    label: str
    values: Floats
    mean: Floats


@dataclass(frozen=True)
class AheadAnswer:
    """A forecast behind the covered periods of a calendar.

    ``calendar`` holds past and future, ``start`` to ``end`` are the periods the
    forecast rests on, ``forecast`` begins at ``end``. ``rest_of_year`` is the
    total from now to the end of the year with its interval, the part that has
    already happened in it; None where sums make no sense. ``why_not`` says in
    words why there is no forecast. ``pending`` says how many groups of how many
    are forecast already, while that work runs.
    """

    question: Ahead
    column: Column | None
    time: Column
    basis: Basis
    calendar: Calendar
    values: Floats
    whole: Bools
    start: int
    end: int
    forecast: Forecast | None
    why_not: str = ""
    plan: Floats | None = None
    rest_of_year: tuple[int, float, float, float, float] | None = None
    grouping: Grouping = ALL_ROWS
    hues: tuple[int, ...] = (0,)
    groups: tuple[GroupAhead, ...] = ()
    gaps: tuple[tuple[int, int], ...] = ()
    pending: tuple[int, int] | None = None

    @property
    def horizon(self) -> int:
        """How many periods are forecast."""
        return self.calendar.n - self.end

    def condition(self, first: int, end: int | None = None) -> Condition:
        """Return the condition that names the rows of periods."""
        return period_condition(self.calendar, self.time, first, first + 1 if end is None else end)

    def name(self, i: int) -> str:
        """Return a period in words."""
        return period_name(self.calendar, i)


def check(question: Ahead, table: Table) -> None:
    """Refuse combinations that make no sense, naming the field."""
    check_time(question.measure, question.time, question.zone, table, question.grain)
    if question.split is not None:
        if question.measure.aggregate not in ADDS_UP:
            raise BadQuestion(
                "Only sums and counts of groups add up to a total", "split", "Take groups away."
            )
        if not can_compare(table.column(question.split)):
            raise BadQuestion(f"“{question.split}” makes no groups", "split", "Choose a category.")
    if question.plan is not None:
        if question.plan == question.measure.column or question.measure.column is None:
            raise BadQuestion("A plan is another column of the same kind", "plan", "Choose another.")
        if not fits(question.measure.aggregate, table.column(question.plan)):
            raise BadQuestion(f"“{question.plan}” is no number", "plan", "Choose another.")


def horizon_for(question: Ahead, grain: GrainName, covered: int) -> int:
    """Return how far to look: as asked, or a year or so, but no further than a third of the past."""
    if question.horizon is not None:
        return question.horizon
    return max(1, min(HORIZONS[grain], covered // 3))


@dataclass(frozen=True)
class _Base:
    """What every forecast of a question rests on: its periods, and which of them are covered."""

    grain: GrainName
    periods: Periods
    calendar: Calendar
    start: int
    end: int
    steps: int

    @classmethod
    def of(cls, question: Ahead, rows: Rows) -> _Base:
        """Return the periods of a question, past and ahead."""
        grain = grain_for(question, rows)
        periods = periods_of(rows, question.time, grain, 1, question.zone)
        start, end = periods.covered
        steps = horizon_for(question, grain, end - start)
        calendar = periods.calendar
        calendar = calendar.longer(steps - (calendar.n - end)) if end else calendar
        return cls(grain, periods, calendar, start, end, steps)


def ahead(question: Ahead, rows: Rows, made: Sequence[Alone] | None = None) -> AheadAnswer:
    """Return a measure's forecast; ``made`` are the groups' own, made now where they are not at hand."""
    base = _Base.of(question, rows)
    key = (question.time, base.grain, 1, question.zone, None, "all")
    roll = rolled(question.measure, rows, base.periods, ALL_ROWS, key)
    values = roll.values[0]
    past = values[base.start : base.end]
    known = _known(question, base.calendar, base.start, base.end)
    plain = msgspec.structs.replace(question, bands=(80,), plan=None, split=None)
    found = rows.remember(("ahead", plain, base.grain), partial(_one, past, base.steps, base.grain, known))[0]
    answered = AheadAnswer(
        question=question,
        column=None if question.measure.column is None else rows.table.column(question.measure.column),
        time=rows.table.column(question.time),
        basis=roll.basis,
        calendar=base.calendar,
        values=values,
        whole=base.periods.whole,
        start=base.start,
        end=base.end,
        forecast=found,
        why_not="" if found else _why_not(past),
        plan=_plan(question, rows, base.periods, base.grain),
        gaps=base.periods.gaps,
    )
    if found is None:
        return answered
    if question.split is not None:
        answered = _agreed(answered, rows, base, made or list(groups_alone(question, rows)))
    return replace(answered, rest_of_year=_rest_of_year(answered))


def _one(
    past: Floats, steps: int, grain: GrainName, known: tuple[Floats, Floats] | None
) -> tuple[Forecast | None]:
    return (forecast(past, steps, SEASONS[grain], known) if len(past) else None,)


def _why_not(past: Floats) -> str:
    has = past[~np.isnan(past)]
    if len(has) < LEAST:
        return f"there are only {len(has)} whole periods, and {LEAST} are the fewest a forecast can rest on"
    return "the figure was the same in every period"


def _known(question: Ahead, calendar: Calendar, start: int, end: int) -> tuple[Floats, Floats] | None:
    """Return which share of each period's days each event covers, past and ahead: a column a name."""
    if not question.events:
        return None
    names = list(dict.fromkeys(event.name for event in question.events))
    found = np.zeros((calendar.n, len(names)))
    for event in question.events:
        low, high = event.ends
        inside = np.minimum(calendar.edges[1:], high) - np.maximum(calendar.edges[:-1], low)
        found[:, names.index(event.name)] += np.maximum(inside, 0.0) / np.diff(calendar.edges)
    return found[start:end], found[end:]


def _plan(question: Ahead, rows: Rows, periods: Periods, grain: GrainName) -> Floats | None:
    if question.plan is None:
        return None
    measure = msgspec.structs.replace(question.measure, column=question.plan)
    key = (question.time, grain, 1, question.zone, None, "plan")
    return np.asarray(rolled(measure, rows, periods, ALL_ROWS, key).values[0])


def _rest_of_year(answered: AheadAnswer) -> tuple[int, float, float, float, float] | None:
    """Return (year, what has happened, what is expected in all, low, high) of the year being forecast."""
    found, calendar = answered.forecast, answered.calendar
    if found is None or answered.question.measure.aggregate not in ADDS_UP or calendar.grain == "year":
        return None
    years = calendar.year_of()
    year = int(years[answered.end])
    inside = np.flatnonzero(years == year)
    # only where the forecast reaches the year's end
    last = int(inside[-1])
    if last == calendar.n - 1 and calendar.longer(1).year_of()[-1] == year:
        return None
    happened = answered.values[inside[inside < answered.end]]
    so_far = float(np.nansum(happened))
    mean, low, high = found.total(0, last + 1 - answered.end, SURE_LEVEL)
    return year, so_far, so_far + mean, so_far + low, so_far + high


class Alone(msgspec.Struct, frozen=True):
    """A group's own forecast, before it agrees with the others: its mean and how wide its 80 % band is."""

    label: str
    mean: tuple[float, ...]
    wide: tuple[float, ...]
    chosen: str = ""


def groups_alone(question: Ahead, rows: Rows) -> Iterator[Alone]:
    """Yield the forecast of each group by itself, the work that takes time, in the order of the grouping."""
    base = _Base.of(question, rows)
    found = grouping(rows, question.split, MOST_GROUPS)
    roll = _group_roll(question, rows, base, found)
    known = _known(question, base.calendar, base.start, base.end)
    for i, group in enumerate(found.groups):
        past = roll.values[i][base.start : base.end]
        one = forecast(past, base.steps, SEASONS[base.grain], known) if len(past) else None
        if one is not None:
            k = LEVELS.index(SURE_LEVEL)
            wide = one.high[k] - one.low[k]
            yield Alone(group.label, tuple(one.mean.tolist()), tuple(wide.tolist()), one.chosen)
            continue
        # too little to go by: its usual level, which agreeing with the others hardly moves
        level = float(np.nanmean(past)) if len(past) and not np.isnan(past).all() else 0.0
        yield Alone(group.label, (level,) * base.steps, (1e-6,) * base.steps)


def _group_roll(question: Ahead, rows: Rows, base: _Base, found: Grouping) -> Rolled:
    key = (question.time, base.grain, 1, question.zone, question.split)
    return rolled(question.measure, rows, base.periods, found, key)


def _agreed(answered: AheadAnswer, rows: Rows, base: _Base, made: Sequence[Alone]) -> AheadAnswer:
    """Return the forecasts of the groups beside that of all, made to agree.

    Each is moved in proportion to the variance of its errors (trace minimisation
    with a diagonal covariance: Wickramasuriya, Athanasopoulos & Hyndman 2019),
    so that the groups add up to the total.
    """
    question, whole = answered.question, answered.forecast
    assert whole is not None  # noqa: S101  (asked only with a forecast of all)
    found = grouping(rows, question.split, MOST_GROUPS)
    roll = _group_roll(question, rows, base, found)
    means = np.array([one.mean for one in made])
    variances = np.array([one.wide for one in made]) ** 2
    half = whole.high[LEVELS.index(SURE_LEVEL)] - whole.low[LEVELS.index(SURE_LEVEL)]
    gap = whole.mean - means.sum(axis=0)
    moved = means + variances / (variances.sum(axis=0) + half**2) * gap
    total = moved.sum(axis=0)
    shift = total - whole.mean
    agreed = replace(
        whole, mean=total, low=whole.low + shift, high=whole.high + shift, paths=whole.paths + shift
    )
    groups = tuple(
        GroupAhead(i, group.label, roll.values[i], moved[i]) for i, group in enumerate(found.groups)
    )
    return replace(answered, forecast=agreed, grouping=found, hues=hues(rows, found), groups=groups)
