"""The numbers behind who belongs to whom, as a table: a row for each unit, a column for each level."""

from __future__ import annotations

from collections.abc import Iterator

from night_trail.core.questions.kin.answer import KinAnswer
from night_trail.core.questions.shared.figures import Figure, Made
from night_trail.core.questions.shared.measure_slots import short_measure

MOST_LEVELS = 20


def kin_figures(answer: KinAnswer) -> Made:
    """Return all units from the top down: what leads to each, its figures alone and with all below."""
    question, every = answer.question, answer.below
    measured = short_measure(question.measure)
    deep = min(max((len(path) for path in every.paths), default=1), MOST_LEVELS)
    lit = {unit.key: unit.lit for unit in answer.shown if not unit.others}

    def rows() -> Iterator[list[Figure]]:
        for i, path in enumerate(every.paths):
            above = path[-2] if len(path) > 1 else (answer.path or (None,))[-1]
            found: list[Figure] = [
                path[-1],
                above,
                int(every.n[i]),
                float(every.own[i]),
                float(every.below[i]),
            ]
            found += [int(every.under[i])]
            if question.rule is not None:
                found.append("marked" if answer.marked(float(every.below[i])) else None)
            levels = path[:deep]
            yield [*found, *levels, *[None] * (deep - len(levels)), lit.get(path[-1])]

    names = [question.unit, question.above, "rows", f"{measured}, alone", f"{measured}, with all below"]
    names += ["all below", *(["marked"] if question.rule is not None else [])]
    return [*names, *(f"level {i}" for i in range(1, deep + 1))], rows()
