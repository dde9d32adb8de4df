"""The numbers behind how rows differ, as a table."""

from __future__ import annotations

from collections.abc import Iterator

from night_trail.core.questions.differ.answer import DifferAnswer
from night_trail.core.questions.shared.figures import Figure, Made


def differ_figures(answer: DifferAnswer) -> Made:
    """Return each value of each column with its share on either side."""

    def rows() -> Iterator[list[Figure]]:
        for one in answer.contrasts:
            for share in one.shares:
                said = "yes" if one.found else "no"
                yield [
                    one.name,
                    one.apart,
                    one.higher,
                    one.p,
                    said,
                    share.label,
                    share.ones,
                    share.others,
                    share.lit,
                ]

    names = [
        "column",
        "apart",
        "higher",
        "chance",
        "differs",
        "value",
        "share of these",
        "share of the others",
    ]
    return names, rows()
