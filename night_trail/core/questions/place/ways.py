"""Spots that are ways: from the place each row begins at to the one it goes on to."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from night_trail.core.conditions import AllOf, Condition, Hexagon, between
from night_trail.core.language.conditions import place_words
from night_trail.core.places.flat import hexagons, middle_of, parallel_for
from night_trail.core.questions.place.coordinates import called, hexagon_width, own_places, place_digits
from night_trail.core.questions.place.lying import (
    EASTMOST,
    NORTHMOST,
    Left,
    Lying,
    Spots,
    Window,
    around,
    inside,
    is_cut,
    lying_by,
    one_a_row,
)
from night_trail.core.questions.place.question import Place
from night_trail.core.rows import Rows
from night_trail.core.table import Floats, Ints

MOST_WAYS = 3_000
"""So many different ways are told apart; with more, their ends are gathered in wider hexagons."""

ENDS_ACROSS = (26, 14, 8, 5)


def ways(question: Place, rows: Rows) -> Spots:
    """Return a spot for each way that rows go: it has a place it begins at and one it leads to."""
    onward = question.onward or question.at
    at, begins, ends, left = _both(question.at, onward, rows)
    if question.window is not None:
        seen = inside(*begins, question.window) | inside(*ends, question.window)
        left = replace(left, outside=int((~seen).sum()))
        at = np.flatnonzero(seen) if at is None else at[seen]
        begins, ends = (begins[0][seen], begins[1][seen]), (ends[0][seen], ends[1][seen])
    x, y = np.concatenate([begins[0], ends[0]]), np.concatenate([begins[1], ends[1]])
    window = question.window or around(x, y)
    parallel = parallel_for(window[2], window[3])
    own = own_places(x, y)
    if own is not None:
        first, codes = own
        made = _ways(codes, len(first))
        if len(made[0]) <= MOST_WAYS:
            return _by_places(question, rows, at, (x[first], y[first]), codes, made, window, left)
    for across in ENDS_ACROSS:
        wide = hexagon_width(window, parallel, across)
        cells, codes = _hexagons(x, y, parallel, wide)
        made = _ways(codes, len(cells))
        if len(made[0]) <= MOST_WAYS:
            break
    return _by_hexagons(question, rows, at, (x, y), cells, codes, made, window, parallel, wide, left)


Places = tuple[Floats, Floats]
Ways = tuple[Ints, Ints, Ints, int]
"""Where each way begins and where it ends, which way each row goes (−1 for none), and the rows that stay."""


def _both(
    start: tuple[str, ...], end: tuple[str, ...], rows: Rows
) -> tuple[Ints | None, Places, Places, Left]:
    """Return the rows that lie somewhere at both ends, and where."""
    one, other = lying_by(start, rows), lying_by(end, rows)
    if one.at is None and other.at is None:
        return None, (one.x, one.y), (other.x, other.y), Left()
    first, second = (_positions(lying) for lying in (one, other))
    at, here, there = np.intersect1d(first, second, assume_unique=True, return_indices=True)
    left = _left((*start, *end), rows, at)
    return at, (one.x[here], one.y[here]), (other.x[there], other.y[there]), left


def _left(names: tuple[str, ...], rows: Rows, at: Ints) -> Left:
    """Return why rows lie on no way, each of them for one reason; ``at`` are those that do."""
    out = rows.keeps.copy()
    out[at] = False
    places = [rows.table.axis(name).values[out] for name in names]
    missing = np.logical_or.reduce([np.isnan(part) for part in places])
    far = [np.abs(part) > (NORTHMOST if i % 2 else EASTMOST) for i, part in enumerate(places)]
    beyond = ~missing & np.logical_or.reduce(far)
    return Left(missing=int(missing.sum()), beyond=int(beyond.sum()), zero=int((~missing & ~beyond).sum()))


def _positions(lying: Lying) -> Ints:
    return np.arange(len(lying.x)) if lying.at is None else lying.at


def _ways(codes: Ints, k: int) -> Ways:
    """Return the ways between ``k`` places; ``codes`` has the beginnings of all rows, then their ends."""
    n = len(codes) // 2
    begin, end = codes[:n].astype(np.int64), codes[n:].astype(np.int64)
    goes = begin != end
    pairs, found = np.unique((begin * k + end)[goes], return_inverse=True)
    way = np.full(n, -1, dtype=np.int64)
    way[goes] = found
    return pairs // max(k, 1), pairs % max(k, 1), way, int(n - goes.sum())


def _by_places(
    question: Place, rows: Rows, at: Ints | None, places: Places, codes: Ints, made: Ways,
    window: Window, left: Left,
) -> Spots:  # fmt: skip
    begin, end, way, still = made
    x, y = places
    words = [place_words(a, b) for a, b in zip(x.tolist(), y.tolist(), strict=True)]
    n = len(way)
    begun = _names(rows, at, codes[:n], words)
    # a place is called alike where rows begin and where they end
    names = [begun, _names(rows, at, codes[n:], begun)]
    conditions = [
        [_at(rows, columns, float(a), float(b)) for a, b in zip(x, y, strict=True)]
        for columns in (question.at, question.onward or question.at)
    ]
    return Spots(
        codes=one_a_row(rows, at, way),
        longitudes=x[begin],
        latitudes=y[begin],
        labels=tuple(f"{names[0][a]} to {names[1][b]}" for a, b in zip(begin, end, strict=True)),
        keys=tuple(f"{words[a]}\x1f{words[b]}" for a, b in zip(begin, end, strict=True)),
        conditions=tuple(
            AllOf((conditions[0][a], conditions[1][b])) for a, b in zip(begin, end, strict=True)
        ),
        window=window,
        parallel=parallel_for(window[2], window[3]),
        left=replace(left, still=still),
        cut=is_cut(x, window),
        onward=(x[end], y[end]),
    )


def _at(rows: Rows, columns: tuple[str, ...], east: float, north: float) -> Condition:
    x, y = (rows.table.column(name) for name in columns)
    return AllOf((between(x, east, east, True), between(y, north, north, True)))


def _names(rows: Rows, at: Ints | None, codes: Ints, words: list[str]) -> list[str]:
    """Return what the places at one end are called by a column that names them, else their ``words``."""
    present, again = np.unique(codes, return_inverse=True)
    found = called(rows, at, again, len(present))
    names = list(words)
    if found is not None:
        for place, name in zip(present.tolist(), found[1], strict=True):
            names[place] = name
    return names


def _hexagons(x: Floats, y: Floats, parallel: float, wide: float) -> tuple[list[tuple[int, int]], Ints]:
    column, line = (part.astype(np.int64) for part in hexagons(x, y, parallel, wide))
    if not len(column):
        return [], np.empty(0, dtype=np.int64)
    lines = int(np.ptp(line)) + 1
    number = (column - column.min()) * lines + line - line.min()
    present, codes = np.unique(number, return_inverse=True)
    start, first = int(column.min()), int(line.min())
    return [(int(i) // lines + start, int(i) % lines + first) for i in present], codes


def _by_hexagons(
    question: Place, rows: Rows, at: Ints | None, places: Places, cells: list[tuple[int, int]], codes: Ints,
    made: Ways, window: Window, parallel: float, wide: float, left: Left,
) -> Spots:  # fmt: skip
    begin, end, way, still = made
    n = np.maximum(np.bincount(codes, minlength=len(cells)), 1)
    east, north = (np.bincount(codes, weights=part, minlength=len(cells)) / n for part in places)
    digits = place_digits(wide)
    words = [place_words(*middle_of(*cell, parallel, wide), digits) for cell in cells]
    ends = [
        [Hexagon(columns[0], columns[1], parallel, wide, cell) for cell in cells]
        for columns in (question.at, question.onward or question.at)
    ]
    pairs = list(zip(begin.tolist(), end.tolist(), strict=True))
    return Spots(
        codes=one_a_row(rows, at, way),
        longitudes=east[begin],
        latitudes=north[begin],
        labels=tuple(f"around {words[a]} to around {words[b]}" for a, b in pairs),
        keys=tuple(f"{parallel}\x1f{wide:.9g}\x1f{cells[a]}\x1f{cells[b]}" for a, b in pairs),
        conditions=tuple(AllOf((ends[0][a], ends[1][b])) for a, b in pairs),
        window=window,
        parallel=parallel,
        left=replace(left, still=still),
        cells=tuple(cells),
        wide=wide,
        cut=is_cut(east, window),
        onward=(east[end], north[end]),
    )
