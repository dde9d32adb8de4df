"""Going down into a group: which columns would tell its rows apart, best first."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from night_trail.core.errors import BadQuestion
from night_trail.core.question import Question
from night_trail.core.questions.registry import kind_of
from night_trail.core.questions.shared.grouping import makes_groups
from night_trail.core.rows import Rows
from night_trail.core.stats import groups as figures
from night_trail.core.stats.relation import some_of
from night_trail.core.table import Bools, Column, Floats, Ints, Kind, Table


@dataclass(frozen=True)
class Telling:
    """How much a column tells rows apart: between 0 (as chance would) and 1, over so many groups.

    None where it cannot be said.
    """

    column: Column
    groups: int
    effect: float | None


def ranked(question: Question, rows: Rows) -> list[Telling]:
    """Return the columns rows can be broken down by, those that tell most apart first.

    For a measured column the effect is ε², the share of its variance between
    the groups less what chance gives (Kelley 1935); for a category, Cramér's V
    with the bias correction of Bergsma (2013). At most 30,000 rows, a fixed
    random part, are looked at.
    """
    kept = np.arange(rows.table.height) if rows.kept is None else np.flatnonzero(rows.kept)
    (at,) = some_of(kept)
    told = kind_of(question).gist(question, rows.table).told_apart
    about = None if told is None else rows.table.column(told)
    taken = set(question.mentions)
    values = None if about is None else _cells(about, rows.table, at)
    found = []
    for column in rows.table.columns:
        if column.name in taken or not makes_groups(column):
            continue
        codes = rows.table.coded(column.name).codes[at].astype(np.int64)
        groups = len(np.unique(codes[codes >= 0]))
        if groups < 2:
            continue
        effect = (
            None
            if values is None
            else _effect(values, codes, measured=about is not None and _measured(about))
        )
        found.append(Telling(column, groups, effect))
    return sorted(found, key=lambda f: -1.0 if f.effect is None else -f.effect)


def down(question: Question, by: str, table: Table) -> Question:
    """Return the same question, asked across the groups of another column.

    Raises
    ------
    BadQuestion
        Where that column makes no groups.
    """
    column = table.column(by)
    if not makes_groups(column):
        raise BadQuestion(f"“{by}” makes no groups to break down by", table.name, "Choose a category.")
    found: Question = kind_of(question).broken_down(question, column, table)
    return found


def _measured(column: Column) -> bool:
    return column.kind.measured or column.kind == Kind.YES_NO


def _cells(column: Column, table: Table, at: Ints) -> Floats:
    """Return the values as numbers, codes for a category; NaN where missing."""
    if column.kind.measured:
        return table.axis(column.name).values[at]
    codes = table.coded(column.name).codes[at].astype(np.float64)
    return np.where(codes < 0, np.nan, codes)


def _effect(values: Floats, codes: Ints, measured: bool) -> float | None:
    has: Bools = (codes >= 0) & ~np.isnan(values)
    values, codes = values[has], codes[has]
    if len(values) < 3:
        return None
    if not measured:
        return figures.cramers_v(values.astype(np.int64), codes)
    _, dense = np.unique(codes, return_inverse=True)
    k = int(dense.max()) + 1
    found = figures.epsilon_squared(figures.moments(values, dense, k))
    return None if found is None else max(0.0, found)
