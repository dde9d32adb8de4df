"""The numbers behind a grid of correlations, as a table."""

from __future__ import annotations

from collections.abc import Iterator

from night_trail.core.questions.correlation.answer import CorrelationAnswer
from night_trail.core.questions.shared.figures import Figure, Made


def correlation_figures(answer: CorrelationAnswer) -> Made:
    """Return the correlation of each pair."""

    def rows() -> Iterator[list[Figure]]:
        for i, j in answer.pairs():
            lit = None if answer.lit_r is None else float(answer.lit_r[i, j])
            found = [answer.columns[i].name, answer.columns[j].name]
            yield [*found, float(answer.r[i, j]), int(answer.n[i, j]), lit]

    return ["one", "other", "correlation", "rows"], rows()
