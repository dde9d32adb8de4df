"""Which rows: conditions that filter (*only*) or light (the lantern).

Conditions are evaluated column by column into boolean masks. Masks, not
expressions over a frame: only the columns named are read, and a column whose
name looks like a pattern ("*", "^a$") is just a name. A missing cell meets no
condition but ``Missing``.
"""

from __future__ import annotations

import calendar
import datetime as dt
import itertools
import math
from collections.abc import Callable, Iterator
from typing import Annotated, Literal

import msgspec
import numpy as np
import polars as pl

from night_trail.core.errors import BadQuestion
from night_trail.core.kinship import names_below, tree_of
from night_trail.core.moments import FIRST, LAST, LENGTHS, Part, is_zone, part_of, seconds_of, when
from night_trail.core.places.flat import hexagons, kilometres
from night_trail.core.places.inside import SHIPPED, in_shipped
from night_trail.core.table import Bools, Column, Floats, Kind, Table

Text = Annotated[str, msgspec.Meta(max_length=2000)]
MOST_CORNERS = 400
NORTHMOST = 90.0
Bound = float | Annotated[str, msgspec.Meta(max_length=40)] | None


class _Base(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """Shared settings of all conditions."""


class Between(_Base, frozen=True, tag="between"):
    """A range of numbers or (as ISO text) of dates; low counts in, high does not.

    ``low_open`` leaves the low end out, ``high_closed`` takes the high end in.
    """

    column: Text
    low: Bound = None
    high: Bound = None
    low_open: bool = False
    high_closed: bool = False

    def __post_init__(self) -> None:
        if self.low is None and self.high is None:
            raise BadQuestion("A range needs at least one end", self.column, "Give a low or a high end.")
        if self.low is not None and self.high is not None:
            if isinstance(self.low, str) != isinstance(self.high, str):
                raise BadQuestion("Both ends of a range must be of one kind", self.column)
            if self.low > self.high:  # type: ignore[operator]
                raise BadQuestion(
                    f"The range from {self.low} to {self.high} is turned round", self.column, "Swap its ends."
                )


class OneOf(_Base, frozen=True, tag="one of"):
    """Any of these values, as they read on the page (``yes`` and ``no`` for yes/no)."""

    column: Text
    values: Annotated[tuple[Text, ...], msgspec.Meta(min_length=1, max_length=1000)]


class Contains(_Base, frozen=True, tag="contains"):
    """Text that contains this, whatever the case."""

    column: Text
    text: Annotated[str, msgspec.Meta(min_length=1, max_length=200)]


class Missing(_Base, frozen=True, tag="missing"):
    """Rows where the column is missing."""

    column: Text


class Recent(_Base, frozen=True, tag="recent"):
    """The last so many days, weeks … up to the newest date of a column, which counts in."""

    column: Text
    count: Annotated[int, msgspec.Meta(ge=1, le=10_000)]
    unit: Literal["day", "week", "month", "year"]


class Recurs(_Base, frozen=True, tag="recurs"):
    """Rows at parts of a cycle, counted from 0: hours of the day, weekdays from Monday, months, quarters.

    With a zone the column is taken to be told in UTC.
    """

    column: Text
    part: Part
    at: Annotated[tuple[int, ...], msgspec.Meta(min_length=1, max_length=24)]
    zone: Annotated[str, msgspec.Meta(max_length=60)] | None = None

    def __post_init__(self) -> None:
        if not all(0 <= at < LENGTHS[self.part] for at in self.at):
            raise BadQuestion("There is no such part of the cycle", self.column, "Choose one of them.")
        if self.zone is not None and not is_zone(self.zone):
            raise BadQuestion(f"“{self.zone}” is no time zone", self.column, "Write it like Europe/Lisbon.")


class Loop(_Base, frozen=True, tag="loop"):
    """Rows inside a loop drawn over two measured columns (dates in seconds), by the even-odd rule.

    ``ends`` are the ends of the axes it was drawn on, as (low, high) of ``x``
    and of ``y``: values beyond them stand at them, where the loop was drawn.
    """

    x: Text
    y: Text
    points: Annotated[tuple[tuple[float, float], ...], msgspec.Meta(min_length=3, max_length=MOST_CORNERS)]
    ends: tuple[float, float, float, float]

    def __post_init__(self) -> None:
        if not all(math.isfinite(at) for at in (*itertools.chain(*self.points), *self.ends)):
            raise BadQuestion("The loop has a corner nowhere", self.x, "Draw it again.")


class Above(_Base, frozen=True, tag="above"):
    """Rows where one measured column is above another: numbers above numbers, dates after dates."""

    column: Text
    other: Text


class Hexagon(_Base, frozen=True, tag="hexagon"):
    """Rows in one hexagon of a grid laid over the Earth, by longitude ``x`` and latitude ``y``.

    ``parallel`` and ``wide`` (degrees) are those of the grid, ``at`` the hexagon's column and line.
    """

    x: Text
    y: Text
    parallel: Annotated[float, msgspec.Meta(ge=0, le=80)]
    wide: Annotated[float, msgspec.Meta(gt=1e-9, le=90)]
    at: tuple[int, int]


class InArea(_Base, frozen=True, tag="in area"):
    """Rows that lie in one of the table's own areas, by longitude ``x`` and latitude ``y``.

    ``areas`` is the key of the file it came from, ``at`` its place there, ``called`` what it is called.
    """

    x: Text
    y: Text
    areas: Text
    at: Annotated[int, msgspec.Meta(ge=0, le=10_000)]
    called: Text


OnEarth = tuple[
    Annotated[float, msgspec.Meta(ge=-360, le=360)], Annotated[float, msgspec.Meta(ge=-90, le=90)]
]
"""Longitude and latitude."""


class Near(_Base, frozen=True, tag="near"):
    """Rows within so many kilometres of a place, by longitude ``x`` and latitude ``y`` (great circles)."""

    x: Text
    y: Text
    place: OnEarth
    km: Annotated[float, msgspec.Meta(gt=0, le=25_000)]


class Nearest(_Base, frozen=True, tag="nearest"):
    """The ``n`` rows of a table nearest to a place (great circles), and those as near as the last of them."""

    x: Text
    y: Text
    place: OnEarth
    n: Annotated[int, msgspec.Meta(ge=1, le=1_000_000)]


class Under(_Base, frozen=True, tag="under"):
    """Rows of a unit and of all below it, in the tree that the columns ``unit`` and ``above`` tell."""

    unit: Text
    above: Text
    top: Text


class Again(_Base, frozen=True, tag="again"):
    """Rows that have the same cells as an earlier row: in these columns, in every one where none is named."""

    columns: Annotated[tuple[Text, ...], msgspec.Meta(max_length=500)] = ()


class Not(_Base, frozen=True, tag="not"):
    """All rows but these."""

    part: Condition


class AllOf(_Base, frozen=True, tag="all"):
    """Rows that meet every part."""

    parts: Annotated[tuple[Condition, ...], msgspec.Meta(min_length=1, max_length=50)]


class AnyOf(_Base, frozen=True, tag="any"):
    """Rows that meet at least one part."""

    parts: Annotated[tuple[Condition, ...], msgspec.Meta(min_length=1, max_length=200)]


Leaf = (
    Between | OneOf | Contains | Missing | Recent | Recurs | Loop | Hexagon | InArea | Near | Nearest
    | Above | Under | Again
)  # fmt: skip
"""A condition on columns, not on other conditions."""

Condition = Leaf | Not | AllOf | AnyOf


def columns_of(condition: Condition) -> tuple[str, ...]:
    """Return the columns a condition speaks of, each once, in order."""
    return tuple(dict.fromkeys(n for leaf in leaves(condition) for n in _named(leaf)))


def _named(leaf: Leaf) -> tuple[str, ...]:
    match leaf:
        case Loop(x, y) | Above(x, y) | Hexagon(x, y) | InArea(x, y) | Near(x, y) | Nearest(x, y):
            return x, y
        case Again(columns):
            return columns
        case Under(unit, above):
            return unit, above
        case _:
            return (leaf.column,)


def between(column: Column, low: float | None, high: float | None, closed: bool = False) -> Between:
    """Return a range of a measured column; dates in seconds become ISO text.

    An end beyond the calendar is open: the last period it has holds its last day too.
    """
    if column.kind.temporal:
        ends = (None if at is None or not FIRST <= at <= LAST else at for at in (low, high))
        from_, to = (None if at is None else iso(at, column.kind) for at in ends)
        if from_ is None and to is None:
            from_ = iso(FIRST, column.kind)
        return Between(column.name, from_, to, high_closed=closed)
    return Between(column.name, low, high, high_closed=closed)


def joined_all(*conditions: Condition | None) -> Condition:
    """Return one condition for all that are given (at least one)."""
    given = tuple(c for c in conditions if c is not None)
    return given[0] if len(given) == 1 else AllOf(given)


def leaves(condition: Condition) -> Iterator[Leaf]:
    """Yield the conditions on single columns."""
    match condition:
        case Not(part):
            yield from leaves(part)
        case AllOf(parts) | AnyOf(parts):
            for part in parts:
                yield from leaves(part)
        case _:
            yield condition


def mask(condition: Condition, table: Table) -> Bools:  # noqa: C901  (one case a condition)
    """Return which rows of the table meet a condition, shape ``(table.height,)``.

    Raises
    ------
    BadQuestion
        Where the condition names a column that is not there or does not fit its kind.
    """
    told = table.told(condition)
    if told is not None:
        return told
    match condition:
        case Not(part):
            return ~mask(part, table)
        case AllOf(parts):
            return np.logical_and.reduce([mask(part, table) for part in parts])  # type: ignore[no-any-return]
        case AnyOf(parts):
            return np.logical_or.reduce([mask(part, table) for part in parts])  # type: ignore[no-any-return]
        case Between():
            return _between(condition, table)
        case OneOf(column, values):
            chosen = set(values)
            return _by_label(column, table, lambda labels: [label in chosen for label in labels])
        case Contains(column, text):
            lowered = text.lower()
            return _by_label(column, table, lambda labels: [lowered in label.lower() for label in labels])
        case Missing(column):
            return _as_bools(table.series(column).is_null())
        case Recent():
            return _between(recent_range(condition, table), table)
        case Recurs(column, part, at, zone):
            check(condition, table)
            found = part_of(table.axis(column).values, part, zone)
            return np.asarray(np.isin(found, at))
        case Loop():
            return _inside(condition, table)
        case InArea(x, y, areas, at):
            check(condition, table)
            east, north = table.axis(x).values, table.axis(y).values
            if not areas.startswith(SHIPPED):
                return table.in_area(areas, at, east, north)
            held = in_shipped(areas, east, north)
            if held is None:
                raise BadQuestion(f"There is no outline of {condition.called}", table.name, "Choose another.")
            return held
        case Hexagon() | Near() | Nearest():
            check(condition, table)
            return _around(condition, table)
        case Above(column, other):
            check(condition, table)
            return np.asarray(table.axis(column).values > table.axis(other).values)
        case Under(unit, above, top):
            check(condition, table)
            reached = set(names_below(tree_of(table, unit, above), top))
            return _by_label(unit, table, lambda labels: [label in reached for label in labels])
        case Again(columns):
            return _again(columns or tuple(c.name for c in table.columns), table)


def _again(columns: tuple[str, ...], table: Table) -> Bools:
    """Return which rows have the cells of an earlier row in these columns."""
    if not columns:
        return np.zeros(table.height, dtype=np.bool_)
    cells = pl.DataFrame([table.series(name).alias(str(i)) for i, name in enumerate(columns)])
    return ~np.asarray(cells.hash_rows(seed=0).is_first_distinct().to_numpy(), dtype=np.bool_)


def _by_label(column: str, table: Table, test: Callable[[list[str]], list[bool]]) -> Bools:
    """Return which rows have a label that passes; every label is looked at once, not every row."""
    coded = table.coded(column)
    passes = np.array([*test(coded.labels), False], dtype=np.bool_)
    return np.asarray(passes[coded.codes])  # code −1, missing, reads the False at the end


def check(condition: Condition, table: Table) -> None:
    """Refuse a condition that this table cannot meet, before any cell is read."""
    for leaf in leaves(condition):
        if isinstance(leaf, Loop | Above | Again | Hexagon | InArea | Near | Nearest | Under):
            _check_together(leaf, table)
            continue
        column = table.column(leaf.column)
        if isinstance(leaf, Recurs) and (leaf.part == "day" or leaf.zone) and column.kind == Kind.DATE:
            raise BadQuestion(f"“{column.name}” has days, no hours", table.name)
        if isinstance(leaf, Recent | Recurs) and not column.kind.temporal:
            raise BadQuestion(f"“{column.name}” is {column.kind} and has no days", table.name)
        if isinstance(leaf, Between):
            if not column.kind.measured:
                raise BadQuestion(
                    f"“{column.name}” is {column.kind}, so it has no range",
                    table.name,
                    "Choose values instead.",
                )
            for bound in (leaf.low, leaf.high):
                if bound is not None:
                    axis_bound(bound, column.kind, column.name)


def _check_together(
    leaf: Loop | Above | Again | Hexagon | InArea | Near | Nearest | Under, table: Table
) -> None:
    columns = [table.column(name) for name in _named(leaf)]
    if isinstance(leaf, Again | Under):
        return
    for column in columns:
        if isinstance(leaf, Hexagon | InArea | Near | Nearest) and not column.kind.numeric:
            raise BadQuestion(f"“{column.name}” is {column.kind} and lies nowhere on Earth", table.name)
        if not column.kind.measured:
            what = "axis to draw a loop on" if isinstance(leaf, Loop) else "order to be above or below in"
            raise BadQuestion(f"“{column.name}” has no {what}", table.name)
    if isinstance(leaf, Above) and columns[0].kind.temporal != columns[1].kind.temporal:
        both = f"“{leaf.column}” and “{leaf.other}”"
        raise BadQuestion(f"{both} are a time and a number, and neither is above the other", table.name)


def axis_bound(bound: float | str, kind: Kind, column: str) -> float:
    """Return a bound as a number on the column's axis (dates in seconds)."""
    if kind.temporal:
        if isinstance(bound, str):
            try:
                return moment(bound)
            except ValueError:
                pass
        raise BadQuestion(f"“{bound}” is not a date", column, "Write it as 2024-03-31.")
    if isinstance(bound, str):
        raise BadQuestion(f"“{bound}” is not a number", column, "Write it as 12.5.")
    return float(bound)


def moment(iso: str) -> float:
    """Return an ISO date or date-time as seconds since 1970-01-01.

    >>> moment("1970-01-02")
    86400.0
    """
    return seconds_of(dt.datetime.fromisoformat(iso).replace(tzinfo=None))


def iso(seconds: float, kind: Kind) -> str:
    """Return a place on a date axis as ISO text.

    >>> iso(86400.0, Kind.DATE), iso(90000.0, Kind.DATETIME)
    ('1970-01-02', '1970-01-02T01:00:00')
    """
    at = when(seconds)
    return at.date().isoformat() if kind == Kind.DATE else at.isoformat()


def _between(condition: Between, table: Table) -> Bools:
    kind = table.column(condition.column).kind
    check(condition, table)
    values = table.axis(condition.column).values
    inside = ~np.isnan(values)
    if condition.low is not None:
        low = axis_bound(condition.low, kind, condition.column)
        inside &= values > low if condition.low_open else values >= low
    if condition.high is not None:
        high = axis_bound(condition.high, kind, condition.column)
        inside &= values <= high if condition.high_closed else values < high
    return inside


def recent_range(condition: Recent, table: Table) -> Between:
    """Return the dates a stretch before the newest one covers."""
    column = table.column(condition.column)
    check(condition, table)
    newest = table.series(condition.column).max()
    if not isinstance(newest, dt.date):
        raise BadQuestion(f"“{column.name}” has no date at all", table.name, "Choose another column.")
    last = newest if isinstance(newest, dt.datetime) else dt.datetime.combine(newest, dt.time())
    try:
        start = _before(last, condition)
    except (ValueError, OverflowError):
        start = dt.datetime(1, 1, 1)
    # days are counted as the calendar has them: today and the days before it
    after = dt.datetime.combine(start.date() + dt.timedelta(days=1), dt.time())
    return Between(column.name, after.date().isoformat(), None)


def _before(last: dt.datetime, condition: Recent) -> dt.datetime:
    count = condition.count
    if condition.unit in ("day", "week"):
        return last - dt.timedelta(days=count * (7 if condition.unit == "week" else 1))
    months = last.year * 12 + last.month - 1 - count * (12 if condition.unit == "year" else 1)
    year, month = divmod(months, 12)
    return last.replace(
        year=year, month=month + 1, day=min(last.day, calendar.monthrange(year, month + 1)[1])
    )


def _inside(loop: Loop, table: Table) -> Bools:
    check(loop, table)
    corners = np.asarray(loop.points, dtype=np.float64)
    x_low, x_high, y_low, y_high = loop.ends
    x, y = table.axis(loop.x).values, table.axis(loop.y).values
    x, y = np.clip(x, x_low, x_high), np.clip(y, y_low, y_high)
    # only what lies in the box around the loop is looked at corner by corner
    low, high = corners.min(axis=0), corners.max(axis=0)
    near = np.flatnonzero((x >= low[0]) & (x <= high[0]) & (y >= low[1]) & (y <= high[1]))
    found = np.zeros(table.height, dtype=np.bool_)
    found[near] = within(corners, x[near], y[near])
    return found


def _around(condition: Hexagon | Near | Nearest, table: Table) -> Bools:
    x, y = table.axis(condition.x).values, table.axis(condition.y).values
    if isinstance(condition, Near | Nearest):
        far = kilometres(*condition.place, x, y)
        if isinstance(condition, Nearest):
            able = far[np.abs(y) <= NORTHMOST]
            able = able[~np.isnan(able)]
            n = min(condition.n, len(able))
            last = float(np.partition(able, n - 1)[n - 1]) if n else -1.0
            return np.asarray((far <= last) & (np.abs(y) <= NORTHMOST))
        # what lies nowhere is near nothing
        return np.asarray((far <= condition.km) & (np.abs(y) <= NORTHMOST))
    has = np.flatnonzero((np.abs(y) <= NORTHMOST) & ~np.isnan(x))
    column, line = hexagons(x[has], y[has], condition.parallel, condition.wide)
    found = np.zeros(table.height, dtype=np.bool_)
    found[has] = (column == condition.at[0]) & (line == condition.at[1])
    return found


def within(corners: Floats, x: Floats, y: Floats) -> Bools:
    """Return which places lie in a polygon, by the even-odd rule; ``corners`` have shape (n, 2)."""
    inside = np.zeros(len(x), dtype=np.bool_)
    for (x1, y1), (x2, y2) in zip(corners, np.roll(corners, -1, axis=0), strict=True):
        # a side that is as good as level is crossed by nothing
        if abs(y2 - y1) > 1e-300:
            inside ^= ((y1 > y) != (y2 > y)) & (x < (x2 - x1) * (y - y1) / (y2 - y1) + x1)
    return inside


def _as_bools(series: pl.Series) -> Bools:
    return np.asarray(series.fill_null(False).to_numpy(), dtype=np.bool_)


def toggle(lit: Condition | None, condition: Condition) -> Condition | None:
    """Return the lantern after a mark was added, or taken away if it was lit.

    Neighbouring ranges of one column grow together, and single values of one
    column become one list, so that the lantern's words stay short.
    """
    if lit is None:
        return condition
    parts: list[Condition] = list(lit.parts) if isinstance(lit, AnyOf) else [lit]
    if condition in parts:
        parts.remove(condition)
    elif isinstance(condition, OneOf):
        parts = _listed(parts, condition)
    else:
        parts = _merged([*parts, condition])
    if not parts:
        return None
    return parts[0] if len(parts) == 1 else AnyOf(tuple(parts))


def _listed(parts: list[Condition], condition: OneOf) -> list[Condition]:
    """Add values to the list of their column, or take them from it where all are there."""
    listed = next((p for p in parts if isinstance(p, OneOf) and p.column == condition.column), None)
    if listed is None:
        return [*parts, condition]
    known, added = set(listed.values), set(condition.values)
    if added <= known:
        values = tuple(v for v in listed.values if v not in added)
    else:
        values = listed.values + tuple(v for v in condition.values if v not in known)
    rest = [p for p in parts if p is not listed]
    return [*rest, OneOf(condition.column, values)] if values else rest


def _merged(parts: list[Condition]) -> list[Condition]:
    """Join half-open ranges of one column that touch."""
    plain = [p for p in parts if isinstance(p, Between) and not p.low_open and not p.high_closed]
    others: list[Condition] = [p for p in parts if p not in plain]
    joined: list[Between] = []
    for part in sorted(
        plain, key=lambda p: (p.column, isinstance(p.low, str), p.low is not None, p.low or 0)
    ):
        last = joined[-1] if joined else None
        if last is not None and last.column == part.column and _touch(last, part):
            high = None if last.high is None or part.high is None else max(last.high, part.high)
            if last.low is None and high is None:
                others.append(Not(Missing(last.column)))
                joined.pop()
            else:
                joined[-1] = Between(last.column, last.low, high)
        else:
            joined.append(part)
    return [*others, *joined]


def _touch(left: Between, right: Between) -> bool:
    if left.high is None or right.low is None:
        return True
    return left.high >= right.low  # type: ignore[operator]
