"""A measure in words: said, read from typed words, changed into another."""

from __future__ import annotations

import re
from typing import Any

from msgspec.structs import replace

from night_trail.core.conditions import Condition
from night_trail.core.errors import BadQuestion
from night_trail.core.hand import real
from night_trail.core.language.conditions import from_words, in_words, take_column
from night_trail.core.measure import Aggregate, Measure
from night_trail.core.questions.shared.measure_words import aggregate_words
from night_trail.core.questions.shared.measures import AGGREGATES, check_measure, first_measure, fits
from night_trail.core.questions.shared.sentence import Part
from night_trail.core.table import Column, Kind, Table

NAMED = "named: "
"""Begins the choice of a measure that was given a name."""


def measure_parts(measure: Measure, table: Table) -> list[Part]:
    """Return a measure as parts of a sentence: ``the average`` of ``late_min``, or its name."""
    named = next((name for name, known in table.measures.items() if known == measure), None)
    return [Part(named, "aggregate")] if named is not None else plain_parts(measure, table)


def plain_parts(measure: Measure, table: Table) -> list[Part]:
    """Return a measure as parts of a sentence, whatever it was called."""
    column = None if measure.column is None else table.column(measure.column)
    first = Part(aggregate_words(measure, column), "aggregate")
    if measure.aggregate == "count":
        return [first, Part(f" of {table.row_noun[1]}")]
    if measure.aggregate == "share" and measure.where is not None:
        return [first, Part(f" of {table.row_noun[1]} where {in_words(measure.where, table)}")]
    name = Part(measure.column or "", "column")
    if measure.aggregate == "distinct":
        return [first, Part(" "), name]
    if measure.aggregate == "ratio":
        return [first, Part(" of "), name, Part(" to "), Part(measure.per or "", "per")]
    if column is not None and column.kind == Kind.YES_NO:
        return [first, Part(" of yes in "), name]
    return [first, Part(" of "), name]


def plain_words(measure: Measure, table: Table) -> str:
    """Return a measure in words, whatever it was called."""
    return "".join(part.text for part in plain_parts(measure, table))


def measure_words(measure: Measure, table: Table) -> str:
    """Return a measure in words: ``the average of late_min``."""
    return "".join(part.text for part in measure_parts(measure, table))


def short_measure(measure: Measure) -> str:
    """Return a measure as names on the trail have it: ``average of late_min``."""
    return {
        "count": "how many",
        "share": "share",
        "distinct": f"different {measure.column}",
        "ratio": f"{measure.column} per {measure.per}",
    }.get(measure.aggregate) or f"{aggregate_words(measure).removeprefix('the ')} of {measure.column}"


def measure_from(words: str, table: Table) -> Measure:
    """Return the measure that words state: ``share of trips where late_min above 5``.

    Raises
    ------
    BadQuestion
        Where they state none, or one the table cannot give.
    """
    text = words.strip().rstrip("?.")
    # a share ends where its groups begin, and here none are named
    found = leading_measure(f"{text} across ", table)
    if found is None or found[1].strip() != "across":
        raise BadQuestion(f"“{text}” is not a measure", table.name, "Write it like: the average of late_min.")
    check_measure(found[0], table)
    return found[0]


_BEHIND = "compare |across |by |change |run |over time|through |going |taken |ahead|[a-z]+ by [a-z]+"
"""What ends the condition of a share."""

_STARTS: list[tuple[str, Aggregate]] = [
    (r"(?:the )?(?:average|mean) (?:of )?", "mean"),
    (r"(?:the )?(?:median|middle) (?:of )?", "median"),
    (r"(?:the )?(?:sum|total) (?:of )?", "sum"),
    (r"(?:the )?number of different ", "distinct"),
    (r"(?:the )?share of yes in ", "mean"),
    (r"(?:the )?ratio of ", "ratio"),
]


def leading_measure(body: str, table: Table) -> tuple[Measure, str] | None:  # noqa: C901  (one case a rule, in the order of their weight)
    """Return the measure that words begin with, and the words behind it; None where they begin with none."""
    for name in sorted(table.measures, key=len, reverse=True):
        if re.match(rf"{re.escape(name)}(?!\w)", body, re.IGNORECASE):
            return table.measures[name], body[len(name) :]
    # a column's own name comes before a word that begins with it
    if take_column(body, table)[0] is not None:
        return None
    noun = "|".join({re.escape(table.row_noun[1]), "rows"})
    counted = rf"(?:(?:the )?number of |how many |count of )?(?:{noun})(?= |,|$)|(?:the )?count(?= |,|$)"
    if count := re.match(counted, body, re.IGNORECASE):
        return Measure("count"), body[count.end() :]
    if share := re.match(rf"(?:the )?share of (?:{noun}) (?:where|with) (.+?)(?= (?:{_BEHIND})|,)", body):
        return Measure("share", where=from_words(share[1], table)), body[share.end() :]
    if quantile := re.match(r"(?:the )?([\d.]+) ?% quantile of ", body):
        column, rest = take_column(body[quantile.end() :], table)
        if column is not None:
            return Measure("quantile", column.name, level=real(quantile[1], "measure") / 100), rest
    for pattern, aggregate in _STARTS:
        start = re.match(pattern, body, re.IGNORECASE)
        if start is None:
            continue
        column, rest = take_column(body[start.end() :], table)
        if column is None:
            continue
        if aggregate != "ratio":
            return Measure(aggregate, column.name), rest
        to = re.match(r"(?:to|per) ", rest.strip(), re.IGNORECASE)
        per, behind = take_column(rest.strip()[to.end() :], table) if to else (None, "")
        if per is not None:
            return Measure("ratio", column.name, per.name), behind
    return None


def with_column(measure: Measure, column: Column) -> Measure:
    """Return the same figure of another column, or the first that makes sense of it."""
    keeps = fits(measure.aggregate, column) and measure.per != column.name
    return replace(measure, column=column.name) if keeps else first_measure(column)


def change_aggregate(
    present: Measure, value: Any, table: Table, taken: str, lit: Condition | None
) -> tuple[Measure, str]:
    """Return a measure with another aggregate, and it in words; ``taken`` is a column it cannot measure."""
    if value not in AGGREGATES:
        raise BadQuestion(f"“{value}” does not fit there", "aggregate", "Choose one of the list.")
    if value == "count":
        measure = Measure("count")
    elif value == "share":
        if lit is None:
            raise BadQuestion("Nothing is lit", "aggregate", "Light the rows whose share is wanted first.")
        measure = Measure("share", where=lit)
    else:
        measure = Measure(value, present.column or _some_number(table, taken))
        if value == "ratio":
            measure = replace(measure, per=_some_number(table, taken, measure.column))
    return measure, measure_words(measure, table)


def _some_number(table: Table, *taken: str | None) -> str:
    """Return a number to begin with: one that adds up before one that does not."""
    able = [c for c in table.columns if c.kind.numeric and c.name not in taken]
    if not able:
        raise BadQuestion("There is no other number", "column", "Choose another measure.")
    return max(able, key=lambda c: c.additive).name


def change_measure(
    measure: Measure, slot: str, value: Any, table: Table, taken: str, lit: Condition | None
) -> tuple[Measure, str] | None:
    """Return a measure with another choice in one of its slots, and it in words; None of another slot.

    ``taken`` is a column it cannot measure.
    """
    if slot == "aggregate":
        if isinstance(value, str) and (known := table.measures.get(value.removeprefix(NAMED))):
            return known, value.removeprefix(NAMED)
        return change_aggregate(measure, value, table, taken, lit)
    if slot == "column":
        made = with_column(measure, table.column(value or ""))
        return made, measure_words(made, table)
    if slot == "per":
        return replace(measure, per=table.column(value or "").name), f"per {value}"
    return None
