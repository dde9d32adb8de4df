"""What the model sees of a table: a column of numbers or codes for each column, or several for a time."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from night_trail.core.conditions import Condition, OneOf, Recurs, between
from night_trail.core.moments import LENGTHS, PART_NAMES, Part, part_of
from night_trail.core.questions.drivers.apart import Apart, set_apart
from night_trail.core.questions.drivers.question import ALONE, Drivers
from night_trail.core.questions.drivers.target import Target, target_of
from night_trail.core.questions.shared.kept_together import alike_within, sets_of
from night_trail.core.questions.shared.looked_at import a_part_of, looked_at
from night_trail.core.questions.shared.periods import time_column
from night_trail.core.rows import Rows
from night_trail.core.stats.drivers import Family, Matrix
from night_trail.core.stats.groups import epsilon_squared, moments
from night_trail.core.stats.relation import pearson, ranks
from night_trail.core.table import Column, Floats, Ints, Kind, Table

MOST_ROWS = 16_000
"""A model is made from at most so many rows, a fixed random part."""
MOST_LEVELS = 60
"""Values of a category beyond those of most rows count as one."""
SAME = 0.95
"""Numbers that rise and fall together so closely carry the same."""
WITHIN = 0.95
"""A category lies within another where that leaves so little to guess of it."""
SOME = 3_000
OTHERS = "others"


@dataclass(frozen=True)
class Feature:
    """A column of the matrix: which column it is of, which part of a time, what its codes are called."""

    column: Column
    part: Part | None = None
    labels: tuple[str, ...] = ()

    @property
    def name(self) -> str:
        """What its effect is called."""
        what = {"day": "hour", "week": "weekday", "year": "month", "quarters": "quarter", None: ""}[self.part]
        return f"{self.column.name} by {what}" if what else self.column.name

    def condition(self, codes: Sequence[int]) -> Condition | None:
        """Return the condition that names the rows of codes; None for what is gathered."""
        if self.part is not None:
            return Recurs(self.column.name, self.part, tuple(codes))
        named = tuple(self.labels[k] for k in codes if self.labels[k] != OTHERS or k < len(self.labels) - 1)
        return OneOf(self.column.name, named) if named else None

    def between(self, low: float | None, high: float | None) -> Condition:
        """Return the condition that names the rows of a stretch."""
        return between(self.column, low, high)


@dataclass(frozen=True)
class Made:
    """The matrix with what its columns are, and what of the table it left out.

    ``cells`` are all its columns, also those left out of the matrix because a finer
    one has all they say. ``families`` are names of columns that carry the same.
    ``together`` is the column whose rows stay in one fold, ``stretches`` the time
    whose stretches do.
    """

    target: Target
    cells: Floats
    matrix: Matrix
    features: tuple[Feature, ...]
    families: tuple[tuple[str, ...], ...]
    apart: tuple[Apart, ...]
    passed_over: tuple[str, ...]
    together: Column | None
    stretches: Column | None
    rows: int
    missing: int


def features_of(question: Drivers, rows: Rows) -> Made:
    """Return what a model is made from."""
    table, target = rows.table, target_of(question, rows)
    has = np.isfinite(target.values) if rows.kept is None else rows.kept & np.isfinite(target.values)
    n = int(np.count_nonzero(has))
    at = a_part_of(has, MOST_ROWS)
    y = target.values[at]
    passed: list[str] = []
    able = list(looked_at(table, {question.of, *question.without}, passed))
    apart = set_apart(question, able, table, at, y)
    gone = {a.name for a in apart}
    able = [c for c in able if c.name not in gone]
    features: list[Feature] = []
    cells: list[Floats] = []
    of: list[list[int]] = []
    for column in able:
        made = _features(column, table, at)
        made = [(f, v) for f, v in made if len(np.unique(v[np.isfinite(v)])) > 1 or np.isnan(v).any()]
        of.append(list(range(len(features), len(features) + len(made))))
        features += [f for f, _ in made]
        cells += [v for _, v in made]
    able, of = _kept(able, of)
    x = np.column_stack(cells) if cells else np.empty((len(at), 0))
    groups = _families(able, of, features, x, y)
    families = tuple(
        Family(tuple(j for i in group for j in of[i]), of[group[0]][0] if len(of[group[0]]) == 1 else -1)
        for group in groups
    )
    seen = x.copy()
    for group in groups:
        # the others of a family say what its first says, and would share its effect
        for i in group[1:]:
            seen[:, of[i]] = np.nan
    kept_by, sets = _together(question, table, at, y)
    stretches = None
    if kept_by is None and question.together is None:
        stretches, sets = _stretches(table, at, y, sets)
    levels = tuple(len(f.labels) if f.labels else LENGTHS[f.part] if f.part else 0 for f in features)
    return Made(
        target,
        x,
        Matrix(seen, y, sets, levels, families),
        tuple(features),
        tuple(tuple(able[i].name for i in group) for group in groups),
        apart,
        tuple(passed),
        kept_by,
        stretches,
        n,
        rows.n - n,
    )


def _kept(able: list[Column], of: list[list[int]]) -> tuple[list[Column], list[list[int]]]:
    pairs = [(c, places) for c, places in zip(able, of, strict=True) if places]
    return [c for c, _ in pairs], [places for _, places in pairs]


def _features(column: Column, table: Table, at: Ints) -> list[tuple[Feature, Floats]]:
    if column.kind.temporal:
        values = table.axis(column.name).values[at]
        has = np.isfinite(values)
        made = [(Feature(column), values)]
        parts: tuple[Part, ...] = (
            ("year", "week", "day") if column.kind == Kind.DATETIME else ("year", "week")
        )
        for part in parts:
            codes = np.full(len(at), np.nan)
            codes[has] = part_of(values[has], part, None)
            made.append((Feature(column, part, PART_NAMES[part]), codes))
        return made
    if column.kind.measured and not column.code and column.distinct > 2:
        return [(Feature(column), table.axis(column.name).values[at].astype(np.float64))]
    coded = table.coded(column.name)
    codes, labels = coded.codes[at].astype(np.int64), list(coded.labels)
    counts = np.bincount(codes[codes >= 0], minlength=len(labels))
    if np.count_nonzero(counts) > MOST_LEVELS:
        kept = np.sort(np.argsort(-counts, kind="stable")[: MOST_LEVELS - 1])
        lookup = np.full(len(labels) + 1, len(kept), dtype=np.int64)
        lookup[kept], lookup[-1] = np.arange(len(kept)), -1
        codes, labels = lookup[codes], [*(labels[i] for i in kept), OTHERS]
    else:
        kept = np.flatnonzero(counts)
        lookup = np.full(len(labels) + 1, -1, dtype=np.int64)
        lookup[kept] = np.arange(len(kept))
        codes, labels = lookup[codes], [labels[i] for i in kept]
    return [(Feature(column, None, tuple(labels)), np.where(codes < 0, np.nan, codes.astype(np.float64)))]


def _families(
    able: Sequence[Column], of: Sequence[list[int]], features: Sequence[Feature], x: Floats, y: Floats
) -> list[list[int]]:
    """Return groups of columns that carry the same, the one that says most first.

    Numbers that rise and fall together are one; a category that another's values
    belong to goes with that one, with the one that tells the target best of several.
    """
    some = np.arange(0, len(x), max(1, len(x) // SOME))[:SOME]
    shown = [x[some, places[0]] for places in of]
    plain = [bool(features[p[0]].labels) and features[p[0]].part is None for p in of]
    ranked = [
        None if is_plain else ranks(np.nan_to_num(v, nan=-np.inf))
        for v, is_plain in zip(shown, plain, strict=True)
    ]
    parent = list(range(len(able)))
    inside: dict[int, list[int]] = {}
    for i, j in itertools.permutations(range(len(able)), 2):
        both = np.isfinite(shown[i]) & np.isfinite(shown[j])
        if plain[i] != plain[j] or both.mean() < 0.5 or both.sum() < 20:
            continue
        first, second = ranked[i], ranked[j]
        if first is not None and second is not None:
            if i < j and abs(pearson(first[both], second[both])) >= SAME:
                parent[j] = min(parent[j], parent[i])
        elif _within(shown[i][both].astype(np.int64), shown[j][both].astype(np.int64)):
            # of two that follow from each other the first of the table is the finer
            finer = (-able[i].distinct, i) < (-able[j].distinct, j)
            inside.setdefault(j, []).extend([i] if finer else [])
    inside = {j: its for j, its in inside.items() if its}
    tells = {i: _tells(shown[i], y[some]) for its in inside.values() for i in its}
    for j, its in sorted(inside.items(), key=lambda pair: -able[pair[0]].distinct):
        top = [i for i in its if parent[i] == i] or its[:1]
        parent[j] = parent[max(top, key=lambda i: tells[i])]
    groups: dict[int, list[int]] = {}
    for i in range(len(able)):
        groups.setdefault(parent[i], []).append(i)
    found: list[list[int]] = []
    for top_of, members in groups.items():
        lead = (
            top_of if plain[top_of] else max(members, key=lambda i: (len(of[i]), _moves(shown[i], y[some])))
        )
        found.append([lead, *(i for i in members if i != lead)])
    return found


def _moves(x: Floats, y: Floats) -> float:
    """Return how closely a number moves with a target, by ranks; both of shape (rows,), NaN where missing."""
    has = np.isfinite(x)
    return abs(pearson(ranks(x[has]), ranks(y[has]))) if has.sum() > 2 else 0.0


def _tells(codes: Floats, y: Floats) -> float:
    """Return the share of a target's variance between the groups of a category, less what chance gives.

    Both have shape (rows,); codes are NaN where missing.
    """
    has = np.isfinite(codes)
    dense = np.unique(codes[has], return_inverse=True)[1]
    found = moments(y[has], dense.astype(np.int64), int(dense.max(initial=0)) + 1)
    return epsilon_squared(found) or 0.0


def _within(finer: Ints, coarser: Ints) -> bool:
    """Whether each value of a category belongs to one of another, which may have as many or fewer.

    Both have shape (rows,), codes from 0.
    """
    k, m = int(finer.max()) + 1, int(coarser.max()) + 1
    counts = np.bincount(finer * m + coarser, minlength=k * m).reshape(k, m)
    own = counts[counts.sum(axis=1) > 0]
    # of values that hardly occur nothing can be said, and by chance a rare one has a single parent
    most = int(own.sum(axis=0).max())
    # what knowing the finer one leaves of the errors of a plain guess (lambda; Goodman & Kruskal 1954)
    left = len(finer) - int(own.max(axis=1).sum())
    return len(own) > 1 and len(finer) >= 8 * len(own) and left <= (1 - WITHIN) * (len(finer) - most)


def parents_of(made: Made, finer: int, coarser: int) -> dict[int, int]:
    """Return to which code of a coarser category most rows of each code of a finer one belong."""
    a, b = made.cells[:, finer], made.cells[:, coarser]
    both = np.isfinite(a) & np.isfinite(b)
    m = made.matrix.levels[coarser]
    counts = np.bincount(
        a[both].astype(np.int64) * m + b[both].astype(np.int64), minlength=made.matrix.levels[finer] * m
    )
    counts = counts.reshape(-1, m)
    return {i: int(row.argmax()) for i, row in enumerate(counts) if row.sum()}


SHARED = 0.02
"""Rows of a set are kept together where so much of the target's variance lies between sets, beyond chance."""


def _together(question: Drivers, table: Table, at: Ints, y: Floats) -> tuple[Column | None, Ints]:
    alone = np.arange(len(at), dtype=np.int64)
    if question.together == ALONE or not len(at):
        return None, alone
    found: list[tuple[int, Column, Ints]] = []
    for column, codes in sets_of(table, at):
        dense = np.unique(codes, return_inverse=True)[1].astype(np.int64)
        if question.together == column.name:
            return column, dense
        if question.together is None and column.name != question.of and alike_within(y, dense) > SHARED:
            found.append((int(dense.max()) + 1, column, dense))
    if not found:
        return None, alone
    _, column, dense = min(found, key=lambda f: f[0])
    return column, dense


STRETCHES = 4
FOLLOWS = 0.5
"""Rows follow each other where a target is correlated so with the one before it in time."""


def _stretches(table: Table, at: Ints, y: Floats, alone: Ints) -> tuple[Column | None, Ints]:
    """Return stretches of time as sets, where rows are steps of a course: what is next to a row tells it."""
    when = time_column(table)
    if when is None or when.missing or table.height > 8 * when.distinct or len(at) < 15 * STRETCHES:
        return None, alone
    moments = table.moments(when.name).values[at]
    # rows of one period, as quarters of a year, follow each other where the table has them in order
    several = 10 * when.distinct < 9 * table.height
    if several and bool((np.diff(moments) < 0).any()):
        return None, alone
    order = np.argsort(moments, kind="stable")
    course = y[order]
    if float(np.ptp(course)) == 0.0 or pearson(course[1:], course[:-1]) < (0.9 if several else FOLLOWS):
        return None, alone
    sets = np.empty(len(at), dtype=np.int64)
    sets[order] = np.arange(len(at)) * STRETCHES // len(at)
    return when, sets
