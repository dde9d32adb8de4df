"""The numbers behind drivers, as a table."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from night_trail.core.conditions import iso
from night_trail.core.questions.drivers.answer import Driver, DriversAnswer
from night_trail.core.questions.shared.figures import Figure, Made


def drivers_figures(answer: DriversAnswer) -> Made:
    """Return each driver with every place of its effect, or each rule."""
    lit = [None] if answer.basis.lit is not None else []

    def rules() -> Iterator[list[Figure]]:
        for leaf in answer.leaves:
            yield [leaf.words, leaf.n, leaf.mean, leaf.low, leaf.high, leaf.grown, *lit]

    def drivers() -> Iterator[list[Figure]]:
        for one in answer.drivers:
            first: list[Figure] = [", ".join(one.columns), one.worse, one.half, "yes" if one.found else "no"]
            for value, effect, half, n in _places(one):
                yield [*first, value, effect, half, n, *lit]

    if answer.question.shape == "rules":
        names = ["rule", "rows", "mean on unseen rows", "from", "to", "mean where it was grown"]
        return names, rules()
    names = [
        "column",
        "worse without it",
        "give or take",
        "beyond chance",
        "at",
        "effect",
        "effect give or take",
        "rows",
    ]
    return names, drivers()


def _places(one: Driver) -> Iterator[tuple[Figure, Figure, Figure, Figure]]:
    effect = one.effect
    if effect is None:
        yield None, None, None, None
        return
    column = effect.feature.column
    for at, value, half, n in zip(effect.at, effect.effect, effect.half, effect.n, strict=True):
        named: Figure = float(at)
        if effect.feature.labels:
            named = effect.feature.labels[int(at)]
        elif column.kind.temporal:
            named = iso(float(at), column.kind)
        yield named, float(value), float(half), int(np.round(n))
    if effect.missing is not None:
        yield "missing", effect.missing, None, None
