"""The numbers behind how far each gets, as a table: a row for each stage, of all and of each group."""

from __future__ import annotations

from collections.abc import Iterator

from night_trail.core.questions.shared.figures import Figure, Made
from night_trail.core.questions.stages.answer import StagesAnswer

DAY = 86_400.0


def stages_figures(answer: StagesAnswer) -> Made:
    """Return how many reach each stage, with shares, losses and times in days."""
    question = answer.question

    def lines(label: str | None, units: int, reached: list[int], times: bool) -> Iterator[list[Figure]]:
        for at, stage in enumerate(answer.stages):
            before = reached[at - 1] if at else units
            found: list[Figure] = [label] if question.across is not None else []
            found += [stage.label, reached[at], reached[at] / units if units else None]
            found += [reached[at] / before if before else None]
            found += [reached[at] - reached[at + 1] if at + 1 < len(reached) else None]
            if question.time is not None:
                quartiles = stage.seconds if times else None
                found += [None] * 3 if quartiles is None else [one / DAY for one in quartiles]
            yield [*found, stage.lit if times else None]

    def rows() -> Iterator[list[Figure]]:
        yield from lines("all", answer.units, [stage.reached for stage in answer.stages], True)
        for group in answer.groups:
            yield from lines(group.label, group.units, list(group.reached), False)

    names = [question.across] if question.across is not None else []
    names += [question.stage, f"different {question.unit}", "share of all", "share of the stage before"]
    names += ["got no further"]
    if question.time is not None:
        names += ["days from the stage before, lower quartile", "median", "upper quartile"]
    return names, rows()
