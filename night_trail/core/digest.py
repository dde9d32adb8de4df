"""In short: what a table, a scene or a trail says, in one sentence, a paragraph or a page.

Every sentence is the first of a picture's own words, and names that picture:
of what was searched for only what was confirmed is said.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np

from night_trail.core.errors import BadQuestion
from night_trail.core.language.numbers import counted
from night_trail.core.language.spans import first_sentence, plain
from night_trail.core.moments import DAY
from night_trail.core.question import Question, Scene
from night_trail.core.questions.changed.question import Changed
from night_trail.core.questions.changed.sentence import side_words
from night_trail.core.questions.differ.question import Differ
from night_trail.core.questions.over_time.question import OverTime
from night_trail.core.questions.registry import KINDS, check, kind_of, short_name, words_of
from night_trail.core.questions.shared.gist import Gist
from night_trail.core.questions.shared.measures import first_measure
from night_trail.core.questions.shared.periods import time_column
from night_trail.core.questions.stands.question import Stands
from night_trail.core.rows import Rows
from night_trail.core.signposts import beginnings, search
from night_trail.core.table import Column, Table

Length = Literal["sentence", "paragraph", "page"]
LENGTHS: dict[Length, int] = {"sentence": 1, "paragraph": 5, "page": 16}
"""How many sentences each length has at most."""

MOST_MEASURES = 2

Answers = Callable[[Question], Any]


@dataclass(frozen=True)
class Line:
    """A sentence, the heading it stands under, and the scene whose picture says it; None of a plain one."""

    text: str
    part: str
    scene: Scene | None = None


def of_length(lines: Sequence[Line], length: Length) -> list[Line]:
    """Return the sentences of a length: the weightiest, in the order of their headings."""
    return list(lines[: LENGTHS[length]])


def of_table(rows: Rows, answers: Answers) -> list[Line]:
    """Return what a table says: what it is, what goes with what, what changed, what stands out."""
    table = rows.table
    lines = [Line(_holds(rows), "What is here")]
    confirmed = [_said(s.question, table, answers, "What goes with what") for s in beginnings(rows).found]
    first = [line for line in confirmed if line is not None]
    if first:
        # the one sentence of a table says what it is and the strongest thing in it
        best = first[0]
        lines[0] = Line(f"{lines[0].text.rstrip('.')}. {best.text}", "What is here", best.scene)
    lines += _in_time(table, answers)
    lines += first[1:]
    lines += [line for line in [_said(Stands(), table, answers, "What stands out", whole=True)] if line]
    return lines


def _holds(rows: Rows) -> str:
    table = rows.table
    when = time_column(table)
    over = ""
    if when is not None and when.kind.temporal:
        moments = table.moments(when.name).values
        days = len(np.unique(np.floor(moments[np.isfinite(moments)] / DAY)))
        over = f" on {counted(days, 'day')}"
    part = f" This is told from a part: {table.part_words}." if table.part_words else ""
    columns = counted(len(table.columns), "column")
    return f"{table.rows_in_words(rows.n).capitalize()}{over}, with {columns}.{part}"


def _measures(table: Table) -> list[Column]:
    able = [c for c in table.columns if c.kind.numeric and not c.code and not c.dated and c.distinct > 2]
    return sorted(able, key=lambda c: not c.additive)[:MOST_MEASURES]


def _in_time(table: Table, answers: Answers) -> Iterator[Line]:
    """Yield how the first measures went, and why the first of them changed last."""
    when = time_column(table)
    if when is None:
        return
    measures = _measures(table)
    for column in measures:
        line = _said(OverTime(first_measure(column), when.name), table, answers, "What changed")
        if line is not None:
            yield line
    changed = next(k for k in KINDS if k.tag == "changed")
    for column in measures[:1]:
        try:
            why = changed.from_gist(Gist(column.name, first_measure(column), time=when.name), table)
        except BadQuestion:
            continue
        line = _said(why, table, answers, "What changed")
        if line is not None:
            yield line


def of_scene(scene: Scene, rows: Rows, answers: Answers) -> list[Line]:
    """Return what a scene says: its picture, how what is lit differs, what goes with it."""
    if scene.main is None:
        return []
    table = rows.table
    words = plain(words_of(answers(scene.main), table, scene.only).headline)
    first = first_sentence(words)
    lines = [Line(first, "The picture", scene)]
    rest = words[len(first) :].strip()
    if rest:
        lines.append(Line(rest, "The picture", scene))
    asked: list[Question] = [Differ(scene.lit)] if scene.lit is not None else []
    asked += [s.question for s in search(scene, rows).found]
    for question in asked:
        if question == scene.main:
            continue
        line = _said(question, table, answers, "What goes with it", scene)
        if line is not None and all(line.text != other.text for other in lines):
            lines.append(line)
    return lines


def of_trail(kept: Sequence[tuple[str, Scene]]) -> list[Line]:
    """Return what a trail says: what was kept on it, each in its own words; those of the same words once."""
    found: dict[str, Line] = {}
    for text, scene in kept:
        ended = text.rstrip()
        ended = ended if ended.endswith((".", "?", "!")) else f"{ended}."
        found.setdefault(ended, Line(ended, "What was found", scene))
    return list(found.values())


def _said(
    question: Question,
    table: Table,
    answers: Answers,
    part: str,
    around: Scene | None = None,
    whole: bool = False,
) -> Line | None:
    """Return what a picture says, its first sentence or all; None where it cannot be drawn."""
    try:
        check(question, table)
        found = answers(question)
    except BadQuestion:
        return None
    if kind_of(question).behind is not None and getattr(found, "pending", None) is not None:
        return None
    only = around.only if around is not None else ()
    words = plain(words_of(found, table, only).headline)
    said = words if whole else first_sentence(words)
    if isinstance(question, Changed):
        sides = " to ".join(side_words(c, table) for c in (question.before, question.after))
        said = f"From {sides}: {said[:1].lower()}{said[1:]}"
    if question.column not in said and not whole:
        # in the midst of others a sentence has to say what it is of
        name = short_name(question)
        said = f"i{said[1:]}" if said.startswith("It ") else said
        said = f"{name[:1].upper()}{name[1:]}: {said}"
    return Line(said, part, Scene(main=question, only=only))
