"""A cycle, read from typed words."""

from __future__ import annotations

import re
from typing import Any, cast

from msgspec.structs import replace

from night_trail.core.measure import Measure
from night_trail.core.questions.cycle.answer import check
from night_trail.core.questions.cycle.question import Cycle
from night_trail.core.questions.cycle.sentence import CYCLE_SHAPES, PART_WORDS
from night_trail.core.questions.shared.time_read import (
    FOR_EACH,
    ROUNDS,
    THROUGH,
    column_of,
    opened,
    shape_of,
    time_of,
)
from night_trail.core.table import Table


def read(body: str, table: Table) -> Cycle | None:
    """Return the cycle that words ask for: ``boardings through the week``; None where they ask for none."""
    if (begun := opened(body, table)) is None:
        return None
    measure, rest = begun
    if found := re.match(THROUGH, rest, re.IGNORECASE):
        part = next(p for p, words in PART_WORDS.items() if words == found[1].lower())
        return _cycle(measure, part, rest[found.end() :], table)
    for words, part in ROUNDS.items():
        if found := re.match(rf"{words}(?!\w)", rest, re.IGNORECASE):
            return _cycle(measure, part, rest[found.end() :], table)
    return None


def _cycle(measure: Measure, part: str, rest: str, table: Table) -> Cycle:
    question = Cycle(measure, time_of(table).name, cast(Any, part))
    while rest := rest.strip(" ,"):
        if found := re.match(r"in each year", rest, re.IGNORECASE):
            question, rest = replace(question, years=True), rest[found.end() :]
        elif found := re.match(r"by the clock of (\S+?)(?=,|$| )", rest, re.IGNORECASE):
            question, rest = replace(question, zone=found[1]), rest[found.end() :]
        elif (found := re.match(r"(?:for )?each year(?!\w)", rest, re.IGNORECASE)) and "year" not in table:
            question, rest = replace(question, years=True), rest[found.end() :]
        elif found := re.match(FOR_EACH, rest, re.IGNORECASE):
            column, rest = column_of(rest[found.end() :], table)
            question = replace(question, split=column)
        else:
            shape, rest = shape_of(rest, CYCLE_SHAPES)
            question = replace(question, shape=cast(Any, shape))
    check(question, table)
    return question
