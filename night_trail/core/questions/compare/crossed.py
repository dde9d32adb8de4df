"""How a measure compares across two categories at once."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from night_trail.core.conditions import Condition, joined_all
from night_trail.core.measure import Measure
from night_trail.core.questions.compare.answer import places
from night_trail.core.questions.compare.question import Compare
from night_trail.core.questions.shared.basis import Basis, Grouping, hues, paired
from night_trail.core.questions.shared.basis import Group as Named
from night_trail.core.questions.shared.cells import held_in
from night_trail.core.questions.shared.group_figures import GroupFigure, figures_of_groups, plain_groups
from night_trail.core.questions.shared.measures import ADDS_UP, NOT_TESTED, Tested, plain_figures
from night_trail.core.questions.shared.ranking import can_rank, ranked_grouping
from night_trail.core.rows import Rows
from night_trail.core.table import Column, Ints

MOST_COUNTED = 4_000_000
"""Pairs that could be at most where each is counted; of more the rows are sorted."""

MOST_LANES, MOST_SERIES, MOST_GRID = 20, 7, 20


@dataclass(frozen=True)
class ExtremePair:
    """A pair of groups and its figure."""

    first: str
    second: str
    value: float


@dataclass(frozen=True)
class CrossAnswer:
    """A figure for every pair of groups; ``lanes`` are the first category's in the order they are drawn.

    ``cells[i][j]`` is the figure of lane i and series j, None where no row is
    there; each lane's own figure is that of all its rows. ``hues`` are the
    series' colours. ``extremes`` are the pairs that lead and trail over all
    pairs, drawn or not; None where the drawn ones are all there are. ``nested``
    says that each lane has rows with one of the series only, as lines that lie
    in one district.
    """

    question: Compare
    column: Column | None
    basis: Basis
    grouping: Grouping
    also: Grouping
    lanes: tuple[GroupFigure, ...]
    series: tuple[GroupFigure, ...]
    cells: tuple[tuple[GroupFigure | None, ...], ...]
    hues: tuple[int, ...]
    overall: float
    extremes: tuple[ExtremePair, ExtremePair] | None = None
    nested: bool = False
    tested: Tested = NOT_TESTED

    def condition(self, lane: GroupFigure, series: GroupFigure | None = None) -> Condition:
        """Return the condition that names the rows of a lane, or of one cell of it."""
        first = self.grouping.condition(lane.position)
        second = None if series is None else self.also.condition(series.position)
        assert first is not None  # noqa: S101  (grouped by a column)
        return joined_all(first, second)

    def series_condition(self, series: GroupFigure) -> Condition:
        """Return the condition that names the rows of a series."""
        found = self.also.condition(series.position)
        assert found is not None  # noqa: S101  (grouped by a column)
        return found


def cross(question: Compare, rows: Rows) -> CrossAnswer:
    """Return the figures of all pairs of groups."""
    assert question.also is not None  # noqa: S101  (asked only with a second category)
    grid = question.shape == "grid"
    most = places(question, MOST_LANES)
    measure = question.measure
    first, _ = ranked_grouping(rows, question.across, most, measure, question.end, question.least)
    second, _ = ranked_grouping(rows, question.also, MOST_GRID if grid else MOST_SERIES + 1, measure)
    key = (question.across, question.also, most, grid, measure, question.end, question.least)
    both = rows.remember(("crossed", key), lambda: _crossed(first, second))
    compared = figures_of_groups(measure, rows, both, key)
    made = compared.groups
    # a row counts in a lane's figure only where it has both groups, so that parts sum to wholes
    lanes, series = (_margin(measure, rows, made, both, (first, second), which) for which in (0, 1))
    if question.order == "value":
        side = -1.0 if question.end == "least" else 1.0
        lanes.sort(key=lambda g: (g.others > 0, -side * g.value, g.position))
    width = len(second.groups)
    by_place = {(g.position // width, g.position % width): g for g in made}

    def cells_of(lane: GroupFigure) -> tuple[GroupFigure | None, ...]:
        return tuple(by_place.get((lane.position, one.position)) for one in series)

    nested = _nested(lanes, [cells_of(lane) for lane in lanes])
    if nested and question.order == "value":
        # each stands under the group it lies in, in the order of these
        lanes.sort(key=lambda g: (g.others > 0, [c is None for c in cells_of(g)]))
    colours = hues(rows, second)
    return CrossAnswer(
        question=question,
        column=None if measure.column is None else rows.table.column(measure.column),
        basis=compared.basis(rows, both),
        grouping=first,
        also=second,
        lanes=tuple(lanes),
        series=tuple(series),
        cells=tuple(map(cells_of, lanes)),
        hues=tuple(colours[b.position] for b in series),
        overall=compared.overall,
        extremes=_extremes(question, rows, first, second),
        nested=nested,
        tested=compared.tested,
    )


def _nested(lanes: Sequence[GroupFigure], cells: Sequence[Sequence[GroupFigure | None]]) -> bool:
    """Whether every lane holds one cell, and some of them cells of one series."""
    rows = [row for lane, row in zip(lanes, cells, strict=True) if not lane.others]
    at = [[i for i, cell in enumerate(row) if cell is not None] for row in rows]
    return all(len(one) == 1 for one in at) and 1 < len({one[0] for one in at}) < len(at)


def _extremes(question: Compare, rows: Rows, *found: Grouping) -> tuple[ExtremePair, ExtremePair] | None:
    """Return the pairs that lead and trail over all pairs, where some groups are gathered."""
    names = (question.across, question.also or "")
    if not any(g.others for one in found for g in one.groups):
        return None

    def made() -> tuple[ExtremePair, ExtremePair] | None:
        # bands stand as they are drawn, values as they are in the table
        sides = [
            (one.codes, [g.label for g in one.groups])
            if not can_rank(rows, name)
            else (rows.table.coded(name).codes, rows.table.coded(name).labels)
            for name, one in zip(names, found, strict=True)
        ]
        (a, a_labels), (b, b_labels) = sides
        assert a is not None and b is not None  # noqa: S101  (grouped by columns)
        pairs = np.where((a < 0) | (b < 0), -1, a.astype(np.int64) * len(b_labels) + b)
        seen, dense = _used(pairs, len(a_labels) * len(b_labels))
        without = int(len(seen) > 0 and seen[0] < 0)
        codes = (dense - without).astype(np.int32)
        got = plain_figures(
            question.measure, held_in(question.measure, rows).grouped(codes), len(seen) - without
        )
        able = np.flatnonzero((got.n >= question.least) & np.isfinite(got.values))
        if not len(able):
            return None

        def pair(at: int) -> ExtremePair:
            first, second = divmod(int(seen[at + without]), len(b_labels))
            return ExtremePair(a_labels[first], b_labels[second], float(got.values[at]))

        return pair(int(able[np.argmax(got.values[able])])), pair(int(able[np.argmin(got.values[able])]))

    (both,) = rows.remember(("extremes", question.measure, names, question.least), lambda: (made(),))
    return both


def _used(pairs: Ints, wide: int) -> tuple[Ints, Ints]:
    """Return the pairs that occur, ascending, and the place of each row's pair among them.

    ``pairs`` has shape (rows,), from −1 to ``wide`` − 1.
    """
    if wide > MOST_COUNTED:
        seen, dense = np.unique(pairs, return_inverse=True)
        return np.asarray(seen), np.asarray(dense)
    # counting asks for no order of all rows
    held = np.bincount(pairs + 1, minlength=wide + 1) > 0
    return np.flatnonzero(held) - 1, (np.cumsum(held) - 1)[pairs + 1]


def _crossed(first: Grouping, second: Grouping) -> Grouping:
    """Return one group for every pair, the second category running fastest."""
    assert first.codes is not None and second.codes is not None  # noqa: S101  (grouped by columns)
    pairs = tuple(b for _ in first.groups for b in second.groups)
    return Grouping(None, pairs, paired(first.codes, second.codes, len(second.groups)))


def _margin(
    measure: Measure,
    rows: Rows,
    made: list[GroupFigure],
    both: Grouping,
    pair: tuple[Grouping, Grouping],
    which: int,
) -> list[GroupFigure]:
    """Return the figures of one category's groups: from those of the pairs where they follow, else anew."""
    wide = max(len(pair[1].groups), 1)

    def place(position: int) -> int:
        return position % wide if which else position // wide

    if measure.aggregate not in ("sum", "count", "mean", "share"):
        assert both.codes is not None  # noqa: S101  (grouped by columns)
        codes = np.where(both.codes < 0, -1, both.codes % wide if which else both.codes // wide)
        return plain_groups(measure, rows, pair[which], codes)
    parts: dict[int, list[GroupFigure]] = {}
    for one in made:
        parts.setdefault(place(one.position), []).append(one)
    return [
        _together(measure, at, pair[which].groups[at], parts[at])
        for at in range(len(pair[which].groups))
        if at in parts
    ]


def _together(measure: Measure, position: int, named: Named, parts: list[GroupFigure]) -> GroupFigure:
    """Return the figure of all rows of some pairs: their sum, or their mean weighted by rows."""

    def figure(values: list[float], n: list[int]) -> float:
        if measure.aggregate in ADDS_UP:
            return math.fsum(values)
        return math.fsum(v * k for v, k in zip(values, n, strict=True)) / sum(n)

    lit = [(p.lit_value, p.lit_n) for p in parts if p.lit_value is not None and p.lit_n]
    return GroupFigure(
        position=position,
        label=named.label,
        n=sum(p.n for p in parts),
        value=figure([p.value for p in parts], [p.n for p in parts]),
        low=None,
        high=None,
        lit_n=None if parts[0].lit_n is None else sum(p.lit_n or 0 for p in parts),
        lit_value=figure([v for v, _ in lit], [k for _, k in lit]) if lit else None,
        others=named.others,
    )
