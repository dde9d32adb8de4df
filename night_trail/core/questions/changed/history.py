"""The steps before a change: what each part of it did from period to period until then."""

from __future__ import annotations

from dataclasses import dataclass
from typing import cast

import numpy as np

from night_trail.core.conditions import Between, axis_bound
from night_trail.core.errors import BadQuestion
from night_trail.core.measure import Measure
from night_trail.core.moments import DAY, GRAINS, GrainName, year_starts
from night_trail.core.questions.changed.question import Changed
from night_trail.core.questions.changed.segments import Segments, segments_of
from night_trail.core.questions.shared.cells import held_of
from night_trail.core.questions.shared.measures import ADDS_UP
from night_trail.core.questions.shared.periods import Periods, periods_of
from night_trail.core.rows import Rows
from night_trail.core.table import Bools, Floats, Table

LEAST_STEPS = 6


@dataclass(frozen=True)
class Steps:
    """Two periods of one calendar: their places in it, and the table's periods."""

    time: str
    periods: Periods
    before: int
    after: int
    table: Table

    @property
    def grain(self) -> GrainName:
        """The step they are periods of."""
        return self.periods.calendar.grain

    @property
    def unfinished(self) -> tuple[bool, bool]:
        """Whether either period is cut off by the ends of the data."""
        whole = self.periods.whole
        return not bool(whole[self.before]), not bool(whole[self.after])

    def days(self, before: Bools, after: Bools) -> tuple[int, int]:
        """Return on how many days either side has rows; both have shape (rows of the table,)."""
        moments = self.table.moments(self.time).values
        one, other = (len(np.unique(np.floor(moments[side] / DAY))) for side in (before, after))
        return one, other

    def past(
        self, measure: Measure, rows: Rows, by: tuple[str, ...], cut: Segments
    ) -> tuple[Floats, Floats] | None:
        """Return the earlier steps of each segment and the one looked at; None where there are too few.

        Of what adds up a step is the change of a segment's share of all, of a rate
        its change beyond that of all. Steps are as long as the one looked at.

        Shapes (steps, segments) and (segments,).
        """
        lag = self.after - self.before
        n = self.periods.calendar.n
        if lag <= 0 or n - lag < LEAST_STEPS + 1:
            return None
        sums, over = rows.remember(
            ("changed past", measure, self.time, self.grain, by, cut.labels),
            lambda: _by_period(measure, rows, self.periods, by, cut),
        )
        whole = self.periods.whole
        if measure.aggregate in ADDS_UP:
            sizes = np.abs(sums).sum(axis=1, keepdims=True)
            with np.errstate(invalid="ignore", divide="ignore"):
                course = np.where(sizes > 0, sums / sizes, np.nan)
        else:
            with np.errstate(invalid="ignore", divide="ignore"):
                course = sums / over - (sums.sum(axis=1) / over.sum(axis=1))[:, None]
        steps = course[lag:] - course[:-lag]
        known = whole[lag:] & whole[:-lag]
        at = np.arange(lag, n)
        now = steps[self.after - lag]
        # what the two periods did is in the steps from and to them too
        earlier = known & ~np.isin(at, (self.before, self.after, self.after + lag, self.before + lag))
        if int(earlier.sum()) < LEAST_STEPS:
            return None
        past = steps[earlier]
        enough = np.isfinite(past).sum(axis=0) >= LEAST_STEPS
        past = np.where(enough[None, :], past, 0.0)
        return past, np.where(enough, np.nan_to_num(now), 0.0)


def _by_period(
    measure: Measure, rows: Rows, periods: Periods, by: tuple[str, ...], cut: Segments
) -> tuple[Floats, Floats]:
    """Return the sums of each segment in each period, and what their rates are taken over."""
    held = held_of(measure, rows.table, rows.kept)
    all_cut = segments_of(by, rows.table, held.at)
    place = {label: i for i, label in enumerate(cut.labels)}
    lookup = np.array([place.get(label, -1) for label in all_cut.labels], dtype=np.int64)
    segment = lookup[all_cut.codes]
    period = (periods.codes if held.at is None else periods.codes[held.at]).astype(np.int64)
    used = (segment >= 0) & (period >= 0)
    pair = period[used] * cut.n + segment[used]
    size, shape = periods.calendar.n * cut.n, (periods.calendar.n, cut.n)
    sums = np.bincount(pair, weights=held.values[used], minlength=size).reshape(shape)
    below = None if held.below is None else held.below[used]
    over = np.bincount(pair, weights=below, minlength=size).reshape(shape)
    return sums.astype(np.float64), over.astype(np.float64)


def steps_of(question: Changed, rows: Rows) -> Steps | None:
    """Return the periods that both sides are, None where they are no two periods of one calendar."""
    before, after = question.before, question.after
    if not isinstance(before, Between) or not isinstance(after, Between) or before.column != after.column:
        return None
    column = rows.table.column(before.column)
    if not column.dated:
        return None
    grains = ["year"] if column.yearly else [g for g in GRAINS if g != "hour"]
    for grain in grains:
        periods = rows.remember(
            ("changed periods", column.name, grain),
            lambda grain=grain: _periods(rows, column.name, cast(GrainName, grain)),  # type: ignore[misc]
        )
        if periods[0] is None:
            continue
        places = [_place(side, periods[0], rows.table) for side in (before, after)]
        if places[0] is not None and places[1] is not None:
            return Steps(column.name, periods[0], places[0], places[1], rows.table)
    return None


def _periods(rows: Rows, time: str, grain: GrainName) -> tuple[Periods | None]:
    try:
        return (periods_of(rows, time, grain),)
    except BadQuestion:
        return (None,)  # too many of them


def _place(side: Between, periods: Periods, table: Table) -> int | None:
    """Return which period a range is, None where it is none."""
    if side.low is None or side.high is None or side.low_open or side.high_closed:
        return None
    column = table.column(side.column)
    if column.yearly:
        low, high = (float(year_starts(np.array([int(end)]))[0]) for end in (side.low, side.high))
    else:
        low, high = (axis_bound(end, column.kind, column.name) for end in (side.low, side.high))
    edges = periods.calendar.clock
    at = int(np.searchsorted(edges, low))
    fits = at + 1 < len(edges) and edges[at] == low and edges[at + 1] == high
    return at if fits else None
