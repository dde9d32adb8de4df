"""Answers put into words: numbers, units and grammar, nothing computed.

``words_of`` is the one door; a module per question stands behind it.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import Any

import msgspec

from night_trail.core.answers import Answer
from night_trail.core.answers.ahead import AheadAnswer
from night_trail.core.answers.angles import AnglesAnswer
from night_trail.core.answers.apart import ApartAnswer
from night_trail.core.answers.bars import BarsAnswer
from night_trail.core.answers.boxes import BoxesAnswer
from night_trail.core.answers.compare import CompareAnswer
from night_trail.core.answers.cross import CrossAnswer
from night_trail.core.answers.curves import CurvesAnswer
from night_trail.core.answers.cycle import CycleAnswer
from night_trail.core.answers.goes import GoesAnswer
from night_trail.core.answers.histogram import HistogramAnswer
from night_trail.core.answers.over_time import OverTimeAnswer
from night_trail.core.answers.relate import RelateAnswer
from night_trail.core.answers.several import SeveralAnswer
from night_trail.core.answers.strip import StripAnswer
from night_trail.core.answers.together import TogetherAnswer
from night_trail.core.conditions import Condition, OneOf
from night_trail.core.table import Column, Table
from night_trail.core.words.compare import compare_words, cross_words, several_words
from night_trail.core.words.many import goes_words, together_words
from night_trail.core.words.parts import ahead_words, apart_words
from night_trail.core.words.relate import relate_words
from night_trail.core.words.spread import spread_words
from night_trail.core.words.time import cycle_words, over_time_words
from night_trail.core.words.value import Caution, Fact, Span, Words, plain

__all__ = ["Fact", "Span", "Words", "plain", "words_of"]

_WORDS: dict[type, Callable[[Any, Table], Words]] = {
    BarsAnswer: spread_words,
    BoxesAnswer: spread_words,
    HistogramAnswer: spread_words,
    CurvesAnswer: spread_words,
    StripAnswer: spread_words,
    AnglesAnswer: spread_words,
    CompareAnswer: compare_words,
    CrossAnswer: cross_words,
    SeveralAnswer: several_words,
    RelateAnswer: relate_words,
    TogetherAnswer: together_words,
    GoesAnswer: goes_words,
    OverTimeAnswer: over_time_words,
    CycleAnswer: cycle_words,
    ApartAnswer: apart_words,
    AheadAnswer: ahead_words,
}


def words_of(answer: Answer, table: Table, only: Sequence[Condition] | None = None) -> Words:
    """Return the words of an answer; ``only`` are the conditions its rows meet, where they are known."""
    words = _WORDS[type(answer)](answer, table)
    cautions = tuple(found for c in table.columns if c.once and (found := _repeats(c, answer, table, only)))
    return replace(words, cautions=(*words.cautions, *cautions)) if cautions else words


def _repeats(
    column: Column, answer: Answer, table: Table, only: Sequence[Condition] | None
) -> Caution | None:
    """Say that rows were made of one, where that counts it several times."""
    if column.name in _texts(msgspec.to_builtins(answer.question)):
        return Caution(f"What has several values of {column.name} counts in each of them.")
    once = OneOf(column.once, ("yes",))
    if column.once not in table or only is None or once in only:
        return None
    return Caution(
        f"Rows stand once for each value of {column.name}: what has several counts several times.",
        "count each once",
        turn="only",
        rows=once,
    )


def _texts(value: object) -> set[str]:
    """Return every text within plain values."""
    if isinstance(value, str):
        return {value}
    inner = value.values() if isinstance(value, dict) else value if isinstance(value, list | tuple) else ()
    return {text for one in inner for text in _texts(one)}
