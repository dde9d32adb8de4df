"""How one column is spread: the door to histogram, box plots and bars."""

from __future__ import annotations

from collections.abc import Callable

from night_trail.core.errors import BadQuestion
from night_trail.core.questions.shared.grouping import makes_groups, natural_order, no_groups
from night_trail.core.questions.spread.angles import AnglesAnswer, angles
from night_trail.core.questions.spread.bars import BarsAnswer, bars
from night_trail.core.questions.spread.boxes import BoxesAnswer, boxes
from night_trail.core.questions.spread.curves import CurvesAnswer, curves
from night_trail.core.questions.spread.histogram import HistogramAnswer, histogram
from night_trail.core.questions.spread.question import Bins, Shape, Spread
from night_trail.core.questions.spread.strip import StripAnswer, strip
from night_trail.core.rows import Rows
from night_trail.core.table import Column, Table

SpreadAnswer = HistogramAnswer | BoxesAnswer | BarsAnswer | CurvesAnswer | StripAnswer | AnglesAnswer


_SHAPES: dict[str, Callable[[Spread, Rows], SpreadAnswer]] = {
    "histogram": histogram,
    "boxes": boxes,
    "letters": boxes,
    "bars": bars,
    "density": curves,
    "running": curves,
    "strip": strip,
}


def answer(question: Spread, rows: Rows) -> SpreadAnswer:
    """Return how a column is spread, in the shape asked for."""
    if question.angles:
        return angles(question, rows)
    return _SHAPES[question.shape](question, rows)


def shapes_for(column: Column) -> tuple[Shape, ...]:
    """Return the shapes that fit a column, best first."""
    if not column.kind.measured:
        return ("bars",)
    return ("histogram", "boxes", "density", "running", "strip", "letters")


def first_question(column: Column) -> Spread:
    """Return the first picture to show of a column."""
    return Spread(column=column.name, shape=shapes_for(column)[0], order=natural_order(column))


def fitted(question: Spread, table: Table) -> Spread:
    """Return the question with what does not fit its column put back to the default.

    Used when the column is swapped: a shape, bins or a height that make no
    sense for the new column are dropped, the rest stays.
    """
    column = table.column(question.column)
    shape = question.shape if question.shape in shapes_for(column) else shapes_for(column)[0]
    bins = question.bins
    if shape != "histogram" or (column.kind.temporal and (bins.width is not None or bins.start is not None)):
        bins = Bins()
    if (bins.rule if column.kind.temporal else bins.calendar) is not None:
        bins = Bins()
    across = question.across
    if across == question.column or shape == "bars":
        across = None
    height = question.height if shape == "histogram" else "count"
    if shape == "bars" and question.height == "share":
        height = "share"
    lanes = shape == "histogram" and across is not None
    log = question.scale == "log" and shape not in ("bars", "density") and not column.kind.temporal
    if log and (bins.width is not None or bins.start is not None):
        bins = Bins()
    return Spread(
        scale="log" if log else "plain",
        side=question.side if lanes else "panels",
        angles=question.angles and shape == "histogram" and across is None and not log,
        column=question.column,
        across=across,
        shape=shape,
        bins=bins,
        height=height,
        ends="gathered" if shape == "bars" else question.ends,
        order=question.order if shape != "histogram" else "frequent",
    )


def check(question: Spread, table: Table) -> None:
    """Refuse combinations that make no sense, naming the field."""
    column = table.column(question.column)
    if question.shape not in shapes_for(column):
        fit = " or ".join(SHAPE_WORDS[s] for s in shapes_for(column))
        raise BadQuestion(
            f"“{column.name}” is {column.kind} and cannot be drawn as {SHAPE_WORDS[question.shape]}",
            "shape",
            f"Choose {fit}.",
        )
    if question.across is not None:
        across = table.column(question.across)
        if question.across == question.column:
            raise BadQuestion("A column cannot be spread across itself", "across", "Choose another column.")
        if question.shape == "bars":
            raise BadQuestion(
                "Bars show one category", "across", "Choose a number or date to spread across groups."
            )
        if not makes_groups(across):
            raise no_groups(
                across, "across", "groups to set side by side", "Ask how its average compares across them."
            )
    if question.scale == "log" and (column.kind.temporal or question.shape in ("bars", "density")):
        raise BadQuestion(
            f"{SHAPE_WORDS[question.shape].capitalize()} of {column.name} has no log scale",
            "scale",
            "Choose a number as a histogram, box plots, a running share or a strip.",
        )
    if question.side in ("overlaid", "mirrored") and (
        question.across is None or question.shape != "histogram"
    ):
        raise BadQuestion("Only histograms of groups stand so", "side", "Spread across a category first.")
    bins = question.bins
    if bins.calendar is not None and not column.kind.temporal:
        raise BadQuestion(f"“{column.name}” has no calendar", "bins", "Give a width in its own unit.")
    if column.kind.temporal and (bins.width is not None or bins.start is not None):
        raise BadQuestion(f"“{column.name}” is a date", "bins", "Choose bins of a day, week, month or year.")


SHAPE_WORDS: dict[str, str] = {
    "histogram": "a histogram",
    "boxes": "box plots",
    "bars": "bars",
    "density": "a density curve",
    "running": "a running share",
    "strip": "a strip of points",
    "letters": "letter values",
}
