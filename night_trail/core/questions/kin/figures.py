"""The numbers behind who belongs to whom, as a table: a row for each unit that is drawn."""

from __future__ import annotations

from collections.abc import Iterator

from night_trail.core.questions.kin.answer import KinAnswer
from night_trail.core.questions.shared.figures import Figure, Made
from night_trail.core.questions.shared.measure_slots import short_measure


def kin_figures(answer: KinAnswer) -> Made:
    """Return the units with their figures alone and with all below."""
    measured = short_measure(answer.question.measure)

    def rows() -> Iterator[list[Figure]]:
        for unit in answer.shown:
            above = answer.shown[unit.parent].label if unit.parent >= 0 else (answer.path or (None,))[-1]
            own = None if unit.others else unit.own
            found: list[Figure] = [unit.label, above, unit.depth, unit.n_below, own, unit.below]
            yield [*found, unit.children, unit.under, unit.lit]

    names = [answer.question.unit, answer.question.above, "level", "rows", f"{measured}, alone"]
    return [*names, f"{measured}, with all below", "directly below", "all below"], rows()
