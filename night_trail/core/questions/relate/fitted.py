"""How strong a relation is, the line or curve through it, and whether it holds within groups."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from night_trail.core.questions.relate.cloud import Cloud
from night_trail.core.questions.relate.question import Relate
from night_trail.core.questions.relate.turning import Turning, turning_of
from night_trail.core.questions.shared.axes import BinnedAxis
from night_trail.core.rows import Rows
from night_trail.core.stats import relation
from night_trail.core.table import Floats


@dataclass(frozen=True)
class FitSummary:
    """What is said of two columns, whatever is lit and whichever fit is drawn."""

    correlation: relation.Correlation | None
    line: relation.FittedLine | None
    turning: Turning | None


def _straight(question: Relate, cloud: Cloud) -> tuple[Floats, Floats]:
    """Return places as they lie along the axes: on log scales their logarithms."""
    return (
        np.log10(cloud.x) if question.log_x else cloud.x,
        np.log10(cloud.y) if question.log_y else cloud.y,
    )


def strength(question: Relate, cloud: Cloud) -> relation.Correlation | None:
    """Return how strongly places are related, along their axes."""
    return relation.correlation(*_straight(question, cloud))


def summary(question: Relate, rows: Rows, cloud: Cloud) -> FitSummary:
    """Return what is said of a whole cloud, along its axes."""
    x, y = _straight(question, cloud)
    pair = relation.pair_of(x, y) if len(x) else None
    correlation, line = relation.correlation(x, y, pair), relation.least_squares(x, y, pair)
    # what holds within groups is looked at row by row
    turning = None if question.each else turning_of(rows, x, y, cloud.at, correlation, line)
    return FitSummary(correlation, line, turning)


@dataclass(frozen=True)
class Fit:
    """The line or the curve that is drawn through places; neither where none is asked for or possible."""

    line: relation.FittedLine | None = None
    curve: tuple[Floats, Floats] | None = None


def fit(
    question: Relate, part: Cloud, x_axis: BinnedAxis, y_axis: BinnedAxis, known: relation.FittedLine | None
) -> Fit:
    """Return the fit asked for; ``known`` is the line of least squares where it is at hand."""
    x, y = _straight(question, part)
    match question.fit:
        case "line":
            return Fit(line=_bent(known or relation.least_squares(x, y), x_axis, y_axis))
        case "robust":
            return Fit(line=_bent(relation.theil_sen(x, y), x_axis, y_axis))
        case "curve":
            curve = relation.lowess(x, y)
            return Fit(curve=curve and (x_axis.bent(curve[0]), y_axis.bent(curve[1])))
        case "none":
            return Fit()


def _bent(
    line: relation.FittedLine | None, x_axis: BinnedAxis, y_axis: BinnedAxis
) -> relation.FittedLine | None:
    """Return a line fitted along the axes, its places as values of the columns."""
    if line is None or not (x_axis.log or y_axis.log):
        return line
    x = line.x if len(line.x) > 2 else np.linspace(line.x[0], line.x[-1], 41)
    y = line.y if len(line.x) > 2 else line.intercept + line.slope * x
    low, high = (None if band is None else y_axis.bent(band) for band in (line.low, line.high))
    return replace(line, x=x_axis.bent(x), y=y_axis.bent(y), low=low, high=high)
