"""The numbers behind a series over time, as a table."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator

import numpy as np

from night_trail.core.questions.over_time.answer import OverTimeAnswer
from night_trail.core.questions.over_time.shown import from_own_median, ranks, shades
from night_trail.core.questions.shared.figures import Figure, Made, cell_at
from night_trail.core.table import Floats


def _distances(answer: OverTimeAnswer, place: int) -> list[Floats]:
    median, off = from_own_median(answer, answer.lines[place])
    return [np.full(len(off), median), off]


def _shades(answer: OverTimeAnswer, place: int) -> list[Floats]:
    shade = shades(answer.lines[place].values)
    return [np.where(shade > 0, shade, np.nan)]


def _ranks(answer: OverTimeAnswer, place: int) -> list[Floats]:
    ranked = [one for one in answer.lines if not one.others]
    line = answer.lines[place]
    return [np.full(len(line.values), np.nan) if line.others else ranks(answer)[ranked.index(line)]]


_BESIDE: dict[str, tuple[tuple[str, ...], Callable[[OverTimeAnswer, int], list[Floats]]]] = {
    "days": (("shade",), _shades),
    "horizon": (("its median", "from its median"), _distances),
    "ranks": (("rank",), _ranks),
}
"""What a shape shows beside the figures: its columns, and their values for a line."""


def over_time_figures(answer: OverTimeAnswer) -> Made:
    """Return the figure of each period."""
    split = answer.question.split
    parts = (answer, *answer.others)
    names = [*([split] if split else []), f"{answer.time.name} from", "to below"]
    for part in parts:
        measure = part.measure
        names.append(f"{measure.aggregate} of {measure.column}" if measure.column else measure.aggregate)
    against = answer.question.against is not None
    beside = _BESIDE.get(answer.question.shape)
    names += [*(["held against", "difference"] if against else []), *(beside[0] if beside else ()), "rows"]

    def rows() -> Iterator[list[Figure]]:
        edges = answer.calendar.clock
        for place, line in enumerate(answer.lines):
            shown = beside[1](answer, place) if beside else []
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
                row += [None if math.isnan(column[i]) else float(column[i]) for column in shown]
                yield [*row, int(line.n[i]), None if line.lit_n is None else int(line.lit_n[i])]

    return names, rows()
