"""An overview: several pictures of one scene on a grid of twelve columns, lit and narrowed together."""

from __future__ import annotations

import itertools
import math
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass
from typing import Annotated

import msgspec
import numpy as np
from msgspec.structs import replace

from night_trail.core.annotations import Id
from night_trail.core.breakdown import ranked
from night_trail.core.conditions import Between, Condition, OneOf
from night_trail.core.errors import BadQuestion
from night_trail.core.language.numbers import MINUS, percent
from night_trail.core.measure import Measure, Name
from night_trail.core.moments import when, year_starts
from night_trail.core.question import Question
from night_trail.core.questions.compare.question import Compare
from night_trail.core.questions.cycle.question import Cycle
from night_trail.core.questions.over_time.question import OverTime
from night_trail.core.questions.registry import check, kind_of, short_name
from night_trail.core.questions.shared.cells import Cells, held_of
from night_trail.core.questions.shared.grouping import makes_groups
from night_trail.core.questions.shared.measure_slots import measure_words
from night_trail.core.questions.shared.measure_words import evened, figure_of, gap_of
from night_trail.core.questions.shared.measures import (
    ADDS_UP,
    first_measure,
    first_shape,
    is_share,
    overall,
)
from night_trail.core.questions.shared.periods import time_column, whole_years
from night_trail.core.questions.shared.time_question import FrozenStruct
from night_trail.core.questions.spread.question import Spread
from night_trail.core.rows import Rows
from night_trail.core.structs import looked_through
from night_trail.core.table import Bools, Column, Kind, Table

WIDE, MOST_TILES, DEEP = 12, 12, 60
MOST_VALUES = 60
"""A reader chooses among so many values of a column at most."""


class Tile(FrozenStruct, frozen=True):
    """One picture of an overview, and where it lies: ``x`` and ``w`` in columns, ``y`` and ``h`` in rows.

    A ``large`` one shows the figure of its measure with its change and its history,
    against ``target`` where there is one.
    """

    id: Id
    question: Question
    x: Annotated[int, msgspec.Meta(ge=0, lt=WIDE)] = 0
    y: Annotated[int, msgspec.Meta(ge=0, le=DEEP)] = 0
    w: Annotated[int, msgspec.Meta(ge=2, le=WIDE)] = 4
    h: Annotated[int, msgspec.Meta(ge=2, le=14)] = 5
    heading: Annotated[str, msgspec.Meta(max_length=120)] = ""
    only: Annotated[tuple[Condition, ...], msgspec.Meta(max_length=20)] = ()
    large: bool = False
    target: Annotated[float, msgspec.Meta(ge=-1e300, le=1e300)] | None = None
    reason: Annotated[str, msgspec.Meta(max_length=200)] = ""


class Overview(FrozenStruct, frozen=True):
    """The pictures, what all of them keep and light, and what a reader may choose.

    ``chips`` are columns to narrow by, ``measures`` and ``groups`` what may stand in
    the place of the first of each, in all pictures that show it.
    """

    tiles: Annotated[tuple[Tile, ...], msgspec.Meta(max_length=MOST_TILES)] = ()
    only: Annotated[tuple[Condition, ...], msgspec.Meta(max_length=20)] = ()
    lit: Condition | None = None
    chips: Annotated[tuple[Name, ...], msgspec.Meta(max_length=8)] = ()
    measures: Annotated[tuple[Measure, ...], msgspec.Meta(max_length=8)] = ()
    groups: Annotated[tuple[Name, ...], msgspec.Meta(max_length=8)] = ()


looked_through(Overview)


# ---- where pictures lie ----


def tidy(tiles: Iterable[Tile], first: str = "") -> tuple[Tile, ...]:
    """Return tiles that overlap nowhere and leave no empty rows: each as high as those before it allow.

    ``first`` names one that keeps its place before the others.
    """
    order = sorted(tiles, key=lambda t: (t.y, t.id != first, t.x))
    heights = [0] * WIDE
    placed = []
    for tile in order:
        w = min(tile.w, WIDE)
        x = min(tile.x, WIDE - w)
        y = max(heights[x : x + w])
        heights[x : x + w] = [y + tile.h] * w
        placed.append(replace(tile, x=x, y=min(y, DEEP), w=w))
    return tuple(placed)


def changed(tiles: Sequence[Tile], name: str, **to: int) -> tuple[Tile, ...]:
    """Return tiles with one moved or sized within bounds, the others made room."""
    bounds = {"x": (0, WIDE - 1), "y": (0, DEEP), "w": (2, WIDE), "h": (2, 14)}
    made = []
    for tile in tiles:
        if tile.id == name:
            fields = {f: min(max(at, bounds[f][0]), bounds[f][1]) for f, at in to.items()}
            tile = replace(tile, **fields)  # noqa: PLW2901
        made.append(tile)
    return tidy(made, name)


def heading_of(tile: Tile) -> str:
    """Return what stands over a tile: as its writer named it, or what it shows."""
    name = short_name(tile.question)
    return tile.heading or f"{name[:1].upper()}{name[1:]}"


def free_id(tiles: Sequence[Tile]) -> str:
    """Return a name no tile has."""
    taken = {tile.id for tile in tiles}
    return next(f"t{at}" for at in itertools.count(1) if f"t{at}" not in taken)


# ---- what a reader chooses ----


@dataclass(frozen=True)
class Chosen:
    """What a reader chose: a value for chips by their place, a measure, a group, each by its place."""

    values: dict[int, str]
    measure: int = 0
    group: int = 0


def choices_of(column: Column, table: Table) -> list[str]:
    """Return the values a reader may narrow a column to: years of a time, values of a category."""
    if column.kind.temporal:
        times = table.moments(column.name).values
        times = times[np.isfinite(times)]
        if not len(times):
            return []
        first, last = when(float(times.min())).year, when(float(times.max())).year
        return [str(year) for year in range(max(first, last - MOST_VALUES + 1), last + 1)]
    if column.kind.grouping or makes_groups(column):
        return [str(label) for label in table.coded(column.name).labels][:MOST_VALUES]
    return []


def narrowed(overview: Overview, chosen: Chosen, table: Table) -> tuple[Condition, ...]:
    """Return the conditions that a reader's choices add; only values that are offered count.

    Raises
    ------
    BadQuestion
        Where a value is none of those.
    """
    found: list[Condition] = []
    for at, value in sorted(chosen.values.items()):
        if not 0 <= at < len(overview.chips):
            raise BadQuestion("There is no such choice", "", "Reload the page.")
        column = table.column(overview.chips[at])
        if value not in choices_of(column, table):
            raise BadQuestion(
                f"“{value[:60]}” is not among the choices", column.name, "Choose one of the list."
            )
        if column.kind.temporal:
            found.append(Between(column.name, f"{value}-01-01", f"{int(value) + 1}-01-01"))
        else:
            found.append(OneOf(column.name, (value,)))
    return tuple(found)


def turned(question: Question, overview: Overview, chosen: Chosen, table: Table) -> Question:
    """Return a picture with the measure and the grouping a reader chose, where it shows the first of them.

    One that the chosen ones do not fit stays as it was written.
    """
    made = question
    if 0 < chosen.measure < len(overview.measures) and getattr(made, "measure", None) == overview.measures[0]:
        made = _fitting(replace(made, measure=overview.measures[chosen.measure]), made, table)
    if 0 < chosen.group < len(overview.groups):
        for field in ("across", "split"):
            if getattr(made, field, None) == overview.groups[0]:
                made = _fitting(replace(made, **{field: overview.groups[chosen.group]}), made, table)
    return made


def _fitting(wanted: Question, otherwise: Question, table: Table) -> Question:
    try:
        check(wanted, table)
    except BadQuestion:
        return otherwise
    return wanted


# ---- a large figure ----


@dataclass(frozen=True)
class Large:
    """A figure in words, of what and when, how it changed, whether that is good, and that of what is lit."""

    text: str
    label: str
    change: str = ""
    side: str = ""
    lit: str = ""


def large_of(tile: Tile, rows: Rows) -> Large:
    """Return the figure of a tile's measure: of the last whole year against that before, or of all rows."""
    table = rows.table
    asked = tile.question
    measure = getattr(asked, "measure", None) or kind_of(asked).gist(asked, table).measured(table)
    column = table.column(measure.column) if measure.column else None
    name = tile.heading or measure_words(measure, table).removeprefix("the ")
    time = getattr(asked, "time", None)
    years = whole_years(rows, time) if time is not None and table.column(time).kind.temporal else None
    year = None if years is None or time is None else (time, years[1])
    now = _figure(measure, rows, year)
    said, gap = _in_three_digits(measure, column, now)
    lit = said(_figure(measure, rows, year, lit=True)) if rows.lit is not None else ""
    of = ", of the part at hand" if table.part_words else ""
    shown = Large(said(now), f"{name if years is None else f'{name}, {years[1]}'}{of}", lit=lit)
    if tile.target is not None:
        return _held_against(shown, now - tile.target, gap)
    if years is None or time is None or years[0] == years[1]:
        return shown
    before = _figure(measure, rows, (time, years[1] - 1))
    return _with_change(shown, measure, table, (now, before), gap, f"on {years[1] - 1}")


Writer = Callable[[float], str]


def _in_three_digits(measure: Measure, column: Column | None, now: float) -> tuple[Writer, Writer]:
    """Return how a figure and a difference are written: with as many decimals as three digits of it have."""
    if is_share(measure, column) or not math.isfinite(now) or not 1e-3 <= abs(now) < 1e4:
        return figure_of(measure, column), gap_of(measure, column)
    decimals = max(0, 2 - math.floor(math.log10(abs(now))))
    said = evened(measure, column, 0 if now == int(now) else decimals)
    return said, said


def _in_year(rows: Rows, time: str, year: int) -> Bools:
    """Return which rows of the table are kept and of a year; shape (rows,)."""
    values = rows.table.moments(time).values
    start, end = year_starts(np.array([year, year + 1]))
    return np.asarray((values >= start) & (values < end) & rows.keeps)


def _figure(measure: Measure, rows: Rows, year: tuple[str, int] | None, lit: bool = False) -> float:
    """Return the measure of all kept rows or of a year's, or of those of them that are lit."""

    def figured() -> tuple[float]:
        kept = rows.keeps
        if year is not None:
            kept = rows.remember(("in year", *year), lambda: _in_year(rows, *year))
        held = held_of(measure, rows.table, kept & rows.lit if lit and rows.lit is not None else kept)
        values = np.asarray(held.values)
        return (overall(measure, Cells(values, np.zeros(len(values), dtype=np.int64), held.below)),)

    # only what is lit changes from click to click
    remembered = rows.remember_lit if lit else rows.remember
    return remembered(("large", measure, year), figured)[0]


def _with_change(
    shown: Large, measure: Measure, table: Table, figures: tuple[float, float], gap: Writer, than: str
) -> Large:
    now, before = figures
    if not (math.isfinite(now) and math.isfinite(before)):
        return shown
    by = now - before
    sign = "+" if by > 0 else MINUS if by < 0 else "±"
    adds = measure.aggregate in ADDS_UP and before > 0
    text = percent(abs(by) / before, 3) if adds else gap(abs(by))
    good = table.called.good.get(measure.column or "", "")
    side = "" if not by or not good else "good" if (by > 0) == (good == "high") else "bad"
    return Large(shown.text, shown.label, f"{sign}{text} {than}", side, shown.lit)


def _held_against(shown: Large, by: float, gap: Writer) -> Large:
    if not math.isfinite(by):
        return shown
    if not by:
        return Large(shown.text, shown.label, "on its target", "good", shown.lit)
    text = f"{gap(abs(by))} {'above' if by > 0 else 'below'} its target"
    return Large(shown.text, shown.label, text, "", shown.lit)


# ---- the first draft ----


def draft(rows: Rows, of: str | None = None) -> Overview:
    """Return an overview of what a table holds, or of one column: each picture with its reason.

    Raises
    ------
    BadQuestion
        Where nothing in the table can be pictured.
    """
    table = rows.table
    measures = _measures(table, of)
    first = measures[0]
    when_ = time_column(table)
    time = when_.name if when_ is not None and when_.kind.temporal else None
    groups = _groups(Spread(first.column) if first.column else None, first, rows)
    tiles: list[Tile] = []
    for tile in _wanted(table, measures, time, groups):
        try:
            check(tile.question, table)
        except BadQuestion:
            continue
        tiles.append(replace(tile, id=free_id(tiles)))
    if not tiles:
        raise BadQuestion(
            "Nothing in this table can be put on an overview", table.name, "Bring another table."
        )
    chips = tuple(
        name for name in (time, *groups[:2]) if name is not None and choices_of(table.column(name), table)
    )
    return Overview(tidy(tiles), chips=chips, measures=tuple(measures[:4]), groups=tuple(groups[:4]))


def _measures(table: Table, of: str | None) -> list[Measure]:
    able = [c for c in table.columns if c.kind.numeric and not c.code and not c.dated and c.distinct > 2]
    if of is not None:
        chosen = table.column(of)
        able = [chosen, *(c for c in able if c.name != of)]
    else:
        # what adds up comes first, then what does not: a second sum says little that the first does not
        sums, others = [c for c in able if c.additive], [c for c in able if not c.additive]
        able = [*sums[:1], *others, *sums[1:]]
    found = [first_measure(c) for c in able[:4] if c.kind.numeric or c.kind == Kind.YES_NO]
    return [*found, Measure("count")] if not of or found else [Measure("count")]


def _groups(question: Question | None, measure: Measure, rows: Rows) -> list[str]:
    """Return the categories that tell most apart, those of a handful of groups first."""
    if question is not None:
        found = [one.column for one in ranked(question, rows)]
    else:
        found = [c for c in rows.table.columns if makes_groups(c) and c.distinct > 1]
    able = [c for c in found if c.kind.grouping and c.name != measure.column]
    return [c.name for c in sorted(able, key=lambda c: not 2 <= c.distinct <= 12)][:4]


def _wanted(
    table: Table, measures: Sequence[Measure], time: str | None, groups: Sequence[str]
) -> Iterator[Tile]:
    first = measures[0]
    for at, measure in enumerate(measures[:4]):
        question: Question | None = None
        if time is not None:
            question = OverTime(measure, time)
        elif groups:
            question = Compare(measure, groups[0])
        if question is not None:
            reason = "the measure it is of" if not at else "another measure of the table"
            yield Tile("t", question, x=3 * at, y=0, w=3, h=2, large=True, reason=reason)
    if time is not None:
        yield Tile("t", OverTime(first, time), x=0, y=2, w=8, h=6, reason="how it goes over time")
    if groups:
        at, wide = (8, 4) if time is not None else (0, 6)
        across = Compare(first, groups[0], shape=first_shape(first))
        yield Tile("t", across, x=at, y=2, w=wide, h=6, reason="the groups that differ most")
    second = next((m for m in measures[1:] if m.column is not None), None)
    if second is not None and second.column is not None and groups:
        by = groups[1] if len(groups) > 1 else groups[0]
        compared = Compare(second, by, shape=first_shape(second))
        yield Tile("t", compared, x=0, y=8, w=4, h=6, reason="another measure, by group")
        spread = Spread(second.column, across=by, shape="boxes")
        yield Tile("t", spread, x=4, y=8, w=4, h=6, reason="how it is spread")
    elif first.column is not None:
        yield Tile("t", Spread(first.column), x=0, y=8, w=6, h=6, reason="how it is spread")
    if time is not None:
        yield Tile("t", Cycle(first, time, "week"), x=8, y=8, w=4, h=6, reason="through the week")
