"""The sentence of a series over time."""

from __future__ import annotations

import re
from typing import Any

from msgspec.structs import replace

from night_trail.core.conditions import Condition
from night_trail.core.errors import BadQuestion
from night_trail.core.hand import whole
from night_trail.core.language.numbers import listed, number
from night_trail.core.measure import Measure
from night_trail.core.question import decode
from night_trail.core.questions.over_time.answer import fitted
from night_trail.core.questions.over_time.question import Against, Event, Level, OverTime
from night_trail.core.questions.shared.measure_slots import (
    measure_from,
    measure_parts,
    measure_words,
    short_measure,
)
from night_trail.core.questions.shared.sentence import Part, Sentence, chosen
from night_trail.core.questions.shared.time_change import changed_first, with_event
from night_trail.core.questions.shared.time_sentence import GRAIN_WORDS, MONTH_NAMES
from night_trail.core.table import Kind, Table

SHAPE_WORDS = {
    "line": "a line",
    "steps": "steps",
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


def said(question: OverTime, table: Table, answer: Any = None) -> Sentence:
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


def short_name(question: OverTime) -> str:
    """Return a picture's name on the trail and beside."""
    by = f", each {question.split}" if question.split else ""
    against = f" {against_words(question.against)}" if question.against else ""
    grain = GRAIN_WORDS[question.grain] if question.grain else "over time"
    return f"{short_measure(question.measure)} {grain}{by}{against}"


def changed(  # noqa: C901  (one case a slot)
    question: OverTime, slot: str, value: Any, table: Table, lit: Condition | None = None
) -> tuple[OverTime, str]:
    """Return the question with another choice in a slot, and the change in a few words."""
    if (found := changed_first(question, slot, value, table, lit)) is not None:
        return fitted(found[0]), found[1]
    match slot:
        case "split":
            name = table.column(value).name if value else None
            return fitted(replace(question, split=name)), f"for each {value}" if value else "all together"
        case "shape":
            if value == "points":
                on = not question.points
                return replace(question, points=on), "with points" if on else "without points"
            return fitted(replace(question, shape=value)), f"as {chosen(slot, value, SHAPE_WORDS)}"
        case "view":
            if isinstance(value, str) and (rolling := re.fullmatch(r"rolling (\d{1,3})", value)):
                asked = replace(question, view="rolling", window=int(rolling[1]))
                return fitted(asked), view_words(asked)
            label = chosen(slot, value, VIEW_WORDS)
            return fitted(replace(question, view=value)), label
        case "more":
            if not value:
                return fitted(replace(question, more=())), "one measure"
            measure = measure_from(value, table)
            more = tuple(m for m in question.more if m != measure)
            more = (*more, measure) if len(more) == len(question.more) else more
            if len(more) > 4 or measure == question.measure:
                raise BadQuestion("Five measures fit above each other", "more", "Take one away first.")
            return fitted(replace(question, more=more)), f"{'and' if measure in more else 'without'} {value}"
        case "until":
            name = table.column(value).name if value else None
            asked = replace(question, until=name, measure=Measure("count") if name else question.measure)
            return fitted(asked), f"under way until {value}" if value else "counted where it begins"
        case "year_start":
            if not (start := whole(value, 12)):
                raise BadQuestion("A year begins in one of twelve months", "year_start", "Choose one.")
            return replace(question, year_start=start), f"years from {MONTH_NAMES[start - 1]}"
        case "keep":
            keep = whole(value, 99)
            return replace(
                question, keep=keep
            ), f"the largest {keep} kept" if keep else "all that fit are kept"
    return _held_against(question, slot, value, table)


def _held_against(question: OverTime, slot: str, value: Any, table: Table) -> tuple[OverTime, str]:
    """Return the question held against something else, or with other levels and events drawn."""
    match slot:
        case "against":
            against = decode(value, Against, "comparison") if value else None
            asked = replace(question, against=against)
            return fitted(asked), against_words(against) if against else "against nothing"
        case "show":
            if question.against is None:
                raise BadQuestion(
                    "There is no difference to show", "against", "Hold it against the past first."
                )
            label = chosen(slot, value, SHOW_WORDS)
            return replace(question, against=replace(question.against, show=value)), f"difference {label}"
        case "levels":
            if not value:
                return replace(question, levels=()), "no levels"
            level = decode(value, Level, "level")
            kept = tuple(lv for lv in question.levels if lv != level)
            if len(kept) == 4:
                raise BadQuestion("Four levels are the most", "levels", "Take one away first.")
            added = len(kept) == len(question.levels)
            return replace(
                question, levels=(*kept, level) if added else kept
            ), f"{'with' if added else 'without'} {level_words(level)}"
        case "events":
            if not value:
                return replace(question, events=(), bands=None), "no events"
            if value in table and table.column(value).kind == Kind.YES_NO:
                return replace(question, bands=value), f"with {value} marked"
            event = decode(value, Event, "event")
            return replace(question, events=with_event(question.events, event)), f"with {event.name} marked"
    raise BadQuestion(f"There is no slot “{slot}” in this sentence")
