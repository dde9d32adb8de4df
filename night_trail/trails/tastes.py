"""What somebody made of proposed pictures moves the like up or down for them, and can be undone."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import msgspec

from night_trail.core.errors import BadQuestion
from night_trail.core.question import Question, decode, key, to_json
from night_trail.core.questions.registry import kind_of, short_name
from night_trail.tables.models import Table
from night_trail.trails.models import Taste

MOST_REMEMBERED = 200
ALIKE, SHARED = 1.25, 1.5
"""How many times stronger one more useful picture of the kind, or of a column, makes another."""


def mark(person: Any, table: Table, question: str, useful: str) -> None:
    """Keep what somebody made of a picture: ``yes``, ``no``, or anything else to take it back.

    Raises
    ------
    BadQuestion
        Where the question cannot be read.
    """
    asked: Question = decode(question[:20_000], Question, "question")
    tastes = Taste.objects.filter(person=person, table=table)
    if useful not in ("yes", "no"):
        tastes.filter(question_key=key(asked)).delete()
        return
    for old in tastes[MOST_REMEMBERED - 1 :]:
        old.delete()
    Taste.objects.update_or_create(
        person=person,
        table=table,
        question_key=key(asked),
        defaults={"question": msgspec.to_builtins(asked), "useful": useful == "yes"},
    )


def likes(person: Any, table: Table) -> Callable[[Question], float]:
    """Return how much more, or less, a picture counts by what the person said of others of this table."""
    told = [(asked, t.useful, t.question_key) for t, asked in _read(person, table)]
    unwanted = {key_ for _, useful, key_ in told if not useful}

    def weight(question: Question) -> float:
        if key(question) in unwanted:
            return 0.0
        found = 1.0
        mine = {n for n in question.mentions if n}
        for asked, useful, _ in told:
            step = 1.0
            if type(asked) is type(question):
                step *= ALIKE
            # the column looked at is common to all: what stands beside it is what was liked
            if (mine & {n for n in asked.mentions if n}) - {question.column}:
                step *= SHARED
            found *= step if useful else 1 / step
        return found

    return weight


def put_away(person: Any, table: Table) -> list[dict[str, str]]:
    """Return the pictures that were not wanted, the newest first, with what takes each back."""
    return [
        {"name": short_name(asked), "question": to_json(asked)}
        for taste, asked in _read(person, table)
        if not taste.useful
    ]


def useful_keys(person: Any, table: Table) -> set[str]:
    """Return the keys of the pictures that were called useful."""
    return set(
        Taste.objects.filter(person=person, table=table, useful=True).values_list("question_key", flat=True)
    )


def _read(person: Any, table: Table) -> list[tuple[Taste, Question]]:
    found = []
    for taste in Taste.objects.filter(person=person, table=table)[:MOST_REMEMBERED]:
        try:
            asked: Question = decode(msgspec.json.encode(taste.question), Question, "question")
            kind_of(asked)
        except BadQuestion:
            continue  # a kind that is no more
        found.append((taste, asked))
    return found
