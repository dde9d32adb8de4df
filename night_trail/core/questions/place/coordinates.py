"""Spots from coordinates: each its own place, or near ones gathered in hexagons."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np

from night_trail.core.conditions import AllOf, Hexagon, between
from night_trail.core.language.conditions import place_words
from night_trail.core.places.flat import KM, hexagons, middle_of, parallel_for, sideways, upright
from night_trail.core.questions.place.lying import (
    SAMPLE,
    Left,
    Spots,
    around,
    inside,
    is_cut,
    lying_by,
    one_a_row,
)
from night_trail.core.questions.place.question import Place
from night_trail.core.rows import Rows
from night_trail.core.table import Floats, Ints, Kind

MOST_SPOTS = 700
"""So many spots are drawn each by itself; beyond that near ones are gathered in hexagons."""

ACROSS = {"dots": 26, "hexagons": 40}
"""So many hexagons lie side by side at most."""

STEPS = (1.0, 1.5, 2.0, 3.0, 5.0, 7.0)
NAMES_TRIED = 4


def by_coordinates(question: Place, rows: Rows) -> Spots:
    """Return a spot for each place, or for each hexagon that places lie in."""
    lying = lying_by(question.at, rows)
    at, x, y, left = lying.at, lying.x, lying.y, lying.left
    if question.window is not None:
        seen = inside(x, y, question.window)
        left = replace(left, outside=int(len(x) - seen.sum()))
        at = np.flatnonzero(seen) if at is None else at[seen]
        x, y = x[seen], y[seen]
    window = question.window or around(x, y)
    parallel = parallel_for(window[2], window[3])
    if question.shape == "dots" and (own := own_places(x, y)) is not None:
        made = _each(question, rows, at, x, y, own, window, parallel, left)
    else:
        made = _in_hexagons(question, rows, at, x, y, window, parallel, left)
    return replace(made, cut=is_cut(x, window))


def own_places(x: Floats, y: Floats) -> tuple[Ints, Ints] | None:
    """Return the first row of each different place and each row's place; None where they are too many.

    Shape (n,), degrees.
    """
    step = max(1, len(x) // SAMPLE)
    if len(np.unique(x[::step] + 1j * y[::step])) > MOST_SPOTS:
        return None
    _, first, codes = np.unique(x + 1j * y, return_index=True, return_inverse=True)
    return None if len(first) > MOST_SPOTS else (first, codes)


def _each(
    question: Place, rows: Rows, at: Ints | None, x: Floats, y: Floats, own: tuple[Ints, Ints],
    window: tuple[float, float, float, float], parallel: float, left: Left,
) -> Spots:  # fmt: skip
    """Return a spot for each different place."""
    first, found = own
    codes = one_a_row(rows, at, found)
    columns = [rows.table.column(name) for name in question.at]
    east, north = x[first], y[first]
    words = [place_words(a, b) for a, b in zip(east.tolist(), north.tolist(), strict=True)]
    named, labels = called(rows, at, found, len(first)) or ("", words)
    n = np.bincount(found, minlength=len(first))
    crowded = None
    if len(first) >= 100 and len(n) and n.max() > 0.1 * len(x):
        crowded = (labels[int(n.argmax())], int(n.max()))
    return Spots(
        codes=codes,
        longitudes=east,
        latitudes=north,
        labels=tuple(labels),
        keys=tuple(words),
        conditions=tuple(
            AllOf((between(columns[0], a, a, True), between(columns[1], b, b, True)))
            for a, b in zip(east.tolist(), north.tolist(), strict=True)
        ),
        window=window,
        parallel=parallel,
        left=left,
        named=named,
        crowded=crowded,
    )


def called(rows: Rows, at: Ints | None, codes: Ints, k: int) -> tuple[str, list[str]] | None:
    """Return a column that gives each spot one name of its own, and the names; None where none does.

    Shape (n,) for ``codes`` as for ``at``; what has no name is none.
    """
    if k < 2:
        return None
    kinds = (Kind.PLACE, Kind.IDENTIFIER, Kind.CATEGORY, Kind.TEXT)
    able = [c for c in rows.table.columns if c.kind in kinds and k <= c.distinct <= 4 * k]
    able.sort(key=lambda c: c.distinct)
    for column in able[:NAMES_TRIED]:
        coded = rows.table.coded(column.name)
        own = coded.codes if at is None else coded.codes[at]
        pairs = np.unique(codes * (len(coded.labels) + 1) + own + 1)
        names = pairs % (len(coded.labels) + 1) - 1
        if len(pairs) == k and bool((names >= 0).all()) and len(np.unique(names)) == k:
            return column.name, [coded.labels[i] for i in names.tolist()]
    return None


def _in_hexagons(
    question: Place, rows: Rows, at: Ints | None, x: Floats, y: Floats,
    window: tuple[float, float, float, float], parallel: float, left: Left,
) -> Spots:  # fmt: skip
    """Return a spot for each hexagon that rows lie in: in its middle, dots where its rows lie on average."""
    wide = hexagon_width(window, parallel, ACROSS[question.shape])
    column, line = hexagons(x, y, parallel, wide)
    if not len(x):
        codes = np.full(rows.table.height, -1, dtype=np.int32)
        none = np.empty(0)
        return Spots(codes, none, none, (), (), (), window, parallel, left, wide=wide)
    first, lines = int(line.min()), int(line.max() - line.min()) + 1
    start = int(column.min())
    number = (column - start) * lines + (line - first)
    counts = np.bincount(number)
    filled = np.flatnonzero(counts)
    code_of = np.full(len(counts), -1, dtype=np.int32)
    code_of[filled] = np.arange(len(filled), dtype=np.int32)
    found = code_of[number]
    codes = one_a_row(rows, at, found)
    n = counts[filled]
    cells = [(int(i) // lines + start, int(i) % lines + first) for i in filled]
    middles = [middle_of(*cell, parallel, wide) for cell in cells]
    if question.shape == "dots":
        east, north = (np.bincount(found, weights=v, minlength=len(n)) / n for v in (x, y))
    else:
        east, north = np.array([m[0] for m in middles]), np.array([m[1] for m in middles])
    digits = place_digits(wide)
    labels = tuple(place_words(*middle, digits) for middle in middles)
    return Spots(
        codes=codes,
        longitudes=east,
        latitudes=north,
        labels=labels,
        keys=tuple(f"{parallel}\x1f{wide:.9g}\x1f{a}\x1f{b}" for a, b in cells),
        conditions=tuple(Hexagon(question.at[0], question.at[1], parallel, wide, cell) for cell in cells),
        window=window,
        parallel=parallel,
        left=left,
        cells=tuple(cells),
        wide=wide,
    )


def place_digits(wide: float) -> int:
    """Return how many digits of degrees tell hexagons of this width apart."""
    return max(0, min(4, 1 - math.floor(math.log10(wide))))


def hexagon_width(window: tuple[float, float, float, float], parallel: float, across: int) -> float:
    """Return how wide hexagons are, in degrees on the parallel: a round number of kilometres."""
    west, east, south, north = window
    flat = sideways(np.array([west, east]), parallel), upright(np.array([south, north]), parallel)
    span: float = max(float(flat[0][1] - flat[0][0]), 1.6 * float(flat[1][1] - flat[1][0])) * KM
    return round_up(max(span / across, 1e-4)) / KM


def round_up(at_least: float) -> float:
    """Return the next round number.

    >>> round_up(1.2), round_up(4.0), round_up(80.0)
    (1.5, 5.0, 100.0)
    """
    ten = 10.0 ** math.floor(math.log10(at_least))
    return next((step * ten for step in STEPS if step * ten >= at_least), 10 * ten)
