"""Answers put into words: numbers, units and grammar, nothing computed.

``words_of`` is the one door; a module per question stands behind it.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

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
from night_trail.core.table import Table
from night_trail.core.words.compare import compare_words, cross_words, several_words
from night_trail.core.words.many import goes_words, together_words
from night_trail.core.words.parts import ahead_words, apart_words
from night_trail.core.words.relate import relate_words
from night_trail.core.words.spread import spread_words
from night_trail.core.words.time import cycle_words, over_time_words
from night_trail.core.words.value import Fact, Span, Words, plain

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


def words_of(answer: Answer, table: Table) -> Words:
    """Return the words of an answer."""
    return _WORDS[type(answer)](answer, table)
