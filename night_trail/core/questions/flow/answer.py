"""How much of a measure goes from each group of a station to each of the next.

Every row that has a value passes all stations: what lacks one passes as a group of its own, so
that what comes into a station goes out of it.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from night_trail.core.conditions import AllOf, Condition, Missing
from night_trail.core.errors import BadQuestion
from night_trail.core.questions.compare.answer import times_of
from night_trail.core.questions.crosstab.answer import LEAST_EXPECTED, against_chance
from night_trail.core.questions.flow.order import Orders, least_crossing
from night_trail.core.questions.flow.question import Flow, FlowShape
from night_trail.core.questions.shared.basis import Basis, Grouping, gathered, grouping, hues, is_banded
from night_trail.core.questions.shared.cells import Held, held_in
from night_trail.core.questions.shared.grouping import can_compare, no_groups
from night_trail.core.questions.shared.measures import ADDS_UP, MeasureFigures, check_measure, plain_figures
from night_trail.core.questions.shared.placed import Placed, placed_by, put_together
from night_trail.core.rows import Codes, Rows
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

    ``ways`` says by which values of all stations every cell passes. ``pairs`` are for each gap the
    group before and the group behind it as one number, of shape (different ways,).
    """

    groupings: tuple[Grouping, ...]
    lacks: tuple[bool, ...]
    ways: Placed
    pairs: tuple[Ints, ...]
    between: tuple[Between, ...]
    staying: float | None

    @property
    def nbytes(self) -> int:
        """Bytes it holds, roughly."""
        return self.ways.deepest.nbytes


def flow(question: Flow, rows: Rows) -> FlowAnswer:
    """Return how much goes from each group of a station to each of the next."""
    measure = question.measure
    held = held_in(measure, rows)
    passed = rows.remember(("flow", measure, question.stations), lambda: _passed(question, rows, held))
    between = passed.between
    shines = None
    if rows.lit is not None:
        shines = np.flatnonzero(rows.lit if held.at is None else rows.lit[held.at])
        lit = plain_figures(measure, held.some(shines).coded(passed.ways.deepest[shines]), passed.ways.parts)
        between = tuple(_lit(one, lit, pairs) for one, pairs in zip(between, passed.pairs, strict=True))
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
    stations = [_values(name, rows) for name in question.stations]
    ways = placed_by(
        [codes if held.at is None else codes[held.at] for codes, _ in stations],
        [wide for _, wide in stations],
    )
    figures = plain_figures(question.measure, held.coded(ways.deepest), ways.parts)
    values = [ways.values(at) for at in range(ways.depth)]
    kept = _kept_names(question, rows, values, figures)
    grouped = [
        _grouped(name, rows, names, values[at] if len(held.values) == rows.n else None)
        for at, (name, names) in enumerate(zip(question.stations, kept, strict=True))
    ]
    codes = [_codes(one, own, many) for one, own, (_, many) in zip(grouped, values, stations, strict=True)]
    wide = [len(one.groups) + int(lacks) for one, (_, lacks) in zip(grouped, codes, strict=True)]
    pairs = [codes[at][0] * wide[at + 1] + codes[at + 1][0] for at in range(len(grouped) - 1)]
    return _Passed(
        tuple(grouped),
        tuple(lacks for _, lacks in codes),
        ways,
        tuple(pairs),
        tuple(_between(figures, one, (wide[at], wide[at + 1])) for at, one in enumerate(pairs)),
        _staying(question, rows, held),
    )


def _values(name: str, rows: Rows) -> tuple[Codes, int]:
    """Return the value of every row at a station, −1 for none, and how many there are; bands are values."""
    if is_banded(rows.table.column(name)):
        found = grouping(rows, name, MOST)
        assert found.codes is not None  # noqa: S101  (bands have rows)
        return found.codes, len(found.groups)
    coded = rows.table.coded(name)
    return coded.codes, len(coded.labels)


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


def _kept_names(
    question: Flow, rows: Rows, values: Sequence[Ints], ways: MeasureFigures
) -> list[Ints | None]:
    """Return which values of each station are kept apart, by their place; None where all or bands are.

    Stations that share most of their names keep the same ones. ``values`` has shape (ways,) of each.
    """
    sizes: list[dict[str, float] | None] = []
    for name, own_values in zip(question.stations, values, strict=True):
        if is_banded(rows.table.column(name)):
            sizes.append(None)
            continue
        labels = rows.table.coded(name).labels
        # what lacks the station has the place behind all
        figures = put_together(ways, own_values, len(labels) + 1)
        present = np.flatnonzero(figures.n[:-1])
        sizes.append({labels[i]: float(figures.values[i]) for i in present})
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


def _grouped(name: str, rows: Rows, kept: Ints | None, values: Ints | None) -> Grouping:
    """Return the groups of a station; ``values`` of shape (ways,) are all there are, where that is known."""
    if kept is None:
        return grouping(rows, name, MOST)
    coded = rows.table.coded(name)
    if values is None:
        counts = rows.tally(coded.codes, len(coded.labels), rows.kept)
    else:
        counts = np.bincount(values, minlength=len(coded.labels) + 1)[:-1]
    return gathered(rows, name, kept, np.flatnonzero(counts))


def _codes(one: Grouping, values: Ints, wide: int) -> tuple[Ints, bool]:
    """Return the group of every way, the last for those without one, and whether there are any.

    Both of shape (ways,); ``wide`` is how many values the station has, and the place of those without.
    """
    others = next((at for at, group in enumerate(one.groups) if group.others), -1)
    lookup = np.full(wide + 1, others, dtype=np.int64)
    lookup[-1] = len(one.groups)
    for at, group in enumerate(one.groups):
        if not group.others:
            lookup[at if group.band is not None else group.at] = at
    return lookup[values], bool((values == wide).any())


def _between(ways: MeasureFigures, pairs: Ints, shape: tuple[int, int]) -> Between:
    every = put_together(ways, pairs, shape[0] * shape[1])
    counts = every.n.reshape(shape)
    expected, residuals, v, p = against_chance(counts, int(counts.sum()))
    thin = float((expected < LEAST_EXPECTED).mean()) if expected.size else 0.0
    return Between(every.values.reshape(shape), counts, None, None, residuals, v, p, thin)


def _lit(one: Between, ways: MeasureFigures, pairs: Ints) -> Between:
    """Return what goes between two stations with what of it is lit; ``pairs`` has shape (ways,)."""
    found = put_together(ways, pairs, one.n.size)
    return replace(one, lit=found.n.reshape(one.n.shape), lit_figures=found.values.reshape(one.n.shape))
