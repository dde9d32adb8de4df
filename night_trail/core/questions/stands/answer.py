"""What stands out: every search over the kept rows, as one list, what is likelier wrong first."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import get_args

import numpy as np

from night_trail.core.abreast import abreast
from night_trail.core.conditions import mask
from night_trail.core.errors import BadQuestion
from night_trail.core.questions.shared.basis import Basis
from night_trail.core.questions.stands import combinations, in_time, repeated, rules, values
from night_trail.core.questions.stands.found import Finding, Looked, Sort
from night_trail.core.questions.stands.question import Stands
from night_trail.core.rows import Rows
from night_trail.core.table import Column, Kind, Table

MOST_FOUND = 60
SAME = 0.8
"""Rows that were told by so large a part are not told again of the same column."""

LEAST_ROWS = 36
"""Among fewer rows nothing can be said to stand out."""

_ORDER = {sort: i for i, sort in enumerate(get_args(Sort))}


@dataclass(frozen=True)
class StandsAnswer:
    """What stands out, and what was put aside of it.

    ``looked`` is how many columns were looked at, ``more`` how many findings
    beyond those told there were, ``column`` what it is asked of, None for all.
    """

    question: Stands
    basis: Basis
    column: Column | None
    findings: tuple[Finding, ...]
    aside: tuple[Finding, ...]
    looked: int
    more: int = 0


def check(question: Stands, table: Table) -> None:
    """Refuse a column that has nothing to stand out, and groups that are none."""
    if question.of is not None:
        column = table.column(question.of)
        if column.kind == Kind.TEXT:
            raise BadQuestion(
                f"“{column.name}” is text, in which nothing is far or rare", "column", "Choose another."
            )
    if question.within is not None:
        group = table.column(question.within)
        if not group.kind.grouping and not group.code and not 2 <= group.distinct <= 200:
            raise BadQuestion(f"“{group.name}” makes no groups", "within", "Choose a category.")
        if question.within == question.of:
            raise BadQuestion("A column is not held against itself", "within", "Choose another category.")


def stands_out(question: Stands, rows: Rows) -> StandsAnswer:
    """Return what stands out."""
    table = rows.table
    column = None if question.of is None else table.column(question.of)
    key = ("stands", question.of, question.within)
    found, more = rows.remember(key, lambda: _found(question, rows))
    lit = rows.lit
    if lit is not None:
        found = tuple(replace(f, lit=int(np.count_nonzero(mask(f.condition, table) & lit))) for f in found)
    missing = 0
    if column is not None:
        missing = rows.n - int(table.series(column.name).is_not_null().to_numpy()[rows.keeps].sum())
    basis = Basis(
        rows=rows.n,
        used=rows.n - missing,
        missing=missing,
        lit=None if lit is None else rows.n_lit,
        table_rows=table.n,
    )
    put = set(question.aside)
    return StandsAnswer(
        question,
        basis,
        column,
        tuple(f for f in found if f.key not in put),
        tuple(f for f in found if f.key in put),
        1 if column is not None else len(table.columns),
        more,
    )


def _found(question: Stands, rows: Rows) -> tuple[tuple[Finding, ...], int]:
    table = rows.table
    if rows.n < LEAST_ROWS:
        return (), 0
    within = None if question.within is None else table.column(question.within)
    look = Looked(rows, None if question.of is None else table.column(question.of), within)
    found: list[Finding] = list(values.find(look))
    courses = in_time.courses(look, found)

    def elsewhere() -> list[Finding]:
        if within is not None:
            return []
        return [*combinations.find(look), *rules.find(look), *repeated.find(look)]

    more, apart = abreast(look.n, elsewhere, lambda: [course.taken_apart() for course in courses])
    found += [*more, *in_time.find(look, courses, apart)]
    kept: list[Finding] = []
    told: list[tuple[frozenset[str], set[int]]] = []
    for finding in sorted(found, key=lambda f: (_ORDER[f.sort], f.chance, f.n, f.columns)):
        at = set(np.flatnonzero(mask(finding.condition, table) & look.kept).tolist()) if finding.n else set()
        names = frozenset(finding.columns)
        # the same rows of a column are told once, by what is likelier wrong
        if at and not any(names & other and len(at & rows) > SAME * len(at) for other, rows in told):
            kept.append(finding)
            told.append((names, at))
    return tuple(kept[:MOST_FOUND]), max(len(kept) - MOST_FOUND, 0)
