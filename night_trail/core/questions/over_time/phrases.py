"""What people say for how a measure changed over time."""

from __future__ import annotations

from typing import Any

from night_trail.core.question import to_json
from night_trail.core.questions.over_time.question import Against, Level
from night_trail.core.questions.shared.phrase import Outline, Phrase, column_name, whole_number


def _window(args: tuple[Any, ...], question: Any) -> str:
    return f"rolling {min(max(args[0], 0), 9_999):.0f}"


def _plan(args: tuple[Any, ...], question: Any) -> str:
    return to_json(Against("column", args[0].name))


def _target(args: tuple[Any, ...], question: Any) -> str:
    return to_json(Level("target", args[0]))


def _percentile(args: tuple[Any, ...], question: Any) -> str:
    return to_json(Level("percentile", args[0]))


PHRASES = (
    Phrase(
        "over time|through time|time series|timeline|history|in time|as time went on|with time|across time", vote=1.0
    ),
    Phrase("trend|trends|trend of|development|evolution|growth|grow|grew|growing|rise|rising|fell|fall|falling|decline|declined|drop off", vote=0.7),
    Phrase("change|changed|changes|changing|develop|developed|evolve|evolved|went up|went down", vote=0.6),
    Phrase("when is|when was|when are|when were|when do|when did|when does|when will", vote=0.55),
    Phrase("as a line|line chart|line graph|line plot", "shape", "line", vote=0.5),
    Phrase("line|lines", "shape", "line"),
    Phrase("as steps|step line", "shape", "steps", vote=0.5),
    Phrase("steps", "shape", "steps"),
    Phrase("area|as an area|area chart", "shape", "area", vote=0.3),
    Phrase("columns|column chart|bars|bar chart|as columns", "shape", "columns", vote=0.1),
    Phrase("stacked|stacked areas|stacked area|stack|stacked area chart", "shape", "stacked", vote=0.1),
    Phrase("shares|areas of shares|stacked to 100 %|as shares|as percentages", "shape", "shares"),
    Phrase("small panels|small multiples|panels|in panels|side by side|panel each", "shape", "panels", vote=0.1),
    Phrase("bands of colour|bands of color", "shape", "horizon", vote=0.5),
    Phrase("calendar|calendar of days|as a calendar|calendar view", "shape", "days", vote=0.8),
    Phrase("ranks|as ranks|ranks over time", "shape", "ranks", vote=0.2),
    Phrase("running total|as a running total|cumulative|cumulated|cumulatively|running sum|accumulated|adding up",
           "view", "running", vote=0.6),
    Phrase("year so far|year to date|ytd|to date|so far this year", "view", "to date", vote=0.6),
    Phrase("rolling mean|moving average|rolling average|moving mean|running mean", "view", "rolling", vote=0.6),
    Phrase(
        "|".join(
            f"{head} {link}#{unit}"
            for head in ("rolling mean", "moving average", "rolling average", "rolling", "moving mean")
            for link in ("of ", "over ", "")
            for unit in ("", " days", " weeks", " months", " quarters", " years", " periods")
        )
        + "|# month moving average|# month rolling mean|# day moving average|# day rolling mean|# week moving average"
        "|# month rolling average|# week rolling mean|# day rolling average",
        "view", _window, vote=0.7,
    ),
    Phrase("index|as an index|indexed|as index", "view", "index", vote=0.5),
    Phrase("with days evened out|days evened out|evened out", "view", "evened", vote=0.5),
    Phrase("as it is|plain figures", "view", "plain"),
    Phrase(
        "against the year before|against last year|compare with last year|compared with last year"
        "|compared to last year|compare to last year|vs last year|versus last year|year over year|year on year"
        "|than last year|against the previous year|against a year ago|this year against last"
        "|this year vs last year|this year against last year|this year versus last year|same period last year"
        "|compared with the year before|compared to the year before|with the year before|with last year"
        "|yoy|year before|relative to the year before|relative to last year|compared with a year ago|on the year before",
        "against", to_json(Against("year")), vote=0.8,
    ),
    Phrase(
        "against the period before|month over month|month on month|week over week|week on week"
        "|quarter over quarter|quarter on quarter|against the month before|compared with the month before"
        "|against the previous period|compared with the period before|against the previous month"
        "|compared with last month|compared to last month|against last month|day over day"
        "|compared with the week before|compared with last week|change from month to month"
        "|compared with the quarter before|compared with last quarter",
        "against", to_json(Against("before")), vote=0.8,
    ),
    Phrase("minus @|less @|difference to @|difference from @", "against", _plan),
    Phrase("against @|vs @|versus @|compared with @|compared to @|held against @|compare with @|compare to @"
           "|compare against @", "against", _plan),
    Phrase("mark @|with @ marked|marking @", "events", column_name, vote=0.3),
    Phrase("against nothing|no comparison", "against", ""),
    Phrase("relative to it|in percent|percentage change|as a percentage|relative", "show", "relative"),
    Phrase("with the mean|with mean|mean line|with the average|with average", "levels", to_json(Level("mean")), vote=0.4),
    Phrase("with the median|with median|median line", "levels", to_json(Level("median")), vote=0.4),
    Phrase("with a target of #|target of #|target #|with target #|with a target at #", "levels", _target, vote=0.4),
    Phrase("with the # percentile|with the #th percentile", "levels", _percentile, vote=0.4),
    Phrase("with points|with markers|points", "shape", "points"),
    Phrase("top #|largest #|biggest #|the # largest|# largest", "keep", whole_number),
)  # fmt: skip


def likely(asked: Outline) -> float | None:
    """Return how likely what was asked is about change: time is named, or a word for change."""
    if not (asked.timed or asked.votes >= 0.4) or not (asked.figured or asked.numbers):
        return None
    return (0.7 if asked.timed else 0.1) - (0.6 if asked.groups > 1 else 0.0)
