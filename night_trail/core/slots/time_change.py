"""The sentences of time, changed slot by slot."""

from __future__ import annotations

import re
from typing import Any, cast

from msgspec.structs import replace

from night_trail.core.answers.over_time import first_over_time, fitted
from night_trail.core.conditions import Condition
from night_trail.core.errors import BadQuestion
from night_trail.core.hand import whole
from night_trail.core.measure import Measure
from night_trail.core.question import decode
from night_trail.core.slots.measures import NAMED, change_aggregate, measure_from, measure_words, with_column
from night_trail.core.slots.parts import chosen
from night_trail.core.slots.time import (
    APART_SHOW,
    CYCLE_SHAPES,
    GRAIN_WORDS,
    MONTH_NAMES,
    PART_WORDS,
    SHAPE_WORDS,
    SHOW_WORDS,
    VIEW_WORDS,
    WAY_WORDS,
    Time,
    against_words,
    bands_words,
    level_words,
    view_words,
)
from night_trail.core.table import Column, Kind, Table
from night_trail.core.time_questions import Against, Ahead, Apart, Cycle, Event, Level, OverTime


def changed(question: Time, slot: str, value: Any, table: Table, lit: Condition | None) -> tuple[Time, str]:
    """Return the question with another choice in a slot, and the change in a few words."""
    if slot in ("aggregate", "column", "per"):
        measure, label = _measure(question, slot, value, table, lit)
        asked = replace(question, measure=measure)
        return (fitted(asked) if isinstance(asked, OverTime) else asked), label
    if slot == "time" and value is not None:
        return replace(question, time=table.column(value).name), f"over {value}"
    if slot == "zone":
        return replace(
            question, zone=value or None
        ), f"by the clock of {value}" if value else "by its own clock"
    if slot == "grain" and not isinstance(question, Cycle):
        if value is None:
            return replace(question, grain=None), "over time"
        label = chosen(slot, value, GRAIN_WORDS)
        asked = replace(question, grain=value)
        return (fitted(asked) if isinstance(asked, OverTime) else asked), label
    match question:
        case OverTime():
            return _over_changed(question, slot, value, table)
        case Cycle():
            return _cycle_changed(question, slot, value, table)
        case Apart():
            return _apart_changed(question, slot, value)
        case Ahead():
            return _ahead_changed(question, slot, value, table)


def _measure(
    question: Time, slot: str, value: Any, table: Table, lit: Condition | None
) -> tuple[Measure, str]:
    measure = question.measure
    if slot == "aggregate":
        if isinstance(value, str) and (known := table.measures.get(value.removeprefix(NAMED))):
            return known, value.removeprefix(NAMED)
        return change_aggregate(measure, value, table, question.time, lit)
    column = table.column(value or "")
    found = replace(measure, per=column.name) if slot == "per" else with_column(measure, column)
    return found, measure_words(found, table)


def _over_changed(question: OverTime, slot: str, value: Any, table: Table) -> tuple[OverTime, str]:
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
            if isinstance(value, str) and (found := re.fullmatch(r"rolling (\d{1,3})", value)):
                asked = replace(question, view="rolling", window=int(found[1]))
                return fitted(asked), view_words(asked)
            label = chosen(slot, value, VIEW_WORDS)
            return fitted(replace(question, view=value)), label
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
            return replace(question, events=_with(question.events, event)), f"with {event.name} marked"
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
    raise BadQuestion(f"There is no slot “{slot}” in this sentence")


def _with(events: tuple[Event, ...], event: Event) -> tuple[Event, ...]:
    kept = tuple(e for e in events if e != event)
    return (*kept, event) if len(kept) == len(events) else kept


def _cycle_changed(question: Cycle, slot: str, value: Any, table: Table) -> tuple[Cycle, str]:
    if slot == "part":
        return replace(
            question, part=value, shape="line" if question.by_weekday else question.shape
        ), f"through {chosen(slot, value, PART_WORDS)}"
    if slot == "shape":
        label = chosen(slot, value, CYCLE_SHAPES)
        grid = {"split": None, "years": False} if value in ("grid", "rows") else {}
        return replace(question, shape=value, **grid), f"as {label}"
    if slot == "split":
        shape = "line" if question.by_weekday else question.shape
        if value == "each year":
            return replace(question, years=True, split=None, shape=shape), "in each year"
        name = table.column(value).name if value else None
        return replace(
            question, split=name, years=False, shape=shape
        ), f"for each {value}" if value else "all together"
    raise BadQuestion(f"There is no slot “{slot}” in this sentence")


def _apart_changed(question: Apart, slot: str, value: Any) -> tuple[Apart, str]:
    if slot == "how":
        if value is None:
            return replace(question, way=None), "as fits"
        return replace(question, way=value), chosen(slot, value, WAY_WORDS)
    if slot == "show":
        return replace(question, show=value), f"as {chosen(slot, value, APART_SHOW)}"
    raise BadQuestion(f"There is no slot “{slot}” in this sentence")


def _ahead_changed(question: Ahead, slot: str, value: Any, table: Table) -> tuple[Ahead, str]:
    match slot:
        case "horizon":
            steps = whole(value, 400)
            if value and not steps:
                raise BadQuestion(
                    "Between 1 and 400 periods can be looked ahead", "horizon", "Write a whole number."
                )
            return replace(question, horizon=steps), f"{steps} ahead" if steps else "as far as fits"
        case "bands":
            found = tuple(int(b) for b in str(value or "").split() if b in ("50", "80", "95"))
            if not found:
                raise BadQuestion("A forecast needs a band", "bands", "Choose 50, 80 or 95 %.")
            return replace(question, bands=cast(Any, found)), bands_words(found)
        case "split":
            name = table.column(value).name if value else None
            return replace(question, split=name), f"for each {value}" if value else "all together"
        case "plan":
            name = table.column(value).name if value else None
            return replace(question, plan=name), f"against {value}" if value else "against no plan"
        case "known":
            name = table.column(value).name if value else None
            return replace(question, known=name), f"knowing {value}" if value else "nothing known"
        case "events":
            if not value:
                return replace(question, events=()), "nothing known"
            event = decode(value, Event, "event")
            return replace(question, events=_with(question.events, event)), f"with {event.name} known"
    raise BadQuestion(f"There is no slot “{slot}” in this sentence")


def as_time(kind: str, measure: Measure, time: Column, split: str | None, before: Any) -> Time:
    """Return the question of a kind about a measure; what a question about time has set already stays."""
    grain = before.grain if isinstance(before, OverTime | Apart | Ahead) else None
    zone = before.zone if isinstance(before, OverTime | Cycle | Apart | Ahead) else None
    match kind:
        case "over time":
            return replace(first_over_time(measure, time, split), grain=grain, zone=zone)
        case "cycle":
            return Cycle(measure, time.name, split=split, zone=zone)
        case "apart":
            return Apart(measure, time.name, grain, zone=zone)
    return Ahead(measure, time.name, grain, zone=zone)
