"""One search over the values of all columns: what was typed becomes conditions."""

from __future__ import annotations

import contextlib
from dataclasses import dataclass

import numpy as np

from night_trail.core.conditions import Between, Condition, Contains, OneOf, mask
from night_trail.core.errors import BadQuestion
from night_trail.core.language.conditions import from_words, in_words
from night_trail.core.rows import Rows
from night_trail.core.table import Column
from night_trail.core.words_in.readings import rows_meant

MOST_A_COLUMN = 6
MOST_LOOKED_AT = 30
MOST_LABELS = 200_000
"""A column with more different values is not searched: it takes longer than a keystroke."""


@dataclass(frozen=True)
class Found:
    """A condition that what was typed may mean, in words, and how many kept rows meet it."""

    condition: Condition
    words: str
    rows: int


def search(text: str, rows: Rows) -> list[Found]:
    """Return conditions on the values that contain a text, whole values first, then the most frequent.

    A number is looked up in the numeric columns, and a condition in words is
    taken as it is. At most 6 values of each column.
    """
    wanted = text.strip()
    if not wanted:
        return []
    found: list[tuple[tuple[int, int], Condition]] = []
    with contextlib.suppress(BadQuestion):
        found.append(((0, 0), from_words(wanted, rows.table)))
    for column in rows.table.columns:
        if column.kind.numeric:
            found += _numbers(wanted, column, rows)
        elif not column.kind.temporal and column.distinct <= MOST_LABELS:
            found += _labels(wanted.lower(), column, rows)
    if not found:
        # weekends, more than 5 min late: rows that are named by no value
        with contextlib.suppress(BadQuestion):
            found.append(((0, 0), rows_meant(wanted, rows.table)))
    found.sort(key=lambda f: f[0])
    made = [(rank[0], c, _count(c, rows)) for rank, c in found[:MOST_LOOKED_AT]]
    # what the filter leaves nothing of is not worth a line, unless it was meant exactly
    kept = [(whole, c, n) for whole, c, n in made if n or not whole]
    kept.sort(key=lambda f: (f[0], -f[2]))
    return [Found(c, in_words(c, rows.table), n) for _, c, n in kept]


def _count(condition: Condition, rows: Rows) -> int:
    met = mask(condition, rows.table)
    return int(np.count_nonzero(met if rows.kept is None else met & rows.kept))


def _numbers(wanted: str, column: Column, rows: Rows) -> list[tuple[tuple[int, int], Condition]]:
    try:
        at = float(wanted.replace("−", "-").replace(",", ""))
    except ValueError:
        return []
    if not np.isfinite(at):
        return []
    values = rows.table.series(column.name).cast(float)
    n = int((values == at).sum())
    return [((1, -n), Between(column.name, at, at, high_closed=True))] if n else []


def _labels(wanted: str, column: Column, rows: Rows) -> list[tuple[tuple[int, int], Condition]]:
    coded = rows.table.coded(column.name)
    hits = [i for i, label in enumerate(coded.labels) if wanted in label.lower()]
    if not hits:
        return []
    counts = np.bincount(coded.codes[coded.codes >= 0], minlength=len(coded.labels))
    found: list[tuple[tuple[int, int], Condition]] = [
        (
            (0 if coded.labels[i].lower() == wanted else 1, -int(counts[i])),
            OneOf(column.name, (coded.labels[i],)),
        )
        for i in hits
    ]
    found.sort(key=lambda f: f[0])
    if len(hits) > MOST_A_COLUMN:
        everything = ((1, -int(counts[hits].sum())), Contains(column.name, wanted))
        return [*found[: MOST_A_COLUMN - 1], everything]
    return found
