"""Where a measure is going: a forecast with the bands its past errors give, for all or each group."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

import msgspec
import numpy as np

from night_trail.core.conditions import Condition
from night_trail.core.errors import BadQuestion
from night_trail.core.moments import GrainName
from night_trail.core.questions.forecast.known import Known, check_known, known_of
from night_trail.core.questions.forecast.question import MOST_AHEAD, Forecast
from night_trail.core.questions.shared.basis import ALL_ROWS, Basis, Grouping, hues
from night_trail.core.questions.shared.behind import Pending
from night_trail.core.questions.shared.grouping import can_compare
from night_trail.core.questions.shared.measures import ADDS_UP, fits
from night_trail.core.questions.shared.periods import (
    Periods,
    check_time,
    grain_for,
    period_condition,
    periods_of,
)
from night_trail.core.questions.shared.ranking import ranked_grouping
from night_trail.core.questions.shared.rolled import Rolled, past_of, placed, rolled
from night_trail.core.rows import Rows
from night_trail.core.stats.calendar import SEASONS, Calendar, period_name
from night_trail.core.stats.forecast import LEAST, LEVELS, SeriesForecast, forecast
from night_trail.core.table import Bools, Column, Floats, Table

HORIZONS: dict[GrainName, int] = {"hour": 48, "day": 28, "week": 13, "month": 12, "quarter": 8, "year": 5}
MOST_GROUPS = 16
BAND_LEVELS = LEVELS
"""The chances of the bands, in per cent, in the order of a forecast's rows."""

SURE_LEVEL = 80
"""The band spoken of in words."""


@dataclass(frozen=True)
class GroupAhead:
    """A group's past and its forecast; totals of all groups agree with that of all rows.

    ``low`` and ``high`` have a row for each of the levels of bands. ``total`` is
    that of the year being forecast with its interval, where all rows have one.
    """

    position: int
    label: str
    values: Floats
    mean: Floats
    low: Floats
    high: Floats
    total: tuple[float, float, float] | None = None


@dataclass(frozen=True)
class ForecastAnswer:
    """A forecast behind the covered periods of a calendar.

    ``calendar`` holds past and future, ``start`` to ``end`` are the periods the
    forecast rests on, ``forecast`` begins at ``end``. ``rest_of_year`` is the
    total from now to the end of the year with its interval, the part that has
    already happened in it; None where sums make no sense. ``why_not`` says in
    words why there is no forecast. ``pending`` says how many groups of how many
    are forecast already, until all are. ``assumed`` is the period from
    which on nothing is known of the known column and no is taken.
    """

    question: Forecast
    column: Column | None
    time: Column
    basis: Basis
    calendar: Calendar
    values: Floats
    whole: Bools
    start: int
    end: int
    forecast: SeriesForecast | None
    why_not: str = ""
    plan: Floats | None = None
    rest_of_year: tuple[int, float, float, float, float] | None = None
    grouping: Grouping = ALL_ROWS
    hues: tuple[int, ...] = (0,)
    groups: tuple[GroupAhead, ...] = ()
    gaps: tuple[tuple[int, int], ...] = ()
    pending: Pending | None = None
    assumed: int | None = None
    known: Known | None = None

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


def check(question: Forecast, table: Table) -> None:
    """Refuse combinations that make no sense, naming the field."""
    check_known(question, table)
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


def horizon_for(question: Forecast, grain: GrainName, covered: int) -> int:
    """Return how far to look: as asked, or a year or so, but no further than a third of the past."""
    if question.horizon is not None:
        return question.horizon
    return max(1, min(HORIZONS[grain], covered // 3))


@dataclass(frozen=True)
class _Base:
    """What every forecast of a question rests on: periods, which are covered, the rows with a figure."""

    grain: GrainName
    periods: Periods
    calendar: Calendar
    start: int
    end: int
    steps: int
    roll: Rolled
    rows: Rows

    @classmethod
    def of(cls, question: Forecast, rows: Rows) -> _Base:
        """Return the periods of a question, past and ahead."""
        grain = grain_for(question, rows)
        past, periods, roll = past_of(question.measure, question.time, grain, question.zone, rows)
        calendar = periods.calendar
        start, end = periods.covered
        steps = horizon_for(question, grain, end - start)
        if question.horizon is None and past is not rows:
            # what is planned is looked at to its end
            planned = periods_of(rows, question.time, grain, 1, question.zone).calendar
            steps = min(max(steps, planned.first + planned.n - calendar.first - end), MOST_AHEAD)
        calendar = calendar.longer(steps - (calendar.n - end)) if end else calendar
        return cls(grain, periods, calendar, start, end, steps, roll, past)


def ahead(question: Forecast, rows: Rows, made: Sequence[Alone] | None = None) -> ForecastAnswer:
    """Return a measure's forecast; ``made`` are the groups' own, made now where they are not at hand."""
    base = _Base.of(question, rows)
    values, roll = base.roll.values[0], base.roll
    past = values[base.start : base.end]
    known = known_of(question, rows, base.calendar, base.start, base.end)
    plain = msgspec.structs.replace(question, bands=(80,), plan=None, split=None)
    found = rows.remember(("ahead", plain, base.grain), lambda: (_one(past, base.steps, base.grain, known),))[
        0
    ]
    answered = ForecastAnswer(
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
        plan=_plan(question, rows, base),
        gaps=base.periods.gaps,
        assumed=None if known is None else known.assumed,
        known=known,
    )
    if found is None:
        return answered
    if question.split is not None:
        answered = _agreed(answered, rows, base, made or list(groups_alone(question, rows)))
    return replace(answered, rest_of_year=_rest_of_year(answered))


def _one(past: Floats, steps: int, grain: GrainName, known: Known | None) -> SeriesForecast | None:
    return forecast(past, steps, SEASONS[grain], known.pair if known else None) if len(past) else None


def _why_not(past: Floats) -> str:
    has = past[~np.isnan(past)]
    if len(has) < LEAST:
        return f"there are only {len(has)} whole periods, and {LEAST} are the fewest a forecast can rest on"
    return "the figure was the same in every period"


def _plan(question: Forecast, rows: Rows, base: _Base) -> Floats | None:
    """Return the plan of each period, past and ahead, NaN where there is none."""
    if question.plan is None:
        return None
    measure = msgspec.structs.replace(question.measure, column=question.plan)
    key = (question.time, base.grain, 1, question.zone, None, "plan")
    periods = periods_of(rows, question.time, base.grain, 1, question.zone)
    return placed(rolled(measure, rows, periods, ALL_ROWS, key).values[0], periods, base.calendar)


def _rest_of_year(answered: ForecastAnswer) -> tuple[int, float, float, float, float] | None:
    """Return (year, what has happened, what is expected in all, low, high) of the year being forecast."""
    found, calendar = answered.forecast, answered.calendar
    steps = _to_year_end(answered.question, calendar, answered.end)
    if found is None or not steps:
        return None
    so_far = _so_far(answered.values, calendar, answered.end)
    mean, low, high = found.total(0, steps, SURE_LEVEL)
    return int(calendar.year_of()[answered.end]), so_far, so_far + mean, so_far + low, so_far + high


def _to_year_end(question: Forecast, calendar: Calendar, end: int) -> int:
    """Return how many steps ahead the year ends in which the forecast begins; 0 where it is not reached."""
    if question.measure.aggregate not in ADDS_UP or calendar.grain == "year" or end >= calendar.n:
        return 0
    years = calendar.longer(1).year_of()
    over = np.flatnonzero(years[end:] != years[end])
    return int(over[0]) if len(over) else 0


def _so_far(values: Floats, calendar: Calendar, end: int) -> float:
    """Return what has happened in the year in which the forecast begins."""
    years = calendar.year_of()
    return float(np.nansum(values[:end][years[:end] == years[end]]))


class Alone(msgspec.Struct, frozen=True):
    """A group's own forecast, before it agrees with the others: its mean, its bands, a row a level.

    ``total`` is the sum of the steps to the end of the year with its interval.
    """

    label: str
    mean: tuple[float, ...]
    low: tuple[tuple[float, ...], ...]
    high: tuple[tuple[float, ...], ...]
    total: tuple[float, float, float]

    @property
    def wide(self) -> Floats:
        """How wide the band is by which groups are made to agree."""
        k = LEVELS.index(SURE_LEVEL)
        return np.subtract(self.high[k], self.low[k], dtype=np.float64)


def groups_alone(question: Forecast, rows: Rows) -> Iterator[Alone]:
    """Yield the forecast of each group by itself, the work that takes time, in the order of the grouping."""
    base = _Base.of(question, rows)
    found, _ = ranked_grouping(rows, question.split, MOST_GROUPS, question.measure)
    roll = _group_roll(question, rows, base, found)
    known = known_of(question, rows, base.calendar, base.start, base.end)
    steps = _to_year_end(question, base.calendar, base.end)
    for i, group in enumerate(found.groups):
        past = roll.values[i][base.start : base.end]
        one = _one(past, base.steps, base.grain, known)
        if one is not None:
            low, high = (tuple(tuple(row) for row in band.tolist()) for band in (one.low, one.high))
            total = one.total(0, steps or base.steps, SURE_LEVEL)
            yield Alone(group.label, tuple(one.mean.tolist()), low, high, total)
            continue
        # too little to go by: its usual level, which agreeing with the others hardly moves
        level = float(np.nanmean(past)) if len(past) and not np.isnan(past).all() else 0.0
        flat, sums = (level,) * base.steps, level * (steps or base.steps)
        above = tuple(at + 1e-6 for at in flat)
        yield Alone(group.label, flat, (flat,) * len(LEVELS), (above,) * len(LEVELS), (sums, sums, sums))


def _group_roll(question: Forecast, rows: Rows, base: _Base, found: Grouping) -> Rolled:
    key = (question.time, base.grain, 1, question.zone, question.split, question.measure)
    return rolled(question.measure, base.rows, base.periods, found, key)


def _agreed(answered: ForecastAnswer, rows: Rows, base: _Base, made: Sequence[Alone]) -> ForecastAnswer:
    """Return the forecasts of the groups beside that of all, made to agree.

    Each is moved in proportion to the variance of its errors (trace minimisation
    with a diagonal covariance: Wickramasuriya, Athanasopoulos & Hyndman 2019),
    so that the groups add up to the total.
    """
    question, whole = answered.question, answered.forecast
    assert whole is not None  # noqa: S101  (asked only with a forecast of all)
    found, _ = ranked_grouping(rows, question.split, MOST_GROUPS, question.measure)
    roll = _group_roll(question, rows, base, found)
    means = np.array([one.mean for one in made])
    variances = np.array([one.wide for one in made]) ** 2
    steps = _to_year_end(question, base.calendar, base.end)
    half = whole.high[LEVELS.index(SURE_LEVEL)] - whole.low[LEVELS.index(SURE_LEVEL)]
    gap = whole.mean - means.sum(axis=0)
    moved = means + variances / (variances.sum(axis=0) + half**2) * gap
    total = moved.sum(axis=0)
    shift = total - whole.mean
    agreed = replace(
        whole, mean=total, low=whole.low + shift, high=whole.high + shift, paths=whole.paths + shift
    )
    groups = tuple(
        _moved(i, one, roll.values[i], moved[i], steps, base)
        for i, one in enumerate(made[: len(found.groups)])
    )
    return replace(answered, forecast=agreed, grouping=found, hues=hues(rows, found), groups=groups)


def _moved(i: int, one: Alone, values: Floats, mean: Floats, steps: int, base: _Base) -> GroupAhead:
    """Return a group's forecast with the mean that agrees with the others, its bands moved along."""
    by = mean - np.asarray(one.mean)
    total = None
    if steps:
        so_far = _so_far(values, base.calendar, base.end) + float(by[:steps].sum())
        total = one.total[0] + so_far, one.total[1] + so_far, one.total[2] + so_far
    return GroupAhead(i, one.label, values, mean, np.asarray(one.low) + by, np.asarray(one.high) + by, total)
