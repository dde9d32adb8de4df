"""The numbers behind a forecast, as a table."""

from __future__ import annotations

import math
from collections.abc import Iterator

from night_trail.core.questions.forecast.answer import ForecastAnswer
from night_trail.core.questions.shared.figures import Figure, Made, cell_at
from night_trail.core.stats.forecast import LEVELS


def forecast_figures(answer: ForecastAnswer) -> Made:
    """Return what was and what is to come, with bands."""
    bands = [name for level in LEVELS for name in (f"{level} % from", f"{level} % to")]
    names = [f"{answer.time.name} from", "group", "value", "forecast", *bands]

    def rows() -> Iterator[list[Figure]]:
        clock, found = answer.calendar.clock, answer.forecast
        nothing: list[Figure] = [None] * len(bands)
        for i in range(answer.start, answer.end):
            value = float(answer.values[i])
            yield [
                cell_at(answer.time, float(clock[i])),
                "",
                None if math.isnan(value) else value,
                None,
                *nothing,
            ]
        for i, mean in enumerate(found.mean if found is not None else ()):
            ends = (
                [float(b[k][i]) for k in range(len(LEVELS)) for b in (found.low, found.high)] if found else []
            )
            yield [cell_at(answer.time, float(clock[answer.end + i])), "", None, float(mean), *ends]
        for one in answer.groups:
            for i, mean in enumerate(one.mean):
                ends = [float(b[k][i]) for k in range(len(LEVELS)) for b in (one.low, one.high)]
                yield [
                    cell_at(answer.time, float(clock[answer.end + i])),
                    one.label,
                    None,
                    float(mean),
                    *ends,
                ]

    return names, ([*row, None] for row in rows())
