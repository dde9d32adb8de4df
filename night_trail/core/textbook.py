"""All figures of a picture: those its words leave out, for the analyst who looks for one by its name."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from night_trail.core.questions.compare.answer import CompareAnswer
from night_trail.core.questions.correlation.answer import CorrelationAnswer
from night_trail.core.questions.decomposition.answer import DecompositionAnswer
from night_trail.core.questions.forecast.answer import ForecastAnswer
from night_trail.core.questions.over_time.answer import OverTimeAnswer
from night_trail.core.questions.registry import Answer
from night_trail.core.questions.relate.answer import RelateAnswer
from night_trail.core.questions.spread.question import Spread
from night_trail.core.rows import Rows
from night_trail.core.stats.intervals import Z95
from night_trail.core.stats.textbook import (
    Named,
    autocorrelations,
    classical_seasons,
    of_differences,
    of_errors,
    of_groups,
    of_pair,
    of_sample,
    partial_correlations,
)
from night_trail.core.table import Floats

MOST_PARTS, MOST_LAGS, MOST_PLACES = 13, 36, 53


@dataclass(frozen=True)
class FigureLine:
    """A figure with its name; None where there is none."""

    label: str
    value: float | int | None


@dataclass(frozen=True)
class Likeness:
    """Autocorrelations from lag 1 on, and the size that chance alone stays under in 95 of 100."""

    by_lag: tuple[float, ...]
    chance: float


@dataclass(frozen=True)
class FigurePart:
    """Figures that belong together: of all rows, of a group, of a test."""

    title: str
    lines: tuple[FigureLine, ...]
    likeness: Likeness | None = None


def all_figures(answer: Answer, rows: Rows) -> tuple[FigurePart, ...]:
    """Return all figures of a picture, of the rows that are kept; none where it has no more than it shows."""
    match answer:
        case CompareAnswer():
            found = _compare(answer, rows)
        case RelateAnswer():
            found = _relate(answer, rows)
        case CorrelationAnswer():
            found = _together(answer, rows)
        case OverTimeAnswer():
            found = _series(answer.together.values[answer.whole], answer.calendar.grain)
        case DecompositionAnswer() if answer.parts is not None:
            found = _apart(answer)
        case ForecastAnswer() if answer.forecast is not None:
            found = _ahead(answer)
        case _:
            question = getattr(answer, "question", None)
            found = _spread(question, rows) if isinstance(question, Spread) else []
    return tuple(part for part in found if part.lines)


def _part(title: str, lines: list[Named], likeness: Likeness | None = None) -> FigurePart:
    return FigurePart(
        title,
        tuple(
            FigureLine(f.label, f.value if isinstance(f.value, int) or math.isfinite(f.value) else None)
            for f in lines
        ),
        likeness,
    )


def _values(name: str, rows: Rows) -> Floats:
    """Return a measured column's cells of the kept rows; yes is 1 and no 0."""
    table = rows.table
    if table.column(name).kind.measured:
        cells = table.axis(name).values
    else:
        coded = table.coded(name)
        yes = coded.labels.index("yes") if "yes" in coded.labels else -2
        cells = np.where(coded.codes < 0, np.nan, (coded.codes == yes).astype(np.float64))
    return cells if rows.kept is None else cells[rows.kept]


def _members(name: str, across: str, rows: Rows) -> list[tuple[str, Floats]]:
    """Return the values of each group, the groups with the most of them first."""
    values, coded = _values(name, rows), rows.table.coded(across)
    codes = coded.codes if rows.kept is None else coded.codes[rows.kept]
    used = ~np.isnan(values) & (codes >= 0)
    values, codes = values[used], codes[used]
    order = np.argsort(codes, kind="stable")
    counts = np.bincount(codes, minlength=len(coded.labels))
    parts = np.split(values[order], np.cumsum(counts)[:-1])
    return [(coded.labels[i], parts[i]) for i in np.argsort(-counts, kind="stable") if counts[i]]


def _spread(question: Spread, rows: Rows) -> list[FigurePart]:
    if not rows.table.column(question.column).kind.numeric:
        return []
    values = _values(question.column, rows)
    found = [_part(f"{question.column}, all rows", of_sample(values[~np.isnan(values)]))]
    return found + (_groups(question.column, question.across, rows) if question.across else [])


def _groups(name: str, across: str, rows: Rows) -> list[FigurePart]:
    members = _members(name, across, rows)
    found = [_part(f"{name} across {across}", of_groups([values for _, values in members]))]
    return found + [
        _part(f"{name}, {label}", of_sample(values)) for label, values in members[: MOST_PARTS - 1]
    ]


def _compare(answer: CompareAnswer, rows: Rows) -> list[FigurePart]:
    question = answer.question
    name, column = question.measure.column, answer.column
    if name is None or column is None or not (column.kind.numeric or column.kind == "yes/no"):
        return []
    values = _values(name, rows)
    found = [_part(f"{name}, all rows", of_sample(values[~np.isnan(values)]))]
    found += _groups(name, question.across, rows)
    plan = question.baseline.column if question.baseline else None
    if plan is not None:
        other = _values(plan, rows)
        both = ~(np.isnan(values) | np.isnan(other))
        found.append(_part(f"{name} against {plan}, row by row", of_differences(values[both], other[both])))
    return found


def _relate(answer: RelateAnswer, rows: Rows) -> list[FigurePart]:
    question = answer.question
    x, y = (_values(n, rows) for n in (question.against, question.column))
    both = ~(np.isnan(x) | np.isnan(y))
    if question.window is not None:
        low_x, high_x, low_y, high_y = question.window
        both &= (x >= low_x) & (x <= high_x) & (y >= low_y) & (y <= high_y)
    if question.log_x:
        both &= x > 0
    if question.log_y:
        both &= y > 0
    x, y = x[both], y[both]
    x, y = np.log10(x) if question.log_x else x, np.log10(y) if question.log_y else y
    of = [
        f"log {n}" if log else n
        for n, log in ((question.column, question.log_y), (question.against, question.log_x))
    ]
    zoomed = ", in the part zoomed into" if question.window is not None else ""
    return [
        _part(f"{of[0]} on {of[1]}, row by row{zoomed}", of_pair(x, y)),
        _part(f"{of[0]}{zoomed}", of_sample(y)),
        _part(f"{of[1]}{zoomed}", of_sample(x)),
    ]


def _together(answer: CorrelationAnswer, rows: Rows) -> list[FigurePart]:
    names = [c.name for c in answer.columns]
    partial = partial_correlations(np.column_stack([_values(n, rows) for n in names]))
    pairs = [(i, j) for i in range(len(names)) for j in range(i + 1, len(names))]
    return [
        _part(
            "Correlations", [Named(f"{names[i]} with {names[j]}", float(answer.r[i, j])) for i, j in pairs]
        ),
        _part(
            "Partial correlations, all other numbers held fixed",
            [Named(f"{names[i]} with {names[j]}", float(partial[i, j])) for i, j in pairs],
        ),
    ]


def _series(values: Floats, grain: str) -> list[FigurePart]:
    like = autocorrelations(values, MOST_LAGS)
    n = int(np.count_nonzero(~np.isnan(values)))
    lines = [
        Named(f"{lag} {grain}{'' if lag == 1 else 's'} later", float(r)) for lag, r in enumerate(like, 1)
    ]
    found = [_part(f"The figure of each whole {grain}", of_sample(values[~np.isnan(values)]))]
    if lines:
        chance = Z95 / math.sqrt(n)
        lines.insert(0, Named("beyond chance where over, in size", chance))
        likeness = Likeness(tuple(like.tolist()), chance)
        found.append(_part("How like itself it is (autocorrelation)", lines, likeness))
    return found


def _apart(answer: DecompositionAnswer) -> list[FigurePart]:
    parts = answer.parts
    assert parts is not None  # noqa: S101  (asked only of parts)
    found = _series(np.where(parts.filled, np.nan, parts.values), answer.calendar.grain)
    period = min(parts.periods, default=0)
    if 2 <= period <= MOST_PLACES and len(parts.values) >= 2 * period:
        labels, places = answer.places(period)
        for way, said in (("add", "added"), ("multiply", "multiplied")):
            if way == "add" or parts.values.min() > 0:
                season = classical_seasons(parts.values, places, period, way)
                named = [Named(label, float(at)) for label, at in zip(labels, season, strict=True)]
                found.append(_part(f"Classical decomposition, {said}: the season", named))
    return [*found, _part("What trend and seasons leave", of_sample(parts.rest[~parts.filled]))]


def _ahead(answer: ForecastAnswer) -> list[FigurePart]:
    found = answer.forecast
    assert found is not None  # noqa: S101  (asked only with a forecast)
    past = answer.values[answer.start : answer.end]
    k, season = len(found.last), max(found.periods, default=1)
    train = past[: len(past) - k]
    steps = np.abs(train[season:] - train[:-season])
    scale = float(np.nanmean(steps)) if len(steps) and not np.isnan(steps).all() else 0.0
    has = ~np.isnan(past[-k:])
    methods = [Named(c.name, c.mase) for c in found.candidates]
    return [
        _part(
            f"The last {k} {answer.calendar.grain}s as they would have been said",
            of_errors(past[-k:][has], found.last[has], scale),
        ),
        _part("Mean absolute scaled error of each method, from earlier origins", methods),
    ]
