"""The sentence of each question and its slots: one module a question.

Each says its question (``said``), names it in short, reads it from typed words
and changes it slot by slot. The slot ``way`` leads from one question to another.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any

from night_trail.core.answers.compare import can_compare, compare_question
from night_trail.core.answers.measures import first_measure
from night_trail.core.answers.periods import time_column
from night_trail.core.answers.spread import first_question, makes_groups
from night_trail.core.answers.together import columns_for
from night_trail.core.conditions import Condition
from night_trail.core.errors import BadQuestion
from night_trail.core.question import Compare, Goes, Question, Relate, Spread, Together
from night_trail.core.slots import compare, many, relate, spread, time, time_change, time_read
from night_trail.core.slots.parts import Part, Sentence, chosen
from night_trail.core.table import Column, Table
from night_trail.core.time_questions import Ahead, Apart, Cycle, OverTime
from night_trail.core.words.conditions import take_column

__all__ = ["Part", "Sentence", "changed", "read_body", "sentence", "short_name"]

WAYS = {
    "spread": "how it is spread",
    "compare": "how groups compare",
    "relate": "how it moves with another",
    "together": "how all numbers move together",
    "goes": "which goes with which",
    "over time": "how it changed over time",
    "cycle": "how it runs through the week or year",
    "apart": "what trend and seasons it has",
    "ahead": "where it is going",
}

_SAID: dict[type, Callable[[Any, Table, Any], Sentence]] = {
    Spread: spread.said,
    Compare: compare.said,
    Relate: relate.said,
    Together: many.together_said,
    Goes: many.goes_said,
    OverTime: time.over_said,
    Cycle: time.cycle_said,
    Apart: time.apart_said,
    Ahead: time.ahead_said,
}
_SHORT: dict[type, Callable[[Any], str]] = {
    Spread: spread.short_name,
    Compare: compare.short_name,
    Relate: relate.short_name,
    Together: many.together_name,
    Goes: many.goes_name,
    OverTime: time.short_name,
    Cycle: time.short_name,
    Apart: time.short_name,
    Ahead: time.short_name,
}


def sentence(question: Question, table: Table, answer: Any = None) -> Sentence:
    """Return the sentence of a question.

    With its answer at hand, what was chosen from the data is named too.
    """
    return _SAID[type(question)](question, table, answer)


def short_name(question: Question) -> str:
    """Return a picture's name on the trail and beside."""
    return _SHORT[type(question)](question)


_OTHER_WORDS = (
    (r"(?:the )?correlations", "numbers together"),
    (r"(?:the )?correlation (?:of|between) (.+) (?:and|with) (.+)", r"\1 vs \2"),
    (r"(?:a |the )?forecast of (.+)", r"\1 ahead"),
    (r"(?:an? )?(histograms?|box plots?|bars|density) of (.+)", r"\2, as \1"),
)
"""What people call a picture, and how it is said with the column first."""


def read_body(body: str, table: Table) -> Question:
    """Return the question that typed words without their filter ask for."""
    if take_column(body, table)[0] is None:
        for called, said in _OTHER_WORDS:
            if found := re.fullmatch(called, body, re.IGNORECASE):
                body = found.expand(said)
                break
    body = _over_years(body, table)
    return (
        many.together_read(body, table)
        or many.goes_read(body, table)
        or time_read.read(body, table)
        or compare.read(body, table)
        or relate.read(body, table)
        or spread.read(body, table)
    )


def _over_years(body: str, table: Table) -> str:
    """Return words that end in by, or over, the table's years as a question about time, which they are."""
    found = re.fullmatch(r"(.+?) (?:by|over) (.+)", body, re.IGNORECASE)
    column, rest = take_column(found[2], table) if found else (None, "")
    when = time_column(table) if column is not None and column.yearly and not rest else None
    same = found is not None and when is not None and column is not None and when.name == column.name
    return f"{found[1]} over time" if same and found is not None else body


def changed(
    question: Question, slot: str, value: Any, table: Table, lit: Condition | None = None
) -> tuple[Question, str]:
    """Return the question with another choice in a slot, and the change in a few words."""
    if slot == "way":
        return _another_way(question, value, table)
    if isinstance(question, Compare):
        return compare.changed(question, slot, value, table, lit)
    if isinstance(question, Relate):
        return relate.changed(question, slot, value, table)
    if isinstance(question, OverTime | Cycle | Apart | Ahead):
        return time_change.changed(question, slot, value, table, lit)
    if isinstance(question, Together):
        return many.together_changed(question, slot, value, table)
    if isinstance(question, Goes):
        return many.goes_changed(question, slot, value, table)
    return spread.changed(question, slot, value, table)


def _another_way(question: Question, value: Any, table: Table) -> tuple[Question, str]:
    chosen("way", value, WAYS)
    if value == "together":
        asked_all = question if isinstance(question, Together) else Together()
        return asked_all, many.together_name(asked_all)
    if value in TIME_WAYS:
        return _in_time(question, value, table)
    column = _about(question, table)
    if value == "goes":
        pair = question if isinstance(question, Goes) else _pair(question, column, table)
        return pair, many.goes_name(pair)
    if value == "spread":
        asked = first_question(column)
        return asked, spread.short_name(asked)
    if value == "relate":
        related = question if isinstance(question, Relate) else _relation(question, table)
        return related, relate.short_name(related)
    if isinstance(question, Compare):
        return question, compare.short_name(question)
    if isinstance(question, OverTime | Cycle | Apart | Ahead):
        across = question.across or _best_group(table, column)
        asked_of = compare_question(question.measure, table.column(across))
        return asked_of, compare.short_name(asked_of)
    if column.kind.grouping and not column.kind.numeric:
        asked_for = compare_question(first_measure(None), column)
    else:
        across = question.across or _best_group(table, column)
        asked_for = compare_question(first_measure(column), table.column(across))
    return asked_for, compare.short_name(asked_for)


TIME_WAYS = ("over time", "cycle", "apart", "ahead")


def _in_time(question: Question, value: str, table: Table) -> tuple[Question, str]:
    """Return the present measure over time, through a cycle, taken apart or ahead."""
    if isinstance(question, OverTime | Cycle | Apart | Ahead):
        when: Column | None = table.column(question.time)
    else:
        when = time_column(table)
    if when is None:
        raise BadQuestion("The table has no column of dates", "way", "Read a column as dates first.")
    if isinstance(question, Compare | OverTime | Cycle | Apart | Ahead):
        measure = question.measure
    else:
        column = _about(question, table)
        measure = first_measure(None if column.kind.temporal or column.kind.grouping else column)
    across = question.across if not isinstance(question, Goes) else None
    split = across if across and across != when.name and makes_groups(table.column(across)) else None
    asked = time_change.as_time(value, measure, when, split, question)
    return asked, time.short_name(asked)


def _about(question: Question, table: Table) -> Column:
    """Return the column a question is about; of many together the first."""
    if isinstance(question, Together):
        return columns_for(question, table)[0]
    return table.column(question.column)


def _pair(question: Question, column: Column, table: Table) -> Goes:
    """Return two categories to begin with: what groups the present picture before its column."""
    across = question.across
    if isinstance(question, Compare) and question.also:
        return Goes(question.across, question.also)
    if across is not None and can_compare(table.column(across)):
        if can_compare(column) and not column.kind.measured:
            return Goes(column.name, across)
        return many.first_goes(table, across)
    if column.kind.measured:
        return many.first_goes(table, _best_group(table, column))
    return many.first_goes(table, column.name)


def _relation(question: Question, table: Table) -> Relate:
    """Return a relation to begin with: with the first other number, a measured group before it."""
    column = _about(question, table)
    if not column.kind.measured:
        raise BadQuestion(
            f"“{column.name}” is {column.kind} and has no axis", "way", "Choose a number or date."
        )
    taken = table.column(question.across) if question.across else None
    if taken is not None and taken.kind.measured and taken.name != column.name:
        return Relate(column.name, taken.name)
    numbers = [c for c in table.columns if c.name != column.name and c.kind.numeric and c.distinct > 2]
    if not numbers:
        raise BadQuestion("There is no other number", table.name, "Calculate one, or join a table.")
    coloured = None if taken is None or taken.kind.measured else taken.name
    return Relate(column.name, numbers[0].name, coloured)


def _best_group(table: Table, measured: Column) -> str:
    """Return a category to compare across: one of a handful of groups before one of many."""
    able = [c for c in table.columns if c.name != measured.name and makes_groups(c) and c.distinct >= 2]
    if not able:
        raise BadQuestion("No column makes groups to compare", table.name, "Cut a number into bands first.")
    return min(able, key=lambda c: (c.kind.numeric, not 3 <= c.distinct <= 20, c.distinct)).name
