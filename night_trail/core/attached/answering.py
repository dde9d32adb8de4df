"""Questions of an attached table: which cells they need, and their answers from all its rows."""

from __future__ import annotations

from dataclasses import replace

import msgspec
import numpy as np
import polars as pl

from night_trail.core.attached.roll import (
    Roll,
    check_kind,
    is_bars,
    is_binned,
    is_ranked,
    keeps_values,
    measures_in,
    roll_of,
)
from night_trail.core.attached.rolled import AsLarge, RolledTable
from night_trail.core.errors import BadQuestion, Beyond
from night_trail.core.measure import Measure
from night_trail.core.question import Question
from night_trail.core.questions.decomposition.question import Decomposition
from night_trail.core.questions.forecast.question import Forecast
from night_trail.core.questions.over_time.question import OverTime
from night_trail.core.questions.registry import Answer
from night_trail.core.questions.registry import answer as answer_from
from night_trail.core.questions.shared.basis import Basis, Grouping
from night_trail.core.questions.shared.cells import Cells
from night_trail.core.questions.shared.measures import ADDS_UP, overall
from night_trail.core.questions.shared.periods import grain_for
from night_trail.core.questions.spread.histogram import HistogramAnswer
from night_trail.core.rows import Rows
from night_trail.core.stats.quantiles import Summary
from night_trail.core.table import Bools, Floats, Ints


def roll_for(question: Question, rows: Rows) -> Roll:
    """Return the cells that a question needs; ``rows`` are those of the part at hand.

    Raises
    ------
    Beyond
        Where its figures do not follow from cells.
    """
    edges: tuple[float, ...] = ()
    if is_binned(question) and not keeps_values(question, rows.table):
        found = answer_from(question, rows)
        assert isinstance(found, HistogramAnswer)  # noqa: S101  (so its shape is)
        edges = tuple(float(edge) for edge in found.edges)
    return roll_of(_grained(question, rows), rows.only, rows.lit_condition, rows.table, edges)


def whole_answer(question: Question, rows: Rows, roll: Roll, cells: pl.DataFrame) -> Answer:
    """Return the answer from all rows, which came rolled up; ``rows`` are those of the part at hand."""
    table = RolledTable(rows.table, roll, cells)
    every = Rows(table, rows.only, rows.lit_condition)
    if not is_binned(question):
        grained = _grained(question, rows)
        try:
            found = answer_from(grained, every)
        except BadQuestion:
            if grained == question:
                raise
            # all rows may reach much further than the part: then they choose the steps
            found = answer_from(question, every)
        return found if question == found.question else replace(found, question=question)  # type: ignore[arg-type]
    found = answer_from(question, rows)
    assert isinstance(found, HistogramAnswer)  # noqa: S101  (else no cells were asked for)
    return _counted(found, every, table)


def _grained(question: Question, rows: Rows) -> Question:
    """Return a question with the steps in time that the part has: they stay when all rows are counted."""
    if isinstance(question, OverTime | Decomposition | Forecast) and question.grain is None:
        return msgspec.structs.replace(question, grain=grain_for(question, rows))
    return question


def part_answer(question: Question, rows: Rows, every: int) -> Answer:
    """Return estimates of sums and counts of all rows, ``every`` of them, from the part at hand.

    Only of questions no interval or test of which would take the rows for more than they are.
    """
    assert is_scaled(question)  # noqa: S101  (else the part answers as it is)
    factor = every / max(rows.table.height, 1)
    if is_binned(question):
        found = answer_from(question, rows)
        return _as_large(found, factor) if isinstance(found, HistogramAnswer) else found
    as_large = rows.remember_lit(
        "as large as all", lambda: Rows(AsLarge(rows.table, factor), rows.only, rows.lit_condition)
    )
    return answer_from(question, as_large)


def is_scaled(question: Question) -> bool:
    """Whether all that a question figures are sums or counts, which a part has too little of."""
    if is_binned(question) or is_bars(question):
        return True
    if is_ranked(question):
        return False
    try:
        check_kind(question)
    except Beyond:
        return False
    return all(one.aggregate in ADDS_UP for one in measures_in(question))


def _as_large(found: HistogramAnswer, factor: float) -> HistogramAnswer:
    def large(n: int) -> int:
        return round(n * factor)

    def all_large(counts: Ints) -> Ints:
        return np.asarray(np.rint(counts * factor), dtype=np.int64)

    groups = tuple(
        replace(
            one,
            counts=all_large(one.counts),
            lit=None if one.lit is None else all_large(one.lit),
            used=large(one.used),
        )
        for one in found.groups
    )
    basis = found.basis
    return replace(
        found,
        groups=groups,
        basis=replace(
            basis,
            rows=large(basis.rows),
            used=large(basis.used),
            missing=large(basis.missing),
            groupless=large(basis.groupless),
            lit=None if basis.lit is None else large(basis.lit),
            table_rows=large(basis.table_rows),
        ),
        overall=None if found.overall is None else replace(found.overall, n=large(found.overall.n)),
    )


def _counted(found: HistogramAnswer, every: Rows, table: RolledTable) -> HistogramAnswer:
    """Return a histogram of the part with the counts of all rows, on the edges that the part has.

    Where its values were kept apart its quarters and middles are those of all rows too; what is said
    of its form stays that of the part.
    """
    name = found.column.name
    apart = name in table
    places = _places(table.axis(name).values, found.edges) if apart else table.places[name]
    codes = _groups(found.grouping, table)
    wide = len(found.edges) + 1
    used = (places >= 0) & (codes >= 0) & every.keeps
    pairs = codes * wide + np.maximum(places, 0)

    def counts(where: Bools) -> Ints:
        return every.tally(pairs, len(found.groups) * wide, where).reshape(-1, wide)

    def middle(where: Bools, before: float | None) -> float | None:
        if not apart:
            return before
        cells = _in_order(table, name, where)
        return overall(Measure("median", name), cells) if len(cells.values) else None

    all_counts = counts(used)
    lit = None if every.lit is None else counts(used & every.lit)
    present = every.count((places >= 0) & every.keeps)
    n = int(all_counts.sum())
    groups = tuple(
        replace(
            one,
            counts=all_counts[i],
            lit=None if lit is None else lit[i],
            used=int(all_counts[i].sum()),
            middle=middle(used & (codes == i), one.middle),
        )
        for i, one in enumerate(found.groups)
    )
    basis = Basis(
        rows=every.n,
        used=n,
        missing=every.n - present,
        groupless=present - n,
        lit=None if lit is None else int(lit.sum()),
        table_rows=table.n,
    )
    found = replace(found, groups=groups, basis=basis, overall=_summed_up(found, table, used, n))
    if every.lit is None:
        return found
    return replace(
        found,
        lit_middle=middle(used & every.lit, found.lit_middle),
        rest_middle=middle(used & ~every.lit, found.rest_middle),
    )


def _places(values: Floats, edges: Floats) -> Ints:
    """Return how many edges lie at or below each value, −1 where there is none; shape (values,)."""
    found = np.searchsorted(edges, values, side="right")
    return np.where(np.isnan(values), -1, found)


def _summed_up(found: HistogramAnswer, table: RolledTable, used: Bools, n: int) -> Summary | None:
    """Return the five numbers and the mean of all rows, as far as cells tell them."""
    name, before = found.column.name, found.overall
    if before is None or not n:
        return before
    if name not in table:
        low, high = (one[used] for one in table.ends[name])
        return replace(before, n=n, low=float(np.nanmin(low)), high=float(np.nanmax(high)))
    cells = _in_order(table, name, used)
    q1, median, q3 = (overall(Measure("quantile", name, level=level), cells) for level in (0.25, 0.5, 0.75))
    least, most = float(cells.values[0]), float(cells.values[-1])
    return Summary(n, least, q1, median, q3, most, overall(Measure("mean", name), cells))


def _in_order(table: RolledTable, name: str, where: Bools) -> Cells:
    """Return the cells of a column whose values are kept apart, ascending; ``where`` has shape (cells,)."""
    values = table.axis(name).values
    at = np.flatnonzero(where)
    at = at[np.argsort(values[at], kind="stable")]
    return Cells(values[at], np.zeros(len(at), dtype=np.int64), stands=table.stands().at(at))


def _groups(grouping: Grouping, table: RolledTable) -> Ints:
    """Return the group of each cell, −1 for none: values the part has not seen lie with the gathered ones."""
    if grouping.column is None:
        return np.zeros(table.height, dtype=np.int64)
    coded = table.coded(grouping.column.name)
    own = {group.key: i for i, group in enumerate(grouping.groups) if not group.others}
    rest = next((i for i, group in enumerate(grouping.groups) if group.others), -1)
    places = np.array([*(own.get(label, rest) for label in coded.labels), -1], dtype=np.int64)
    return np.asarray(places[coded.codes])
