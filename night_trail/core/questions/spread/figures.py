"""The numbers behind how one column is spread, as a table."""

from __future__ import annotations

from collections.abc import Iterator

from night_trail.core.questions.shared.figures import Figure, Made, cell_at
from night_trail.core.questions.spread.angles import AnglesAnswer
from night_trail.core.questions.spread.bars import BarsAnswer
from night_trail.core.questions.spread.boxes import BoxesAnswer
from night_trail.core.questions.spread.curves import CurvesAnswer
from night_trail.core.questions.spread.histogram import HistogramAnswer
from night_trail.core.questions.spread.strip import StripAnswer


def histogram_figures(answer: HistogramAnswer) -> Made:
    """Return the bins of a histogram, a row for each."""
    across = answer.question.across
    names = [*([across] if across else []), f"{answer.column.name} from", "to below", "count"]

    def rows() -> Iterator[list[Figure]]:
        inner_edges = [float(edge) for edge in answer.edges]
        overall = answer.overall
        edges = [overall.low, *inner_edges, overall.high] if overall else [0.0, *inner_edges, 0.0]
        for position, group in enumerate(answer.groups):
            for i, count in enumerate(group.counts):
                inner = 0 < i < len(group.counts) - 1
                if inner or count:
                    low, high = (cell_at(answer.column, v) for v in (edges[i], edges[i + 1]))
                    label: list[Figure] = [answer.grouping.groups[position].label] if across else []
                    yield [*label, low, high, int(count), None if group.lit is None else int(group.lit[i])]

    return names, rows()


def boxes_figures(answer: BoxesAnswer) -> Made:
    """Return the five numbers of each box."""
    fields = ["low_whisker", "q1", "median", "q3", "high_whisker"]
    names = [answer.question.across or "rows", "count", *(f.replace("_", " ") for f in fields), "beyond"]

    def rows() -> Iterator[list[Figure]]:
        for box in answer.boxes:
            found = box.figures
            values = [cell_at(answer.column, getattr(found, field)) for field in fields]
            yield [box.label or "all", found.n, *values, found.below + found.above, box.n_lit]

    return names, rows()


def curves_figures(answer: CurvesAnswer) -> Made:
    """Return the places of curves."""
    across = answer.question.across
    what = "share up to here" if answer.question.shape == "running" else "density"

    def rows() -> Iterator[list[Figure]]:
        for curve in answer.curves:
            first: list[Figure] = [curve.label] if across else []
            for at, height in zip(curve.x, curve.y, strict=True):
                yield [*first, cell_at(answer.column, float(at)), float(height), None]

    return [*([across] if across else []), answer.column.name, what], rows()


def strip_figures(answer: StripAnswer) -> Made:
    """Return the points of a strip."""
    across = answer.question.across

    def rows() -> Iterator[list[Figure]]:
        for i, at in enumerate(answer.values):
            first: list[Figure] = [answer.grouping.groups[int(answer.lane[i])].label] if across else []
            yield [
                *first,
                cell_at(answer.column, float(at)),
                int(answer.row[i]) + 1,
                None if answer.lit is None else int(answer.lit[i]),
            ]

    return [*([across] if across else []), answer.column.name, "row"], rows()


def angles_figures(answer: AnglesAnswer) -> Made:
    """Return the bins at each of the widths."""
    made = [histogram_figures(part) for part in answer.parts]

    def rows() -> Iterator[list[Figure]]:
        for part, (_, found) in zip(answer.parts, made, strict=True):
            for row in found:
                yield [part.width, *row]

    return ["bin width", *made[0][0]], rows()


def bars_figures(answer: BarsAnswer) -> Made:
    """Return the bars of a category."""
    names = [answer.column.name, "count", "share", "share from", "share to"]
    return names, ([b.group.label, b.count, b.share, b.low, b.high, b.lit] for b in answer.bars)
