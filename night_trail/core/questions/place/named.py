"""Spots from names: the country, the region or the town each means."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from night_trail.core.conditions import AllOf, Condition, OneOf
from night_trail.core.places.flat import parallel_for
from night_trail.core.places.gazetteer import Town, located
from night_trail.core.places.outlines import Area
from night_trail.core.questions.place.lying import Left, Spots, Window, around, inside, without
from night_trail.core.questions.place.question import Place
from night_trail.core.rows import Rows
from night_trail.core.table import Bools, Floats


def by_names(question: Place, rows: Rows) -> Spots:
    """Return a spot for each country, region or town that names mean."""
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
    found = located(own, countries, dict(question.meant))
    counts = np.bincount(numbers, minlength=len(present))[has]
    spots = _meant(question, own, countries, found.found)
    code_of = np.full(len(present), -1, dtype=np.int64)
    for code, (_, members, _) in enumerate(spots):
        code_of[has[members]] = code
    unknown = [(own[i], int(counts[i])) for i, one in enumerate(found.found) if one is None]
    unknown.sort(key=lambda one: -one[1])
    codes = code_of[numbers].astype(np.int32)
    east = np.array([one.longitude if isinstance(one, Town) else one.middle[0] for one, _, _ in spots])
    north = np.array([one.latitude if isinstance(one, Town) else one.middle[1] for one, _, _ in spots])
    left = Left(missing=int((kept < 0).sum()) - (rows.table.height - rows.n), unknown=tuple(unknown))
    window = question.window or around_all([one for one, _, _ in spots])
    chosen: Bools = (
        inside(east, north, window) if question.window is not None else np.ones(len(spots), dtype=np.bool_)
    )
    if not chosen.all():
        before = int((codes >= 0).sum())
        codes = without(codes, chosen)
        left = Left(missing=left.missing, unknown=left.unknown, outside=before - int((codes >= 0).sum()))
        spots = [one for one, keep in zip(spots, chosen, strict=True) if keep]
        east, north = east[chosen], north[chosen]
    return Spots(
        codes=codes,
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


def around_all(found: Sequence[Area | Town]) -> Window:
    """Return the window that holds what is meant: the larger rings of areas, and towns."""
    corners: list[Floats] = [
        np.array([[one.longitude, one.latitude]]) for one in found if isinstance(one, Town)
    ]
    for one in found:
        if isinstance(one, Area):
            largest = max(float(np.prod(np.ptp(ring, axis=0))) for ring in one.rings)
            corners += [r for r in one.rings if float(np.prod(np.ptp(r, axis=0))) >= 0.2 * largest]
    if not corners:
        return around(np.empty(0), np.empty(0))
    every = np.concatenate(corners)
    return around(every[:, 0], every[:, 1])
