"""How some rows differ from others: every column by how far apart the two lie in it."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np

from night_trail.core.conditions import Condition, Missing, OneOf, between, mask
from night_trail.core.conditions import check as check_condition
from night_trail.core.errors import BadQuestion
from night_trail.core.language.numbers import stretch, value
from night_trail.core.moments import DAY
from night_trail.core.questions.differ.question import Differ
from night_trail.core.questions.shared.basis import Basis
from night_trail.core.questions.shared.kept_together import on_one_side, one_of_each
from night_trail.core.questions.shared.looked_at import a_part_of, looked_at
from night_trail.core.rows import Rows
from night_trail.core.stats.contrast import chance, distance, higher
from night_trail.core.stats.groups import discoveries
from night_trail.core.table import Bools, Column, Floats, Ints, Table

MOST_ROWS = 100_000
"""Of each side at most so many rows, a fixed random part, are looked at."""
BINS = 10
MOST_VALUES = 24
LEVEL = 0.01
"""The share of what is called different that may be chance."""
SEEN = 0.05
"""Columns in which the two lie less apart than this count as alike, however sure that is."""
FEW = 5


@dataclass(frozen=True)
class Share:
    """A value, or a stretch, of a column: which share of either side's rows has it.

    ``condition`` names its rows, None for what is gathered; ``n`` and ``lit``
    count those of both sides where the lantern is lit.
    """

    label: str
    ones: float
    others: float
    condition: Condition | None
    n: int = 0
    lit: int | None = None


@dataclass(frozen=True)
class Contrast:
    """How the two sides differ in a column.

    ``apart`` goes from 0 (alike) to 1 (no value in common); ``higher`` is
    Cliff's delta, None for what has no order; ``middles`` are the medians of a
    measured column. ``n`` are the rows of either side that have the column.
    ``of_missing`` says that the contrast is in whether it is missing.
    """

    column: Column
    shares: tuple[Share, ...]
    apart: float
    p: float
    higher: float | None
    middles: tuple[float, float] | None
    n: tuple[int, int]
    found: bool = False
    of_missing: bool = False

    @property
    def name(self) -> str:
        """What it is called beside its lane."""
        return f"{self.column.name} missing" if self.of_missing else self.column.name

    @property
    def telling(self) -> Share:
        """The value whose shares differ most; of two alike the one commoner among the first."""
        named = [s for s in self.shares if s.condition is not None] or list(self.shares)
        return max(named, key=lambda s: (round(abs(s.ones - s.others), 12), s.ones - s.others))


@dataclass(frozen=True)
class DifferAnswer:
    """Every column looked at, the one in which the sides lie furthest apart first.

    ``n`` are the rows of either side, ``both`` how many met the conditions of
    both and belong to neither; ``looked`` how many of either were looked at.
    ``passed_over`` are columns in which nothing can be compared: texts, codes
    of single rows. Where rows of one value of ``together`` are on one side together,
    chance is judged by one of each.
    """

    question: Differ
    basis: Basis
    n: tuple[int, int]
    both: int
    looked: tuple[int, int]
    contrasts: tuple[Contrast, ...]
    passed_over: tuple[str, ...]
    together: Column | None = None

    @property
    def found(self) -> tuple[Contrast, ...]:
        """The columns in which the sides differ beyond chance, and enough to be seen."""
        return tuple(c for c in self.contrasts if c.found)


def check(question: Differ, table: Table) -> None:
    """Refuse rows that the table cannot name, and a column left out that it does not have."""
    for name in question.without:
        table.column(name)
    for condition in (question.ones, question.others):
        if condition is not None:
            check_condition(condition, table)
    if question.ones == question.others:
        raise BadQuestion("Rows do not differ from themselves", "others", "Choose others, or the rest.")


def differ(question: Differ, rows: Rows) -> DifferAnswer:
    """Return how the rows of two sides differ."""
    ones, others, both = sides(question, rows)
    n = int(np.count_nonzero(ones)), int(np.count_nonzero(others))
    basis = Basis(
        rows=rows.n,
        used=sum(n),
        missing=0,
        groupless=rows.n - sum(n),
        lit=None if rows.lit is None else int(np.count_nonzero(rows.lit & (ones | others))),
        table_rows=rows.table.n,
    )
    contrasts, passed, looked, together = rows.remember(
        ("differ", question), lambda: _contrasts(question, rows.table, ones, others)
    )
    if rows.lit is not None:
        lit = rows.lit & (ones | others)
        counted = tuple(
            replace(c, shares=_lit_up(c, rows.table, ones | others, lit)) for c in contrasts if c.found
        )
        contrasts = (*counted, *contrasts[len(counted) :])
    return DifferAnswer(question, basis, n, both, looked, contrasts, passed, together)


def _lit_up(one: Contrast, table: Table, all_: Bools, lit: Bools) -> tuple[Share, ...]:
    found = []
    for share in one.shares:
        if share.condition is not None:
            has = mask(share.condition, table)
            n, n_lit = int(np.count_nonzero(has & all_)), int(np.count_nonzero(has & lit))
            found.append(replace(share, n=n, lit=n_lit))
        else:
            found.append(share)
    return tuple(found)


def sides(question: Differ, rows: Rows) -> tuple[Bools, Bools, int]:
    """Return the kept rows of either side, and how many met both conditions and are on neither."""
    kept = rows.keeps
    ones = mask(question.ones, rows.table) & kept
    if question.others is None:
        return ones, kept & ~ones, 0
    others = mask(question.others, rows.table) & kept
    both = ones & others
    return ones & ~both, others & ~both, int(np.count_nonzero(both))


Made = tuple[tuple[Contrast, ...], tuple[str, ...], tuple[int, int], Column | None]


def _contrasts(question: Differ, table: Table, ones: Bools, others: Bools) -> Made:
    a, b = a_part_of(ones, MOST_ROWS), a_part_of(others, MOST_ROWS)
    at = np.concatenate([a, b])
    together = on_one_side(table, at, np.arange(len(at)) < len(a))
    # of rows that stand or fall together one is judged by
    judged = None if together is None else one_of_each(together[1])
    pair = (a, b) if judged is None else (at[judged[judged < len(a)]], at[judged[judged >= len(a)]])
    made: list[Contrast] = []
    passed: list[str] = []
    for column in looked_at(table, {*question.named, *question.without}, passed):
        if min(len(a), len(b)) < FEW:
            break
        found = _of_column(column, table, a, b)
        if judged is not None:
            sure_of = {c.of_missing: c.p for c in _of_column(column, table, *pair)}
            found = [replace(c, p=sure_of.get(c.of_missing, 1.0)) for c in found]
        made += found
    # of one value there is nothing to compare, and no hypothesis to count
    made = [c for c in made if len(c.shares) > 1]
    sure = discoveries(np.array([c.p for c in made]), LEVEL)
    made = [replace(c, found=s and c.apart >= SEEN) for c, s in zip(made, sure, strict=True)]
    made.sort(key=lambda c: (not c.found, -c.apart))
    return tuple(made), tuple(passed), (len(a), len(b)), None if together is None else together[0]


def _of_column(column: Column, table: Table, a: Ints, b: Ints) -> list[Contrast]:
    measured = column.kind.measured and not column.code and column.distinct > 2
    found = _measured(column, table, a, b) if measured else _valued(column, table, a, b)
    if column.missing:
        found += _missing(column, table, a, b)
    return found


def _measured(column: Column, table: Table, a: Ints, b: Ints) -> list[Contrast]:
    values = table.axis(column.name).values
    left, right = values[a], values[b]
    left, right = left[np.isfinite(left)], right[np.isfinite(right)]
    if min(len(left), len(right)) < FEW:
        return []
    if column.distinct <= MOST_VALUES // 2 and column.kind.numeric:
        found = _valued(column, table, a, b)
    else:
        # stretches of about as many rows from each side, whatever their sizes
        bins = min(BINS, max(2, min(len(left), len(right)) // FEW))
        weighed = np.sort(np.concatenate([_thinned(left), _thinned(right)]))
        edges = np.quantile(weighed, np.linspace(0, 1, bins + 1)[1:-1], method="lower")
        edges = np.unique(_rounded(edges, float(np.ptp(weighed)), column))
        found = [_contrast(column, _binned(left, edges), _binned(right, edges), _stretches(column, edges))]
    delta, p = higher(left, right)
    middles = float(np.median(left)), float(np.median(right))
    # two looks at one column: by shares, and by which is higher
    return [replace(c, p=min(1.0, 2 * min(c.p, p)), higher=delta, middles=middles) for c in found]


def _thinned(values: Floats) -> Floats:
    """Return a side's values as 200 of its quantiles, so that the larger side does not set the stretches."""
    return values if len(values) <= 200 else np.quantile(values, np.linspace(0, 1, 200), method="lower")


def _rounded(edges: Floats, span: float, column: Column) -> Floats:
    """Return edges that can be read: whole days, numbers to a hundredth of what they span."""
    if column.kind.temporal:
        return np.round(edges / DAY) * DAY if span > 30 * DAY else edges
    places = 2 - math.floor(math.log10(span)) if span > 0 else 12
    return np.round(edges, places)


def _binned(values: Floats, edges: Floats) -> Ints:
    return np.bincount(np.searchsorted(edges, values, side="right"), minlength=len(edges) + 1)


Named = list[tuple[str, Condition | None]]


def _stretches(column: Column, edges: Floats) -> Named:
    """Return the stretches between edges, left-closed, open at both ends."""
    ends = [None, *(float(e) for e in edges), None]
    found: Named = []
    for low, high in pairwise(ends):
        if low is None and high is None:
            continue
        if low is None or high is None:
            at = value(high if low is None else low, column.kind, column.unit)  # type: ignore[arg-type]
            said = f"under {at}" if low is None else f"{at} and more"
        else:
            said = stretch(low, high, column.kind, column.unit)
        found.append((said, between(column, low, high)))
    return found


def _valued(column: Column, table: Table, a: Ints, b: Ints) -> list[Contrast]:
    coded = table.coded(column.name)
    left, right = coded.codes[a], coded.codes[b]
    left, right = left[left >= 0], right[right >= 0]
    if min(len(left), len(right)) < FEW:
        return []
    k = len(coded.labels)
    counts = np.bincount(left, minlength=k), np.bincount(right, minlength=k)
    shown = counts[0] / len(left) + counts[1] / len(right)
    if k > MOST_VALUES:
        kept = np.sort(np.argsort(-shown, kind="stable")[: MOST_VALUES - 1])
        rest = np.setdiff1d(np.flatnonzero(shown), kept)
    else:
        kept, rest = np.flatnonzero(shown), np.empty(0, dtype=np.int64)
    named: Named = [(_said(column, coded.labels[i]), OneOf(column.name, (coded.labels[i],))) for i in kept]
    parts = [side[kept] for side in counts]
    if len(rest):
        named.append((f"{len(rest):,} others", None))
        parts = [np.append(part, side[rest].sum()) for part, side in zip(parts, counts, strict=True)]
    return [_contrast(column, parts[0], parts[1], named)]


def _said(column: Column, label: str) -> str:
    """Return a value as it is read: a number without needless digits."""
    try:
        return value(float(label), column.kind, column.unit) if column.kind.numeric else label
    except ValueError:
        return label


def _missing(column: Column, table: Table, a: Ints, b: Ints) -> list[Contrast]:
    gone = (
        np.isnan(table.axis(column.name).values)
        if column.kind.measured
        else table.coded(column.name).codes < 0
    )
    counts = [np.bincount(gone[side].astype(np.int64), minlength=2)[::-1] for side in (a, b)]
    named: Named = [("missing", Missing(column.name)), ("there", None)]
    return [replace(_contrast(column, counts[0], counts[1], named), of_missing=True)]


def _contrast(column: Column, ones: Ints, others: Ints, named: Named) -> Contrast:
    n, m = int(ones.sum()), int(others.sum())
    shares = tuple(
        Share(label, float(p) / max(n, 1), float(q) / max(m, 1), condition)
        for (label, condition), p, q in zip(named, ones, others, strict=True)
        if p or q
    )
    return Contrast(column, shares, distance(ones, others), chance(ones, others), None, None, (n, m))
