"""Histograms: how many rows fall into each bin, all of them and the lit ones."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from night_trail.core.answers.basis import Basis, Grouping, grouping, joined
from night_trail.core.conditions import Between, Condition, iso
from night_trail.core.errors import BadQuestion
from night_trail.core.question import Spread
from night_trail.core.rows import Rows
from night_trail.core.stats import bins as binning
from night_trail.core.stats.quantiles import Summary, box, summary
from night_trail.core.stats.shape import heaping, humps
from night_trail.core.table import Bools, Column, Floats, Ints

MOST_PANELS = 8


@dataclass(frozen=True)
class HistogramGroup:
    """Counts of one group: a row per end or bin.

    ``counts`` has ``k + 2`` places for k bins: the gathered low tail, the bins,
    the gathered high tail. ``lit`` likewise, or None where the lantern is out.
    """

    counts: Ints
    lit: Ints | None
    used: int


@dataclass(frozen=True)
class HistogramAnswer:
    """A histogram, one group or several on shared bins.

    ``edges`` are k + 1 places on the column's axis (dates in seconds).
    ``lowest`` and ``highest`` are the extreme values, inside or outside the
    edges. ``width`` is the width of even bins, ``calendar`` the unit of
    calendar bins. ``humps`` are places, found only for a single group.
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
    lit_summary: Summary | None
    rest_summary: Summary | None
    humps: tuple[float, ...]

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
        return joined(self.grouping.condition(position), Between(self.column.name, low, high))

    def _bound(self, at: float) -> float | str:
        return iso(float(at), self.column.kind) if self.column.kind.temporal else float(at)


def histogram(question: Spread, rows: Rows) -> HistogramAnswer:
    """Return the histogram of a measured column."""
    column = rows.table.column(question.column)
    values = rows.axis(question.column)
    present = ~np.isnan(values)
    groups = grouping(rows, question.across, MOST_PANELS)
    used = present if groups.codes is None else present & (groups.codes >= 0)
    lit = None if rows.lit is None else rows.lit[used]
    at = values[used]
    overall = summary(at)
    edges, width, calendar = _edges(question, column, at, overall)
    inside = binning.assign(at, edges) + 1 if len(at) else np.empty(0, dtype=np.int64)
    codes = None if groups.codes is None else groups.codes[used]
    basis = Basis(
        rows=rows.n,
        used=len(at),
        missing=rows.n - int(np.count_nonzero(present)),
        groupless=int(np.count_nonzero(present)) - len(at),
        lit=None if lit is None else int(np.count_nonzero(lit)),
        table_rows=rows.table.height,
    )
    spans = np.diff(edges)
    return HistogramAnswer(
        question=question,
        column=column,
        basis=basis,
        grouping=groups,
        edges=edges,
        groups=_counted(inside, codes, len(groups.groups), len(edges) + 1, lit),
        width=width,
        calendar=calendar,
        even=len(spans) < 2 or bool(np.ptp(spans) <= 1e-6 * spans[0]),
        overall=overall,
        lit_summary=None if lit is None else summary(at[lit]),
        rest_summary=None if lit is None else summary(at[~lit]),
        humps=humps(at, _step(column, at)) if question.across is None and column.kind.numeric else (),
    )


def _step(column: Column, at: Floats) -> float:
    heap = heaping(at) if column.kind == "whole number" else None
    return float(heap.step) if heap else 0.0


def _counted(
    inside: Ints, codes: Ints | None, n_groups: int, places: int, lit: Bools | None
) -> tuple[HistogramGroup, ...]:
    flat = inside if codes is None else codes * places + inside
    all_counts = np.bincount(flat, minlength=n_groups * places).reshape(n_groups, places)
    lit_counts = (
        None if lit is None else np.bincount(flat[lit], minlength=n_groups * places).reshape(n_groups, places)
    )
    return tuple(
        HistogramGroup(
            np.asarray(all_counts[i], dtype=np.int64),
            None if lit_counts is None else np.asarray(lit_counts[i], dtype=np.int64),
            int(all_counts[i].sum()),
        )
        for i in range(n_groups)
    )


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
    if column.kind.temporal and asked.count is None:
        unit = asked.calendar or binning.calendar_unit(low, high, column.kind == "date and time")
        _refuse_too_many(round((high - low) / binning.CALENDAR_SECONDS[unit]) + 1, f"bins of a {unit}")
        edges = binning.calendar_edges(low, high, unit)
        return edges, None, unit
    whole = column.kind == "whole number"
    if asked.count is not None:
        start = low if asked.start is None else asked.start
        stretch = (high - start) or 1.0
        # the last bin is left-closed too: widen by a hair so that the highest value falls inside
        width = stretch * (1 + 1e-9) / asked.count
        edges = np.asarray(start + np.arange(asked.count + 1) * width, dtype=np.float64)
        return edges, float(width), None
    width = asked.width or binning.default_width(len(at), overall.q1, overall.q3, low, high, whole)
    start = asked.start or 0.0
    _refuse_too_many(binning.bin_count(low, high, width, start), f"bins of {width:g}")
    return binning.even_edges(low, high, width, start), width, None


def _refuse_too_many(count: int, what: str) -> None:
    if count > binning.HARD_MOST:
        raise BadQuestion(
            f"{what[0].upper()}{what[1:]} would make {count:,} bars, more than can be drawn",
            "bins",
            f"Choose wider bins (at most {binning.HARD_MOST:,} fit).",
        )
