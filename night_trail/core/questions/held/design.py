"""The columns of a model: numbers and their powers, categories as 0 and 1, products of both."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from night_trail.core.table import Column, Floats, Ints, Table

MOST_VALUES, LEAST_ROWS = 24, 8


@dataclass(frozen=True)
class Part:
    """A column as it stands in a model: a number, or values coded from 0, the commonest first.

    ``cells`` has shape (rows,); of values rarer than ``LEAST_ROWS`` the last label has all.
    """

    column: Column
    cells: Floats
    labels: tuple[str, ...] = ()
    gathered: int = 0

    @property
    def is_number(self) -> bool:
        """Whether it stands as a number."""
        return not self.labels


def part_of(column: Column, table: Table, at: Ints) -> Part:
    """Return a column's cells at some rows, NaN where missing."""
    if column.kind.measured and not column.code:
        return Part(column, table.axis(column.name).values[at].astype(np.float64))
    coded = table.coded(column.name)
    codes = coded.codes[at].astype(np.int64)
    counts = np.bincount(codes[codes >= 0], minlength=len(coded.labels))
    order = np.argsort(-counts, kind="stable")
    named = [int(i) for i in order if counts[i] >= LEAST_ROWS][:MOST_VALUES]
    rest = int(np.count_nonzero(counts)) - len(named)
    places = np.full(len(coded.labels) + 1, float(len(named)))
    places[named] = np.arange(len(named))
    places[-1] = np.nan
    labels = [coded.labels[i] for i in named] + ([f"{rest:,} others"] if rest else [])
    return Part(column, places[codes], tuple(labels), rest)


@dataclass(frozen=True)
class Design:
    """How a model's columns are made of its parts; ``names`` says what each of them is.

    ``middles`` are the means that numbers are taken off by, so that their
    powers and products stay apart from the numbers themselves.
    """

    by: Part
    fixed: tuple[Part, ...]
    power: int
    product: Part | None
    names: tuple[str, ...]
    of_by: tuple[bool, ...]
    middles: Mapping[str, float]

    def columns(self, by: Floats | None = None, product: Floats | None = None) -> Floats:
        """Return the design, shape (rows, columns); with other cells of ``by`` or ``product`` where given."""
        shown = self.by.cells if by is None else by
        terms = self._terms(self.by, shown, self.power)
        parts = [np.ones((len(shown), 1)), terms]
        for part in self.fixed:
            own = product if product is not None and part is self.product else part.cells
            parts.append(self._terms(part, own, 1))
        if self.product is not None:
            own = self.product.cells if product is None else product
            others = self._terms(self.product, own, 1)
            parts.append((terms[:, :, None] * others[:, None, :]).reshape(len(shown), -1))
        return np.column_stack(parts)

    def _terms(self, part: Part, cells: Floats, power: int) -> Floats:
        if part.is_number:
            off = cells - self.middles[part.column.name]
            return np.column_stack([off**k for k in range(1, power + 1)])
        return (
            np.column_stack([cells == k for k in range(1, len(part.labels))]).astype(np.float64)
            if len(part.labels) > 1
            else np.empty((len(cells), 0))
        )


_POWERS = ("", "²", "³")


def design_of(by: Part, fixed: tuple[Part, ...], power: int, product: Part | None) -> Design:
    """Return the design of a model; ``product`` is one of ``fixed``."""
    middles = {p.column.name: float(p.cells.mean()) for p in (by, *fixed) if p.is_number}
    own = _names(by, power)
    names = ["constant", *own]
    for part in fixed:
        names += _names(part, 1)
    if product is not None:
        names += [f"{one} × {other}" for one in own for other in _names(product, 1)]
    of_by = tuple(0 < i <= len(own) for i in range(len(names)))
    return Design(by, fixed, power, product, tuple(names), of_by, middles)


def _names(part: Part, power: int) -> list[str]:
    if part.is_number:
        return [f"{part.column.name}{_POWERS[k]}" for k in range(power)]
    return [f"{part.column.name} {label}" for label in part.labels[1:]]
