"""What people say for how groups compare."""

from __future__ import annotations

import math
from typing import Any

from night_trail.core.question import to_json
from night_trail.core.questions.compare.question import Baseline, Rule
from night_trail.core.questions.shared.phrase import Outline, Phrase, whole_number


def _lowest(args: tuple[Any, ...], question: Any) -> str:
    return f"least:{args[0]:.0f}"


def _both(args: tuple[Any, ...], question: Any) -> str:
    return f"both:{args[0]:.0f}"


def _each(args: tuple[Any, ...], question: Any) -> str:
    return f"{args[0]:.0f}"


def _more_than(args: tuple[Any, ...], question: Any) -> str:
    return f"{math.floor(args[0]) + 1:.0f}"


def _plan(args: tuple[Any, ...], question: Any) -> str:
    return to_json(Baseline(column=args[0].name))


def _group(args: tuple[Any, ...], question: Any) -> str:
    return to_json(Baseline(group=args[0]))


def _target(args: tuple[Any, ...], question: Any) -> str:
    return to_json(Baseline(target=args[0]))


def _above(args: tuple[Any, ...], question: Any) -> str:
    return to_json(Rule("above", args[0]))


def _below(args: tuple[Any, ...], question: Any) -> str:
    return to_json(Rule("below", args[0]))


def _table(args: tuple[Any, ...], question: Any) -> str:
    """Return a table; two categories cross in a grid."""
    return "grid" if question.also else "table"


def _parts(args: tuple[Any, ...], question: Any) -> str:
    """Return the shape that shows parts of the whole."""
    return "shares" if question.also else "ring"


PHRASES = (
    Phrase("compare|compared|comparison|rank|ranked|ranking|breakdown|broken down|break down", vote=0.4),
    Phrase("differ|differs|difference|differences between|league table", vote=0.4),
    Phrase("dots|dot plot|dots with intervals|with intervals|with error bars|points", "shape", "dots", vote=0.1),
    Phrase("bars|bar chart|bar graph|bar plot|columns|column chart", "shape", "bars", vote=0.2),
    Phrase("stacked|stacked bars|stack|stacked bar chart", "shape", "stacked", vote=0.1),
    Phrase("shares|bars of shares|stacked to 100 %|as percentages|as shares|by share", "shape", "shares"),
    Phrase("as a share|percent|in percent|share of the total|as parts of the whole", "shape", _parts, vote=0.1),
    Phrase("heat grid|heat map|heatmap|grid|matrix", "shape", "grid", vote=0.1),
    Phrase("table|as a table|in a table|pivot|pivot table|cross table", "shape", _table, vote=0.3),
    Phrase("ring|pie|pie chart|donut|doughnut|as a ring|as a pie", "shape", "ring", vote=0.8),
    Phrase("one bar|as one bar", "shape", "strip", vote=0.5),
    Phrase("one figure|one number|single figure|single number|as a number|big number", "shape", "figure", vote=0.6),
    Phrase("slopes|as slopes|slope graph|before and after lines", "shape", "slope", vote=0.7),
    Phrase("dumbbells|as dumbbells|dumbbell", "shape", "dots", vote=0.7),
    Phrase("stair|stairs|waterfall", "shape", "stair", vote=0.6),
    Phrase(
        "top #|highest #|largest #|biggest #|# largest|# highest|# biggest|# most|first #"
        "|leading #|busiest #|# busiest|# most frequent|only the top #|only the # largest",
        "keep", whole_number, vote=0.6,
    ),
    Phrase(
        "bottom #|quietest #|# quietest|lowest #|smallest #|least #|# lowest|# smallest|# least|last # places",
        "keep", _lowest, vote=0.6,
    ),
    Phrase("top and bottom #|top # and bottom #|highest and lowest #|both ends #|largest and smallest #", "keep", _both, vote=1.3),
    Phrase("lowest first|smallest first|ascending|from the bottom|worst first|least first", "keep", "least:"),
    Phrase("highest first|largest first|descending|most first|best first", "keep", ""),
    Phrase("all of them|all groups|keep all|show all", "keep", ""),
    Phrase(
        "at least # & each|with at least # & each|at least # each|with at least # each|minimum # &"
        "|at least # & per group|min # &",
        "least", _each, vote=0.6,
    ),
    Phrase(
        "in its own order|in their own order|sorted by name|sort by name|by name|alphabetically|alphabetical"
        "|ordered by name|in order",
        "order", "own",
    ),
    Phrase("sorted by value|sort by value|ordered by value|by value|sorted|sort|ordered", "order", "value"),
    Phrase("with more than # &|more than # &|over # &|with over # &", "least", _more_than, vote=0.4),
    Phrase("minus @|less @|difference to @|difference from @|above @|below @", "baseline", _plan),
    Phrase("against @|vs @|versus @|compared with @|compared to @|relative to @|held against @"
           "|compare with @|compare to @|compare against @", "baseline", _plan),
    Phrase(
        "against ^|vs ^|versus ^|compared with ^|compared to ^|relative to ^|held against ^|compare with ^",
        "baseline", _group,
    ),
    Phrase("against a target of #|with a target of #|target of #|target #|against #", "baseline", _target),
    Phrase("relative to it|relative|difference in percent", "show", "relative"),
    Phrase("as a share of the whole difference|as a share of the difference", "show", "share"),
    Phrase("with bars cut off below|cut axis|bars cut off|cut the axis", "axis", "cut"),
    Phrase("with bars from 0|from zero|bars from zero", "axis", "zero"),
    Phrase("mark above #|marking what is above #|mark what is above #", "rule", _above, vote=0.3),
    Phrase("mark below #|marking what is below #|mark what is below #", "rule", _below, vote=0.3),
)  # fmt: skip


def likely(asked: Outline) -> float | None:
    """Return how likely what was asked is a comparison: a figure, and groups to take it of."""
    counted = asked.categories == 1 and asked.groups > 0 and not asked.numbers
    if asked.timed or not (asked.figured or asked.numbers or counted):
        return None
    if asked.groups == 0 and asked.numbers > (0 if asked.figured else 1):
        return None  # several figures of no groups
    fit = 0.4 if asked.figured else 0.1
    if asked.groups == 0:
        fit -= 0.5
    if asked.groups > 2:
        fit -= 1.0
    return fit + (0.4 if asked.ranked else 0.0) + (0.5 if asked.numbers > 1 and asked.groups else 0.0)
