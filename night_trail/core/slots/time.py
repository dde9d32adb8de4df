"""The sentences of time, as they are said."""

from __future__ import annotations

from typing import Any

from night_trail.core.answers.measures import ADDS_UP
from night_trail.core.slots.measures import measure_parts, measure_words, short_measure
from night_trail.core.slots.parts import Part, Sentence
from night_trail.core.stats.calendar import PART_NAMES
from night_trail.core.table import Kind, Table
from night_trail.core.time_questions import Against, Ahead, Apart, Cycle, Level, OverTime
from night_trail.core.words.numbers import THIN, counted, listed, number

Time = OverTime | Cycle | Apart | Ahead

GRAIN_WORDS: dict[str, str] = {
    "hour": "hour by hour",
    "day": "day by day",
    "week": "week by week",
    "month": "month by month",
    "quarter": "quarter by quarter",
    "year": "year by year",
}
SHAPE_WORDS = {
    "line": "a line",
    "area": "an area",
    "columns": "columns",
    "stacked": "stacked areas",
    "shares": "areas of shares",
    "panels": "small panels",
    "horizon": "bands of colour",
    "days": "a calendar of days",
    "ranks": "ranks",
}
VIEW_WORDS = {
    "plain": "as it is",
    "running": "as a running total",
    "to date": "as the year so far",
    "rolling": "as a rolling mean",
    "index": "as an index",
    "per day": "per day",
    "evened": "with days evened out",
}
AGAINST_WORDS = {"before": "the period before", "year": "the year before"}
SHOW_WORDS = {"absolute": "as it is", "relative": "relative to it"}
PART_WORDS = {"day": "the day", "week": "the week", "year": "the year", "quarters": "the quarters"}
CYCLE_SHAPES = {
    "line": "a line",
    "columns": "columns",
    "grid": "a grid of weekdays",
    "rows": "a row for each weekday",
}
WAY_WORDS = {"added": "added up", "multiplied": "multiplied"}
APART_SHOW = {
    "parts": "all parts",
    "season": "the season's shape",
    "adjusted": "the series without its season",
}
MONTH_NAMES = PART_NAMES["year"]


def over_said(question: OverTime, table: Table, answer: Any = None) -> Sentence:
    """Return the sentence of a measure over time; with its answer a chosen grain is named."""
    grain = question.grain or (answer.calendar.grain if answer is not None else None)
    parts = [Part("How did "), *measure_parts(question.measure, table)]
    addable: list[Part] = []
    if question.more:
        parts += [Part(" and "), Part(listed([measure_words(m, table) for m in question.more]), "more")]
    parts += [
        Part(" "),
        Part("change", "way"),
        Part(" "),
        Part(GRAIN_WORDS[grain] if grain else "over time", "grain"),
    ]
    clauses = [
        (question.split, "split", f"for each {question.split}", "a line for each group"),
        (question.against, "against", against_words(question.against), "hold it against the past"),
        (question.view != "plain", "view", view_words(question), "a running total, a rolling mean, …"),
        (
            question.levels,
            "levels",
            f"with {listed([level_words(lv) for lv in question.levels])}",
            "a level across",
        ),
        (question.events or question.bands, "events", events_words(question), "events"),
        (question.until, "until", f"under way until {question.until}", ""),
        (
            question.year_start > 1,
            "year_start",
            f"with years from {MONTH_NAMES[question.year_start - 1]}",
            "",
        ),
        (question.zone, "zone", f"by the clock of {question.zone}", ""),
        (question.keep, "keep", f"the largest {question.keep} kept", ""),
    ]
    for given, slot, words, offer in clauses:
        if given:
            parts += [Part(" "), Part(words, slot)]
        elif offer and not (slot == "split" and question.more):
            addable.append(Part(offer, slot))
    if not question.more and question.split is None and question.until is None:
        addable.append(Part("another measure", "more"))
    addable.append(Part("years, clock and ends", "time"))
    if question.against is not None and question.against.show != "absolute":
        parts += [Part(", the difference "), Part(SHOW_WORDS[question.against.show], "show")]
    elif question.against is not None:
        addable.insert(0, Part("the difference relative to it", "show"))
    shape = SHAPE_WORDS[question.shape] + (" with points" if question.points else "")
    parts += [Part(", drawn as "), Part(shape, "shape"), Part("?")]
    return Sentence(tuple(parts), tuple(addable))


def view_words(question: OverTime) -> str:
    """Return what is made of the figures."""
    if question.view == "rolling":
        grain = question.grain or "period"
        return f"as a rolling mean of {question.window} {grain}s"
    return VIEW_WORDS[question.view]


def against_words(against: Against | None) -> str:
    """Return what periods are held against."""
    if against is None:
        return ""
    return f"against {AGAINST_WORDS.get(against.kind) or against.group or against.column}"


def level_words(level: Level) -> str:
    """Return a level as the sentence names it."""
    if level.kind == "target":
        return f"a target of {number(level.at, 6)}"
    return f"the {level.at:g}th percentile" if level.kind == "percentile" else f"the {level.kind}"


def events_words(question: OverTime) -> str:
    """Return the events drawn behind, by their names."""
    names = list(dict.fromkeys(e.name for e in question.events))
    if question.bands:
        names.append(question.bands)
    return f"with {listed(names[:3] + ([f'{len(names) - 3} more'] if len(names) > 3 else []))} marked"


def cycle_said(question: Cycle, table: Table, answer: Any = None) -> Sentence:
    """Return the sentence of a measure through a cycle."""
    parts = [
        Part("How does "),
        *measure_parts(question.measure, table),
        Part(" "),
        Part("run", "way"),
        Part(" through "),
    ]
    parts.append(Part(PART_WORDS[question.part], "part"))
    addable = []
    if question.split:
        parts += [Part(" "), Part(f"for each {question.split}", "split")]
    elif question.years:
        parts += [Part(" "), Part("in each year", "split")]
    elif not question.by_weekday:
        addable.append(Part("a line for each group or year", "split"))
    if question.zone:
        parts += [Part(" "), Part(f"by the clock of {question.zone}", "zone")]
    elif table.column(question.time).kind == Kind.DATETIME:
        addable.append(Part("the clock", "zone"))
    parts += [Part(", drawn as "), Part(CYCLE_SHAPES[question.shape], "shape"), Part("?")]
    return Sentence(tuple(parts), tuple(addable))


def apart_said(question: Apart, table: Table, answer: Any = None) -> Sentence:
    """Return the sentence of a series taken apart."""
    grain = question.grain or (answer.calendar.grain if answer is not None else None)
    way = question.way or (answer.parts.way if answer is not None and answer.parts is not None else None)
    parts = [
        Part("What are the "),
        Part("trend and seasons", "way"),
        Part(" of "),
        *measure_parts(question.measure, table),
    ]
    parts += [Part(" "), Part(GRAIN_WORDS[grain] if grain else "over time", "grain")]
    parts += [Part(", "), Part(WAY_WORDS[way] if way else "as fits", "how")]
    parts += [Part(", shown as "), Part(APART_SHOW[question.show], "show"), Part("?")]
    return Sentence(tuple(parts), (Part("use a part as a column", "column-of"),))


def ahead_said(question: Ahead, table: Table, answer: Any = None) -> Sentence:
    """Return the sentence of a forecast."""
    grain = question.grain or (answer.calendar.grain if answer is not None else None)
    horizon = question.horizon or (answer.horizon if answer is not None and answer.end else None)
    next_ = counted(horizon, grain) if horizon and grain else "periods"
    parts = [Part("Where is "), *measure_parts(question.measure, table), Part(" "), Part("going", "way")]
    parts += [Part(" "), Part(GRAIN_WORDS[grain] if grain else "over time", "grain"), Part(" over the next ")]
    parts.append(Part(next_, "horizon"))
    addable = []
    for given, slot, words, offer in (
        (question.split, "split", f"for each {question.split}", "each group's own"),
        (question.plan, "plan", f"against {question.plan}", "a plan"),
        (question.known, "known", f"knowing {question.known}", "a column that is known ahead"),
        (question.events, "events", _known_words(question), "holidays and other known days"),
    ):
        if given:
            parts += [Part(" "), Part(words, slot)]
        elif slot != "split" or question.measure.aggregate in ADDS_UP:
            addable.append(Part(offer, slot))
    parts += [Part(", with "), Part(bands_words(question.bands), "bands"), Part("?")]
    return Sentence(tuple(parts), tuple(addable))


def bands_words(bands: tuple[int, ...]) -> str:
    """Return the bands in words."""
    return listed([f"{b}{THIN}%" for b in sorted(bands)]) + (" bands" if len(bands) > 1 else " band")


def _known_words(question: Ahead) -> str:
    names = list(dict.fromkeys(e.name for e in question.events))
    return f"with {listed(names[:3])} known"


def short_name(question: Time) -> str:
    """Return a picture's name on the trail and beside."""
    what = short_measure(question.measure)
    match question:
        case OverTime(grain=grain, split=split):
            by = f", each {split}" if split else ""
            against = f" {against_words(question.against)}" if question.against else ""
            return f"{what} {GRAIN_WORDS[grain] if grain else 'over time'}{by}{against}"
        case Cycle(part=part):
            return f"{what} through {PART_WORDS[part]}"
        case Apart():
            return f"{what} taken apart"
        case Ahead():
            return f"{what} ahead"
