"""The numbers behind two columns against each other, as a table."""

from __future__ import annotations

from collections.abc import Iterator

from night_trail.core.questions.relate.answer import RelateAnswer
from night_trail.core.questions.shared.figures import Figure, Made, cell_at


def relate_figures(answer: RelateAnswer) -> Made:
    """Return the points, cells or paths that are drawn."""
    x, y = answer.against, answer.column
    names = [f"{x.name} from", f"{x.name} to", f"{y.name} from", f"{y.name} to", "count"]
    panels, each = answer.question.panels, answer.question.each
    names = [*([panels] if panels else []), *([each] if each else []), *names]

    def rows() -> Iterator[list[Figure]]:
        for panel in answer.panels:
            first: list[Figure] = [panel.label] if panels else []
            points = panel.points
            for i in range(len(points.x)):
                named: list[Figure] = [*first, points.names[i]] if each else first
                here = [cell_at(x, float(points.x[i])), cell_at(y, float(points.y[i]))]
                lit = None if points.lit is None else int(points.lit[i])
                if points.n_lit is not None:
                    lit = int(points.n_lit[i])
                n = 1 if points.n is None else int(points.n[i])
                yield [*named, here[0], here[0], here[1], here[1], n, lit]
            for cell in panel.cells:
                ends = [
                    cell_at(x, cell.x_low),
                    cell_at(x, cell.x_high),
                    cell_at(y, cell.y_low),
                    cell_at(y, cell.y_high),
                ]
                yield [*first, *ends, cell.count, cell.lit]

    return names, rows()
