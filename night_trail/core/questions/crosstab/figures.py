"""The numbers behind a grid of two categories, as a table."""

from __future__ import annotations

from collections.abc import Iterator

from night_trail.core.questions.crosstab.answer import CrosstabAnswer
from night_trail.core.questions.shared.figures import Figure, Made


def crosstab_figures(answer: CrosstabAnswer) -> Made:
    """Return the counts of each pair, and what chance would give."""

    def rows() -> Iterator[list[Figure]]:
        for i, one in enumerate(answer.rows.groups):
            for j, other in enumerate(answer.columns.groups):
                found = [
                    int(answer.counts[i, j]),
                    float(answer.expected[i, j]),
                    float(answer.residuals[i, j]),
                ]
                yield [one.label, other.label, *found, None if answer.lit is None else int(answer.lit[i, j])]

    return [answer.column.name, answer.against.name, "count", "by chance", "standard errors"], rows()
