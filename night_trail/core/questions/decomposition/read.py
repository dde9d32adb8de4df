"""A series taken apart, read from typed words."""

from __future__ import annotations

import re
from typing import Any, cast

from msgspec.structs import replace

from night_trail.core.measure import Measure
from night_trail.core.questions.decomposition.answer import check
from night_trail.core.questions.decomposition.question import Decomposition
from night_trail.core.questions.decomposition.sentence import APART_SHOW, WAY_WORDS
from night_trail.core.questions.shared.time_read import asked, grain_of, measured, opened, shape_of, time_of
from night_trail.core.table import Table


def read(body: str, table: Table) -> Decomposition | None:
    """Return what words ask to be taken apart: ``boardings taken apart``; None where it is another."""
    if found := re.match(r"what are the trend and seasons of ", body, re.IGNORECASE):
        measure, rest = measured(body[found.end() :], table)
        return _apart(measure, rest, table)
    begun = opened(body, table)
    rest = None if begun is None else asked(begun[1], r"(?:taken apart|apart)")
    return None if begun is None or rest is None else _apart(begun[0], rest, table)


def _apart(measure: Measure, rest: str, table: Table) -> Decomposition:
    question = Decomposition(measure, time_of(table).name)
    while rest := rest.strip(" ,"):
        grain, behind = grain_of(rest)
        if behind is not None:
            question, rest = replace(question, grain=grain), behind
            continue
        for way, words in WAY_WORDS.items():
            if rest.lower().startswith(words):
                question, rest = replace(question, way=cast(Any, way)), rest[len(words) :]
                break
        else:
            if rest.lower().startswith("as fits"):
                rest = rest[len("as fits") :]
                continue
            show, rest = shape_of(
                rest, {k: w.removeprefix("the ") for k, w in APART_SHOW.items()} | APART_SHOW
            )
            question = replace(question, show=cast(Any, show))
    check(question, table)
    return question
