"""What people say for how a column is spread."""

from __future__ import annotations

from typing import Any

from night_trail.core.questions.shared.phrase import Outline, Phrase
from night_trail.core.questions.spread.question import Bins


def _count(args: tuple[Any, ...], question: Any) -> Bins:
    return Bins(count=max(1, int(min(args[0], 9_999))))


def _width(args: tuple[Any, ...], question: Any) -> Bins:
    return Bins(width=args[0])


def _bars_or_histogram(args: tuple[Any, ...], question: Any) -> str:
    """Return bars where a category is counted; of a number they are those of a histogram."""
    return "bars" if question.shape == "bars" else "histogram"


PHRASES = (
    Phrase("distribution|distributions|distributed|spread|spread out|frequency|frequencies|how often", vote=0.7),
    Phrase("percentiles|quantiles|quartiles|how much varies|vary|varies|variation", vote=0.5),
    Phrase("what is typical|typical|what is the range|range of|range", vote=0.5),
    Phrase("histogram|histograms|as a histogram", "shape", "histogram", vote=0.8),
    Phrase("box plot|box plots|boxplot|boxplots|boxes|box and whiskers|box whisker", "shape", "boxes", vote=0.9),
    Phrase("density|density curve|density curves|densities|violin|violins", "shape", "density", vote=0.7),
    Phrase(
        "running share|cdf|ecdf|cumulative distribution|cumulative share|cumulative shares", "shape", "running", vote=0.8
    ),
    Phrase("strip|strip of points|points|strip plot|every row as a point", "shape", "strip", vote=0.2),
    Phrase("letter values|letter value plot", "shape", "letters", vote=0.8),
    Phrase("bars|bar chart|columns", "shape", _bars_or_histogram),
    Phrase("# bins|in # bins|with # bins|use # bins|# classes", "bins", _count, vote=0.8),
    Phrase(
        "bins of #|in bins of #|with bins of #|finer bins of #|wider bins of #|bin width #|bin width of #"
        "|bins # wide|in steps of #|classes of #",
        "bins", _width, vote=0.8,
    ),
    Phrase("bins after sturges|sturges", "bins", Bins(rule="sturges"), vote=0.8),
    Phrase("bins after scott|scott", "bins", Bins(rule="scott"), vote=0.6),
    Phrase("bins after freedman diaconis|bins after freedman and diaconis|after freedman and diaconis|after freedman diaconis|freedman diaconis", "bins", Bins(rule="freedman"), vote=0.8),
    Phrase("square root rule|bins after the square root rule", "bins", Bins(rule="root"), vote=0.8),
    Phrase("by share|as share|as shares|in percent|as percentages|in shares|as a share", "height", "share"),
    Phrase("by count|as counts|as numbers", "height", "count"),
    Phrase("by density", "height", "density", vote=0.2),
    Phrase("log|log scale|on a log scale|logarithmic|logarithmic scale|logged|log axis", "scale", "log"),
    Phrase("plain scale|linear scale|no log|without log|not log", "scale", "plain"),
    Phrase("over each other|overlaid|overlay|overlapping|on top of each other", "side", "overlaid", vote=0.3),
    Phrase("in panels|panels|small panels|small multiples|side by side|below each other", "side", "panels"),
    Phrase("each on its own scale|own scales", "side", "own", vote=0.3),
    Phrase("back to back|mirrored", "side", "mirrored", vote=0.5),
    Phrase("open ends|with open ends|all the way out|with all outliers", "ends", "open", vote=0.3),
    Phrase("tails gathered|gather the tails|without far tails", "ends", "gathered", vote=0.3),
    Phrase("most frequent first|by frequency|highest middle first", "order", "frequent", vote=0.3),
    Phrase("in its own order|in their own order|by name|alphabetically|sorted by name|sort by name", "order", "own"),
    Phrase("three bin widths|at three bin widths", "angles", "yes", vote=0.8),
)  # fmt: skip


def likely(asked: Outline) -> float | None:
    """Return how likely what was asked is a spread: one column is named, and no figure of it."""
    if asked.figured or asked.numbers + asked.categories != 1 or asked.groups > 1 or asked.timed:
        return None
    return 0.6 - (0.5 if asked.ranked else 0.0) - (0.3 if asked.categories and asked.groups else 0.0)
