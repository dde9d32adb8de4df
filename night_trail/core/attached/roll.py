"""What a question needs of all rows of an attached table: they are rolled up to cells before they come.

A cell is what rows have in common: the values that stay apart, the hour they lie
in, what a condition says of them. It carries how many rows it stands for and,
of what is measured, the mean and the sums of squares around it. All figures of
groups and periods follow from these exactly, and no row leaves its place.
"""

from __future__ import annotations

from collections.abc import Container
from typing import TypeGuard

import msgspec

from night_trail.core.conditions import (
    Above,
    Between,
    Condition,
    Contains,
    Leaf,
    Missing,
    OneOf,
    Recent,
    Recurs,
    columns_of,
    leaves,
    moment,
)
from night_trail.core.errors import Beyond
from night_trail.core.measure import Measure
from night_trail.core.moments import DAY, HOUR
from night_trail.core.question import Question
from night_trail.core.questions.compare.question import Baseline, Compare
from night_trail.core.questions.crosstab.question import Crosstab
from night_trail.core.questions.cycle.question import Cycle
from night_trail.core.questions.decomposition.question import Decomposition
from night_trail.core.questions.flow.question import Flow
from night_trail.core.questions.forecast.question import Forecast
from night_trail.core.questions.make_up.question import MakeUp
from night_trail.core.questions.over_time.question import Against, OverTime
from night_trail.core.questions.registry import kind_of
from night_trail.core.questions.shared.basis import is_banded
from night_trail.core.questions.shared.periods import time_column
from night_trail.core.questions.spread.question import Spread
from night_trail.core.renaming import NAMES
from night_trail.core.table import Column, Kind, Table

Binned = tuple[tuple[str, tuple[float, ...]], ...]
"""Columns of which only the place between edges is kept, with the edges."""

MOST_CELLS = 2_000_000
"""Cells that are brought at most."""

QUARTER = 900.0
"""Seconds that a time is kept to where days are told by a zone."""

MOST_APART = 50_000
"""Values that a column has at most where each is counted once."""

ROLLED_UP = (Compare, OverTime, Cycle, Crosstab, MakeUp, Flow, Decomposition, Forecast)
"""Kinds of questions all figures of which follow from cells; bars of a spread too."""

TOLD = (Above, Between, Contains, Missing, OneOf)
"""Conditions an engine can tell of a row."""


class Roll(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """Into which cells rows are rolled up, and what is asked of each.

    ``keys`` are columns whose values stay apart, ``times`` those kept to a ``step`` of seconds, a day, an
    hour, or a quarter of it where days are told by a zone; ``measured`` those of which mean and squares are
    asked, ``products`` pairs of these. ``truths`` are told of each cell, ``where`` holds of all. ``bins``
    are columns of which only the place between edges is kept.
    """

    keys: tuple[str, ...] = ()
    times: tuple[str, ...] = ()
    step: float = HOUR
    measured: tuple[str, ...] = ()
    products: tuple[tuple[str, str], ...] = ()
    truths: tuple[Condition, ...] = ()
    where: tuple[Condition, ...] = ()
    bins: Binned = ()


class _Needs:
    """The columns and conditions of a question, gathered."""

    def __init__(self, table: Table) -> None:
        self.table = table
        self.keys: dict[str, None] = {}
        self.times: dict[str, None] = {}
        self.measured: dict[str, None] = {}
        self.products: dict[tuple[str, str], None] = {}
        self.conditions: list[Condition] = []
        self.stocks: list[str] = []
        self.zoned = False

    def of(self, value: object) -> None:
        """Gather what a question, or a part of one, names."""
        if isinstance(value, Measure):
            self._measure(value)
        elif isinstance(value, Baseline | Against):
            if value.column is not None:
                self._plan(value, self.table.column(value.column))
            if isinstance(value, Baseline) and value.where is not None:
                self.conditions.append(value.where)
        elif isinstance(value, msgspec.Struct):
            self._struct(value)
        elif isinstance(value, tuple):
            for one in value:
                self.of(one)

    def _struct(self, value: msgspec.Struct) -> None:
        if getattr(value, "zone", None) is not None:
            self.zoned = True
        for field in value.__struct_fields__:
            inner = getattr(value, field)
            if field in NAMES and isinstance(inner, str):
                self.named(inner)
            elif field in NAMES and isinstance(inner, tuple) and all(isinstance(one, str) for one in inner):
                for one in inner:
                    self.named(one)
            else:
                self.of(inner)

    def named(self, name: str) -> None:
        """Keep the values of a column apart, or the hours of a time."""
        column = self.table.column(name)
        if column.kind.temporal:
            self.times[name] = None
        elif is_banded(column):
            raise Beyond(f"“{name}” is cut into bands by its values", self.table.name)
        else:
            self.keys[name] = None

    def _measure(self, measure: Measure) -> None:
        if measure.where is not None:
            self.conditions.append(measure.where)
        if measure.column is None:
            return
        column = self.table.column(measure.column)
        if measure.aggregate in ("distinct", "median", "quantile"):
            # what is counted once, or ranked, is told by values that are kept apart
            if column.distinct > MOST_APART:
                wanted = "count each" if measure.aggregate == "distinct" else "rank them all"
                raise Beyond(f"“{column.name}” has too many different values to {wanted}", self.table.name)
            self.keys[column.name] = None
            return
        self._measured(column)
        if measure.aggregate == "sum" and column.stock:
            self.stocks.append(column.name)
        if measure.per is not None:
            self._measured(self.table.column(measure.per))
            self.products[measure.column, measure.per] = None

    def _measured(self, column: Column) -> None:
        if column.kind.temporal or not (column.kind.numeric or column.kind == Kind.YES_NO):
            raise Beyond(f"“{column.name}” is {column.kind}", self.table.name)
        self.measured[column.name] = None

    def spread(self, question: Spread, edges: tuple[float, ...]) -> Binned:
        """Keep the values of a column apart, or only their places between edges, which are returned then."""
        apart = keeps_values(question, self.table)
        if is_ranked(question) and not apart:
            wanted = "has too many different values to rank them all"
            raise Beyond(f"“{question.column}” {wanted}", self.table.name)
        if apart:
            self.keys[question.column] = None
        if question.across is not None:
            self.named(question.across)
            if question.across in self.times:
                raise Beyond(f"“{question.across}” is cut into bands by its values", self.table.name)
        return () if apart else ((question.column, edges),)

    def times_of_stocks(self) -> None:
        """Keep the days at which a stock that is summed was taken: its sum says how many there are."""
        for name in self.stocks:
            time = time_column(self.table)
            if time is None or time.yearly:
                continue
            if time.kind == Kind.DATETIME:
                raise Beyond(
                    f"“{name}” is a stock, taken at moments that are not kept apart", self.table.name
                )
            self.times[time.name] = None

    def _plan(self, value: Baseline | Against, column: Column) -> None:
        if isinstance(value, Against) and value.kind == "group":
            self.named(column.name)
        else:
            self._measured(column)


def measures_in(value: object) -> list[Measure]:
    """Return the measures that a question, or a part of one, figures."""
    if isinstance(value, Measure):
        return [value]
    if isinstance(value, msgspec.Struct):
        return [m for field in value.__struct_fields__ for m in measures_in(getattr(value, field))]
    return [m for one in value for m in measures_in(one)] if isinstance(value, tuple) else []


def check_kind(question: Question) -> None:
    """Refuse questions whose figures do not follow from cells."""
    if not (
        isinstance(question, ROLLED_UP) or is_binned(question) or is_bars(question) or is_ranked(question)
    ):
        raise Beyond(f"“{kind_of(question).way}” needs the rows themselves")
    if isinstance(question, OverTime) and question.until is not None:
        raise Beyond("What is under way needs the rows themselves")
    if isinstance(question, OverTime) and question.shape == "days":
        raise Beyond("A picture of days needs the rows themselves")


def is_bars(question: Question) -> bool:
    """Whether a question asks how often each value occurs."""
    return isinstance(question, Spread) and question.shape == "bars"


def is_ranked(question: Question) -> TypeGuard[Spread]:
    """Whether a question asks for the quarters of values, and what lies beyond them."""
    return isinstance(question, Spread) and not question.angles and question.shape in ("boxes", "letters")


def is_binned(question: Question) -> TypeGuard[Spread]:
    """Whether a question asks how many rows lie between edges."""
    if not isinstance(question, Spread) or question.angles:
        return False
    return question.shape == "histogram" and question.scale == "plain"


def keeps_values(question: Spread, table: Table) -> bool:
    """Whether a spread is told by its values kept apart, and not by edges alone."""
    column = table.column(question.column)
    return column.distinct <= MOST_APART and not column.kind.temporal


def roll_of(
    question: Question,
    only: tuple[Condition, ...],
    lit: Condition | None,
    table: Table,
    edges: tuple[float, ...] = (),
) -> Roll:
    """Return the cells that a question needs under a filter and a lantern.

    ``table`` is the part of the rows that is at hand: its columns are those of all rows. ``edges`` are
    those of a histogram, as the part has them.

    Raises
    ------
    Beyond
        Where its figures do not follow from cells.
    """
    check_kind(question)
    needs = _Needs(table)
    bins: Binned = ()
    if is_ranked(question) or is_binned(question):
        bins = needs.spread(question, edges)
    else:
        needs.of(question)
    named = {name for c in needs.conditions for name in columns_of(c)}
    # what an earlier period is held against lies outside a filter on the same column
    where = tuple(
        c for c in only if not named & set(columns_of(c)) and all(isinstance(x, TOLD) for x in leaves(c))
    )
    asked = (*needs.conditions, *(c for c in only if c not in where), *(() if lit is None else (lit,)))
    told = [leaf for condition in asked for leaf in leaves(condition)]
    for leaf in told:
        if isinstance(leaf, Recurs):
            needs.times[leaf.column] = None
            needs.zoned |= leaf.zone is not None
    needs.times_of_stocks()
    times, keys = tuple(needs.times), tuple(needs.keys)
    by_the_hour = not _by_days(question) or any(isinstance(x, Recurs) and x.part == "day" for x in told)
    step = QUARTER if needs.zoned else HOUR if by_the_hour else DAY
    truths = dict.fromkeys(leaf for leaf in told if not follows(leaf, keys, times, step))
    for leaf in truths:
        check_told(leaf, table)
    # what is kept apart is measured by its own values
    measured = tuple(name for name in needs.measured if name not in needs.keys)
    return Roll(
        keys=tuple(sorted(keys)),
        times=tuple(sorted(times)),
        step=step if times else HOUR,
        measured=tuple(sorted(measured)),
        products=tuple(
            sorted((a, b) for a, b in needs.products if a in measured and b in measured and a != b)
        ),
        truths=tuple(sorted(truths, key=msgspec.json.encode)),
        where=where,
        bins=bins,
    )


def check_seen(roll: Roll, seen: Container[str], table: Table) -> None:
    """Refuse columns that were read otherwise than they are where the rows are."""
    conditions = (*roll.truths, *roll.where)
    names = [*roll.keys, *roll.times, *roll.measured, *(name for name, _ in roll.bins)]
    for name in (*names, *(n for c in conditions for n in columns_of(c))):
        if name not in seen:
            raise Beyond(f"“{name}” was read otherwise than it is there", table.name)


def _by_days(question: Question) -> bool:
    """Whether days are the shortest stretches that a question tells apart."""
    match question:
        case OverTime() | Decomposition() | Forecast():
            return question.grain not in (None, "hour")
        case Cycle():
            return question.part != "day"
        case MakeUp():
            return "hour" not in question.all_grains
    return False


def check_told(leaf: Leaf, table: Table) -> None:
    """Refuse a condition that an engine cannot tell of a row by itself."""
    if not isinstance(leaf, TOLD):
        what = "the newest of all rows" if isinstance(leaf, Recent) else "more than its columns as they are"
        raise Beyond(f"A condition that is kept or lit needs {what}", table.name)


def follows(leaf: Leaf, keys: tuple[str, ...], times: tuple[str, ...], step: float) -> bool:
    """Whether what a condition says of a row follows from its cell: from values kept apart, or hours."""
    match leaf:
        case OneOf(column) | Contains(column) | Missing(column):
            return column in keys or (isinstance(leaf, Missing) and column in times)
        case Between(column) if column in times:
            return all(bound is None or _whole(bound, step) for bound in (leaf.low, leaf.high)) and not (
                leaf.low_open or leaf.high_closed
            )
        case Recurs(column):
            return column in times
    return False


def _whole(bound: float | str, step: float) -> bool:
    return isinstance(bound, str) and moment(bound) % step == 0
