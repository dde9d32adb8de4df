"""The numbers behind a cycle, as a table."""

from __future__ import annotations

from collections.abc import Iterator

from night_trail.core.questions.cycle.answer import CycleAnswer
from night_trail.core.questions.shared.figures import Figure, Made


def cycle_figures(answer: CycleAnswer) -> Made:
    """Return the figure of each part of a round."""
    measure = answer.question.measure
    what = f"{measure.aggregate} of {measure.column}" if measure.column else measure.aggregate
    several = len(answer.rounds) > 1
    names = [*([answer.question.split or "line"] if several else []), answer.question.part, what]
    rows_shape = answer.question.shape == "rows"
    names += [*(["mean of its row"] if rows_shape else []), "rows"]

    def rows() -> Iterator[list[Figure]]:
        for one in answer.rounds:
            for i, part in enumerate(answer.parts):
                if one.n[i]:
                    first: list[Figure] = [one.label] if several else []
                    lit = None if one.lit_n is None else int(one.lit_n[i])
                    mean: list[Figure] = [one.mean_over(0, len(answer.parts))] if rows_shape else []
                    yield [*first, part, float(one.values[i]), *mean, int(one.n[i]), lit]

    return names, rows()
