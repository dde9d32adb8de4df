"""What a table's analysts call things, and the words they like to ask again."""

from __future__ import annotations

from typing import Any, Literal

import msgspec
from django.db import transaction
from django.http import QueryDict

from night_trail.core.calling import MOST_CALLED, Vocabulary
from night_trail.core.errors import BadQuestion, NightTrailError
from night_trail.core.table import Table as CoreTable
from night_trail.core.words_in.readings import rows_meant
from night_trail.core.words_in.tokens import words_of
from night_trail.tables.models import Favourite, Table

MOST_FAVOURITES = 40
MOST_WORDS = 500


def calling_of(table: Table) -> Vocabulary:
    """Return what things are called in a table; nothing where it cannot be read any more."""
    try:
        return msgspec.convert(table.called, Vocabulary)
    except msgspec.ValidationError:
        return Vocabulary()


def call(table: Table, core: CoreTable, post: QueryDict) -> None:
    """Keep what a phrase means, or which figures of a column are good; forget it where nothing is given.

    Raises
    ------
    BadQuestion
        Where the phrase is empty or too long, or means nothing in the table.
    """
    with transaction.atomic():
        # two tabs may add at once: each adds to what the other did
        kept = Table.objects.select_for_update().get(pk=table.pk)
        called = calling_of(kept)
        changed = _good(called, core, post) if "good" in post else _meaning(called, core, post)
        if len(changed.means) + len(changed.good) > MOST_CALLED:
            raise BadQuestion(
                f"A table keeps {MOST_CALLED} words of its own", table.name, "Forget some first."
            )
        kept.called = msgspec.to_builtins(changed)
        kept.save(update_fields=["called"])
    table.called = kept.called


def _meaning(called: Vocabulary, core: CoreTable, post: QueryDict) -> Vocabulary:
    phrase = " ".join(post.get("phrase", "").split()).lower()
    if not words_of(phrase) or len(phrase) > 100:
        raise BadQuestion(
            "A word of your own needs between 1 and 100 letters", core.name, "Write it like: lateness."
        )
    others = {said: meaning for said, meaning in called.means.items() if said != phrase}
    if "forget" in post:
        return msgspec.structs.replace(called, means=others)
    meaning = post.get("means", "").strip()
    if not meaning or len(meaning) > MOST_WORDS:
        raise BadQuestion(
            f"What “{phrase}” means is not said", core.name, "Choose a column, or write a condition."
        )
    if meaning not in core:
        rows_meant(meaning, core)  # says what is wrong with it
    return msgspec.structs.replace(called, means={**others, phrase: meaning})


def _good(called: Vocabulary, core: CoreTable, post: QueryDict) -> Vocabulary:
    column = core.column(post.get("column", "")).name
    good: dict[str, Literal["high", "low"]] = {n: side for n, side in called.good.items() if n != column}
    side = post.get("good", "")
    if side == "high":
        good[column] = "high"
    elif side == "low":
        good[column] = "low"
    return msgspec.structs.replace(called, good=good)


def favourites_of(table: Table, person: Any) -> list[str]:
    """Return the words somebody likes to ask again of a table, the newest first."""
    return list(Favourite.objects.filter(table=table, person=person).values_list("words", flat=True))


def favour(table: Table, person: Any, words: str) -> None:
    """Keep words as a favourite; what is one already is kept no longer.

    Raises
    ------
    NightTrailError
        Where there are too many, or nothing is said.
    """
    words = " ".join(words.split())[:MOST_WORDS]
    if not words:
        raise NightTrailError("Nothing was typed", table.name, "Type what you would like to ask again.")
    with transaction.atomic():
        mine = Favourite.objects.filter(table=table, person=person)
        if mine.filter(words=words).delete()[0]:
            return
        if mine.count() >= MOST_FAVOURITES:
            raise NightTrailError(
                f"{MOST_FAVOURITES} favourites are the most", table.name, "Let one go first."
            )
        Favourite.objects.create(table=table, person=person, words=words)
