"""The numbers behind a series over time, as a table."""

from __future__ import annotations

import math
from collections.abc import Iterator

from night_trail.core.questions.over_time.answer import OverTimeAnswer
from night_trail.core.questions.shared.figures import Figure, Made, cell_at


def over_time_figures(answer: OverTimeAnswer) -> Made:
    """Return the figure of each period."""
    split = answer.question.split
    parts = (answer, *answer.others)
    names = [*([split] if split else []), f"{answer.time.name} from", "to below"]
    for part in parts:
        measure = part.measure
        names.append(f"{measure.aggregate} of {measure.column}" if measure.column else measure.aggregate)
    against = answer.question.against is not None
    names += [*(["held against", "difference"] if against else []), "rows"]

    def rows() -> Iterator[list[Figure]]:
        edges = answer.calendar.clock
        for line in answer.lines:
            difference = answer.difference(line)
            for i in range(answer.calendar.n):
                first: list[Figure] = [line.label] if split else []
                low, high = (cell_at(answer.time, float(edges[k])) for k in (i, i + 1))
                values = [float(line.values[i]), *(float(p.together.values[i]) for p in answer.others)]
                row: list[Figure] = [*first, low, high, *(None if math.isnan(v) else v for v in values)]
                if against:
                    base = math.nan if line.base is None else float(line.base[i])
                    off = math.nan if difference is None else float(difference[i])
                    row += [None if math.isnan(v) else v for v in (base, off)]
                yield [*row, int(line.n[i]), None if line.lit_n is None else int(line.lit_n[i])]

    return names, rows()
