"""Histograms: how many rows fall into each bin, all of them and the lit ones."""

from __future__ import annotations

import itertools
import math
from dataclasses import dataclass

import numpy as np

from night_trail.core.conditions import Between, Condition, iso, joined_all
from night_trail.core.errors import BadQuestion
from night_trail.core.questions.shared.basis import (
    Basis,
    Grouping,
    Member,
    basis_of,
    grouping,
    hues,
    measured,
    members_of,
    together,
)
from night_trail.core.questions.shared.positive import above_zero
from night_trail.core.questions.spread.question import Spread
from night_trail.core.rows import Rows
from night_trail.core.stats import bins as binning
from night_trail.core.stats.form import NO_FORM, Form, form, free_of_limits
from night_trail.core.stats.quantiles import Summary, box, extremes_apart, middle_of_part, quantiles, summary
from night_trail.core.stats.shape import heaping, humps, peaks, resolution
from night_trail.core.table import Column, Floats, Ints

MOST_PANELS = 8
RULE_WORDS = {
    "sturges": "Sturges",
    "scott": "Scott",
    "freedman": "Freedman and Diaconis",
    "root": "the square root",
}
LOG_BINS = 30
LEAST_JUDGED, LEAST_BINS = 200, 8
"""Fewer rows or bins than these show no shape that could depend on the width."""


@dataclass(frozen=True)
class HistogramGroup:
    """Counts of one group: a row per end or bin.

    ``counts`` has ``k + 2`` places for k bins: the gathered low tail, the bins,
    the gathered high tail. ``lit`` likewise, or None where the lantern is out.
    ``middle`` is the group's median.
    """

    counts: Ints
    lit: Ints | None
    used: int
    middle: float | None


@dataclass(frozen=True)
class HistogramAnswer:
    """A histogram, one group or several on shared bins.

    ``edges`` are k + 1 places on the column's axis (dates in seconds).
    ``width`` is the width of even bins, ``calendar`` the unit of calendar
    bins. ``humps`` are places, found only for a single group. ``angles`` are a
    narrower width, this and a wider one, ``peaks`` how many peaks each shows.
    ``form`` is what is striking about a single group of numbers, ``apart`` whether the highest and
    the lowest middle of several differ beyond chance.
    """

    question: Spread
    column: Column
    basis: Basis
    grouping: Grouping
    edges: Floats
    groups: tuple[HistogramGroup, ...]
    width: float | None
    calendar: str | None
    even: bool
    overall: Summary | None
    lit_middle: float | None
    rest_middle: float | None
    humps: tuple[float, ...]
    not_positive: int = 0
    hues: tuple[int, ...] = ()
    angles: tuple[float, ...] = ()
    peaks: tuple[int, ...] = ()
    form: Form = NO_FORM
    apart: bool = False

    @property
    def below(self) -> int:
        """Rows gathered in the low end bin."""
        return int(sum(g.counts[0] for g in self.groups))

    @property
    def above(self) -> int:
        """Rows gathered in the high end bin."""
        return int(sum(g.counts[-1] for g in self.groups))

    def heights(self, position: int, lit: bool = False) -> Floats:
        """Return the heights of one group, shape ``(k + 2,)``, in the unit the question asks for.

        Shares and densities are of the group's used rows. End bins have no
        width of their own and are given that of their neighbour for a density.
        """
        group = self.groups[position]
        counts = group.counts if not lit else group.lit
        values = np.asarray(counts, dtype=np.float64)
        if self.question.height == "count" or not group.used:
            return values
        values = values / group.used
        if self.question.height == "share":
            return values
        widths = np.diff(self.edges)
        return np.asarray(values / np.concatenate([widths[:1], widths, widths[-1:]]))

    def condition(self, position: int, place: int) -> Condition:
        """Return the condition that names the rows of one bar (place 0 and k + 1 are the ends)."""
        k = len(self.edges) - 1
        low = None if place == 0 else self._bound(self.edges[place - 1])
        high = None if place == k + 1 else self._bound(self.edges[place])
        return joined_all(self.grouping.condition(position), Between(self.column.name, low, high))

    def _bound(self, at: float) -> float | str:
        return iso(float(at), self.column.kind) if self.column.kind.temporal else float(at)


def histogram(question: Spread, rows: Rows) -> HistogramAnswer:
    """Return the histogram of a measured column."""
    column = rows.table.column(question.column)
    groups = grouping(rows, question.across, MOST_PANELS)
    found, left = above_zero(question, measured(rows, question.column, groups))
    # bins and the overall figures need all groups together in one order
    whole = together(rows, question.column, found)
    at, lit = whole.values, whole.lit
    overall = summary(at)
    edges, width, calendar = _edges(question, column, at, overall)
    spans = np.diff(edges)
    alone = question.across is None and column.kind.numeric
    widths = _angles(column, at, edges, width) if alone else ()
    # what piles up at a limit is said as such, and is no hump and no peak
    free = free_of_limits(at) if alone else at
    members = members_of(found, len(groups.groups))
    counted = tuple(_counted(member, edges) for member in members)
    return HistogramAnswer(
        question=question,
        column=column,
        basis=basis_of(rows, question.column, whole.rows, whole.rows_lit, left),
        grouping=groups,
        edges=edges,
        groups=counted,
        width=width,
        calendar=calendar,
        even=question.scale == "log" or len(spans) < 2 or bool(np.ptp(spans) <= 1e-6 * spans[0]),
        overall=overall,
        lit_middle=None if lit is None else middle_of_part(at, lit),
        rest_middle=None if lit is None else middle_of_part(at, ~lit),
        humps=_humps(column, free, rows) if alone and question.scale != "log" else (),
        not_positive=left,
        hues=hues(rows, groups),
        angles=widths,
        peaks=_peaks(free, edges, widths),
        apart=extremes_apart(
            [
                (one.middle, member.each)
                for one, member, group in zip(counted, members, groups.groups, strict=True)
                if one.middle is not None and not group.others
            ]
        ),
        form=form(at) if alone and not (column.code or column.yearly) else NO_FORM,
    )


def _humps(column: Column, at: Floats, rows: Rows) -> tuple[float, ...]:
    def found() -> tuple[float, ...]:
        heap = heaping(at) if column.kind == "whole number" else None
        return humps(at, float(heap.step) if heap else 0.0)

    # neither bins nor lantern move a hump, only the filter does
    return found() if rows.only else rows.table.outline(column.name, found)


def _angles(column: Column, at: Floats, edges: Floats, width: float | None) -> tuple[float, ...]:
    """Return this width between a narrower and a wider one; none where they would show too little."""
    if width is None or len(edges) < LEAST_BINS:
        return ()
    whole = column.kind == "whole number"
    narrow = binning.next_width(binning.next_width(width, whole, up=False), whole, up=False)
    wide = binning.next_width(binning.next_width(width, whole, up=True), whole, up=True)
    step = resolution(at)
    narrow, wide = _even_with(step, narrow, whole), _even_with(step, wide, whole)
    too_many = (edges[-1] - edges[0]) / narrow > binning.HARD_MOST / 4
    return () if narrow >= width or too_many else (narrow, width, wide)


def _peaks(at: Floats, edges: Floats, widths: tuple[float, ...]) -> tuple[int, ...]:
    """Return how many peaks there are at each width."""
    if len(at) < LEAST_JUDGED:
        return ()
    found = []
    for w in widths:
        cut = binning.cuts(at, binning.even_edges(float(edges[0]), float(edges[-1]) - w / 2, w))
        found.append(peaks(np.diff(cut)[1:-1]))
    return tuple(found)


def _counted(member: Member, edges: Floats) -> HistogramGroup:
    cuts = binning.cuts(member.values, edges)
    lit = None
    if member.lit is not None:
        lit = np.array([np.count_nonzero(member.lit[a:b]) for a, b in itertools.pairwise(cuts)])
    middle = float(quantiles(member.values, (0.5,))[0]) if len(member.values) else None
    return HistogramGroup(np.diff(cuts), lit, len(member.values), middle)


def _edges(
    question: Spread, column: Column, at: Floats, overall: Summary | None
) -> tuple[Floats, float | None, str | None]:
    """Return edges, even width and calendar unit; an empty column gets one bin from 0 to 1."""
    if overall is None:
        return np.array([0.0, 1.0]), 1.0, None
    low, high = overall.low, overall.high
    if question.ends == "gathered":
        figures = box(at)
        window = binning.window(at, figures.low_whisker, figures.high_whisker)
        low, high = window.low, window.high
    asked = question.bins
    wanted = asked.count
    if asked.rule and not column.kind.temporal:
        drawn = at[np.searchsorted(at, low) : np.searchsorted(at, high, side="right")]
        logs = question.scale == "log" and low > 0
        wanted = binning.ruled_count(asked.rule, np.log10(at) if logs else drawn)
        _refuse_too_many(wanted, f"bins after {RULE_WORDS[asked.rule]}")
    if question.scale == "log" and low > 0:
        count = wanted or LOG_BINS
        edges = 10.0 ** np.linspace(math.log10(overall.low), math.log10(overall.high), count + 1)
        edges[0], edges[-1] = overall.low, np.nextafter(max(edges[-1], overall.high), np.inf)
        if edges[-1] <= edges[0]:
            return np.array([overall.low, overall.low * 1.1]), None, None
        return edges, None, None
    if column.kind.temporal and wanted is None and asked.calendar is None:
        # where an end is not known some write the year 9999: of eight thousand years even bins are left
        too_long = (high - low) / binning.CALENDAR_SECONDS["year"] + 1 > binning.HARD_MOST
        wanted = binning.MOST if too_long else None
    if column.kind.temporal and wanted is None:
        unit = asked.calendar or binning.calendar_unit(low, high, column.kind == "date and time")
        _refuse_too_many(round((high - low) / binning.CALENDAR_SECONDS[unit]) + 1, f"bins of a {unit}")
        edges = binning.calendar_edges(low, high, unit)
        return edges, None, unit
    whole = column.kind == "whole number"
    if wanted is not None:
        start = low if asked.start is None else asked.start
        stretch = (high - start) or 1.0
        # the last bin is left-closed too: widen by a hair so that the highest value falls inside
        width = stretch * (1 + 1e-9) / wanted
        edges = np.asarray(start + np.arange(wanted + 1) * width, dtype=np.float64)
        return edges, float(width), None
    width = asked.width or _default_width(at, overall, low, high, whole)
    start = asked.start or 0.0
    _refuse_too_many(binning.bin_count(low, high, width, start), f"bins of {width:g}")
    return binning.even_edges(low, high, width, start), width, None


def _default_width(at: Floats, overall: Summary, low: float, high: float, whole: bool) -> float:
    """Return a width that fits: a multiple of the step values are recorded in, so that bins are even."""
    width = binning.default_width(len(at), overall.q1, overall.q3, low, high, whole)
    return _even_with(resolution(at), width, whole)


def _even_with(step: float, width: float, whole: bool) -> float:
    """Return the width, or the next ones up where it is no multiple of the step values are recorded in."""
    for _ in range(3):
        if not step or abs(width / step - round(width / step)) < 1e-6:
            return width
        width = binning.next_width(width, whole, up=True)
    return width


def _refuse_too_many(count: int, what: str) -> None:
    if count > binning.HARD_MOST:
        raise BadQuestion(
            f"{what[0].upper()}{what[1:]} would make {count:,} bars, more than can be drawn",
            "bins",
            f"Choose wider bins (at most {binning.HARD_MOST:,} fit).",
        )
