"""From one question to another: read from typed words, changed slot by slot, asked in another way."""

from __future__ import annotations

import re
from dataclasses import replace
from typing import Any

from night_trail.core.conditions import Condition
from night_trail.core.language.conditions import take_column
from night_trail.core.question import Question
from night_trail.core.questions.registry import KINDS, kind_of
from night_trail.core.questions.shared.periods import time_column
from night_trail.core.questions.shared.sentence import chosen
from night_trail.core.table import Table

WAYS = {kind.tag: kind.way for kind in KINDS}

_READ_FIRST = (
    "drives",
    "differ",
    "changed",
    "held",
    "stands",
    "make-up",
    "flow",
    "kin",
    "place",
    "stages",
    "together",
    "goes",
    "apart",
    "ahead",
    "cycle",
    "over time",
    "compare",
    "relate",
    "spread",
)
"""Kinds whose words begin in a way of their own are asked first; any column alone is a spread."""

_OTHER_WORDS = (
    (r"(?:the )?correlations", "numbers together"),
    (r"(?:the )?correlation (?:of|between) (.+) (?:and|with) (.+)", r"\1 vs \2"),
    (r"(?:a |the )?forecast of (.+)", r"\1 ahead"),
    (r"(?:an? )?(histograms?|box plots?|bars|density) of (.+)", r"\2, as \1"),
)
"""What people call a picture, and how it is said with the column first."""


def read_body(body: str, table: Table) -> Question:
    """Return the question that typed words without their filter ask for."""
    if take_column(body, table)[0] is None:
        for called, said in _OTHER_WORDS:
            if found := re.fullmatch(called, body, re.IGNORECASE):
                body = found.expand(said)
                break
    body = _over_years(body, table)
    readers = {kind.tag: kind.read for kind in KINDS}
    # what a package brings is asked before ours, of which the last takes any column
    for tag in (*(tag for tag in readers if tag not in _READ_FIRST), *_READ_FIRST):
        read = readers[tag]
        if read is not None and (question := read(body, table)) is not None:
            break
    asked: Question = question
    return asked


def _over_years(body: str, table: Table) -> str:
    """Return words that end in by, or over, the table's years as a question about time, which they are."""
    found = re.fullmatch(r"(.+?) (?:by|over) (.+)", body, re.IGNORECASE)
    column, rest = take_column(found[2], table) if found else (None, "")
    when = time_column(table) if column is not None and column.yearly and not rest else None
    same = found is not None and when is not None and column is not None and when.name == column.name
    return f"{found[1]} over time" if same and found is not None else body


def changed(
    question: Question, slot: str, value: Any, table: Table, lit: Condition | None = None
) -> tuple[Question, str]:
    """Return the question with another choice in a slot, and the change in a few words."""
    if slot == "way":
        return _another_way(question, value, table, lit)
    return kind_of(question).changed(question, slot, value, table, lit)


def _another_way(question: Question, value: Any, table: Table, lit: Condition | None) -> tuple[Question, str]:
    chosen("way", value, WAYS)
    kind = next(kind for kind in KINDS if kind.tag == value)
    before = kind_of(question)
    # of a column's spread the first picture is shown again; another question that is asked already stays
    stays = kind is before and value in ("compare", "relate", "together", "goes")
    gist = before.gist(question, table)
    # what is lit is what is spoken of
    asked = question if stays else kind.from_gist(replace(gist, rows=lit or gist.rows), table)
    return asked, kind.short_name(asked)
