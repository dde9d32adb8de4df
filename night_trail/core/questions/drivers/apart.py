"""Columns that say the target because they are made of it, or it of them: named and set apart."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from night_trail.core.questions.drivers.question import Drivers
from night_trail.core.table import Column, Floats, Ints, Table

COPIES = 0.98
"""A column that leaves so little of the differences on rows not looked at says the target alone."""
ROWS = 4_000
STRETCHES = 60
EXACT = 0.995
"""Of so many rows a sum of two columns must hold, to be how the target was computed."""
MOST_NUMBERS = 24


@dataclass(frozen=True)
class Apart:
    """A column that was set apart, and why."""

    name: str
    reason: str


def set_apart(
    question: Drivers, able: Sequence[Column], table: Table, at: Ints, y: Floats
) -> tuple[Apart, ...]:
    """Return the columns that say the target alone, or from which it is computed, but those put back.

    ``at`` and ``y`` have shape (rows,): the rows looked at, and the target there, without NaN.
    """
    step = max(1, len(at) // ROWS)
    at, y = at[::step], y[::step]
    if len(y) < 20 or float(np.ptp(y)) == 0.0:
        return ()
    found: dict[str, str] = {}
    for column in able:
        if column.name in question.back:
            continue
        if _foretold(_codes(column, table, at), y) >= COPIES:
            found[column.name] = f"says {question.of} by itself"
        elif column.missing and _only_where(column, table, at, y):
            found[column.name] = f"is there only where {question.of} is so"
    target = table.column(question.of)
    if target.kind.numeric:
        left_out = {*found, *question.back}
        able = [c for c in able if c.kind.numeric and not c.code and c.name not in left_out]
        numbers = able[:MOST_NUMBERS]
        cells = [table.axis(c.name).values[at] for c in numbers]
        for (a, left), (b, right) in itertools.combinations(zip(numbers, cells, strict=True), 2):
            how = _computed(left, right, y)
            if how:
                said = how.format(a=a.name, b=b.name)
                found.setdefault(a.name, f"{question.of} is {said}")
                found.setdefault(b.name, f"{question.of} is {said}")
    return tuple(Apart(name, reason) for name, reason in found.items())


def _codes(column: Column, table: Table, at: Ints) -> Ints:
    """Return stretches of a measured column, or values of another, as codes from 0; missing ones last."""
    if column.kind.measured and not column.code:
        values = table.axis(column.name).values[at]
        has = np.isfinite(values)
        if not has.any():
            return np.zeros(len(at), dtype=np.int64)
        edges = np.unique(np.quantile(values[has], np.linspace(0, 1, STRETCHES + 1)[1:-1]))
        codes = np.searchsorted(edges, values, side="left")
        return np.where(has, codes, len(edges) + 1).astype(np.int64)
    codes = table.coded(column.name).codes[at].astype(np.int64)
    return np.where(codes < 0, codes.max(initial=0) + 1, codes)


def _foretold(codes: Ints, y: Floats) -> float:
    """Return the share of differences that the means of every second row's groups leave out of the others'.

    Both have shape (rows,).
    """
    known, asked = slice(0, None, 2), slice(1, None, 2)
    k = int(codes.max()) + 1
    n = np.bincount(codes[known], minlength=k)
    means = np.bincount(codes[known], weights=y[known], minlength=k) / np.maximum(n, 1)
    guess = np.where(n > 0, means, y[known].mean())[codes[asked]]
    whole = float(((y[asked] - y[known].mean()) ** 2).sum())
    return 1 - float(((y[asked] - guess) ** 2).sum()) / whole if whole > 0 else 0.0


def _only_where(column: Column, table: Table, at: Ints, y: Floats) -> bool:
    """Whether a column has values only where the target is yes, or only where it is no."""
    if not set(np.unique(y)) <= {0.0, 1.0}:
        return False
    there = _codes(column, table, at)
    gone = there == there.max()
    return _foretold(gone.astype(np.int64), y) >= 0.9


def _computed(a: Floats, b: Floats, y: Floats) -> str:
    """Return how a target is computed of two columns, with ``{a}`` and ``{b}``; empty where it is not.

    All have shape (rows,), NaN where missing.
    """
    with np.errstate(invalid="ignore", divide="ignore", over="ignore"):
        made = {
            "{a} + {b}": a + b,
            "{a} − {b}": a - b,
            "{b} − {a}": b - a,
            "{a} × {b}": a * b,
            "{a} ÷ {b}": a / b,
            "{b} ÷ {a}": b / a,
        }
        size = float(np.nanstd(y)) or 1.0
        for words, values in made.items():
            known = np.isfinite(values)
            if known.sum() < 20 or float(np.ptp(values[known])) == 0.0:
                continue
            if float((np.abs(values[known] - y[known]) < 1e-3 * size).mean()) >= EXACT:
                return words
    return ""
