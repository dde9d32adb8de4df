"""The numbers behind an effect with others held fixed: of effects, of the model, or of what is left."""

from __future__ import annotations

import math
from collections.abc import Iterator

from night_trail.core.questions.held.answer import HeldAnswer
from night_trail.core.questions.shared.figures import Figure, Made


def held_figures(answer: HeldAnswer) -> Made:
    """Return effects plain and held; drawn as coefficients the model's, as what is left its quantiles."""
    if answer.question.shape == "coefficients":
        names = ["column", "coefficient", "standard error", "low", "high", "standardised", "inflation"]
        return names, _terms(answer)
    if answer.question.shape == "residuals":
        names = ["expected", "10 %", "median", "90 %", "rows"]
        return names, ([*map(float, row[:4]), int(row[4]), None] for row in answer.residuals)

    def rows() -> Iterator[list[Figure]]:
        for s in answer.shown:
            plain = (s.plain, s.plain - s.plain_half, s.plain + s.plain_half)
            held = (s.held, s.held - s.held_half, s.held + s.held_half)
            yield [s.label, *plain, *held, s.n, s.lit]

    names = ["effect of", "plain", "plain low", "plain high", "held", "held low", "held high", "rows"]
    return names, rows()


def _terms(answer: HeldAnswer) -> Iterator[list[Figure]]:
    for t in answer.terms:
        more = [None if math.isnan(x) else x for x in (t.standardised, t.inflation)]
        yield [t.name, t.coefficient, t.error, t.coefficient - t.half, t.coefficient + t.half, *more, None]
