"""What trend, seasons and remainder a measure is made of, and what was different where it jumped."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from night_trail.core.conditions import Condition
from night_trail.core.moments import PART_NAMES
from night_trail.core.questions.decomposition.question import Decomposition
from night_trail.core.questions.shared.basis import Basis
from night_trail.core.questions.shared.periods import Periods, check_time, grain_for, period_condition
from night_trail.core.questions.shared.rolled import past_of
from night_trail.core.rows import Rows
from night_trail.core.stats.calendar import SEASONS, Calendar, period_name
from night_trail.core.stats.decompose import TakenApart, take_apart
from night_trail.core.table import Bools, Column, Floats, Ints, Kind, Table

MOST_SPIKES, MOST_ASKED, MOST_NAMED = 5, 24, 2
ENOUGH, RARE = 5, 0.05
"""So many rows a period needs for a reason, and so large a part of the periods may be as different."""

DIFFERENT = 0.8
"""How many standard deviations (or how much of the share) rows must lie apart to be named different."""


@dataclass(frozen=True)
class Spike:
    """A period that stands out from trend and season: by how much, and what else was different there.

    ``different`` are columns with what is usual and what was there instead, a
    mean of numbers or the share of ``value`` among the rows.
    """

    at: int
    by: float
    different: tuple[Different, ...] = ()


@dataclass(frozen=True)
class Different:
    """A column that was different on some rows: a mean, or the share of a value."""

    column: Column
    value: str
    there: float
    usual: float
    effect: float


@dataclass(frozen=True)
class DecompositionAnswer:
    """The parts of a series on its calendar; ``parts`` is None where it cannot be taken apart.

    ``start`` is the first period taken: unfinished ones at the ends are left out.
    """

    question: Decomposition
    column: Column | None
    time: Column
    basis: Basis
    calendar: Calendar
    n: Ints
    whole: Bools
    values: Floats
    lit: Floats | None
    lit_n: Ints | None
    start: int
    parts: TakenApart | None
    spikes: tuple[Spike, ...] = ()
    gaps: tuple[tuple[int, int], ...] = ()

    def condition(self, first: int, end: int | None = None) -> Condition:
        """Return the condition that names the rows of periods."""
        return period_condition(self.calendar, self.time, first, first + 1 if end is None else end)

    def name(self, i: int) -> str:
        """Return a period in words."""
        return period_name(self.calendar, i)

    def season_shape(self) -> tuple[tuple[str, ...], Floats, Floats, Floats] | None:
        """Return the longest season's mean round, and how low and high it went: labels, mean, low, high."""
        if self.parts is None or not self.parts.periods:
            return None
        period, season = self.parts.periods[-1], self.parts.seasons[-1]
        labels, places = self.places(period)
        rounds = [season[places == i] for i in range(period)]
        mean, low, high = (
            np.array([f(r) if len(r) else np.nan for r in rounds]) for f in (np.mean, np.min, np.max)
        )
        return labels, mean, low, high

    def places(self, period: int) -> tuple[tuple[str, ...], Ints]:
        """Return the names of a season's places, and at which of them each period that was taken is."""
        assert self.parts is not None  # noqa: S101  (asked only of parts)
        places = (self.calendar.first + self.start + np.arange(len(self.parts.values))) % period
        labels: tuple[str, ...] = tuple(str(i + 1) for i in range(period))
        grain = self.calendar.grain
        if grain == "month" and period == 12:
            labels = PART_NAMES["year"]
        elif grain == "quarter" and period == 4:
            labels = PART_NAMES["quarters"]
        elif grain == "day" and period == 7:
            # days are counted from a Thursday
            places, labels = (places + 3) % 7, PART_NAMES["week"]
        elif grain == "hour" and period == 24:
            labels = PART_NAMES["day"]
        return labels, places


def check(question: Decomposition, table: Table) -> None:
    """Refuse a question whose time or measure does not fit."""
    check_time(question.measure, question.time, question.zone, table, question.grain)


def apart(question: Decomposition, rows: Rows) -> DecompositionAnswer:
    """Return the parts of a measure over time."""
    grain = grain_for(question, rows)
    rows, periods, roll = past_of(question.measure, question.time, grain, question.zone, rows)
    start, end = periods.covered
    values = roll.values[0]
    key = ("apart", question.measure, question.time, grain, question.way, question.zone)

    def take() -> tuple[TakenApart | None]:
        if end <= start or np.isnan(values[start:end]).all():
            return (None,)
        return (take_apart(values[start:end], SEASONS[grain], question.way),)

    parts = rows.remember(key, take)[0]
    column = None if question.measure.column is None else rows.table.column(question.measure.column)
    return DecompositionAnswer(
        question=question,
        column=column,
        time=rows.table.column(question.time),
        basis=roll.basis,
        calendar=periods.calendar,
        n=roll.n[0],
        whole=periods.whole,
        values=values,
        lit=None if roll.lit is None else roll.lit[0],
        lit_n=None if roll.lit_n is None else roll.lit_n[0],
        start=start,
        parts=parts,
        spikes=()
        if parts is None
        else rows.remember(("spikes", *key), lambda: _spikes(question, rows, periods, parts, start)),
        gaps=periods.gaps,
    )


def _spikes(
    question: Decomposition, rows: Rows, periods: Periods, parts: TakenApart, start: int
) -> tuple[Spike, ...]:
    at = np.flatnonzero(parts.spikes)
    expected = parts.trend + parts.season if parts.way == "added" else parts.trend * parts.season
    off = parts.values - expected
    largest = sorted(at, key=lambda i: -abs(off[i]))[:MOST_SPIKES]
    others = [
        c
        for c in rows.table.columns
        if c.name not in (question.time, question.measure.column)
        and not c.kind.temporal
        and c.kind not in (Kind.IDENTIFIER, Kind.TEXT)
    ][:MOST_ASKED]
    found: dict[int, list[Different]] = {int(i): [] for i in largest}
    rows_of = {i: np.flatnonzero(periods.codes == i + start) for i in found}
    in_time = periods.codes >= 0
    for column in others:
        compare = (_numbers if column.kind.numeric else _shares)(column, rows.table, in_time)
        for i, there in rows_of.items():
            one = compare(there) if compare is not None and len(there) >= ENOUGH else None
            if one is not None and one.effect >= DIFFERENT and _rare(one, rows, periods, in_time):
                found[i].append(one)
    return tuple(
        Spike(i + start, float(off[i]), tuple(sorted(different, key=lambda d: -d.effect)[:MOST_NAMED]))
        for i, different in found.items()
    )


def _rare(one: Different, rows: Rows, periods: Periods, in_time: Bools) -> bool:
    """Whether hardly any period is as different: what half of them are is no reason for one."""
    table, name, length = rows.table, one.column.name, periods.calendar.n

    def by_period() -> Floats:
        if one.value:
            coded = table.coded(name)
            used = in_time & (coded.codes >= 0)
            hit = (coded.codes == coded.labels.index(one.value))[used].astype(np.float64)
        else:
            used = in_time & ~np.isnan(table.axis(name).values)
            hit = table.axis(name).values[used]
        at = periods.codes[used]
        n = np.bincount(at, minlength=length)
        sums = np.bincount(at, weights=hit, minlength=length)
        return np.asarray(sums[n >= ENOUGH] / n[n >= ENOUGH])

    figures = rows.remember(("by period", name, one.value, periods.calendar.grain, length), by_period)
    if len(figures) < 2:
        return False
    as_far = np.abs(figures - one.usual) >= abs(one.there - one.usual) * (1 - 1e-9)
    return int(np.count_nonzero(as_far)) <= max(MOST_SPIKES, RARE * len(figures))


Compare = Callable[[Ints], Different | None]
"""How rows at some places differ from all others in time."""


def _numbers(column: Column, table: Table, in_time: Bools) -> Compare | None:
    values = table.axis(column.name).values
    has = in_time & ~np.isnan(values)
    n = int(np.count_nonzero(has))
    if not n:
        return None
    middle = float(values[has].mean())
    squares = float(((values[has] - middle) ** 2).sum())

    def compare(there: Ints) -> Different | None:
        """Return how the mean there differs, the others' mean and spread by taking these from all.

        ``there`` has shape (periods,), which of them stand out.
        """
        here = values[there]
        here = here[~np.isnan(here)]
        rest = n - len(here)
        if not len(here) or rest < 2:
            return None
        off = here - middle
        mean = middle - float(off.sum()) / rest
        spread = np.sqrt(max(squares - float(off @ off) - rest * (mean - middle) ** 2, 0.0) / (rest - 1))
        # what is left over by rounding alone is no spread
        if spread <= 1e-9 * max(abs(middle), 1e-300):
            return None
        there_mean = float(here.mean())
        return Different(column, "", there_mean, mean, abs(there_mean - mean) / float(spread))

    return compare


def _shares(column: Column, table: Table, in_time: Bools) -> Compare | None:
    coded = table.coded(column.name)
    width = len(coded.labels)
    if not 2 <= width <= 60:
        return None
    whole = np.bincount(coded.codes[in_time & (coded.codes >= 0)], minlength=width)

    def compare(there: Ints) -> Different | None:
        """Return the value whose share is most above that among all others.

        ``there`` has shape (periods,), which of them stand out.
        """
        codes = coded.codes[there]
        here = np.bincount(codes[codes >= 0], minlength=width)
        rest = whole - here
        if not here.sum() or not rest.sum():
            return None
        a, b = here / here.sum(), rest / rest.sum()
        i = int(np.argmax(a - b))
        # a difference of shares as a distance of proportions (Cohen 1988): so 2 % against 40 % is large
        effect = 2 * abs(float(np.arcsin(np.sqrt(a[i])) - np.arcsin(np.sqrt(b[i]))))
        return Different(column, coded.labels[i], float(a[i]), float(b[i]), effect)

    return compare
