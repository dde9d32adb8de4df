"""The sentence of a comparison: said, read from typed words, changed slot by slot."""

from __future__ import annotations

import re
from typing import Any, cast

from msgspec.structs import replace

from night_trail.core.answers.compare import (
    AGGREGATES,
    check,
    check_measure,
    compare_question,
    first_measure,
    first_shape,
    fits,
)
from night_trail.core.conditions import Condition
from night_trail.core.errors import BadQuestion
from night_trail.core.question import Aggregate, Compare, Measure
from night_trail.core.slots.parts import Part, Sentence, chosen
from night_trail.core.table import Column, Kind, Table
from night_trail.core.words.conditions import from_words, in_words, take_column
from night_trail.core.words.numbers import THIN, number

NAMED = "named: "
"""Begins the choice of a measure that was given a name."""

SHAPE_WORDS = {"dots": "dots with intervals", "bars": "bars"}
ORDER_WORDS = {"value": "sorted by value", "own": "in its own order"}
AGGREGATE_WORDS: dict[Aggregate, str] = {
    "mean": "the average",
    "median": "the median",
    "sum": "the sum",
    "count": "the number",
    "distinct": "the number of different",
    "share": "the share",
    "ratio": "the ratio",
}


def aggregate_words(measure: Measure, column: Column | None = None) -> str:
    """Return the aggregate as the sentence names it."""
    if measure.aggregate == "quantile":
        return f"the {number(100 * measure.level)}{THIN}% quantile"
    if measure.aggregate == "mean" and column is not None and column.kind == Kind.YES_NO:
        return "the share"
    return AGGREGATE_WORDS[measure.aggregate]


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


def measure_words(measure: Measure, table: Table) -> str:
    """Return a measure in words: ``the average of late_min``."""
    return "".join(part.text for part in measure_parts(measure, table))


def said(question: Compare, table: Table, answer: Any = None) -> Sentence:
    """Return the sentence of a comparison."""
    parts = [
        Part("How does "),
        *measure_parts(question.measure, table),
        Part(" "),
        Part("compare", "way"),
        Part(" "),
        Part(f"across {question.across}", "across"),
        Part(", drawn as "),
        Part(SHAPE_WORDS[question.shape], "shape"),
        Part(", "),
        Part(ORDER_WORDS[question.order], "order"),
        Part("?"),
    ]
    return Sentence(tuple(parts))


def measure_from(words: str, table: Table) -> Measure:
    """Return the measure that words state: ``share of trips where late_min above 5``.

    Raises
    ------
    BadQuestion
        Where they state none, or one the table cannot give.
    """
    text = words.strip().rstrip("?.")
    # a share ends where its groups begin, and here none are named
    found = _measure(f"{text} across ", table)
    if found is None or found[1].strip() != "across":
        raise BadQuestion(f"“{text}” is not a measure", table.name, "Write it like: the average of late_min.")
    check_measure(found[0], table)
    return found[0]


def short_name(question: Compare) -> str:
    """Return a comparison's name on the trail and beside."""
    measure = question.measure
    what = {
        "count": "how many",
        "share": "share",
        "distinct": f"different {measure.column}",
        "ratio": f"{measure.column} per {measure.per}",
    }.get(measure.aggregate) or f"{aggregate_words(measure).removeprefix('the ')} of {measure.column}"
    return f"{what} across {question.across}"


_STARTS: list[tuple[str, Aggregate]] = [
    (r"(?:the )?(?:average|mean) (?:of )?", "mean"),
    (r"(?:the )?(?:median|middle) (?:of )?", "median"),
    (r"(?:the )?(?:sum|total) (?:of )?", "sum"),
    (r"(?:the )?number of different ", "distinct"),
    (r"(?:the )?share of yes in ", "mean"),
    (r"(?:the )?ratio of ", "ratio"),
]


def read(body: str, table: Table) -> Compare | None:
    """Return the comparison that words without their filter ask for; None where they ask for none.

    Raises
    ------
    BadQuestion
        Saying which part was not understood, where it begins as a comparison.
    """
    body = re.sub(r"^how (?:does|do) ", "", body, flags=re.IGNORECASE)
    found = _measure(body, table)
    if found is None:
        return None
    measure, rest = found
    rest = re.sub(r"^compare ", "", rest.strip(" ,"), flags=re.IGNORECASE)
    start = re.match(r"(?:across|by|for each) ", rest, re.IGNORECASE)
    if start is None:
        raise BadQuestion(
            f"“{body}” names no groups", "across", "Write it like: average late_min by district."
        )
    across, rest = take_column(rest[start.end() :], table)
    if across is None:
        raise BadQuestion(f"“{rest}” is not a column", table.name, "Name the column whose groups compare.")
    question = compare_question(measure, across)
    while rest := rest.strip(" ,"):
        question, rest = _clause(question, rest)
    check(question, table)
    return question


def _measure(body: str, table: Table) -> tuple[Measure, str] | None:
    for name in sorted(table.measures, key=len, reverse=True):
        if re.match(rf"{re.escape(name)}(?!\w)", body, re.IGNORECASE):
            return table.measures[name], body[len(name) :]
    # a column's own name comes before a word that begins with it
    if take_column(body, table)[0] is not None:
        return None
    noun = "|".join({re.escape(table.row_noun[1]), "rows"})
    if count := re.match(rf"(?:the )?number of (?:{noun})(?= |$)", body, re.IGNORECASE):
        return Measure("count"), body[count.end() :]
    if share := re.match(
        rf"(?:the )?share of (?:{noun}) (?:where|with) (.+?)(?= compare | across | by )", body
    ):
        return Measure("share", where=from_words(share[1], table)), body[share.end() :]
    if quantile := re.match(r"(?:the )?([\d.]+) ?% quantile of ", body):
        column, rest = take_column(body[quantile.end() :], table)
        if column is not None:
            return Measure("quantile", column.name, level=float(quantile[1]) / 100), rest
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


def _clause(question: Compare, rest: str) -> tuple[Compare, str]:
    for words, shape in {v: k for k, v in SHAPE_WORDS.items()}.items():
        if found := re.match(rf"(?:drawn )?as {words}", rest, re.IGNORECASE):
            return replace(question, shape=cast(Any, shape)), rest[found.end() :]
    for words, order in {v: k for k, v in ORDER_WORDS.items()}.items():
        if rest.lower().startswith(words):
            return replace(question, order=cast(Any, order)), rest[len(words) :]
    raise BadQuestion(f"“{rest}” was not understood", "", "Try: as bars, sorted by value.")


def changed(
    question: Compare, slot: str, value: Any, table: Table, lit: Condition | None
) -> tuple[Compare, str]:
    """Return the question with another choice in a slot, and the change in a few words."""
    measure = question.measure
    if slot == "aggregate":
        return _aggregate(question, value, table, lit)
    if slot == "column":
        column = table.column(value or "")
        kept = replace(measure, column=column.name)
        keeps = fits(measure.aggregate, column) and measure.per != column.name
        measure = kept if keeps else first_measure(column)
        across = question.across
        if across == column.name:
            raise BadQuestion("A column cannot be compared across itself", "column", "Choose another column.")
        shape = question.shape if keeps else first_shape(measure)
        asked = replace(question, measure=measure, shape=shape)
        return asked, measure_words(measure, table)
    if slot == "per":
        asked = replace(question, measure=replace(measure, per=table.column(value or "").name))
        return asked, measure_words(asked.measure, table)
    if slot == "across":
        across_column = table.column(value or "")
        order = compare_question(measure, across_column).order
        return replace(question, across=across_column.name, order=order), f"across {value}"
    labels = {
        "shape": {key: f"as {words}" for key, words in SHAPE_WORDS.items()},
        "order": ORDER_WORDS,
    }
    if slot not in labels:
        raise BadQuestion(f"There is no slot “{slot}” in this sentence")
    label = chosen(slot, value, labels[slot])
    return replace(question, **{slot: value}), label


def _aggregate(question: Compare, value: Any, table: Table, lit: Condition | None) -> tuple[Compare, str]:
    if isinstance(value, str) and (known := table.measures.get(value.removeprefix(NAMED))):
        return replace(question, measure=known, shape=first_shape(known)), value.removeprefix(NAMED)
    if value not in AGGREGATES:
        raise BadQuestion(f"“{value}” does not fit there", "aggregate", "Choose one of the list.")
    column = question.measure.column
    if value == "count":
        measure = Measure("count")
    elif value == "share":
        if lit is None:
            raise BadQuestion("Nothing is lit", "aggregate", "Light the rows whose share is wanted first.")
        measure = Measure("share", where=lit)
    else:
        measure = Measure(value, column or _some_number(table, question.across))
        if value == "ratio":
            measure = replace(measure, per=_some_number(table, question.across, measure.column))
    asked = replace(question, measure=measure, shape=first_shape(measure))
    return asked, measure_words(measure, table)


def _some_number(table: Table, *taken: str | None) -> str:
    """Return a number to begin with: one that adds up before one that does not."""
    able = [c for c in table.columns if c.kind.numeric and c.name not in taken]
    if not able:
        raise BadQuestion("There is no other number", "column", "Choose another measure.")
    return max(able, key=lambda c: c.additive).name
