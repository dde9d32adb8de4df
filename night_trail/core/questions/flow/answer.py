"""How much of a measure goes from each group of a station to each of the next.

Every row that has a value passes all stations: what lacks one passes as a group of its own, so
that what comes into a station goes out of it.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from night_trail.core.conditions import AllOf, Condition, Missing
from night_trail.core.errors import BadQuestion
from night_trail.core.measure import Measure
from night_trail.core.questions.compare.answer import times_of
from night_trail.core.questions.crosstab.answer import LEAST_EXPECTED, against_chance
from night_trail.core.questions.flow.order import Orders, least_crossing
from night_trail.core.questions.flow.question import Flow, FlowShape
from night_trail.core.questions.shared.basis import Basis, Grouping, gathered, grouping, hues, is_banded
from night_trail.core.questions.shared.cells import Held, held_in
from night_trail.core.questions.shared.grouping import can_compare, no_groups
from night_trail.core.questions.shared.measures import ADDS_UP, check_measure, plain_figures
from night_trail.core.rows import Rows
from night_trail.core.table import Column, Floats, Ints, Table

MOST = 12
"""So many groups of a station are kept apart; the rest are gathered."""

SHARED = 0.5
"""Stations of which this share of names is the same have places in common: to stay there means something."""


@dataclass(frozen=True)
class Station:
    """The groups of a column that are passed; ``lacks`` whether the last is of rows without any."""

    column: Column
    grouping: Grouping
    lacks: bool
    figures: Floats
    n: Ints
    lit: Ints | None
    hues: tuple[int, ...]

    @property
    def labels(self) -> tuple[str, ...]:
        """What the groups are called."""
        own = tuple(group.label for group in self.grouping.groups)
        return (*own, f"without {self.column.name}") if self.lacks else own

    def condition(self, at: int) -> Condition:
        """Return the condition that names the rows of one group."""
        if self.lacks and at == len(self.grouping.groups):
            return Missing(self.column.name)
        found = self.grouping.condition(at)
        assert found is not None  # noqa: S101  (stations are columns)
        return found

    @property
    def ends(self) -> int | None:
        """From where on groups keep the last places: gathered ones, and what lacks the station."""
        others = next((i for i, group in enumerate(self.grouping.groups) if group.others), None)
        return others if others is not None else len(self.grouping.groups) if self.lacks else None


@dataclass(frozen=True)
class Between:
    """What goes from a station to the next; all of shape (groups of the one, groups of the other).

    ``residuals`` are adjusted ones of the rows against chance (Haberman 1973), ``p`` of chi-square;
    ``thin`` is the share of pairs of which chance would give fewer than 5 rows.
    """

    figures: Floats
    n: Ints
    lit: Ints | None
    lit_figures: Floats | None
    residuals: Floats
    v: float | None
    p: float | None
    thin: float


@dataclass(frozen=True)
class FlowAnswer:
    """What flows, station by station; ``orders`` is how groups stand, from the top, to cross least.

    ``staying`` is how much has the same name at the first two stations, gathered or not; None where
    these share too few names, or are scales: the same figure of two scales is not the same place.
    """

    question: Flow
    column: Column | None
    basis: Basis
    shape: FlowShape
    total: float
    stations: tuple[Station, ...]
    between: tuple[Between, ...]
    orders: Orders
    staying: float | None = None
    times: int = 0

    def stays(self, at: int, one: int, other: int) -> bool:
        """Whether what goes between two groups behind station ``at`` ends where it began."""
        return self._common and self.stations[at].labels[one] == self.stations[at + 1].labels[other]

    def returns(self, at: int, one: int, other: int) -> float | None:
        """Return how much goes the other way between two groups; None where that means nothing."""
        first, second = self.stations[at].labels, self.stations[at + 1].labels
        if not self._common or self.stays(at, one, other):
            return None
        if second[other] not in first or first[one] not in second:
            return None
        return float(self.between[at].figures[first.index(second[other]), second.index(first[one])])

    @property
    def _common(self) -> bool:
        """Whether the stations are places in common: to stay, or to come back, means something."""
        return self.staying is not None

    def condition(self, at: int, one: int, other: int) -> Condition:
        """Return the condition that names the rows that go between two groups behind station ``at``."""
        return AllOf((self.stations[at].condition(one), self.stations[at + 1].condition(other)))


def check(question: Flow, table: Table) -> None:
    """Refuse combinations that make no sense, naming the field."""
    check_measure(question.measure, table)
    if question.measure.aggregate not in ADDS_UP:
        raise BadQuestion("Only what adds up flows", "measure", "Take a sum or a count.")
    if len(set(question.stations)) < len(question.stations):
        raise BadQuestion("A station is passed twice", "stations", "Take one of them away.")
    for name in question.stations:
        if not can_compare(table.column(name)):
            raise no_groups(table.column(name), "stations", "groups")
        if name == question.measure.column:
            raise BadQuestion("A column does not flow through itself", "stations", "Choose another column.")
    if question.shape not in shapes_for(question):
        raise BadQuestion("A matrix has two sides", "shape", "Draw bands, or leave stations out.")


def shapes_for(question: Flow) -> tuple[FlowShape, ...]:
    """Return the shapes a flow can be drawn in."""
    return ("bands", "matrix") if len(question.stations) == 2 else ("bands",)


@dataclass(frozen=True)
class _Passed:
    """What passes the stations whatever is lit: kept from turn to turn.

    ``pairs`` are of shape (cells,) for each gap: the group before and the group behind it as one number.
    """

    groupings: tuple[Grouping, ...]
    lacks: tuple[bool, ...]
    pairs: tuple[Ints, ...]
    between: tuple[Between, ...]
    staying: float | None

    @property
    def nbytes(self) -> int:
        """Bytes it holds, roughly."""
        return sum(one.nbytes for one in self.pairs)


def flow(question: Flow, rows: Rows) -> FlowAnswer:
    """Return how much goes from each group of a station to each of the next."""
    measure = question.measure
    held = held_in(measure, rows)
    passed = rows.remember(("flow", measure, question.stations), lambda: _passed(question, rows, held))
    between = passed.between
    shines = None
    if rows.lit is not None:
        shines = np.flatnonzero(rows.lit if held.at is None else rows.lit[held.at])
        between = tuple(
            _lit(one, measure, held, pairs, shines) for one, pairs in zip(between, passed.pairs, strict=True)
        )
    if any(bool((one.figures < 0).any()) for one in between):
        raise BadQuestion(
            "Some of what flows is below 0, and no band is", "measure", "Count the rows instead."
        )
    stations = tuple(
        _station(one, lacks, rows, *((between[at], 1) if at < len(between) else (between[-1], 0)))
        for at, (one, lacks) in enumerate(zip(passed.groupings, passed.lacks, strict=True))
    )
    return FlowAnswer(
        question=question,
        column=None if measure.column is None else rows.table.column(measure.column),
        basis=Basis(
            rows=rows.n,
            used=held.n,
            missing=rows.n - held.n,
            lit=None if shines is None else held.some(shines).n,
            table_rows=rows.table.n,
        ),
        shape=question.shape,
        total=float(between[0].figures.sum()),
        stations=stations,
        between=between,
        orders=least_crossing([one.figures for one in between], [one.ends for one in stations]),
        staying=passed.staying,
        times=times_of(measure, rows),
    )


def _passed(question: Flow, rows: Rows, held: Held) -> _Passed:
    kept = _kept_names(question, rows, held)
    grouped = [_grouped(name, rows, names) for name, names in zip(question.stations, kept, strict=True)]
    codes = [_codes(one, held) for one in grouped]
    wide = [len(one.groups) + int(lacks) for one, (_, lacks) in zip(grouped, codes, strict=True)]
    pairs = [codes[at][0] * wide[at + 1] + codes[at + 1][0] for at in range(len(grouped) - 1)]
    return _Passed(
        tuple(grouped),
        tuple(lacks for _, lacks in codes),
        tuple(pairs),
        tuple(
            _between(question.measure, held, one, (wide[at], wide[at + 1])) for at, one in enumerate(pairs)
        ),
        _staying(question, rows, held),
    )


def _staying(question: Flow, rows: Rows, held: Held) -> float | None:
    """Return how much has the same name at the first two stations, of all names, kept apart or not."""
    first, second = (rows.table.column(name) for name in question.stations[:2])
    if first.kind.measured or second.kind.measured:
        return None
    one, other = rows.table.coded(first.name), rows.table.coded(second.name)
    place = {label: i for i, label in enumerate(other.labels)}
    same = np.array([place.get(label, -2) for label in one.labels], dtype=np.int64)
    if int((same >= 0).sum()) < SHARED * max(len(one.labels), len(other.labels), 1):
        return None
    here, there = (c.codes if held.at is None else c.codes[held.at] for c in (one, other))
    stays = (here >= 0) & (same[here] == there)
    return held.some(np.flatnonzero(stays)).sum()


def _station(one: Grouping, lacks: bool, rows: Rows, near: Between, axis: int) -> Station:
    assert one.column is not None  # noqa: S101  (stations are columns)
    lit = None if near.lit is None else near.lit.sum(axis=axis)
    own = (*hues(rows, one), 7) if lacks else hues(rows, one)
    return Station(one.column, one, lacks, near.figures.sum(axis=axis), near.n.sum(axis=axis), lit, own)


def _kept_names(question: Flow, rows: Rows, held: Held) -> list[Ints | None]:
    """Return which values of each station are kept apart, by their place; None where all or bands are.

    Stations that share most of their names keep the same ones.
    """
    sizes: list[dict[str, float] | None] = []
    for name in question.stations:
        if is_banded(rows.table.column(name)):
            sizes.append(None)
            continue
        coded = rows.table.coded(name)
        figures = plain_figures(question.measure, held.grouped(coded.codes), len(coded.labels))
        present = np.flatnonzero(figures.n)
        sizes.append({coded.labels[i]: float(figures.values[i]) for i in present})
    found: list[Ints | None] = []
    for at, own in enumerate(sizes):
        if own is None:
            found.append(None)
            continue
        weights = dict(own)
        for other in (o for i, o in enumerate(sizes) if i != at and o is not None):
            common = own.keys() & other.keys()
            if len(common) >= SHARED * max(len(own), len(other)):
                weights = {k: v + other.get(k, 0.0) for k, v in weights.items()}
        ranked = sorted(weights, key=lambda k: -weights[k])
        names = set(ranked if len(ranked) <= MOST + 1 else ranked[:MOST])
        labels = rows.table.coded(question.stations[at]).labels
        found.append(np.array([i for i, label in enumerate(labels) if label in names], dtype=np.int64))
    return found


def _grouped(name: str, rows: Rows, kept: Ints | None) -> Grouping:
    if kept is None:
        return grouping(rows, name, MOST)
    coded = rows.table.coded(name)
    present = np.flatnonzero(rows.tally(coded.codes, len(coded.labels), rows.kept))
    return gathered(rows, name, kept, present)


def _codes(one: Grouping, held: Held) -> tuple[Ints, bool]:
    """Return the group of every cell, the last for those without one, and whether there are any."""
    assert one.codes is not None  # noqa: S101  (stations are columns)
    found = (one.codes if held.at is None else one.codes[held.at]).astype(np.int64)
    lacks = bool((found < 0).any())
    return (np.where(found < 0, len(one.groups), found) if lacks else found), lacks


def _between(measure: Measure, held: Held, pairs: Ints, shape: tuple[int, int]) -> Between:
    every = plain_figures(measure, held.coded(pairs), shape[0] * shape[1])
    counts = every.n.reshape(shape)
    expected, residuals, v, p = against_chance(counts, int(counts.sum()))
    thin = float((expected < LEAST_EXPECTED).mean()) if expected.size else 0.0
    return Between(every.values.reshape(shape), counts, None, None, residuals, v, p, thin)


def _lit(one: Between, measure: Measure, held: Held, pairs: Ints, shines: Ints) -> Between:
    """Return what goes between two stations with what of it is lit; ``shines`` are places among the cells."""
    found = plain_figures(measure, held.some(shines).coded(pairs[shines]), one.n.size)
    return replace(one, lit=found.n.reshape(one.n.shape), lit_figures=found.values.reshape(one.n.shape))
