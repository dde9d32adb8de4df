"""What is said where words are not understood, or only in part."""

from __future__ import annotations

from night_trail.core.errors import BadQuestion
from night_trail.core.language.numbers import listed
from night_trail.core.questions.spread.sentence import example
from night_trail.core.table import Table
from night_trail.core.words_in.alike import misspelled
from night_trail.core.words_in.index import index_of
from night_trail.core.words_in.tags import Tagger
from night_trail.core.words_in.tokens import tokens_of, words_of

LONGEST = 60


def unread(text: str, table: Table) -> tuple[str, ...]:
    """Return the words of a text that nothing in a table answers to."""
    tokens = tokens_of(text)
    if not tokens:
        return ()
    ways = Tagger(tokens, table, index_of(table)).ways()
    return tuple(tag.value for tag in ways[0].tags if tag.role == "unread") if ways else ()


def nearest(word: str, table: Table, most: int = 2) -> list[str]:
    """Return the names and values of a table that are spelled most like a word."""
    index = index_of(table)
    found = [
        index.names[at].column.name
        for near, _ in misspelled(word.lower(), index.words, most)
        for at, _ in index.by_word[near]
    ]
    found += [
        named.column.name
        for named in index.names
        if len(word) > 3 and word.lower() in named.column.name.lower()
    ]
    plain = " ".join(words_of(word))
    found += [hit.values[0] for values in index.values for hit in values.near(plain, 1)]
    return list(dict.fromkeys(found))[:most]


def left_in_words(left: tuple[str, ...], table: Table, unplaced: tuple[str, ...] = ()) -> str:
    """Return what was left over, with what is near it: ``“bikeshop” is not in this table``."""
    if not left:
        words = listed([f"“{_cut(word)}”" for word in unplaced[:3]], "and")
        has = "has" if len(unplaced) == 1 else "have"
        return f"{words} {has} no place in this picture" if unplaced else ""
    shown = [_cut(word) for word in left[:3]]
    said = listed([f"“{word}”" for word in shown], "and")
    near = nearest(left[0], table) if len(left) == 1 else []
    if near:
        return f"{said} is not in this table; the nearest is {listed(near, 'or')}"
    return f"{said} {'is' if len(left) == 1 else 'are'} not in this table"


def not_understood(text: str, table: Table) -> BadQuestion:
    """Return why nothing can be shown for words, and what can be asked."""
    left = unread(text, table)
    way_on = f"Write it like: {example(table.columns)}."
    if not text.strip():
        return BadQuestion("Nothing was typed", "", way_on)
    if left:
        return BadQuestion(left_in_words(left, table), "", way_on)
    return BadQuestion(f"“{_cut(' '.join(text.split()))}” names nothing to look at", "", way_on)


def _cut(text: str) -> str:
    return text if len(text) <= LONGEST else text[: LONGEST - 1].rstrip() + "…"
