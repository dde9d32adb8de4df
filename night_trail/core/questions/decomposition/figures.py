"""The numbers behind a series taken apart, as a table."""

from __future__ import annotations

from collections.abc import Iterator

from night_trail.core.questions.decomposition.answer import DecompositionAnswer
from night_trail.core.questions.shared.figures import Figure, Made, cell_at


def decomposition_figures(answer: DecompositionAnswer) -> Made:
    """Return the parts of each period."""
    parts = answer.parts
    seasons = [f"season of {p}" for p in parts.periods] if parts is not None else []
    names = [f"{answer.time.name} from", "value", "trend", *seasons, "rest", "without season", "stands out"]

    def rows() -> Iterator[list[Figure]]:
        if parts is None:
            return
        for i in range(len(parts.values)):
            at = cell_at(answer.time, float(answer.calendar.clock[answer.start + i]))
            found = [float(parts.values[i]), float(parts.trend[i]), *(float(s[i]) for s in parts.seasons)]
            lit = None if answer.lit_n is None else int(answer.lit_n[answer.start + i])
            rest = [float(parts.rest[i]), float(parts.adjusted[i]), "yes" if parts.spikes[i] else "no"]
            yield [at, *found, *rest, lit]

    return names, rows()
