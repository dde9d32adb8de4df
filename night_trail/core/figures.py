"""The numbers behind a picture, as a table: for who cannot see it, and for another tool."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Any

from night_trail.core.answers import Answer
from night_trail.core.answers.ahead import AheadAnswer
from night_trail.core.answers.angles import AnglesAnswer
from night_trail.core.answers.apart import ApartAnswer
from night_trail.core.answers.bars import BarsAnswer
from night_trail.core.answers.boxes import BoxesAnswer
from night_trail.core.answers.compare import CompareAnswer
from night_trail.core.answers.cross import CrossAnswer
from night_trail.core.answers.curves import CurvesAnswer
from night_trail.core.answers.cycle import CycleAnswer
from night_trail.core.answers.goes import GoesAnswer
from night_trail.core.answers.histogram import HistogramAnswer
from night_trail.core.answers.over_time import OverTimeAnswer
from night_trail.core.answers.relate import RelateAnswer
from night_trail.core.answers.several import SeveralAnswer
from night_trail.core.answers.strip import StripAnswer
from night_trail.core.answers.together import TogetherAnswer
from night_trail.core.conditions import iso
from night_trail.core.stats.forecast import LEVELS
from night_trail.core.table import Column

Figure = str | int | float | None


@dataclass(frozen=True)
class Figures:
    """Column names and rows; figures are as they were computed, dates in ISO 8601."""

    names: tuple[str, ...]
    rows: tuple[tuple[Figure, ...], ...]


def figures_of(answer: Answer) -> Figures:
    """Return the numbers that a picture draws, a row for each mark."""
    names, rows = _MAKERS[type(answer)](answer)
    if answer.basis.lit is None:
        return Figures(tuple(names), tuple(tuple(row[: len(names)]) for row in rows))
    return Figures((*names, "lit"), tuple(tuple(row) for row in rows))


def cell_at(column: Column, value: float | None) -> Figure:
    if value is None:
        return None
    return iso(value, column.kind) if column.kind.temporal else value


Made = tuple[list[str], Iterator[list[Figure]]]


def histogram_figures(answer: HistogramAnswer) -> Made:
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
    fields = ["low_whisker", "q1", "median", "q3", "high_whisker"]
    names = [answer.question.across or "rows", "count", *(f.replace("_", " ") for f in fields), "beyond"]

    def rows() -> Iterator[list[Figure]]:
        for box in answer.boxes:
            found = box.figures
            values = [cell_at(answer.column, getattr(found, field)) for field in fields]
            yield [box.label or "all", found.n, *values, found.below + found.above, box.n_lit]

    return names, rows()


def curves_figures(answer: CurvesAnswer) -> Made:
    across = answer.question.across
    what = "share up to here" if answer.question.shape == "running" else "density"

    def rows() -> Iterator[list[Figure]]:
        for curve in answer.curves:
            first: list[Figure] = [curve.label] if across else []
            for at, height in zip(curve.x, curve.y, strict=True):
                yield [*first, cell_at(answer.column, float(at)), float(height), None]

    return [*([across] if across else []), answer.column.name, what], rows()


def strip_figures(answer: StripAnswer) -> Made:
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
    made = [histogram_figures(part) for part in answer.parts]

    def rows() -> Iterator[list[Figure]]:
        for part, (_, found) in zip(answer.parts, made, strict=True):
            for row in found:
                yield [part.width, *row]

    return ["bin width", *made[0][0]], rows()


def bars_figures(answer: BarsAnswer) -> Made:
    names = [answer.column.name, "count", "share", "share from", "share to"]
    return names, ([b.group.label, b.count, b.share, b.low, b.high, b.lit] for b in answer.bars)


def compare_figures(answer: CompareAnswer) -> Made:
    names = [answer.question.across, "rows", answer.question.measure.aggregate, "from", "to"]
    if answer.question.baseline is None:
        return names, ([g.label, g.n, g.value, g.low, g.high, g.lit_value] for g in answer.groups)
    return [*names, "baseline", "difference"], (
        [g.label, g.n, g.value, g.low, g.high, g.base, answer.difference(g), g.lit_value]
        for g in answer.groups
    )


def cross_figures(answer: CrossAnswer) -> Made:
    names = [answer.question.across, answer.question.also or "", "rows", answer.question.measure.aggregate]

    def rows() -> Iterator[list[Figure]]:
        for lane, row in zip(answer.lanes, answer.cells, strict=True):
            for series, cell in zip(answer.series, row, strict=True):
                if cell is not None:
                    found: list[Figure] = [lane.label, series.label, cell.n, cell.value]
                    yield [*found, cell.low, cell.high, cell.lit_value]

    return [*names, "from", "to"], rows()


def several_figures(answer: SeveralAnswer) -> Made:
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


def together_figures(answer: TogetherAnswer) -> Made:
    def rows() -> Iterator[list[Figure]]:
        for i, j in answer.pairs():
            lit = None if answer.lit_r is None else float(answer.lit_r[i, j])
            found = [answer.columns[i].name, answer.columns[j].name]
            yield [*found, float(answer.r[i, j]), int(answer.n[i, j]), lit]

    return ["one", "other", "correlation", "rows"], rows()


def goes_figures(answer: GoesAnswer) -> Made:
    def rows() -> Iterator[list[Figure]]:
        for i, one in enumerate(answer.rows.groups):
            for j, other in enumerate(answer.columns.groups):
                found = [
                    int(answer.counts[i, j]),
                    float(answer.expected[i, j]),
                    float(answer.residuals[i, j]),
                ]
                yield [one.label, other.label, *found, None if answer.lit is None else int(answer.lit[i, j])]

    return [answer.column.name, answer.against.name, "count", "by chance", "standard errors"], rows()


def relate_figures(answer: RelateAnswer) -> Made:
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
                ends = [cell_at(x, cell.x_low), cell_at(x, cell.x_high), cell_at(y, cell.y_low), cell_at(y, cell.y_high)]
                yield [*first, *ends, cell.count, cell.lit]

    return names, rows()


def over_time_figures(answer: OverTimeAnswer) -> Made:
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


def cycle_figures(answer: CycleAnswer) -> Made:
    measure = answer.question.measure
    what = f"{measure.aggregate} of {measure.column}" if measure.column else measure.aggregate
    several = len(answer.rounds) > 1
    names = [*([answer.question.split or "line"] if several else []), answer.question.part, what, "rows"]

    def rows() -> Iterator[list[Figure]]:
        for one in answer.rounds:
            for i, part in enumerate(answer.parts):
                if one.n[i]:
                    first: list[Figure] = [one.label] if several else []
                    lit = None if one.lit_n is None else int(one.lit_n[i])
                    yield [*first, part, float(one.values[i]), int(one.n[i]), lit]

    return names, rows()


def apart_figures(answer: ApartAnswer) -> Made:
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


def ahead_figures(answer: AheadAnswer) -> Made:
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
                yield [cell_at(answer.time, float(clock[answer.end + i])), one.label, None, float(mean), *ends]

    return names, ([*row, None] for row in rows())


_MAKERS: dict[type, Callable[[Any], Made]] = {
    HistogramAnswer: histogram_figures,
    BoxesAnswer: boxes_figures,
    BarsAnswer: bars_figures,
    CurvesAnswer: curves_figures,
    StripAnswer: strip_figures,
    AnglesAnswer: angles_figures,
    CompareAnswer: compare_figures,
    CrossAnswer: cross_figures,
    SeveralAnswer: several_figures,
    RelateAnswer: relate_figures,
    TogetherAnswer: together_figures,
    GoesAnswer: goes_figures,
    OverTimeAnswer: over_time_figures,
    CycleAnswer: cycle_figures,
    ApartAnswer: apart_figures,
    AheadAnswer: ahead_figures,
}
