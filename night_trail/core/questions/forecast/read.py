"""A forecast, read from typed words."""

from __future__ import annotations

import re
from typing import Any, cast

from msgspec.structs import replace

from night_trail.core.errors import BadQuestion
from night_trail.core.measure import Measure
from night_trail.core.moments import GRAINS
from night_trail.core.questions.forecast.answer import check
from night_trail.core.questions.forecast.question import Forecast
from night_trail.core.questions.shared.time_read import (
    AHEAD,
    FOR_EACH,
    asked,
    column_of,
    grain_of,
    measured,
    opened,
    time_of,
)
from night_trail.core.table import Table


def read(body: str, table: Table) -> Forecast | None:
    """Return the forecast that words ask for: ``boardings ahead``; None where they ask for none."""
    if found := re.match(r"where is ", body, re.IGNORECASE):
        measure, rest = measured(body[found.end() :], table, quiet=True)
        return _ahead(measure, re.sub(r"^going ", "", rest.strip()), table) if measure else None
    begun = opened(body, table)
    rest = None if begun is None else asked(begun[1], AHEAD)
    return None if begun is None or rest is None else _ahead(begun[0], rest, table)


def _ahead(measure: Measure, rest: str, table: Table) -> Forecast:
    question = Forecast(measure, time_of(table).name)
    units = "|".join(GRAINS)
    while rest := rest.strip(" ,"):
        grain, behind = grain_of(rest)
        if behind is not None:
            question, rest = replace(question, grain=grain), behind
        elif found := re.match(rf"(?:over )?(?:the )?next (\d{{1,3}}) ({units})s?", rest, re.IGNORECASE):
            question = replace(
                question, horizon=int(found[1]), grain=question.grain or cast(Any, found[2].lower())
            )
            rest = rest[found.end() :]
        elif found := re.match(r"(?:over )?(?:the )?next (?:periods|(\d{1,3}))", rest, re.IGNORECASE):
            question = replace(question, horizon=int(found[1]) if found[1] else None)
            rest = rest[found.end() :]
        elif found := re.match(r"with ([\d %,and]+?) bands?", rest, re.IGNORECASE):
            bands = tuple(sorted({int(b) for b in re.findall(r"\d+", found[1])} & {50, 80, 95}))
            question, rest = replace(question, bands=cast(Any, bands or (80, 95))), rest[found.end() :]
        elif found := re.match(FOR_EACH, rest, re.IGNORECASE):
            column, rest = column_of(rest[found.end() :], table)
            question = replace(question, split=column)
        elif found := re.match(r"against ", rest, re.IGNORECASE):
            column, rest = column_of(rest[found.end() :], table)
            question = replace(question, plan=column)
        elif found := re.match(r"knowing ", rest, re.IGNORECASE):
            column, rest = column_of(rest[found.end() :], table)
            question = replace(question, known=column)
        else:
            raise BadQuestion(f"“{rest}” was not understood", "", "Try: over the next 12 months.")
    check(question, table)
    return question
