"""What is at hand of a mark: what makes it up by the column that tells most, and what can be asked of it."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from night_trail.core.conditions import Condition, Near, Nearest, OneOf, columns_of, leaves, mask
from night_trail.core.errors import BadQuestion
from night_trail.core.language.conditions import in_words
from night_trail.core.places.flat import KM
from night_trail.core.question import Question, Scene
from night_trail.core.questions.compare.question import Compare
from night_trail.core.questions.differ.answer import Contrast, differ
from night_trail.core.questions.differ.question import Differ
from night_trail.core.questions.differ.words import contrast_words
from night_trail.core.questions.place.coordinates import round_up
from night_trail.core.questions.place.lying import EASTMOST, NORTHMOST
from night_trail.core.questions.place.question import Place
from night_trail.core.questions.place.spots import spots_of
from night_trail.core.questions.registry import KINDS, check, kind_of
from night_trail.core.questions.shared.gist import Gist
from night_trail.core.questions.shared.grouping import makes_groups
from night_trail.core.questions.shared.largest import largest
from night_trail.core.questions.shared.measures import first_shape
from night_trail.core.questions.shared.offers import can_be_asked
from night_trail.core.questions.spread.answer import first_question
from night_trail.core.rows import Rows
from night_trail.core.table import Table

MOST_OTHERS = 5
RINGS = (0.03, 0.1)
"""How far around a mark it may be lit, as shares of how wide the map is."""

NEAREST = 20


@dataclass(frozen=True)
class AtHand:
    """What makes a mark up, and what can be asked of it.

    ``made_of`` is asked of its rows alone, by the column ``by`` in which they
    differ most; ``said`` is how. ``why`` and ``differs`` are questions that go on
    from the mark, ``others`` the marks beside it with what compares it with each;
    ``rings`` hold what lies around it, where it lies on Earth.
    """

    words: str
    made_of: Question | None
    by: str
    said: str
    why: Question | None
    differs: Question | None
    others: tuple[tuple[str, Question], ...]
    rings: tuple[Condition, ...] = ()


def at_hand(scene: Scene, condition: Condition, rows: Rows) -> AtHand:
    """Return what is at hand of a mark whose rows a condition names.

    Raises
    ------
    BadQuestion
        Where the table cannot name those rows, or the scene has no picture.
    """
    table = rows.table
    if scene.main is None:
        raise BadQuestion("There is no picture here", "", "Choose a column first.")
    gist = kind_of(scene.main).gist(scene.main, table)
    taken = {*columns_of(condition), *(n for n in scene.main.mentions if n)}
    named = Differ(
        condition, without=tuple(n for n in dict.fromkeys(taken) if n not in columns_of(condition))
    )
    telling = _telling(named, rows)
    made_of = None if telling is None else _made_of(gist, telling, table)
    return AtHand(
        words=in_words(condition, table),
        made_of=made_of,
        by="" if telling is None else telling.column.name,
        said="" if telling is None else contrast_words(telling),
        why=_asked("changed", gist, condition, table) if gist.measure is not None else None,
        differs=_checked(Differ(condition), table),
        others=tuple(_others(condition, table)),
        rings=_rings(scene.main, condition, rows),
    )


def _rings(question: Question, condition: Condition, rows: Rows) -> tuple[Condition, ...]:
    """Return what lies within two round distances of a mark on a map, and what lies nearest."""
    if not isinstance(question, Place) or len(question.at) != 2:
        return ()
    here = mask(condition, rows.table) & rows.keeps
    x, y = (rows.table.axis(name).values[here] for name in question.at)
    lies = (np.abs(x) <= EASTMOST) & (np.abs(y) <= NORTHMOST)
    if not lies.any():
        return ()
    at = (round(float(x[lies].mean()), 4), round(float(y[lies].mean()), 4))
    west, east, south, north = spots_of(question, rows).window
    wide = max(east - west, north - south) * KM
    near = [Near(question.at[0], question.at[1], at, round_up(wide * share)) for share in RINGS]
    return (*near, Nearest(question.at[0], question.at[1], at, NEAREST))


def _telling(question: Differ, rows: Rows) -> Contrast | None:
    """Return the column in which the mark's rows differ most from the rest; None where it is like them."""
    try:
        answer = differ(question, rows.relit(None))
    except BadQuestion:
        return None
    return next((c for c in answer.found if not c.of_missing), None)


def _made_of(gist: Gist, telling: Contrast, table: Table) -> Question:
    """Return the measure broken down by a column, or how the column is spread."""
    column = telling.column
    if gist.measure is not None and makes_groups(column) and gist.measure.column != column.name:
        asked = _checked(Compare(gist.measure, column.name, shape=first_shape(gist.measure)), table)
        if asked is not None:
            return asked
    return first_question(column)


def _asked(tag: str, gist: Gist, condition: Condition, table: Table) -> Question | None:
    kind = next(k for k in KINDS if k.tag == tag)
    try:
        question: Any = kind.from_gist(replace(gist, rows=condition), table)
    except BadQuestion:
        return None
    return _checked(question, table)


def _checked(question: Question, table: Table) -> Question | None:
    return question if can_be_asked(check, question, table) else None


def _others(condition: Condition, table: Table) -> list[tuple[str, Question]]:
    """Return the largest other values of the column that names a mark, to compare it with."""
    named = list(leaves(condition))
    if len(named) != 1 or not isinstance(named[0], OneOf) or len(named[0].values) != 1:
        return []
    column, value = named[0].column, named[0].values[0]
    found = []
    for other in largest(table, column):
        asked = _checked(Differ(condition, OneOf(column, (other,))), table) if other != value else None
        if asked is not None:
            found.append((other, asked))
        if len(found) == MOST_OTHERS:
            break
    return found
