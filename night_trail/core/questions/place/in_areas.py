"""Spots that are areas: those that ship or one's own, that rows lie in by their places or their names."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np

from night_trail.core.conditions import Condition, InArea, OneOf
from night_trail.core.places.flat import parallel_for
from night_trail.core.places.inside import SHIPPED, areas_around, shipped_around
from night_trail.core.places.names import folded
from night_trail.core.places.outlines import Area, all_countries, regions_of
from night_trail.core.places.own import OwnAreas
from night_trail.core.questions.place.lying import Left, Spots, inside, lying_by, one_a_row, without
from night_trail.core.questions.place.named import around_all
from night_trail.core.questions.place.question import Place
from night_trail.core.rows import Codes, Rows

NONE_OF_THEM = "in none of the areas"


def in_areas(question: Place, rows: Rows) -> Spots:
    """Return a spot for each area that rows lie in."""
    if question.areas is None:
        return _in_shipped(question, rows)
    own: OwnAreas = rows.table.own_areas(question.areas)
    every = own.all(question.areas)
    if len(question.at) == 1:
        return _by_name(question, rows, own, every)
    lying = lying_by(question.at, rows)
    found = rows.remember(
        ("areas", question.at, question.areas),
        lambda: areas_around([area.rings for area in every], lying.x, lying.y),
    )
    (x, y), key = question.at, question.areas
    left = _outside(lying.left, int((found < 0).sum()))
    codes = one_a_row(rows, lying.at, found)
    return _spots(question, codes, every, lambda i: InArea(x, y, key, i, every[i].name), left)


def _in_shipped(question: Place, rows: Rows) -> Spots:
    lying = lying_by(question.at, rows)
    keys, found = rows.remember(("areas", question.at), lambda: shipped_around(lying.x, lying.y))
    regional = bool(keys) and ":" in keys[0].removeprefix(SHIPPED)
    country = keys[0].removeprefix(SHIPPED).partition(":")[0] if regional else ""
    every = regions_of(country) if regional else all_countries()
    x, y = question.at
    left = _outside(lying.left, int((found < 0).sum()))
    codes = one_a_row(rows, lying.at, found)
    made = _spots(question, codes, every, lambda i: InArea(x, y, keys[i], 0, every[i].name), left)
    return replace(made, level="regions" if regional else "countries")


def _outside(left: Left, n: int) -> Left:
    return replace(left, unknown=((NONE_OF_THEM, n),)) if n else left


def _by_name(question: Place, rows: Rows, own: OwnAreas, every: Sequence[Area]) -> Spots:
    coded, places = rows.table.coded(question.at[0]), own.by_name()
    place_of = np.array([places.get(folded(label), -1) for label in coded.labels] or [-1], dtype=np.int64)
    codes = np.where(coded.codes >= 0, place_of[coded.codes], -1).astype(np.int32)
    if rows.kept is not None:
        codes = np.where(rows.kept, codes, -1).astype(np.int32)
    kept = coded.codes if rows.kept is None else coded.codes[rows.kept]
    counts = np.bincount(kept[kept >= 0], minlength=len(coded.labels))
    named = [(coded.labels[i], int(n)) for i, n in enumerate(counts) if n and place_of[i] < 0]
    unknown = tuple(sorted(named, key=lambda one: -one[1]))
    left = Left(missing=int((kept < 0).sum()), unknown=unknown)

    def condition(i: int) -> Condition:
        return OneOf(question.at[0], tuple(coded.labels[at] for at in np.flatnonzero(place_of == i)))

    return _spots(question, codes, every, condition, left)


def _spots(
    question: Place, codes: Codes, every: Sequence[Area], condition: Callable[[int], Condition], left: Left
) -> Spots:
    """Return the areas that hold rows, within the part zoomed into; ``codes`` are places among ``every``."""
    present = np.unique(codes[codes >= 0])
    middles = np.array([every[i].middle for i in present.tolist()]).reshape(-1, 2)
    if question.window is not None:
        seen = inside(middles[:, 0], middles[:, 1], question.window)
        left = replace(left, outside=int(np.isin(codes, present[~seen]).sum()))
        present, middles = present[seen], middles[seen]
    kept = np.zeros(len(every), dtype=np.bool_)
    kept[present] = True
    areas = [every[i] for i in present.tolist()]
    window = question.window or around_all(every if question.areas is not None else areas)
    return Spots(
        codes=without(codes, kept),
        longitudes=middles[:, 0],
        latitudes=middles[:, 1],
        labels=tuple(area.name for area in areas),
        keys=tuple(area.key for area in areas),
        conditions=tuple(condition(i) for i in present.tolist()),
        window=window,
        parallel=parallel_for(window[2], window[3]),
        left=left,
        areas=tuple(areas),
        level="areas",
    )
