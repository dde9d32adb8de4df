"""The numbers behind a flow, as a table: a row for each band."""

from __future__ import annotations

from collections.abc import Iterator

from night_trail.core.questions.flow.answer import FlowAnswer
from night_trail.core.questions.shared.figures import Figure, Made
from night_trail.core.questions.shared.measure_slots import short_measure


def flow_figures(answer: FlowAnswer) -> Made:
    """Return what goes from each group to each of the next station."""

    def rows() -> Iterator[list[Figure]]:
        for at, between in enumerate(answer.between):
            first, second = answer.stations[at], answer.stations[at + 1]
            for i in answer.orders[at]:
                for j in answer.orders[at + 1]:
                    if not between.n[i, j]:
                        continue
                    figure = float(between.figures[i, j])
                    leaves = float(first.figures[i])
                    share = figure / leaves if leaves else None
                    found: list[Figure] = [first.column.name, first.labels[i], second.column.name]
                    found += [second.labels[j], int(between.n[i, j]), figure, share]
                    found.append(figure / answer.total if answer.total else None)
                    found.append(answer.returns(at, i, j))
                    yield [*found, None if between.lit is None else int(between.lit[i, j])]

    measured = short_measure(answer.question.measure)
    return [
        "from", "group", "to", "group there", "rows", measured, "share of what leaves",
        "share of all", "the other way",
    ], rows()  # fmt: skip
