"""Questions of an attached table: which cells they need, and their answers from all its rows."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import polars as pl

from night_trail.core.attached.roll import Roll, is_binned, roll_of
from night_trail.core.attached.rolled import RolledTable
from night_trail.core.errors import Beyond
from night_trail.core.question import Question
from night_trail.core.questions.registry import Answer
from night_trail.core.questions.registry import answer as answer_from
from night_trail.core.questions.shared.basis import Basis, Grouping
from night_trail.core.questions.spread.histogram import HistogramAnswer
from night_trail.core.rows import Rows
from night_trail.core.table import Ints


def roll_for(question: Question, rows: Rows) -> Roll:
    """Return the cells that a question needs; ``rows`` are those of the part at hand.

    Raises
    ------
    Beyond
        Where its figures do not follow from cells.
    """
    edges: tuple[float, ...] = ()
    if is_binned(question):
        found = answer_from(question, rows)
        if not isinstance(found, HistogramAnswer):
            raise Beyond("Several widths are looked at by the rows themselves", rows.table.name)
        edges = tuple(float(edge) for edge in found.edges)
    return roll_of(question, rows.only, rows.lit_condition, rows.table, edges)


def whole_answer(question: Question, rows: Rows, roll: Roll, cells: pl.DataFrame) -> Answer:
    """Return the answer from all rows, which came rolled up; ``rows`` are those of the part at hand."""
    table = RolledTable(rows.table, roll, cells)
    every = Rows(table, rows.only, rows.lit_condition)
    if not is_binned(question):
        return answer_from(question, every)
    found = answer_from(question, rows)
    assert isinstance(found, HistogramAnswer)  # noqa: S101  (else no cells were asked for)
    return _counted(found, every, table)


def _counted(found: HistogramAnswer, every: Rows, table: RolledTable) -> HistogramAnswer:
    """Return a histogram of the part with the counts and ends of all rows.

    Its edges, quarters and middles, and what is said of its form, stay those of the part.
    """
    places = table.places[found.column.name]
    codes = _groups(found.grouping, table)
    wide = len(found.edges) + 1
    used = (places >= 0) & (codes >= 0) & every.keeps
    pairs = codes * wide + np.maximum(places, 0)

    def counts(where: np.ndarray[tuple[int], np.dtype[np.bool_]]) -> Ints:
        return every.tally(pairs, len(found.groups) * wide, where).reshape(-1, wide)

    all_counts = counts(used)
    lit = None if every.lit is None else counts(used & every.lit)
    present = every.count((places >= 0) & every.keeps)
    n = int(all_counts.sum())
    groups = tuple(
        replace(one, counts=all_counts[i], lit=None if lit is None else lit[i], used=int(all_counts[i].sum()))
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
    overall = found.overall
    if overall is not None and n:
        low, high = (one[used] for one in table.ends[found.column.name])
        overall = replace(overall, n=n, low=float(np.nanmin(low)), high=float(np.nanmax(high)))
    return replace(found, groups=groups, basis=basis, overall=overall)


def _groups(grouping: Grouping, table: RolledTable) -> Ints:
    """Return the group of each cell, −1 for none: values the part has not seen lie with the gathered ones."""
    if grouping.column is None:
        return np.zeros(table.height, dtype=np.int64)
    coded = table.coded(grouping.column.name)
    own = {group.key: i for i, group in enumerate(grouping.groups) if not group.others}
    rest = next((i for i, group in enumerate(grouping.groups) if group.others), -1)
    places = np.array([*(own.get(label, rest) for label in coded.labels), -1], dtype=np.int64)
    return np.asarray(places[coded.codes])
