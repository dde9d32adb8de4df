"""Answers put into words: numbers, units and grammar, nothing computed.

``words_of`` is the one door; a module per question stands behind it.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from night_trail.core.answers import Answer
from night_trail.core.question import Compare, Relate, Spread
from night_trail.core.table import Table
from night_trail.core.words.compare import compare_words
from night_trail.core.words.relate import relate_words
from night_trail.core.words.spread import spread_words
from night_trail.core.words.value import Fact, Span, Words, plain

__all__ = ["Fact", "Span", "Words", "plain", "words_of"]

_WORDS: dict[type, Callable[[Any, Table], Words]] = {
    Spread: spread_words,
    Compare: compare_words,
    Relate: relate_words,
}


def words_of(answer: Answer, table: Table) -> Words:
    """Return the words of an answer."""
    return _WORDS[type(answer.question)](answer, table)
