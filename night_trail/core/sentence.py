"""A scene as an English sentence, and typed words as a question with its filter."""

from __future__ import annotations

import re
from typing import Any

from night_trail.core.conditions import Condition, OneOf
from night_trail.core.errors import BadQuestion
from night_trail.core.language.conditions import in_words, parts_from_words
from night_trail.core.question import Question, Scene
from night_trail.core.questions.registry import sentence
from night_trail.core.questions.shared.sentence import Part, Sentence
from night_trail.core.questions.ways import read_body
from night_trail.core.table import Table

MOST_TYPED = 5_000
"""Characters a question may have; conditions on many values make long ones."""


def scene_sentence(scene: Scene, table: Table, answer: Any = None) -> Sentence:
    """Return the main picture's sentence, with the path of groups gone down into."""
    if scene.main is None:
        raise ValueError("a scene without a picture has no sentence")
    said = sentence(scene.main, table, answer)
    if not scene.within:
        return said
    *parts, end = said.parts
    path = " › ".join(_path_words(level.rows, table) for level in scene.within)
    return Sentence((*parts, Part(", within "), Part(path, "within"), end), said.addable)


def _path_words(condition: Condition, table: Table) -> str:
    if isinstance(condition, OneOf) and len(condition.values) == 1:
        return condition.values[0]
    return in_words(condition, table)


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
    if len(text) > MOST_TYPED:
        raise BadQuestion("That is too long to be a question", "", "Begin with a column, like: late_min.")
    body, mark, conditions = _split_only(text)
    body = _tidy(body)
    try:
        question = read_body(body, table)
    except BadQuestion:
        # “where” alone is understood too, where it does not belong to a share
        head, alone, tail = body.rpartition(" where ")
        if mark or not alone:
            raise
        return read_body(_tidy(head), table), parts_from_words(tail, table)
    return question, parts_from_words(conditions, table) if conditions else ()


def _tidy(body: str) -> str:
    plain = re.sub(r"\s+", " ", body.replace("\u00a0", " ").replace("\u2009", " "))
    return plain.strip().rstrip("?").strip(" ,")


def _split_only(text: str) -> tuple[str, str, str]:
    head, mark, tail = text.partition("only where ")
    if not mark:
        head, mark, tail = text.partition("only ")
    return head, mark, tail.strip().rstrip("?").partition("; lit:")[0].strip()
