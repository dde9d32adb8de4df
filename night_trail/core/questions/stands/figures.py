"""The numbers behind what stands out, as a table."""

from __future__ import annotations

from collections.abc import Iterator

from night_trail.core.language.numbers import listed
from night_trail.core.questions.shared.figures import Figure, Made
from night_trail.core.questions.stands.answer import StandsAnswer
from night_trail.core.questions.stands.words import title


def stands_figures(answer: StandsAnswer) -> Made:
    """Return each finding with its rows, its reason, and how likely it is by chance."""

    def rows() -> Iterator[list[Figure]]:
        for one in answer.findings:
            names = listed(one.columns) if one.columns else "every column"
            yield [title(one), names, one.n, one.here, one.usual, one.chance, one.lit]

    return ["what", "columns", "rows", "here", "usually", "chance"], rows()
