"""The numbers behind a make-up, as a table: a row for each part."""

from __future__ import annotations

from collections.abc import Iterator

from night_trail.core.questions.make_up.answer import MakeUpAnswer
from night_trail.core.questions.make_up.sentence import against_words
from night_trail.core.questions.shared.figures import Figure, Made
from night_trail.core.questions.shared.measure_slots import short_measure


def make_up_figures(answer: MakeUpAnswer) -> Made:
    """Return the parts with their figures, parents before their parts."""
    question, depth = answer.question, len(answer.question.path)
    deepest = max((part.depth for part in answer.parts), default=1)
    levels = list(question.names[depth : depth + deepest])
    names = [*levels, "rows", short_measure(question.measure)]
    names += ["share of its parent", "share of all"] if answer.adds_up else []
    if question.shade is not None:
        names.append(short_measure(question.shade))
    if question.against is not None:
        names += [against_words(question), "change"]

    def rows() -> Iterator[list[Figure]]:
        for part in answer.parts:
            labels: list[Figure] = [None] * len(levels)
            at = answer.parts.index(part)
            while at >= 0:
                labels[answer.parts[at].depth - 1] = answer.parts[at].label
                at = answer.parts[at].parent
            found: list[Figure] = [*labels, part.n, part.figure]
            found += [part.of_parent, part.of_all] if answer.adds_up else []
            if question.shade is not None:
                found.append(part.shade)
            if question.against is not None:
                found += [part.base, part.change]
            yield [*found, part.lit]

    return names, rows()
