"""Rows that stand in a table again, and values that hardly anything else has."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import pairwise

import numpy as np
import polars as pl

from night_trail.core.conditions import Again, OneOf, mask
from night_trail.core.language.numbers import counted, listed
from night_trail.core.questions.shared.largest import largest
from night_trail.core.questions.stands.found import LEVEL, Context, Finding, Looked
from night_trail.core.recipe.clusters import clusters
from night_trail.core.table import Bools, Column, Ints, Kind

LEAST_BLOCK = 5
FIRST_LOOKED = 8
"""Where rows differ in so many columns already, the others are not gone through."""

LEAST_ALIKE = 20
"""A column of fewer values than this repeats itself without being copied."""

RARE, AS_RARE, COMMONER = 3, 0.001, 20.0
"""Values of so few rows, so small a part of all, where the next commoner one has so many times as many."""


def find(look: Looked) -> Iterator[Finding]:
    """Yield rows that repeat others, blocks of them, and rare values of categories."""
    if look.of is None:
        again, block = _again(look), _block(look)
        if block is not None:
            yield block
        if again is not None and (block is None or again.n > 1.5 * block.n):
            yield again
    for column in look.columns:
        finding = _rare(look, column) if look.asked(column) else None
        if finding is not None:
            yield finding


def _again(look: Looked) -> Finding | None:
    """Return the rows that repeat an earlier one in every column, where chance does not make as many."""
    condition = Again()
    if len(look.columns) < 2 or not look.alike:
        return None
    n = look.count(condition)
    if not n:
        return None
    expected = _pairs_alike(look)
    if n <= max(3 * expected, 0.0) or expected > 0.05:
        return None
    return Finding(
        "again",
        (),
        condition,
        n,
        f"{look.table.rows_in_words(n)} with every cell as in an earlier row",
        "columns that had nothing to do with each other would give hardly any",
        min(expected, 1.0),
        _along(look, condition),
    )


def _pairs_alike(look: Looked) -> float:
    """Return how many pairs of rows would be alike in every column, were columns independent."""
    alike = look.n * (look.n - 1) / 2
    some = look.some
    for column in look.table.columns:
        cells = look.table.series(column.name).gather(pl.Series(some))
        counts = cells.value_counts()["count"].to_numpy().astype(np.float64)
        n = counts.sum()
        alike *= float((counts * (counts - 1)).sum() / (n * (n - 1))) if n > 1 else 1.0
    return alike


def _block(look: Looked) -> Finding | None:
    """Return rows that stand again in the same order, as where a part was pasted twice."""
    able = [c for c in look.measured if not c.kind.temporal and c.distinct >= LEAST_ALIKE]
    if len(able) < 2 or look.n < 4 * LEAST_BLOCK or look.rows.kept is not None:
        return None
    able = sorted(able, key=lambda c: -c.distinct)
    for looked in [able[:FIRST_LOOKED], able] if len(able) > FIRST_LOOKED else [able]:
        cells = pl.DataFrame([look.table.series(c.name).alias(str(i)) for i, c in enumerate(looked)])
        hashes = cells.hash_rows(seed=0)
        if hashes.n_unique() > look.table.height - LEAST_BLOCK:
            return None
    frame = pl.DataFrame({"hash": hashes, "at": pl.int_range(len(hashes), eager=True)})
    before = frame.select(pl.col("at").shift(1).over("hash"))["at"].to_numpy()
    back = np.where(
        np.isnan(before.astype(np.float64)), 0, np.arange(len(before)) - before.astype(np.float64)
    )
    if float((back > 0).mean()) > 0.2:
        return None  # what repeats all the way was not pasted
    start, end = _longest(back)
    if end - start < LEAST_BLOCK:
        return None
    first = int(start - back[start])
    names = tuple(c.name for c in able)
    condition = Again(names)
    blocks = [(s, e) for s, e in _runs(back) if e - s >= LEAST_BLOCK]
    there = sum(e - s for s, e in blocks)
    many = "" if len(blocks) == 1 else f", and {counted(len(blocks) - 1, 'more block')}"
    return Finding(
        "block",
        names,
        condition,
        look.count(condition),
        f"rows {start + 1:,} to {end:,} are rows {first + 1:,} to {first + end - start:,} again{many}",
        f"the same {listed(names[:3])} one after another in {look.table.rows_in_words(there)}",
        0.0,
        _along(look, condition),
    )


def _runs(back: np.ndarray) -> Iterator[tuple[int, int]]:
    """Yield runs of rows that each repeat a row equally far back, as first and end."""
    edges = np.flatnonzero(np.diff(back)) + 1
    for start, end in zip([0, *edges], [*edges, len(back)], strict=True):
        # nearer than its own length a run of one value repeats itself
        if back[start] >= end - start and back[start] > 0:
            yield int(start), int(end)


def _longest(back: np.ndarray) -> tuple[int, int]:
    return max(_runs(back), key=lambda run: run[1] - run[0], default=(0, 0))


def _along(look: Looked, condition: Again) -> Context:
    """Return where in the table, from its first row to its last, rows repeat others."""
    rows: Bools = mask(condition, look.table)
    edges = np.linspace(0, look.table.height, 37).astype(np.int64)
    kept: Ints = np.array([look.kept[a:b].sum() for a, b in pairwise(edges)])
    odd = [float((rows & look.kept)[a:b].sum()) for a, b in pairwise(edges)]
    return Context(tuple(map(float, kept)), tuple(odd), "first row", "last row")


def _rare(look: Looked, column: Column) -> Finding | None:
    """Return values of a category that hardly any row has, where all others have many."""
    if not column.kind.grouping or column.kind == Kind.YES_NO or not 3 <= column.distinct <= 400:
        return None
    coded = look.table.coded(column.name)
    codes = look.codes(column)
    counts = np.bincount(codes[codes >= 0], minlength=len(coded.labels))
    used = np.flatnonzero(counts)
    order = used[np.argsort(counts[used], kind="stable")]
    n = int(counts.sum())
    rare = [int(i) for i in order if counts[i] <= RARE and counts[i] <= max(AS_RARE * n, 1)]
    rest = order[len(rare) :]
    if not rare or len(rest) < 2 or len(rare) > len(rest) or n < 200:
        return None
    if counts[rest[0]] < COMMONER * counts[rare[-1]]:
        return None
    labels = tuple(coded.labels[i] for i in rare)
    condition = OneOf(column.name, labels)
    spelt = [
        c for c in clusters({coded.labels[int(i)]: int(counts[i]) for i in used}) if c.kept not in labels
    ]
    alike = {text: c.kept for c in spelt for text in c.mapping() if text in labels}
    shown = [*labels[:3], *([f"{len(labels) - 3} more"] if len(labels) > 3 else [])]
    like = "".join(f", spelt like {kept}" for _, kept in list(alike.items())[:1])
    drawn = [*rest[::-1][:30], *rare[::-1]]
    return Finding(
        "rare",
        (column.name,),
        condition,
        look.count(condition),
        f"{listed(shown)}: {look.table.rows_in_words(int(counts[rare].sum()))}{like}",
        f"every other {column.name} has at least {look.table.rows_in_words(int(counts[rest[0]]))}",
        LEVEL,
        Context(
            tuple(float(counts[i]) for i in drawn),
            tuple(float(counts[i]) if i in set(rare) else 0.0 for i in drawn),
            largest(look.table, column.name)[0],
            labels[-1],
        ),
    )
