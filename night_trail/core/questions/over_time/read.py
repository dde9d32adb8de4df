"""A measure over time, read from typed words."""

from __future__ import annotations

import re
from typing import Any, cast

from msgspec.structs import replace

from night_trail.core.errors import BadQuestion
from night_trail.core.hand import real
from night_trail.core.language.conditions import take_column
from night_trail.core.measure import Measure
from night_trail.core.questions.over_time.answer import check, fitted
from night_trail.core.questions.over_time.question import Against, Level, OverTime
from night_trail.core.questions.over_time.sentence import SHAPE_WORDS, SHOW_WORDS, VIEW_WORDS
from night_trail.core.questions.shared.time_read import (
    FOR_EACH,
    column_of,
    grain_of,
    measured,
    opened,
    shape_of,
    time_of,
)
from night_trail.core.questions.shared.time_sentence import MONTH_NAMES
from night_trail.core.table import Table


def read(body: str, table: Table) -> OverTime | None:
    """Return the question that words ask: ``boardings by month for each line``; None where they ask for none.

    Raises
    ------
    BadQuestion
        Saying which part was not understood, where it begins as such a question.
    """
    if (begun := opened(body, table)) is None:
        return None
    measure, rest = begun
    more: list[Measure] = []
    while another := re.match(r"(?:,|and)\s+", rest, re.IGNORECASE):
        next_one, behind = measured(rest[another.end() :], table, quiet=True)
        if next_one is None:
            break
        more.append(next_one)
        rest = behind.strip()
    rest = re.sub(r"^change ", "", rest, flags=re.IGNORECASE)
    grain, behind = grain_of(rest)
    if behind is None:
        return None
    question = OverTime(measure, time_of(table).name, grain, more=tuple(more[:4]))
    return _finished(question, behind, table)


def _finished(question: OverTime, rest: str, table: Table) -> OverTime:
    """Read the clauses behind the grain."""
    while rest := rest.strip(" ,"):
        question, rest = _clause(question, rest, table)
    question = fitted(question)
    check(question, table)
    return question


def _clause(question: OverTime, rest: str, table: Table) -> tuple[OverTime, str]:  # noqa: C901  (one case a clause, in the order they are tried)
    if found := re.match(r"by the clock of (\S+?)(?=,|$| )", rest, re.IGNORECASE):
        return replace(question, zone=found[1]), rest[found.end() :]
    if found := re.match(FOR_EACH, rest, re.IGNORECASE):
        grain, behind = grain_of(rest) if question.grain is None else (None, None)
        if behind is not None and take_column(rest[found.end() :], table)[0] is None:
            return replace(question, grain=grain), behind  # over time, by month
        column, behind = column_of(rest[found.end() :], table)
        return replace(question, split=column), behind
    if found := re.match(r"against (?:the )?(period|year) (?:before|earlier)", rest, re.IGNORECASE):
        kind = "before" if found[1].lower() == "period" else "year"
        return replace(question, against=Against(cast(Any, kind))), rest[found.end() :]
    if found := re.match(r"against ", rest, re.IGNORECASE):
        column, behind = column_of(rest[found.end() :], table)
        return replace(question, against=Against("column", column)), behind
    if found := re.match(r"the difference (as it is|relative to it)", rest, re.IGNORECASE):
        show = {w: k for k, w in SHOW_WORDS.items()}[found[1].lower()]
        if question.against is None:
            raise BadQuestion("There is no difference to show", "against", "Hold it against the year before.")
        against = replace(question.against, show=cast(Any, show))
        return replace(question, against=against), rest[found.end() :]
    if found := re.match(r"as a rolling mean(?: of (\d{1,3}) \w+)?", rest, re.IGNORECASE):
        window = int(found[1] or 3)
        return replace(question, view="rolling", window=window), rest[found.end() :]
    for view, words in VIEW_WORDS.items():
        if view != "plain" and rest.lower().startswith(words):
            return replace(question, view=cast(Any, view)), rest[len(words) :]
    if found := re.match(r"(?:with|and|,) ?(?:the )?(mean|median)(?!\w)", rest, re.IGNORECASE):
        levels = (*question.levels, Level(cast(Any, found[1].lower())))
        return replace(question, levels=levels), rest[found.end() :]
    if found := re.match(r"(?:with|and|,) ?the ([\d.]+)(?:th|st|nd|rd) percentile", rest, re.IGNORECASE):
        return replace(
            question, levels=(*question.levels, Level("percentile", real(found[1], "levels")))
        ), rest[found.end() :]
    if found := re.match(r"(?:with|and|,) ?a target of ([-−\d.,]+)", rest, re.IGNORECASE):
        at = real(found[1].rstrip(".,"), "levels")
        return replace(question, levels=(*question.levels, Level("target", at))), rest[found.end() :]
    if found := re.match(r"under way until ", rest, re.IGNORECASE):
        column, behind = column_of(rest[found.end() :], table)
        return replace(question, until=column), behind
    if found := re.match(rf"with years from ({'|'.join(MONTH_NAMES)})", rest, re.IGNORECASE):
        start = MONTH_NAMES.index(found[1].capitalize()) + 1
        return replace(question, year_start=start), rest[found.end() :]
    if found := re.match(r"the largest (\d{1,2}) kept", rest, re.IGNORECASE):
        return replace(question, keep=int(found[1])), rest[found.end() :]
    if found := re.match(r"with ", rest, re.IGNORECASE):
        marked, behind = take_column(rest[found.end() :], table)
        if marked is not None and (end := re.match(r"marked", behind, re.IGNORECASE)):
            return replace(question, bands=marked.name), behind[end.end() :]
    shape, behind = shape_of(rest, SHAPE_WORDS)
    points = re.match(r" with points", behind)
    behind = behind[points.end() :] if points else behind
    return replace(question, shape=cast(Any, shape), points=points is not None), behind
