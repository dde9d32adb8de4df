"""What questions about time share when read from typed words: the measure, the step, columns, shapes."""

from __future__ import annotations

import re
from typing import Any, cast

from night_trail.core.errors import BadQuestion
from night_trail.core.language.conditions import take_column
from night_trail.core.measure import Measure
from night_trail.core.moments import GRAINS, GrainName
from night_trail.core.questions.shared.measure_slots import leading_measure
from night_trail.core.questions.shared.measures import first_measure
from night_trail.core.questions.shared.periods import time_column
from night_trail.core.questions.shared.time_sentence import GRAIN_WORDS
from night_trail.core.table import Column, Table

_GRAINS = {
    **{word: grain for grain, word in GRAIN_WORDS.items()},
    **{f"by {grain}": grain for grain in GRAINS},
    "hourly": "hour", "daily": "day", "weekly": "week", "monthly": "month", "quarterly": "quarter",
    "yearly": "year", "over time": None,
}  # fmt: skip


FOR_EACH = r"(?:a line )?(?:for each|by|across) "
ROUNDS = {
    r"by (?:the )?(?:weekday|day of the week)": "week",
    r"by (?:the )?hour of (?:the )?day": "day",
    r"by (?:the )?month of (?:the )?year": "year",
}
"""Words for a cycle that begin like those for groups."""

AHEAD = r"(?:going )?ahead|forecast(?!\w)"
THROUGH = r"(?:run )?through (the day|the week|the year|the quarters)"
_BEGINS = "|".join((AHEAD, THROUGH, *ROUNDS))


def opened(body: str, table: Table) -> tuple[Measure, str] | None:
    """Return the measure that words begin with and what is said of it; None where they are of no time.

    ``boardings by line over time`` names its groups first: they are put behind
    the time, where every question takes them.
    """
    plain = re.sub(r"^how (?:did|does|do) ", "", body, flags=re.IGNORECASE)
    measure, rest = measured(plain, table, quiet=True)
    if measure is None:
        return None
    rest = rest.strip(" ,")
    by = re.match(r"by ", rest, re.IGNORECASE)
    grouped, behind_it = take_column(rest[by.end() :], table) if by else (None, "")
    if grouped is not None:
        # a column may be called like a step of time
        behind_it = behind_it.strip(" ,")
        if not re.match(_BEGINS, behind_it, re.IGNORECASE) and grain_of(behind_it)[1] is None:
            return None
        rest = f"{behind_it}, for each {grouped.name}"
    return measure, rest


def asked(rest: str, words: str) -> str | None:
    """Return what follows words that ask in a way of their own, a step of time before them put behind.

    >>> asked("by month, taken apart", "taken apart"), asked("by month", "taken apart")
    (' by month', None)
    """
    if found := re.match(words, rest, re.IGNORECASE):
        return rest[found.end() :]
    grain, behind = grain_of(rest)
    if grain is None or behind is None or not (found := re.match(words, behind.strip(" ,"), re.IGNORECASE)):
        return None
    return f"{behind.strip(' ,')[found.end() :]} by {grain}"


def measured(text: str, table: Table, quiet: bool = False) -> Any:
    """Return the measure a text begins with, the plainest where only a column is named, and the rest."""
    found = leading_measure(text, table)
    if found is not None:
        return found
    column, rest = take_column(text, table)
    if column is not None and not column.kind.temporal:
        return first_measure(column), rest
    if quiet:
        return None, text
    raise BadQuestion(f"“{text}” does not begin with a measure", "", "Write it like: sum of boardings.")


def grain_of(rest: str) -> tuple[GrainName | None, str | None]:
    """Return the step a text begins with and the rest; None as the rest where it begins with none."""
    for words in sorted(_GRAINS, key=len, reverse=True):
        if re.match(rf"{words}(?!\w)", rest, re.IGNORECASE):
            return cast(Any, _GRAINS[words]), rest[len(words) :]
    return None, None


def time_of(table: Table) -> Column:
    """Return the column of time, or refuse a table that has none."""
    found = time_column(table)
    if found is None:
        raise BadQuestion("The table has no column of dates", table.name, "Read one as dates first.")
    return found


def column_of(text: str, table: Table) -> tuple[str, str]:
    """Return the column a text begins with by name, and the rest, or refuse it."""
    column, rest = take_column(text, table)
    if column is None:
        raise BadQuestion(f"“{text}” is not a column", table.name, "Name a column of the table.")
    return column.name, rest


def shape_of(rest: str, words: dict[str, str]) -> tuple[str, str]:
    """Return the shape a text begins with, and the rest, or refuse it."""
    for shape, said in sorted(words.items(), key=lambda s: -len(s[1])):
        bare = re.sub(r"^(?:an?) ", "", said)
        if found := re.match(rf"(?:drawn |shown )?as (?:an? )?{re.escape(bare)}(?!\w)", rest, re.IGNORECASE):
            return shape, rest[found.end() :]
    raise BadQuestion(f"“{rest}” was not understood", "", f"Try: as {next(iter(words.values()))}.")
