"""How a measure runs through the day, the week or the year."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from night_trail.core.conditions import Condition, Recurs, between, joined_all
from night_trail.core.errors import BadQuestion
from night_trail.core.moments import EPOCH, LENGTHS, PART_NAMES, GrainName, Part, numbered, part_of, to_zone
from night_trail.core.questions.cycle.question import Cycle
from night_trail.core.questions.shared.basis import ALL_ROWS, Basis, Group, Grouping, hues
from night_trail.core.questions.shared.cells import held_in
from night_trail.core.questions.shared.grouping import can_compare
from night_trail.core.questions.shared.measures import ADDS_UP, NOT_TESTED, SURE, Tested, is_share, tested
from night_trail.core.questions.shared.periods import Periods, check_time
from night_trail.core.questions.shared.ranking import ranked_grouping
from night_trail.core.questions.shared.rolled import Line, Rolled, all_together, rolled, without_dwarfing
from night_trail.core.rows import Codes, Rows
from night_trail.core.stats.calendar import Calendar, calendar_of
from night_trail.core.stats.rounds import chance_of_parts, drift, without_drift
from night_trail.core.table import Column, Floats, Ints, Kind, Table

MOST_LINES = 15


@dataclass(frozen=True)
class CycleAnswer:
    """A measure for each part of the cycle, of all rows, of each group or of each year.

    ``undrawn`` is the line of gathered groups where it would squeeze the rest.
    ``rounds`` by weekday are the weekdays; ``part`` is the cycle that runs from left to right.
    ``times`` says how often each part of the cycle came between the first and the last kept row;
    ``begun`` are years of which only one part has figures: no line, and not drawn. ``chance`` is how
    likely the parts differ as much by chance, over so many ``whole`` rounds and besides the rise from
    one to the next; None where it is not known. ``risen`` is that rise from part to part where the parts
    differ beyond chance with it, else 0. ``tested`` is of the rows of the parts, where rounds tell nothing.
    """

    question: Cycle
    column: Column | None
    time: Column
    basis: Basis
    grouping: Grouping
    hues: tuple[int, ...]
    rounds: tuple[Line, ...]
    together: Line
    part: Part
    parts: tuple[str, ...]
    ungrouped: int = 0
    undrawn: Line | None = None
    times: Ints | None = None
    begun: tuple[Line, ...] = ()
    chance: float | None = None
    risen: float = 0.0
    whole: int = 0
    tested: Tested = NOT_TESTED

    def round_condition(self, one: Line) -> Condition | None:
        """Return the condition that names a line's rows; None for all."""
        if self.question.split:
            return self.grouping.condition(one.position)
        if self.question.by_weekday:
            return Recurs(self.time.name, "week", (one.position,), self.question.zone)
        if self.question.years:
            start = self.question.year_start
            edges = calendar_of("year", self._years[one.position], self._years[one.position] + 1, start)
            clock = calendar_of("year", edges.first, edges.first + 1, start, self.question.zone).clock
            return between(self.time, float(clock[0]), float(clock[1]))
        return None

    def condition(self, one: Line, part: int) -> Condition:
        """Return the condition that names the rows of one part of a line."""
        name, zone, start = self.time.name, self.question.zone, self.question.year_start - 1
        match self.part:
            case "year":
                here = Recurs(name, "year", ((part + start) % 12,), zone)
            case "quarters":
                here = Recurs(name, "year", tuple((3 * part + start + i) % 12 for i in range(3)), zone)
            case kind:
                here = Recurs(name, kind, (part,), zone)
        return joined_all(self.round_condition(one), here)

    @property
    def _years(self) -> list[int]:
        return [int(group.key) - EPOCH.year for group in self.grouping.groups]


def check(question: Cycle, table: Table) -> None:
    """Refuse combinations that make no sense, naming the field."""
    check_time(question.measure, question.time, question.zone, table)
    if table.column(question.time).yearly:
        raise BadQuestion(f"“{question.time}” has years, no months or days", "time", "Choose dates.")
    if part_for(question, table) == "day" and table.column(question.time).kind == Kind.DATE:
        raise BadQuestion(f"“{question.time}” has days, no hours", "part", "Choose the week or the year.")
    if question.split is not None and not can_compare(table.column(question.split)):
        raise BadQuestion(f"“{question.split}” makes no groups", "split", "Choose a category.")
    if question.by_weekday and (question.split or question.years):
        raise BadQuestion("Weekdays have no further lines", "shape", "Take the lines away.")


def part_for(question: Cycle, table: Table) -> Part:
    """Return the cycle from left to right: the one asked for, or the one weekdays are crossed with."""
    if not question.by_weekday:
        return question.part
    return "day" if table.column(question.time).kind == Kind.DATETIME else "year"


def labels_of(part: Part, year_start: int) -> tuple[str, ...]:
    """Return what the parts of a cycle are called, in their order."""
    found = PART_NAMES[part]
    return found[year_start - 1 :] + found[: year_start - 1] if part == "year" else found


def cycle(question: Cycle, rows: Rows) -> CycleAnswer:
    """Return a measure for each part of a cycle."""
    table = rows.table
    key: tuple[object, ...] = (
        "cycle",
        question.time,
        question.part,
        question.shape,
        question.year_start,
        question.zone,
    )
    part = part_for(question, table)
    moments = table.axis(question.time).values
    periods = rows.remember(key, lambda: _as_periods(question, rows, moments, part))
    found, _ = ranked_grouping(rows, question.split, MOST_LINES, question.measure)
    if question.years or question.by_weekday:
        found = _grouped(question, moments)
        # a year that has only begun has no sum of 0 in the months to come
        periods = replace(periods, fills=False)
    line_key = (*key, question.split, question.split and question.measure, question.years)
    roll = rolled(question.measure, rows, periods, found, line_key)
    whole = (
        roll
        if found is ALL_ROWS
        else all_together(question.measure, roll)
        or rolled(question.measure, rows, periods, ALL_ROWS, (*key, "together"))
    )
    rounds = tuple(_line(i, group, roll) for i, group in enumerate(found.groups) if roll.n[i].any())
    rounds, undrawn = without_dwarfing(rounds)
    begun: tuple[Line, ...] = ()
    if question.years and not question.by_weekday:
        begun = tuple(r for r in rounds if np.count_nonzero(~np.isnan(r.values)) == 1)
        begun = begun if len(begun) < len(rounds) else ()
        rounds = tuple(r for r in rounds if r not in begun)
    cells = rows.remember(
        (*key, "whole", question.measure), lambda: _whole(question, rows, moments, periods, key)
    )
    chance = chance_of_parts(without_drift(cells))
    return CycleAnswer(
        question=question,
        column=None if question.measure.column is None else table.column(question.measure.column),
        time=table.column(question.time),
        basis=roll.basis,
        ungrouped=roll.ungrouped,
        grouping=found,
        hues=hues(rows, found) if question.split else tuple(range(len(found.groups))),
        rounds=rounds,
        together=_line(0, Group("", ""), whole),
        part=part,
        parts=labels_of(part, question.year_start),
        undrawn=undrawn,
        times=_times(question, rows, moments, part),
        begun=begun,
        chance=chance,
        risen=drift(cells) if (chance_of_parts(cells) or 0.0) < SURE else 0.0,
        whole=len(cells),
        tested=NOT_TESTED if chance is not None else _tested(question, rows, periods, key),
    )


def _tested(question: Cycle, rows: Rows, periods: Periods, key: tuple[object, ...]) -> Tested:
    """Return the test that rows of all parts are alike; of what adds up there is none."""
    measure = question.measure
    if measure.aggregate in ADDS_UP or question.by_weekday:
        return NOT_TESTED
    column = None if measure.column is None else rows.table.column(measure.column)

    def made() -> Tested:
        cells = held_in(measure, rows).grouped(periods.codes)
        return tested(measure, cells, LENGTHS[question.part], is_share(measure, column))

    return rows.remember((*key, "tested", measure), made)


@dataclass(frozen=True)
class _Rounds:
    """In which part of which round every row lies, as one number; −1 for none; ``size`` counts the rounds."""

    codes: Codes
    size: int

    @property
    def nbytes(self) -> int:
        """Bytes it holds."""
        return self.codes.nbytes


def _rounds_of(question: Cycle, moments: Floats, periods: Periods) -> _Rounds:
    """Return the rounds of all kept rows, whatever is measured; ``moments`` has shape (rows,)."""
    codes = np.full(len(moments), -1, dtype=np.int32)
    at = np.flatnonzero(periods.codes >= 0)
    if not len(at):
        return _Rounds(codes, 0)
    local = moments[at] if question.zone is None else to_zone(moments[at], question.zone)
    rounds = numbered(local, _ROUNDS[question.part], question.year_start)
    rounds = rounds - rounds.min()
    size = int(rounds.max()) + 1
    if size > MOST_ROUNDS:
        return _Rounds(codes, 0)
    codes[at] = periods.codes[at] + rounds * LENGTHS[question.part]
    return _Rounds(codes, size)


def _whole(question: Cycle, rows: Rows, moments: Floats, periods: Periods, key: tuple[object, ...]) -> Floats:
    """Return the measure in each part of each whole round, of shape (rounds, parts); none where it has none.

    ``moments`` has shape (rows,). Rounds in which a mean is missing are left out, and of sums and counts
    those at the ends, which may have begun only.
    """
    measure, parts = question.measure, LENGTHS[question.part]
    none = np.empty((0, parts))
    if (
        question.by_weekday
        or measure.aggregate not in ("count", "sum", "mean")
        or rows.table.stands() is not None
    ):
        return none
    rounds = rows.remember((*key, "rounds"), lambda: _rounds_of(question, moments, periods))
    codes = rounds.codes
    known = codes >= 0
    values = None
    if measure.column is not None:
        values = rows.table.axis(measure.column).values
        known &= ~np.isnan(values)
    if not known.all():
        at = np.flatnonzero(known)
        codes, values = codes[at], None if values is None else values[at]
    if not len(codes):
        return none
    n = np.bincount(codes, minlength=rounds.size * parts).reshape(rounds.size, parts)
    # from the first round in which there is anything to the last
    there = np.flatnonzero(n.any(axis=1))
    shown = slice(int(there[0]), int(there[-1]) + 1)
    n = n[shown]
    if measure.aggregate == "count":
        return n[1:-1].astype(np.float64)
    assert values is not None  # noqa: S101  (a sum and a mean are of a column)
    sums = np.bincount(codes, weights=values, minlength=rounds.size * parts).reshape(-1, parts)[shown]
    if measure.aggregate == "sum":
        return np.asarray(sums[1:-1], dtype=np.float64)
    full = (n > 0).all(axis=1)
    return np.asarray(sums[full] / n[full], dtype=np.float64)


_ROUNDS: dict[Part, GrainName] = {"day": "day", "week": "week", "year": "year", "quarters": "year"}
MOST_ROUNDS = 40_000
"""A hundred years of days."""


def _times(question: Cycle, rows: Rows, moments: Floats, part: Part) -> Ints | None:
    """Return how often each part came, days or months counted; None where hours are compared, or nothing is.

    A part that came only in part, as the month of the last row, counts whole.
    """

    def reach() -> Floats:
        kept = moments if rows.kept is None else moments[rows.kept]
        has = kept[~np.isnan(kept)]
        return np.array([has.min(), has.max()] if len(has) else [])

    if part == "day":
        return None
    ends = rows.remember(("from first to last", question.time), reach)
    if not len(ends):
        return None
    local = ends if question.zone is None else to_zone(ends, question.zone)
    step: GrainName = "day" if part == "week" else "month"
    first, last = (int(n) for n in numbered(local, step))
    clock = calendar_of(step, first, last + 1).clock[:-1]
    codes = part_of(clock, part, None, question.year_start)
    if part == "quarters":
        # three months of a quarter are one
        codes = codes[np.concatenate([[True], codes[1:] != codes[:-1]])]
    return np.bincount(codes.astype(np.int64), minlength=LENGTHS[part])


def _line(i: int, group: Group, roll: Rolled) -> Line:
    return Line(
        i,
        group.label,
        roll.values[i],
        roll.n[i],
        None if roll.lit is None else roll.lit[i],
        None if roll.lit_n is None else roll.lit_n[i],
        others=group.others,
    )


def _as_periods(question: Cycle, rows: Rows, moments: Floats, part: Part) -> Periods:
    """Return the parts of a cycle as if they were periods."""
    codes = part_of(moments, part, question.zone, question.year_start).astype(np.int32)
    if rows.kept is not None:
        codes[~rows.kept] = -1
    n = rows.tally(codes, LENGTHS[part])
    empty: Calendar = calendar_of("day", 0, LENGTHS[part])
    return Periods(empty, codes, n, (False, False), ())


def _grouped(question: Cycle, moments: Floats) -> Grouping:
    """Return the years, or the weekdays, as groups."""
    if question.by_weekday:
        codes = part_of(moments, "week", question.zone)
        groups = tuple(Group(day, day) for day in PART_NAMES["week"])
        return Grouping(None, groups, codes.astype(np.int32))
    local = moments if question.zone is None else to_zone(moments, question.zone)
    years = numbered(local, "year", question.year_start)
    has = ~np.isnan(local)
    if not has.any():
        return Grouping(None, (Group("", ""),), np.full(len(moments), -1, dtype=np.int32))
    # the latest years where there are too many for lines
    last = int(years[has].max())
    first = max(int(years[has].min()), last - 39)
    codes = np.where(has & (years >= first), years - first, -1).astype(np.int32)
    groups = tuple(Group(str(EPOCH.year + y), str(EPOCH.year + y)) for y in range(first, last + 1))
    return Grouping(None, groups, codes)
