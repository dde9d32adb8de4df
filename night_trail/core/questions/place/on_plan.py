"""Spots on a plan of one's own: where each group was placed by hand."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from night_trail.core.conditions import OneOf
from night_trail.core.places.plan import ACROSS, Plan
from night_trail.core.questions.place.lying import Left, Spots, inside, without
from night_trail.core.questions.place.question import Place
from night_trail.core.rows import Rows


def on_plan(question: Place, rows: Rows) -> Spots:
    """Return a spot for each group that stands on the plan; those that do not are named as unknown."""
    plan: Plan = rows.table.plan(question.drawn_on or "")
    coded = rows.table.coded(question.at[0])
    own = coded.codes if rows.kept is None else np.where(rows.kept, coded.codes, -1)
    counts = np.bincount(own[own >= 0], minlength=len(coded.labels))
    placed = [plan.at(label) for label in coded.labels]
    stands = np.array(
        [n > 0 and at is not None for n, at in zip(counts, placed, strict=True)], dtype=np.bool_
    )
    unknown = [
        (label, int(n)) for label, n, at in zip(coded.labels, counts, placed, strict=True) if n and at is None
    ]
    left = Left(missing=rows.n - int(counts.sum()), unknown=tuple(sorted(unknown, key=lambda one: -one[1])))
    if question.window is not None:
        where = np.array([at or (np.nan, np.nan) for at in placed]).reshape(-1, 2)
        seen = inside(where[:, 0], where[:, 1], question.window)
        left = replace(left, outside=int(counts[stands & ~seen].sum()))
        stands &= seen
    kept = np.flatnonzero(stands).tolist()
    labels = tuple(coded.labels[i] for i in kept)
    where = np.array([placed[i] for i in kept], dtype=np.float64).reshape(-1, 2)
    return Spots(
        codes=without(own, stands).astype(np.int32),
        longitudes=where[:, 0],
        latitudes=where[:, 1],
        labels=labels,
        keys=labels,
        conditions=tuple(OneOf(question.at[0], (label,)) for label in labels),
        window=question.window or (0.0, ACROSS, 0.0, plan.picture.high),
        parallel=0.0,
        left=left,
        level="plan",
        named=question.at[0],
    )
