"""The slots that all sentences of time have, changed."""

from __future__ import annotations

from typing import Any, TypeVar

from msgspec.structs import replace

from night_trail.core.conditions import Condition
from night_trail.core.measure import Measure
from night_trail.core.questions.over_time.question import Event
from night_trail.core.questions.shared.measure_slots import (
    NAMED,
    change_aggregate,
    measure_words,
    with_column,
)
from night_trail.core.questions.shared.sentence import chosen
from night_trail.core.questions.shared.time_question import AskedOfTime
from night_trail.core.questions.shared.time_sentence import GRAIN_WORDS
from night_trail.core.table import Table

T = TypeVar("T", bound=AskedOfTime)


def changed_first(
    question: T, slot: str, value: Any, table: Table, lit: Condition | None
) -> tuple[T, str] | None:
    """Return the question with another choice in a slot that all questions of time have; None for others."""
    if slot in ("aggregate", "column", "per"):
        measure, label = _measure(question, slot, value, table, lit)
        return replace(question, measure=measure), label
    if slot == "time" and value is not None:
        return replace(question, time=table.column(value).name), f"over {value}"
    if slot == "zone":
        return replace(
            question, zone=value or None
        ), f"by the clock of {value}" if value else "by its own clock"
    if slot == "grain" and hasattr(question, "grain"):
        if value is None:
            return replace(question, grain=None), "over time"
        label = chosen(slot, value, GRAIN_WORDS)
        return replace(question, grain=value), label
    return None


def _measure(
    question: AskedOfTime, slot: str, value: Any, table: Table, lit: Condition | None
) -> tuple[Measure, str]:
    measure = question.measure
    if slot == "aggregate":
        if isinstance(value, str) and (known := table.measures.get(value.removeprefix(NAMED))):
            return known, value.removeprefix(NAMED)
        return change_aggregate(measure, value, table, question.time, lit)
    column = table.column(value or "")
    found = replace(measure, per=column.name) if slot == "per" else with_column(measure, column)
    return found, measure_words(found, table)


def with_event(events: tuple[Event, ...], event: Event) -> tuple[Event, ...]:
    """Return events with one more, or without it where it was among them."""
    kept = tuple(e for e in events if e != event)
    return (*kept, event) if len(kept) == len(events) else kept
