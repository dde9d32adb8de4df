"""How a measure changed, period by period: lines, what they are held against, what moved them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import msgspec
import numpy as np

from night_trail.core.conditions import Condition, joined_all
from night_trail.core.conditions import OneOf as Value
from night_trail.core.errors import BadQuestion
from night_trail.core.measure import Measure
from night_trail.core.questions.over_time.contributions import Contribution, contributions
from night_trail.core.questions.over_time.events import events, moved_by_events, yes_bands
from night_trail.core.questions.over_time.question import Against, Level, OverTime
from night_trail.core.questions.over_time.views import ADDING, check_view, first_whole, fits_view, viewer
from night_trail.core.questions.shared.basis import ALL_ROWS, Basis, Grouping, grouping, hues
from night_trail.core.questions.shared.cells import held_in
from night_trail.core.questions.shared.grouping import can_compare, makes_groups, no_groups
from night_trail.core.questions.shared.measures import ADDS_UP, check_measure, fits, plain_figures
from night_trail.core.questions.shared.periods import (
    Periods,
    broken_off,
    check_time,
    grain_for,
    period_condition,
    periods_of,
)
from night_trail.core.questions.shared.ranking import can_rank, ranked_grouping
from night_trail.core.questions.shared.rolled import (
    Line,
    Rolled,
    all_together,
    rolled,
    under_way,
    with_figures,
    without_dwarfing,
)
from night_trail.core.questions.shared.time_question import AskedOfTime
from night_trail.core.rows import Rows
from night_trail.core.stats.calendar import SEASONS, Calendar, period_name
from night_trail.core.stats.quantiles import quantiles
from night_trail.core.stats.shifts import LEAST_SHIFTED, level_shift, shared_shift
from night_trail.core.table import Bools, Column, Floats, Kind, Table

MOST_LINES, MOST_COLOURED = 40, 8
MOST_STACKED = 8
MOST_LOOKED, CATEGORIES_LOOKED = 12, 3
"""Of how many categories, of how many values, groups are looked at for a change that all share."""

ADDING_SHAPES = ("stacked", "shares")
SPLIT_SHAPES = ("stacked", "shares", "panels", "horizon", "ranks")


@dataclass(frozen=True)
class Shift:
    """A change of level on all of ``count`` lines at once: groups of a column, measures where it is None."""

    at: int
    count: int
    column: str | None


@dataclass(frozen=True)
class Ends:
    """Over all groups, drawn or not: which is highest in the last whole period, which changed most till then.

    ``moved`` is empty where no group has a figure both in the first period and in the last.
    """

    top: str
    high: float
    moved: str
    change: float


@dataclass(frozen=True)
class OverTimeAnswer:
    """Lines over the periods of a calendar.

    ``whole`` says which periods are covered from end to end, ``gaps`` are runs
    of periods without rows. ``together`` is the line of all rows, ``levels`` are
    drawn across, ``bands`` behind: (name, first, end) as periods. ``compared``
    is the period the difference of which ``contributions`` make up. ``others``
    answers for each further measure. ``shifted`` says in which period all lines,
    groups of a category that is not drawn, or measures change their level, as
    where something is defined anew. ``ends`` speak of all groups where not all
    are drawn; ``undrawn`` is the line of those gathered where it would squeeze the rest.
    ``snapshots`` is how often a stock that is summed was taken in a period.
    """

    question: OverTime
    measure: Measure
    column: Column | None
    time: Column
    basis: Basis
    calendar: Calendar
    whole: Bools
    gaps: tuple[tuple[int, int], ...]
    grouping: Grouping
    hues: tuple[int, ...]
    lines: tuple[Line, ...]
    together: Line
    levels: tuple[tuple[Level, float], ...] = ()
    bands: tuple[tuple[str, int, int], ...] = ()
    compared: int | None = None
    contributions: tuple[Contribution, ...] = ()
    others: tuple[OverTimeAnswer, ...] = ()
    shifted: Shift | None = None
    ungrouped: int = 0
    ends: Ends | None = None
    undrawn: Line | None = None
    snapshots: int = 0

    def condition(self, line: Line, first: int, end: int | None = None) -> Condition:
        """Return the condition that names the rows of a line in periods ``first`` to ``end``."""
        end = first + 1 if end is None else end
        return joined_all(
            self.grouping.condition(line.position) if self.question.split else None,
            period_condition(self.calendar, self.time, first, end),
        )

    def line_condition(self, line: Line) -> Condition | None:
        """Return the condition that names a line's rows; None for all."""
        return self.grouping.condition(line.position) if self.question.split else None

    def difference(self, line: Line) -> Floats | None:
        """Return a line's difference from what it is held against, as the question wants it."""
        against = self.question.against
        if line.base is None or against is None:
            return None
        found = line.values - line.base
        if against.show == "relative":
            with np.errstate(invalid="ignore", divide="ignore"):
                found = np.where(line.base != 0, found / np.abs(line.base), np.nan)
        # a period that is not over yet is not held against one that is
        return np.where(self.whole, found, np.nan)

    def name(self, i: int) -> str:
        """Return a period in words."""
        return period_name(self.calendar, i)


def first_over_time(measure: Measure, time: Column, split: str | None = None) -> OverTime:
    """Return how a measure changed, as it is best shown first."""
    return OverTime(measure, time.name, split=split)


def shapes_for(question: OverTime) -> tuple[str, ...]:
    """Return the shapes a question can be drawn as."""
    if question.more:
        return ("line", "steps", "area", "columns")
    if question.split is None:
        return ("line", "steps", "area", "columns", "days")
    adds = question.measure.aggregate in ADDS_UP and question.view in ("plain", *ADDING)
    found = ("line", "steps", "panels", "horizon", "ranks")
    return ("line", "steps", "stacked", "shares", *found[2:]) if adds and question.until is None else found


def for_each(question: AskedOfTime, by: Column, table: Table) -> OverTime:
    """Return a line over time for each group: what was said of one series is not said of many."""
    return first_over_time(question.measure, table.column(question.time), by.name)


def fitted(question: OverTime) -> OverTime:
    """Return the question with what fits together, where it does not."""
    if question.split is not None and question.more:
        question = msgspec.structs.replace(question, more=())
    if question.until is not None and question.measure.aggregate != "count":
        question = msgspec.structs.replace(question, until=None)
    if not fits_view(question):
        question = msgspec.structs.replace(question, view="plain")
    if question.shape not in shapes_for(question):
        question = msgspec.structs.replace(question, shape="line")
    if question.shape in ADDING_SHAPES and question.against is not None:
        question = msgspec.structs.replace(question, against=None)
    return question


def check(question: OverTime, table: Table) -> None:
    """Refuse combinations that make no sense, naming the field."""
    check_time(question.measure, question.time, question.zone, table, question.grain)
    for measure in question.more:
        check_measure(measure, table)
    if question.split is not None and not can_compare(table.column(question.split)):
        raise no_groups(table.column(question.split), "split", "for lines")
    if question.split == question.time:
        raise BadQuestion("Time cannot be split by itself", "split", "Run it through a cycle instead.")
    if question.more and question.split is not None:
        raise BadQuestion("Several measures and groups do not go together", "more", "Take one away.")
    if question.shape not in shapes_for(question):
        raise BadQuestion(
            f"This cannot be drawn as “{question.shape}”",
            "shape",
            "Choose a line; parts need a sum or a count for each group.",
        )
    check_view(question)
    if question.until is not None:
        ends = table.column(question.until)
        if question.measure.aggregate != "count" or not ends.kind.temporal or ends.name == question.time:
            raise BadQuestion(
                "What is under way is counted from a start to an end", "until", "Count rows, to another date."
            )
    if question.bands is not None and table.column(question.bands).kind != Kind.YES_NO:
        raise BadQuestion(f"“{question.bands}” is no yes/no column", "bands", "Choose one.")
    if question.against is not None:
        _check_against(question, question.against, table)


def _check_against(question: OverTime, against: Against, table: Table) -> None:
    if question.shape in ADDING_SHAPES:
        raise BadQuestion("Stacked parts are held against nothing", "against", "Draw lines.")
    if against.kind == "column":
        plan = against.column or ""
        if plan == question.measure.column or not fits(question.measure.aggregate, table.column(plan)):
            raise BadQuestion("A plan is another column of the same kind", "against", "Choose another.")
        if question.measure.column is None:
            raise BadQuestion("A count has no plan", "against", "Choose a column to measure.")
    if against.kind == "group":
        if question.split is not None:
            raise BadQuestion("Lines are held against no other group", "against", "Take the groups away.")
        if not makes_groups(table.column(against.column or "")):
            raise BadQuestion(f"“{against.column}” makes no groups", "against", "Choose a category.")


def over_time(question: OverTime, rows: Rows) -> OverTimeAnswer:
    """Return the lines of a measure over time, and whether all change their level at once."""
    answered, periods = _lines(question, rows)
    return replace(answered, shifted=_shifted(answered, rows, periods))


def _lines(question: OverTime, rows: Rows) -> tuple[OverTimeAnswer, Periods]:
    grain = grain_for(question, rows)
    periods = periods_of(rows, question.time, grain, question.year_start, question.zone, question.until)
    most = (
        question.keep + 1
        if question.keep
        else MOST_STACKED
        if question.shape in ADDING_SHAPES
        else MOST_LINES
    )
    found, _ = ranked_grouping(rows, question.split, most, question.measure)
    key = (question.time, grain, question.year_start, question.zone, question.split, most, question.measure)
    roll = _rolled(question.measure, question, rows, periods, found, key)
    if found is ALL_ROWS:
        whole_roll = roll
    else:
        whole_roll = (None if question.until else all_together(question.measure, roll)) or _rolled(
            question.measure, question, rows, periods, ALL_ROWS, (*key, "together")
        )
    past = rows if question.until else with_figures(question.measure, rows, whole_roll.n[0])
    if past is not rows:
        so_far = periods_of(past, question.time, grain, question.year_start, question.zone)
        periods = broken_off(periods, so_far)
    maker = _Maker(question, rows, periods, key, viewer(question, rows, periods))
    lines = tuple(
        maker.line(i, group.label, roll, i, found, group.others)
        for i, group in enumerate(found.groups)
        if roll.n[i].any()
    )
    together = (
        maker.line(0, "", whole_roll, 0, ALL_ROWS, 0) if found is not ALL_ROWS or not lines else lines[0]
    )
    lines, undrawn = (lines, None) if question.shape in ADDING_SHAPES else without_dwarfing(lines)
    answered = OverTimeAnswer(
        question=question,
        measure=question.measure,
        column=None if question.measure.column is None else rows.table.column(question.measure.column),
        time=rows.table.column(question.time),
        basis=roll.basis,
        ungrouped=roll.ungrouped,
        calendar=periods.calendar,
        whole=periods.whole,
        gaps=periods.gaps,
        grouping=found,
        hues=hues(rows, found),
        lines=lines,
        together=together,
        levels=_levels(question, together, periods),
        bands=(*events(question, periods.calendar), *yes_bands(question, rows, periods)),
        ends=_ends(question, rows, periods, found, together),
        snapshots=_snapshots(question, rows, periods),
        undrawn=undrawn,
    )
    held = _held(answered)
    if held is not None:
        parts = contributions(question, rows, periods, *held)
        answered = replace(answered, compared=held[0], contributions=parts)
    others = tuple(
        _lines(msgspec.structs.replace(question, measure=m, more=(), levels=(), grain=grain), rows)[0]
        for m in question.more
    )
    return replace(answered, others=others), periods


def _shifted(answered: OverTimeAnswer, rows: Rows, periods: Periods) -> Shift | None:
    """Return where everything changes its level at once.

    A line of all rows that does is looked at by the groups of a few categories.
    """
    question, whole = answered.question, answered.whole
    season = next(iter(SEASONS[answered.calendar.grain]), 0)

    def shared(lines: list[Floats], column: str | None) -> Shift | None:
        at = shared_shift(np.array([np.where(whole, values, np.nan) for values in lines]), season)
        return None if at is None else Shift(at, len(lines), column)

    if question.split is not None:
        return shared([one.values for one in answered.lines], question.split)
    together = answered.together.values
    if answered.others:
        return shared([together, *(other.together.values for other in answered.others)], None)
    if question.until is not None or level_shift(np.where(whole, together, np.nan), season) is None:
        return None
    able = [c for c in rows.table.columns if makes_groups(c) and LEAST_SHIFTED <= c.distinct <= MOST_LOOKED]
    for column in able[:CATEGORIES_LOOKED]:
        found = grouping(rows, column.name, MOST_LOOKED + 1)
        key = (question.time, answered.calendar.grain, question.year_start, question.zone, column.name)
        roll = rolled(question.measure, rows, periods, found, (*key, MOST_LOOKED))
        if (shift := shared(list(roll.values), column.name)) is not None:
            return shift
    return None


def _rolled(
    measure: Measure,
    question: OverTime,
    rows: Rows,
    periods: Periods,
    found: Grouping,
    key: tuple[object, ...],
) -> Rolled:
    if question.until is not None:
        return under_way(rows, periods, found, question.time, question.until)
    return rolled(measure, rows, periods, found, key)


@dataclass(frozen=True)
class _Maker:
    """Makes lines: figures as the view wants them, beside what they are held against."""

    question: OverTime
    rows: Rows
    periods: Periods
    key: tuple[object, ...]
    viewed: Callable[[Floats, Floats | None], Floats]

    def line(self, position: int, label: str, roll: Rolled, row: int, found: Grouping, others: int) -> Line:
        """Return one line of a roll-up."""
        values = self.viewed(roll.values[row], None)
        first = first_whole(values, self.periods.whole)
        lit = None
        if roll.lit is not None:
            # an index of the lit rows stands on the same foot as that of all
            lit = self.viewed(roll.lit[row], roll.values[row] if self.question.view == "index" else None)
        return Line(
            position,
            label,
            values,
            roll.n[row],
            lit,
            None if roll.lit_n is None else roll.lit_n[row],
            self.base(values, row, found) if first is not None else None,
            others,
        )

    def base(self, values: Floats, row: int, found: Grouping) -> Floats | None:
        """Return what each period of a line is held against.

        Shape (periods,), NaN where there is none; None where nothing is held against.
        """
        against, n = self.question.against, len(values)
        if against is None:
            return None
        if against.kind in ("before", "year"):
            back = 1 if against.kind == "before" else self.periods.calendar.back_a_year()
            at = np.arange(n) - back
            if against.kind == "year":
                at = moved_by_events(at, self.question, self.periods.calendar)
            ok = (at >= 0) & (at < n)
            base = np.full(n, np.nan)
            base[ok] = values[at[ok]]
            # what was not covered from end to end says nothing either
            base[ok] = np.where(self.periods.whole[at[ok]], base[ok], np.nan)
            return base
        if against.kind == "column":
            measure = msgspec.structs.replace(self.question.measure, column=against.column)
            roll = rolled(measure, self.rows, self.periods, found, (*self.key, "plan", found.column is None))
            return self.viewed(roll.values[row], None)
        assert against.column is not None and against.group is not None  # noqa: S101  (checked)
        other = Rows(self.rows.table, (*self.rows.only, Value(against.column, (against.group,))))
        assert other.kept is not None  # noqa: S101  (it has a filter)
        codes = np.where(other.kept, self.periods.codes, -1).astype(np.int32)
        roll = rolled(
            self.question.measure,
            other,
            replace(self.periods, codes=codes),
            ALL_ROWS,
            (*self.key, against.group),
        )
        return self.viewed(roll.values[0], None)


def _levels(question: OverTime, together: Line, periods: Periods) -> tuple[tuple[Level, float], ...]:
    values = np.sort(together.values[periods.whole & ~np.isnan(together.values)])
    found = []
    for level in question.levels:
        if level.kind == "target":
            found.append((level, level.at))
        elif len(values):
            share = {"median": 0.5, "percentile": level.at / 100}.get(level.kind)
            at = float(values.mean()) if share is None else float(quantiles(values, (share,))[0])
            found.append((level, at))
    return tuple(found)


def _snapshots(question: OverTime, rows: Rows, periods: Periods) -> int:
    """Return at how many times a stock that is summed was taken in its fullest period; else 0."""
    name = question.measure.column
    if question.measure.aggregate != "sum" or name is None or not rows.table.column(name).stock:
        return 0
    used = periods.codes >= 0
    moments = rows.table.moments(question.time).values[used]
    pairs = np.unique(np.stack([periods.codes[used].astype(np.float64), moments]), axis=1)
    return int(np.bincount(pairs[0].astype(np.int64)).max()) if pairs.size else 0


def _ends(question: OverTime, rows: Rows, periods: Periods, found: Grouping, together: Line) -> Ends | None:
    """Return which group stands highest at the end and which changed most, where not all are drawn."""
    if question.until is not None or question.split is None or not any(g.others for g in found.groups):
        return None
    has = np.flatnonzero(~np.isnan(together.values) & periods.whole)
    if not can_rank(rows, question.split) or len(has) < 2:
        return None
    coded = rows.table.coded(question.split)
    first, last = int(has[0]), int(has[-1])

    def at(period: int) -> Floats:
        codes = np.where(periods.codes == period, coded.codes, -1).astype(np.int32)
        got = plain_figures(
            question.measure, held_in(question.measure, rows).grouped(codes), len(coded.labels)
        )
        empty = 0.0 if question.measure.aggregate in ADDS_UP else np.nan
        return np.where(got.n > 0, got.values, empty)

    def made() -> tuple[Ends | None]:
        begun, ended = at(first), at(last)
        if not np.isfinite(ended).any():
            return (None,)
        top, change = int(np.nanargmax(ended)), ended - begun
        if not np.isfinite(change).any():
            return (Ends(coded.labels[top], float(ended[top]), "", 0.0),)
        moved = int(np.nanargmax(np.abs(change)))
        return (Ends(coded.labels[top], float(ended[top]), coded.labels[moved], float(change[moved])),)

    key = ("ends", question.measure, question.split, question.time, periods.calendar.grain, first, last)
    return rows.remember((*key, question.year_start, question.zone), made)[0]


def _held(answered: OverTimeAnswer) -> tuple[int, int] | None:
    """Return the last period held against an earlier one, and that one."""
    against, difference = answered.question.against, answered.difference(answered.together)
    if against is None or difference is None or against.kind not in ("before", "year"):
        return None
    held = np.flatnonzero(~np.isnan(difference))
    if not len(held):
        return None
    at = int(held[-1])
    return at, max(at - (1 if against.kind == "before" else answered.calendar.back_a_year()), 0)
