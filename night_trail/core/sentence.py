"""A scene as an English sentence, and typed words as a question with its filter."""

from __future__ import annotations

import re
from typing import Any

from night_trail.core.question import Question, Scene
from night_trail.core.slots import read_body, sentence
from night_trail.core.table import Table
from night_trail.core.words.conditions import from_words, in_words, take_column


def scene_in_words(scene: Scene, table: Table, answer: Any = None) -> str:
    """Return the whole scene as exported figures spell it: the sentence, the filter, the lantern."""
    if scene.main is None:
        return f"What is in {table.name}?"
    text = str(sentence(scene.main, table, answer))
    extras = []
    if scene.only:
        extras.append("only where " + " and ".join(in_words(c, table) for c in scene.only))
    if scene.lit is not None:
        extras.append("lit: " + in_words(scene.lit, table))
    return f"{text[:-1]}, {'; '.join(extras)}?" if extras else text


def read(text: str, table: Table) -> tuple[Question, tuple[Any, ...]]:
    """Return the question and the filter a person typed, as a sentence or in short.

    ``late_min``, ``late_min by district``, ``average late_min by district``,
    ``How is late_min spread across district, drawn as a histogram with bins of
    2 min?``, each with ``only where …`` behind it.

    Raises
    ------
    BadQuestion
        Saying which part was not understood and how it could be written.
    """
    body, _, conditions = _split_only(text)
    body = (
        re.sub(r"\s+", " ", body.replace("\u00a0", " ").replace("\u2009", " "))
        .strip()
        .rstrip("?")
        .strip(" ,")
    )
    question = read_body(body, table)
    parts = [p for p in re.split(r" and (?=only )| and ", conditions) if p] if conditions else []
    return question, tuple(from_words(p, table) for p in _rejoined(parts, table))


def _split_only(text: str) -> tuple[str, str, str]:
    head, mark, tail = text.partition("only where ")
    if not mark:
        head, mark, tail = text.partition("only ")
    return head, mark, tail.strip().rstrip("?").partition("; lit:")[0].strip()


def _rejoined(parts: list[str], table: Table) -> list[str]:
    """Put "between 2 and 5" together again: a part that names no column belongs to the one before."""
    joined: list[str] = []
    for part in parts:
        if joined and take_column(part.strip(), table)[0] is None:
            joined[-1] += f" and {part}"
        else:
            joined.append(part)
    return joined
