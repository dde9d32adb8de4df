"""The numbers behind a comparison of groups, as a table."""

from __future__ import annotations

from collections.abc import Iterator

from night_trail.core.questions.compare.answer import CompareAnswer
from night_trail.core.questions.compare.crossed import CrossAnswer
from night_trail.core.questions.compare.several import SeveralAnswer
from night_trail.core.questions.shared.figures import Figure, Made


def compare_figures(answer: CompareAnswer) -> Made:
    """Return the figure of each group."""
    names = [answer.question.across, "rows", answer.question.measure.aggregate, "from", "to"]
    if answer.question.baseline is None:
        return names, ([g.label, g.n, g.value, g.low, g.high, g.lit_value] for g in answer.groups)
    return [*names, "baseline", "difference"], (
        [g.label, g.n, g.value, g.low, g.high, g.base, answer.difference(g), g.lit_value]
        for g in answer.groups
    )


def cross_figures(answer: CrossAnswer) -> Made:
    """Return the figure of each pair of groups."""
    names = [answer.question.across, answer.question.also or "", "rows", answer.question.measure.aggregate]

    def rows() -> Iterator[list[Figure]]:
        for lane, row in zip(answer.lanes, answer.cells, strict=True):
            for series, cell in zip(answer.series, row, strict=True):
                if cell is not None:
                    found: list[Figure] = [lane.label, series.label, cell.n, cell.value]
                    yield [*found, cell.low, cell.high, cell.lit_value]

    return [*names, "from", "to"], rows()


def several_figures(answer: SeveralAnswer) -> Made:
    """Return the figures of each group, a column for each measure."""
    names = [answer.question.across, "rows"]
    for part in answer.parts:
        measure = part.question.measure
        names.append(f"{measure.aggregate} of {measure.column}" if measure.column else measure.aggregate)

    def rows() -> Iterator[list[Figure]]:
        found = [{g.label: g for g in part.groups} for part in answer.parts]
        for label in answer.labels:
            first = next(groups[label] for groups in found if label in groups)
            values = [groups[label].value if label in groups else None for groups in found]
            yield [label, first.n, *values, first.lit_n]

    return names, rows()
