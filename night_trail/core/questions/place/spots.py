"""Which spot each row lies on: its own place, a hexagon, or the area or town its name means."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from night_trail.core.conditions import AllOf, Condition, Hexagon, InArea, OneOf, between
from night_trail.core.language.conditions import place_words
from night_trail.core.places.flat import KM, hexagons, middle_of, parallel_for, sideways, upright
from night_trail.core.places.gazetteer import Level, Town, located
from night_trail.core.places.names import folded
from night_trail.core.places.outlines import Area
from night_trail.core.places.own import OwnAreas
from night_trail.core.questions.place.question import Place
from night_trail.core.rows import Codes, Rows
from night_trail.core.table import Bools, Floats, Ints, Kind

MOST_SPOTS = 700
"""So many spots are drawn each by itself; beyond that near ones are gathered in hexagons."""

ACROSS = {"dots": 26, "hexagons": 40}
"""So many hexagons lie side by side at most."""

STEPS = (1.0, 1.5, 2.0, 3.0, 5.0, 7.0)
SAMPLE = 4_000
NAMES_TRIED = 4
NORTHMOST = 90.0
EASTMOST = 360.0
HALF_AND_MORE, THIRD = 240.0, 120.0


@dataclass(frozen=True)
class Left:
    """Rows that lie nowhere: how many lack a place, are beyond the Earth, at 0° / 0°, or outside the window.

    ``turned`` of those beyond would lie on Earth with their columns the other way round;
    ``unknown`` are names that mean no place, with their rows.
    """

    missing: int = 0
    beyond: int = 0
    turned: int = 0
    zero: int = 0
    outside: int = 0
    unknown: tuple[tuple[str, int], ...] = ()


@dataclass(frozen=True)
class Spots:
    """Where rows lie; ``codes`` has one a row of the table, −1 for those that lie on no spot.

    Shape (spots,) for ``longitudes`` and ``latitudes``. ``wide`` is the width of hexagons in
    degrees on the ``parallel``, 0 where there are none; ``window`` is west, east, south, north. Places
    that lie on both sides of the date line, and far from it on none, are ``cut`` by it.
    """

    codes: Codes
    longitudes: Floats
    latitudes: Floats
    labels: tuple[str, ...]
    keys: tuple[str, ...]
    conditions: tuple[Condition, ...]
    window: tuple[float, float, float, float]
    parallel: float
    left: Left
    cells: tuple[tuple[int, int], ...] = ()
    wide: float = 0.0
    areas: tuple[Area | None, ...] = ()
    level: Level | Literal["areas"] | None = None
    several: tuple[str, ...] = ()
    named: str = ""
    crowded: tuple[str, int] | None = None
    cut: bool = False

    @property
    def at(self) -> str:
        """The word before what a spot is called: in a country, at a stop, around the middle of a hexagon."""
        return "around" if self.wide else "in" if self.level is not None else "at"

    @property
    def km(self) -> float:
        """How wide a hexagon is, in kilometres on the parallel."""
        return self.wide * KM

    @property
    def nbytes(self) -> int:
        """Bytes it holds, roughly."""
        return self.codes.nbytes + 24 * len(self.longitudes)


def spots_of(question: Place, rows: Rows) -> Spots:
    """Return where the kept rows lie, whatever is measured of them."""
    key = ("spots", question.at, question.country, question.shape, question.window, question.areas)
    if question.areas is not None:
        return rows.remember(key, lambda: _in_own_areas(question, rows))
    return rows.remember(
        key, lambda: _by_coordinates(question, rows) if len(question.at) == 2 else _by_names(question, rows)
    )


# ---- from coordinates ----


@dataclass(frozen=True)
class _Lying:
    """The kept rows that lie somewhere: their positions, None for all, and where; shape (rows,)."""

    at: Ints | None
    x: Floats
    y: Floats
    left: Left

    @property
    def nbytes(self) -> int:
        return 64 if self.at is None else self.at.nbytes + self.x.nbytes + self.y.nbytes


def _lying(question: Place, rows: Rows) -> _Lying:
    x, y = (rows.table.axis(name).values for name in question.at)
    # NaN is within nothing
    lies = (np.abs(y) <= NORTHMOST) & (np.abs(x) <= EASTMOST)
    if rows.kept is not None:
        lies &= rows.kept
    # most have a longitude: only at 0 the latitude is looked at too
    zero = np.flatnonzero(x == 0)
    zero = zero[(y[zero] == 0) & lies[zero]]
    n = int(np.count_nonzero(lies))
    if len(zero) < n:
        lies[zero] = False
    else:
        zero = zero[:0]
    left = Left(zero=len(zero))
    if n < rows.n:
        out = np.flatnonzero(~lies if rows.kept is None else rows.kept & ~lies)
        missing = np.isnan(x[out]) | np.isnan(y[out])
        beyond = ~missing & ((np.abs(y[out]) > NORTHMOST) | (np.abs(x[out]) > EASTMOST))
        turned = beyond & (np.abs(x[out]) <= NORTHMOST) & (np.abs(y[out]) <= EASTMOST)
        left = Left(int(missing.sum()), int(beyond.sum()), int(turned.sum()), len(zero))
    if n - len(zero) == rows.table.height:
        return _Lying(None, x, y, left)
    at = np.flatnonzero(lies)
    return _Lying(at, x[at], y[at], left)


def _by_coordinates(question: Place, rows: Rows) -> Spots:
    lying = rows.remember(("lying", question.at), lambda: _lying(question, rows))
    at, x, y, left = lying.at, lying.x, lying.y, lying.left
    if question.window is not None:
        west, east, south, north = question.window
        inside = (x >= west) & (x <= east) & (y >= south) & (y <= north)
        left = replace(left, outside=int(len(x) - inside.sum()))
        at = np.flatnonzero(inside) if at is None else at[inside]
        x, y = x[inside], y[inside]
    window = question.window or _window(x, y)
    parallel = parallel_for(window[2], window[3])
    if question.shape == "dots" and (own := _own_places(x, y)) is not None:
        made = _each(question, rows, at, x, y, own, window, parallel, left)
    else:
        made = _in_hexagons(question, rows, at, x, y, window, parallel, left)
    return replace(made, cut=_is_cut(x, window))


def _is_cut(x: Floats, window: tuple[float, float, float, float]) -> bool:
    """Whether places lie near both sides of the date line, with nothing for a third of the Earth between."""
    if window[1] - window[0] < HALF_AND_MORE or len(x) < 2:
        return False
    step = max(1, len(x) // SAMPLE)
    return bool(np.diff(np.sort(x[::step])).max() > THIRD)


def _window(x: Floats, y: Floats) -> tuple[float, float, float, float]:
    """Return the ends of all places, with a little room around them."""
    if not len(x):
        return -180.0, 180.0, -58.0, 84.0
    west, east, south, north = float(x.min()), float(x.max()), float(y.min()), float(y.max())
    room = max(0.04 * max(east - west, north - south), 0.002)
    return west - room, east + room, max(south - room, -NORTHMOST), min(north + room, NORTHMOST)


def _own_places(x: Floats, y: Floats) -> tuple[Ints, Ints] | None:
    """Return the first row of each different place and each row's place; None where they are too many."""
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
    codes = _one_a_row(rows, at, found)
    columns = [rows.table.column(name) for name in question.at]
    east, north = x[first], y[first]
    words = [place_words(a, b) for a, b in zip(east.tolist(), north.tolist(), strict=True)]
    named, labels = _called(rows, at, found, len(first)) or ("", words)
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


def _one_a_row(rows: Rows, at: Ints | None, found: Codes | Ints) -> Codes:
    """Return a code for each row of the table, −1 for those that are not among ``at``; shape (rows,)."""
    if at is None:
        return found.astype(np.int32, copy=False)
    codes = np.full(rows.table.height, -1, dtype=np.int32)
    codes[at] = found
    return codes


def _called(rows: Rows, at: Ints | None, codes: Ints, k: int) -> tuple[str, list[str]] | None:
    """Return a column that gives each spot one name of its own, and the names; None where none does."""
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
    codes = _one_a_row(rows, at, found)
    n = counts[filled]
    cells = [(int(i) // lines + start, int(i) % lines + first) for i in filled]
    middles = [middle_of(*cell, parallel, wide) for cell in cells]
    if question.shape == "dots":
        east, north = (np.bincount(found, weights=v, minlength=len(n)) / n for v in (x, y))
    else:
        east, north = np.array([m[0] for m in middles]), np.array([m[1] for m in middles])
    digits = max(0, min(4, 1 - math.floor(math.log10(wide))))
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


def hexagon_width(window: tuple[float, float, float, float], parallel: float, across: int) -> float:
    """Return how wide hexagons are, in degrees on the parallel: a round number of kilometres."""
    west, east, south, north = window
    flat = sideways(np.array([west, east]), parallel), upright(np.array([south, north]), parallel)
    span: float = max(float(flat[0][1] - flat[0][0]), 1.6 * float(flat[1][1] - flat[1][0])) * KM
    least = max(span / across, 1e-4)
    ten = 10.0 ** math.floor(math.log10(least))
    km: float = next((step * ten for step in STEPS if step * ten >= least), 10 * ten)
    return km / KM


# ---- from names ----


def _by_names(question: Place, rows: Rows) -> Spots:
    name = question.at[0]
    coded = rows.table.coded(name)
    pairs, labels, countries = coded.codes.astype(np.int64), coded.labels, None
    width = 1
    if question.country is not None:
        outer = rows.table.coded(question.country)
        width = len(outer.labels) + 1
        pairs = np.where(pairs < 0, -1, pairs * width + outer.codes + 1)
    kept = pairs if rows.kept is None else np.where(rows.kept, pairs, -1)
    present, numbers = np.unique(kept, return_inverse=True)
    has = np.flatnonzero(present >= 0)
    own = [labels[int(present[i]) // width] for i in has]
    if question.country is not None:
        countries = [outer.labels[int(present[i]) % width - 1] if present[i] % width else "" for i in has]
    found = located(own, countries)
    counts = np.bincount(numbers, minlength=len(present))[has]
    spots = _meant(question, own, countries, found.found)
    code_of = np.full(len(present), -1, dtype=np.int64)
    for code, (_, members, _) in enumerate(spots):
        code_of[has[members]] = code
    unknown = [(own[i], int(counts[i])) for i, one in enumerate(found.found) if one is None]
    unknown.sort(key=lambda one: -one[1])
    codes = code_of[numbers]
    east = np.array([one.longitude if isinstance(one, Town) else one.middle[0] for one, _, _ in spots])
    north = np.array([one.latitude if isinstance(one, Town) else one.middle[1] for one, _, _ in spots])
    left = Left(missing=int((kept < 0).sum()) - (rows.table.height - rows.n), unknown=tuple(unknown))
    window = question.window or _around([one for one, _, _ in spots])
    chosen: Bools = (
        (east >= window[0]) & (east <= window[1]) & (north >= window[2]) & (north <= window[3])
        if question.window is not None
        else np.ones(len(spots), dtype=np.bool_)
    )
    if not chosen.all():
        again = np.full(len(spots) + 1, -1, dtype=np.int64)
        again[np.flatnonzero(chosen)] = np.arange(int(chosen.sum()))
        before = int((codes >= 0).sum())
        codes = np.where(codes < 0, -1, again[codes])
        left = Left(missing=left.missing, unknown=left.unknown, outside=before - int((codes >= 0).sum()))
        spots = [one for one, keep in zip(spots, chosen, strict=True) if keep]
        east, north = east[chosen], north[chosen]
    return Spots(
        codes=codes.astype(np.int32),
        longitudes=east,
        latitudes=north,
        labels=tuple(one.name for one, _, _ in spots),
        keys=tuple(_key(one) for one, _, _ in spots),
        conditions=tuple(condition for _, _, condition in spots),
        window=window,
        parallel=parallel_for(window[2], window[3]),
        left=left,
        areas=tuple(one if isinstance(one, Area) else None for one, _, _ in spots),
        level=found.level,
        several=found.several,
    )  # fmt: skip


def _key(one: Area | Town) -> str:
    return one.key if isinstance(one, Area) else f"{one.name}\x1f{one.longitude}\x1f{one.latitude}"


def _meant(
    question: Place, own: Sequence[str], countries: Sequence[str] | None, found: Sequence[Area | Town | None]
) -> list[tuple[Area | Town, list[int], Condition]]:
    """Return each place that is meant, which of the names mean it, and the condition of its rows."""
    together: dict[object, tuple[Area | Town, list[int]]] = {}
    for i, one in enumerate(found):
        if one is not None:
            key = one.key if isinstance(one, Area) else one
            together.setdefault(key, (one, []))[1].append(i)
    made = []
    for one, members in together.values():
        named: Condition = OneOf(question.at[0], tuple(dict.fromkeys(own[i] for i in members)))
        if countries is not None and question.country is not None:
            of = tuple(dict.fromkeys(countries[i] for i in members if countries[i]))
            if of:
                named = AllOf((named, OneOf(question.country, of)))
        made.append((one, members, named))
    return made


def _around(found: Sequence[Area | Town]) -> tuple[float, float, float, float]:
    """Return the window that holds what is meant: the larger rings of areas, and towns."""
    corners: list[Floats] = [
        np.array([[one.longitude, one.latitude]]) for one in found if isinstance(one, Town)
    ]
    for one in found:
        if isinstance(one, Area):
            largest = max(float(np.prod(np.ptp(ring, axis=0))) for ring in one.rings)
            corners += [r for r in one.rings if float(np.prod(np.ptp(r, axis=0))) >= 0.2 * largest]
    if not corners:
        return _window(np.empty(0), np.empty(0))
    every = np.concatenate(corners)
    return _window(every[:, 0], every[:, 1])


# ---- areas of one's own ----


def _in_own_areas(question: Place, rows: Rows) -> Spots:
    """Return a spot for each area that rows lie in, by their places or by the names they have."""
    key = question.areas or ""
    own: OwnAreas = rows.table.own_areas(key)
    every = own.all(key)
    if len(question.at) == 2:
        lying = rows.remember(("lying", question.at), lambda: _lying(question, rows))
        found = np.full(len(lying.x), -1, dtype=np.int64)
        for i, one in reversed(list(enumerate(own.areas))):
            # where areas lie over each other a place is in the first
            found[one.holds(lying.x, lying.y)] = i
        codes, left = _one_a_row(rows, lying.at, found), lying.left
        n_out = int((found < 0).sum())
        unknown: tuple[tuple[str, int], ...] = (("in none of the areas", n_out),) if n_out else ()
    else:
        coded, places = rows.table.coded(question.at[0]), own.by_name()
        place_of = np.array([places.get(folded(label), -1) for label in coded.labels] or [-1], dtype=np.int64)
        codes = np.where(coded.codes >= 0, place_of[coded.codes], -1).astype(np.int32)
        if rows.kept is not None:
            codes = np.where(rows.kept, codes, -1).astype(np.int32)
        kept = coded.codes if rows.kept is None else coded.codes[rows.kept]
        counts = np.bincount(kept[kept >= 0], minlength=len(coded.labels))
        named = [(coded.labels[i], int(n)) for i, n in enumerate(counts) if n and place_of[i] < 0]
        unknown = tuple(sorted(named, key=lambda one: -one[1]))
        left = Left(missing=int((kept < 0).sum()))
    present = np.unique(codes[codes >= 0])
    again = np.full(len(every) + 1, -1, dtype=np.int32)
    again[present] = np.arange(len(present))
    areas = [every[int(i)] for i in present]
    window = question.window or _around(every)
    return Spots(
        codes=np.where(codes < 0, -1, again[codes]).astype(np.int32),
        longitudes=np.array([area.middle[0] for area in areas]),
        latitudes=np.array([area.middle[1] for area in areas]),
        labels=tuple(area.name for area in areas),
        keys=tuple(area.key for area in areas),
        conditions=tuple(_own_condition(question, rows, key, int(i), own) for i in present),
        window=window,
        parallel=parallel_for(window[2], window[3]),
        left=replace(left, unknown=unknown),
        areas=tuple(areas),
        level="areas",
    )


def _own_condition(question: Place, rows: Rows, key: str, at: int, own: OwnAreas) -> Condition:
    if len(question.at) == 2:
        return InArea(question.at[0], question.at[1], key, at, own.areas[at].name)
    wanted = folded(own.areas[at].name)
    labels = rows.table.coded(question.at[0]).labels
    return OneOf(question.at[0], tuple(label for label in labels if folded(label) == wanted))
