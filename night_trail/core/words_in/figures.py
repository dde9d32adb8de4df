"""Figures by the words for them."""

from __future__ import annotations

from night_trail.core.measure import Aggregate, Measure
from night_trail.core.questions.shared.measures import fits
from night_trail.core.table import Column

FIGURES: dict[str, Aggregate] = {
    "mean": "mean", "median": "median", "sum": "sum", "quantile": "quantile", "distinct": "distinct",
    "ratio": "ratio",
}  # fmt: skip
FIGURE_WORDS = {
    "mean": "average", "median": "median", "sum": "sum", "quantile": "quantile", "distinct": "number",
    "ratio": "ratio",
}  # fmt: skip


def figure_measure(figure: tuple[str, float], column: Column) -> Measure | None:
    """Return a figure of a column, None where it has none."""
    name, level = figure
    aggregate = FIGURES.get(name)
    if aggregate is None or aggregate == "ratio" or not fits(aggregate, column):
        return None
    return (
        Measure(aggregate, column.name, level=level)
        if name == "quantile"
        else Measure(aggregate, column.name)
    )
