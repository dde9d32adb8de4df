"""What people say for how one column moves with another."""

from __future__ import annotations

from typing import Any

from night_trail.core.questions.shared.phrase import Outline, Phrase, column_name


def _other_axis(args: tuple[Any, ...], question: Any) -> str:
    """Return the column of the other axis: put in the place of this one, the axes are swapped."""
    name: str = question.against
    return name


PHRASES = (
    Phrase("scatter|scatterplot|scatter plot|scattered|point cloud|cloud", vote=0.9),
    Phrase("relation|relationship|link|connection|association|correlation|correlated|correlate|correlates", vote=0.6),
    Phrase("related|relate|relates|dependence|interplay|as points", vote=0.5),
    Phrase(
        "vs @|versus @|against @|moves with @|move with @|goes with @|go with @|go together with @|depends on @"
        "|correlation with @|correlate with @|correlated with @|relation with @|relation to @|related to @|link with @"
        "|link to @|relationship with @|relationship to @|depend on @|depending on @|as a function of @|plotted against @",
        "against", column_name, vote=0.6,
    ),
    Phrase(
        "coloured by @|colored by @|colour by @|color by @|coloured @|with colour by @|colours by @",
        "coloured", column_name, vote=0.5,
    ),
    Phrase("sized by @|size by @|with size by @|bubbles by @|bubble size by @", "sized", column_name, vote=0.5),
    Phrase(
        "in panels by @|in a panel for each @|with a panel for each @|a panel for each @|panels by @|panel per @"
        "|small multiples by @|a panel per @|one panel per @|split into panels by @",
        "panels", column_name, vote=0.4,
    ),
    Phrase("a point for each @|one point per @|a point per @|a dot for each @|points by @", "each", column_name, vote=0.6),
    Phrase("curve|with a curve|smooth|smoothed|smooth curve|smooth line", "fit", "curve", vote=0.3),
    Phrase("line|with a line|with a trend line|trend line|trendline|regression|linear fit|straight line|fit|as a line", "fit", "line"),
    Phrase("robust line|with a robust line|robust", "fit", "robust", vote=0.3),
    Phrase("no line|no fit|without a line|without line|without the line|without fit|no curve", "fit", "none"),
    Phrase("log log|log scales|on log scales|both on log|log|log scale|logarithmic", "scale", "log"),
    Phrase("log x|x on log|horizontal on a log scale", "scale", "log x", vote=0.3),
    Phrase("log y|y on log|upright on a log scale", "scale", "log y", vote=0.3),
    Phrase("plain scales|linear scales|no log|without log", "scale", "plain"),
    Phrase("each against its average", "scale", "index", vote=0.2),
    Phrase("spreads at the edges|with spreads at the edges|with margins", "margins", "yes", vote=0.3),
    Phrase("swap axes|swap the axes|flip axes|flip the axes|other way round|axes swapped", "column", _other_axis),
    Phrase("zoom out|zoomed out", "window", None),
)  # fmt: skip


def likely(asked: Outline) -> float | None:
    """Return how likely what was asked is a relation: two columns with an axis each, no figure."""
    if asked.figured or asked.timed or asked.numbers not in (1, 2) or asked.categories > 1:
        return None
    if asked.numbers == 1 and not (asked.votes and asked.moves):
        return None
    loose = not (asked.linked or asked.moves or asked.votes)
    fit = (
        (-0.4 if loose else 0.3)
        + (0.5 if asked.moves or asked.votes else 0.0)
        - (0.4 if asked.ranked else 0.0)
    )
    return fit - (0.6 if asked.groups and not (asked.moves or asked.votes) else 0.0)
