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
    paths: list[tuple[str, ...]] = []
    for label, above in zip(every.labels, every.above, strict=True):
        # a path is told no further than there are columns for it
        paths.append((*(paths[above] if above >= 0 else ()), label)[:MOST_LEVELS])
    deep = max(map(len, paths), default=1)
    lit = {unit.key: unit.lit for unit in answer.shown if not unit.others}

    def rows() -> Iterator[list[Figure]]:
        for i, (label, at) in enumerate(zip(every.labels, every.above, strict=True)):
            above = every.labels[at] if at >= 0 else (answer.path or (None,))[-1]
            found: list[Figure] = [label, above, int(every.n[i]), float(every.own[i])]
            found += [float(every.below[i]), int(every.under[i])]
            if question.rule is not None:
                found.append("marked" if answer.marked(float(every.below[i])) else None)
            yield [*found, *paths[i], *[None] * (deep - len(paths[i])), lit.get(label)]

    names = [question.unit, question.above, "rows", f"{measured}, alone", f"{measured}, with all below"]
    names += ["all below", *(["marked"] if question.rule is not None else [])]
    return [*names, *(f"level {i}" for i in range(1, deep + 1))], rows()
