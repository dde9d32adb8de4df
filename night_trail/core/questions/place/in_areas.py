"""Spots that are areas: those that ship or one's own, that rows lie in by their places or their names."""

from __future__ import annotations

from collections.abc import Sequence
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
        codes, left = _by_name(question, rows, own)
        conditions = [_named(question, rows, one.name) for one in own.areas]
        return _spots(question, codes, every, conditions, left)
    lying = lying_by(question.at, rows)
    found = rows.remember(
        ("areas", question.at, question.areas),
        lambda: areas_around([area.rings for area in every], lying.x, lying.y),
    )
    x, y = question.at
    conditions = [InArea(x, y, question.areas, i, one.name) for i, one in enumerate(own.areas)]
    left = _outside(lying.left, int((found < 0).sum()))
    return _spots(question, one_a_row(rows, lying.at, found), every, conditions, left)


def _in_shipped(question: Place, rows: Rows) -> Spots:
    lying = lying_by(question.at, rows)
    keys, found = rows.remember(("areas", question.at), lambda: shipped_around(lying.x, lying.y))
    regional = bool(keys) and ":" in keys[0].removeprefix(SHIPPED)
    country = keys[0].removeprefix(SHIPPED).partition(":")[0] if regional else ""
    every = regions_of(country) if regional else all_countries()
    conditions = [
        InArea(question.at[0], question.at[1], key, 0, area.name)
        for key, area in zip(keys, every, strict=True)
    ]
    left = _outside(lying.left, int((found < 0).sum()))
    made = _spots(question, one_a_row(rows, lying.at, found), every, conditions, left)
    return replace(made, level="regions" if regional else "countries")


def _outside(left: Left, n: int) -> Left:
    return replace(left, unknown=((NONE_OF_THEM, n),)) if n else left


def _by_name(question: Place, rows: Rows, own: OwnAreas) -> tuple[Codes, Left]:
    """Return the area each row's name is of; shape (rows,), −1 for none."""
    coded, places = rows.table.coded(question.at[0]), own.by_name()
    place_of = np.array([places.get(folded(label), -1) for label in coded.labels] or [-1], dtype=np.int64)
    codes = np.where(coded.codes >= 0, place_of[coded.codes], -1).astype(np.int32)
    if rows.kept is not None:
        codes = np.where(rows.kept, codes, -1).astype(np.int32)
    kept = coded.codes if rows.kept is None else coded.codes[rows.kept]
    counts = np.bincount(kept[kept >= 0], minlength=len(coded.labels))
    named = [(coded.labels[i], int(n)) for i, n in enumerate(counts) if n and place_of[i] < 0]
    unknown = tuple(sorted(named, key=lambda one: -one[1]))
    return codes, Left(missing=int((kept < 0).sum()), unknown=unknown)


def _named(question: Place, rows: Rows, name: str) -> Condition:
    wanted, labels = folded(name), rows.table.coded(question.at[0]).labels
    return OneOf(question.at[0], tuple(label for label in labels if folded(label) == wanted))


def _spots(
    question: Place, codes: Codes, every: Sequence[Area], conditions: Sequence[Condition], left: Left
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
        conditions=tuple(conditions[i] for i in present.tolist()),
        window=window,
        parallel=parallel_for(window[2], window[3]),
        left=left,
        areas=tuple(areas),
        level="areas",
    )
