"""The sentence of a change."""

from __future__ import annotations

import datetime as dt
import json
from collections.abc import Callable
from typing import Any

from msgspec.structs import replace

from night_trail.core.conditions import Between, Condition, Not
from night_trail.core.errors import BadQuestion
from night_trail.core.language.conditions import in_words
from night_trail.core.language.numbers import listed
from night_trail.core.periods import before, ends, year_before
from night_trail.core.question import decode
from night_trail.core.questions.changed.question import Changed
from night_trail.core.questions.shared.measure_slots import (
    NAMED,
    change_aggregate,
    measure_parts,
    measure_words,
    short_measure,
    with_column,
)
from night_trail.core.questions.shared.periods import time_column
from night_trail.core.questions.shared.sentence import Part, Sentence
from night_trail.core.table import Table


def side_words(condition: Condition, table: Table) -> str:
    """Return a side in words: a period by its name, other rows by their condition."""
    words = in_words(condition, table)
    when = time_column(table)
    if when is None or not isinstance(condition, Between) or condition.column != when.name:
        return words
    if when.yearly and isinstance(condition.low, float | int) and condition.high == condition.low + 1:
        return f"{condition.low:.0f}"
    return words.removeprefix(f"{when.name} in ")


def is_period(condition: Condition, table: Table) -> bool:
    """Whether a side is a period that has a name."""
    return side_words(condition, table) != in_words(condition, table)


def said(question: Changed, table: Table, answer: Any = None) -> Sentence:
    """Return the sentence of a change; its answer says whether it rose, and by what it is cut."""
    timed = is_period(question.before, table) and is_period(question.after, table)
    one, other = side_words(question.before, table), side_words(question.after, table)
    parts = [Part("Why did " if timed else "Why does "), *measure_parts(question.measure, table), Part(" ")]
    if timed:
        change = 0.0 if answer is None else answer.change
        verb = "rise" if change > 0 else "fall" if change < 0 else "change"
        parts += [Part(verb, "way"), Part(" from "), Part(one, "before"), Part(" to "), Part(other, "after")]
    else:
        parts += [Part("differ", "way"), Part(f" between {table.row_noun[1]} where "), Part(other, "after")]
        if question.before == Not(question.after):
            parts += [Part(" and "), Part("the rest", "before")]
        else:
            parts += [Part(" and those where "), Part(one, "before")]
    by = question.by or (answer.chosen if answer is not None else ())
    addable = []
    if by:
        parts += [Part(", "), Part(f"by {listed(by)}", "by")]
    else:
        addable.append(Part("by…", "by"))
    if len(by) == 1:
        addable.append(Part("deeper…", "also"))
    return Sentence((*parts, Part("?")), tuple(addable))


def short_name(question: Changed) -> str:
    """Return a short name."""
    return f"why {short_measure(question.measure)} changed"


def changed(
    question: Changed, slot: str, value: Any, table: Table, lit: Condition | None = None
) -> tuple[Changed, str]:
    """Return the question with another choice in a slot; sides are given as a condition's JSON."""
    if slot == "aggregate":
        if isinstance(value, str) and (known := table.measures.get(value.removeprefix(NAMED))):
            return replace(question, measure=known), value.removeprefix(NAMED)
        measure, label = change_aggregate(question.measure, value, table, question.sides[0], lit)
        return replace(question, measure=measure), label
    if slot in ("column", "per"):
        column = table.column(value or "")
        per = slot == "per"
        measure = replace(question.measure, per=column.name) if per else with_column(question.measure, column)
        if measure.aggregate == "distinct":
            raise BadQuestion(f"“{column.name}” is no number", "column", "Choose a number, or yes/no.")
        by = tuple(n for n in question.by if n not in (measure.column, measure.per))
        return replace(question, measure=measure, by=by), measure_words(measure, table)
    if slot in ("before", "after"):
        return _another_side(question, slot, value, table)
    if slot == "by":
        names = _names(value, table)
        return replace(question, by=names), f"by {listed(names)}" if names else "by what tells most"
    if slot == "also":
        names = (*question.by[:1], *_names(value, table))[:2]
        return replace(question, by=names), f"by {listed(names)}"
    raise BadQuestion(f"There is no slot “{slot}” in this sentence")


def _another_side(question: Changed, slot: str, value: Any, table: Table) -> tuple[Changed, str]:
    if slot == "before" and value in _EARLIER:
        rows = earlier(question.after, table, _EARLIER[value])
        return replace(question, before=rows), f"from the {value}"
    if slot == "before" and value == "rest":
        return replace(question, before=Not(question.after)), "against the rest"
    rows = decode(value or "", Condition, "condition")
    words = f"{'from' if slot == 'before' else 'to'} {side_words(rows, table)}"
    # a side that takes the other's place changes places with it
    if rows == (question.after if slot == "before" else question.before):
        return replace(question, before=question.after, after=question.before), words
    return replace(question, **{slot: rows}), words


_EARLIER = {"period before": before, "year before": year_before}


def earlier(
    rows: Condition, table: Table, how: Callable[[dt.datetime, dt.datetime], tuple[dt.datetime, dt.datetime]]
) -> Condition:
    """Return an earlier time than one that is spoken of, as ``how`` says of its ends.

    Raises
    ------
    BadQuestion
        Where the rows are no time, or no other lies before it.
    """
    refused = BadQuestion("Nothing lies before these rows", "before", "Choose a period, as March 2023.")
    if not isinstance(rows, Between):
        raise refused
    column = table.column(rows.column)
    if column.yearly and isinstance(rows.low, float | int) and isinstance(rows.high, float | int):
        wide = rows.high - rows.low
        return Between(rows.column, rows.low - wide, rows.low)
    if not column.kind.temporal or (found := ends(rows, table)) is None:
        raise refused
    try:
        start, end = how(*found)
    except (ValueError, OverflowError):
        raise refused from None
    if start >= end:
        raise refused
    return Between(rows.column, _iso(start, rows), _iso(end, rows))


def _iso(at: dt.datetime, like: Between) -> str:
    return at.isoformat() if isinstance(like.low, str) and "T" in like.low else at.date().isoformat()


def _names(value: Any, table: Table) -> tuple[str, ...]:
    """Return one column's name, or the two of a list in JSON; none for what tells most."""
    if not value:
        return ()
    if value not in table and isinstance(value, str) and value.startswith("["):
        try:
            names = json.loads(value)
        except ValueError:
            names = [value]
        return tuple(table.column(str(name)).name for name in names[:2])
    return (table.column(value).name,)
