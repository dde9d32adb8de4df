"""What a ranked answer holds, one by one: each with its picture, its rows, and what can be done about it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import singledispatch
from typing import Any

from night_trail.core.conditions import Condition
from night_trail.core.language.spans import shortened
from night_trail.core.question import Question
from night_trail.core.questions.changed.answer import ChangedAnswer
from night_trail.core.questions.changed.words import signed as change_signed
from night_trail.core.questions.differ.answer import DifferAnswer
from night_trail.core.questions.differ.words import contrast_words
from night_trail.core.questions.drivers.answer import DriversAnswer
from night_trail.core.questions.drivers.pictures import picture_of as driver_picture
from night_trail.core.questions.drivers.words import effect_words, importance_said
from night_trail.core.questions.spread.answer import first_question
from night_trail.core.questions.stands.answer import StandsAnswer
from night_trail.core.questions.stands.pictures import picture_of as standing_picture
from night_trail.core.questions.stands.repairs import repair_of
from night_trail.core.questions.stands.words import title
from night_trail.core.recipe.offers import Remedy
from night_trail.core.table import Table
from night_trail.core.turns import Slot


@dataclass(frozen=True)
class Item:
    """One of a ranked list.

    ``said`` is its reason, ``n`` its rows where it has some of its own. ``see``
    and ``rows`` make the picture in which it is kept: what is asked, what is lit.
    ``aside`` is the turn that takes it off the list, ``repair`` a step of the recipe.
    """

    key: str
    title: str
    said: str
    n: int | None
    see: Question
    rows: Condition | None
    aside: Slot | None = None
    repair: Remedy | None = None


def items(answer: Any, table: Table) -> list[Item]:
    """Return what an answer holds one by one; nothing of an answer that is no ranked list."""
    return list(_items(answer, table))


def goes_one_by_one(answer: Any) -> bool:
    """Whether an answer is a ranked list."""
    return _items.dispatch(type(answer)) is not _items.dispatch(object)


@singledispatch
def _items(answer: Any, table: Table) -> Iterator[Item]:
    return iter(())


@_items.register
def _of_stands(answer: StandsAnswer, table: Table) -> Iterator[Item]:
    for one in answer.findings:
        said = f"{one.here}; {one.usual}"
        see = standing_picture(one, table) or answer.question
        aside = Slot("aside", one.key)
        yield Item(one.key, title(one), said, one.n, see, one.condition, aside, repair_of(one, table))


@_items.register
def _of_differ(answer: DifferAnswer, table: Table) -> Iterator[Item]:
    for one in answer.found:
        see = first_question(one.column)
        aside = Slot("without", one.column.name)
        yield Item(one.name, one.name, contrast_words(one), None, see, answer.question.ones, aside)


@_items.register
def _of_drivers(answer: DriversAnswer, table: Table) -> Iterator[Item]:
    for one in answer.found:
        said = f"{importance_said(answer)(one.worse)} worse without it; {effect_words(one, answer)}"
        rows = one.said.rows if one.said is not None else None
        aside = Slot("without", one.columns[0])
        yield Item(one.name, one.name, said, None, driver_picture(answer, one, table), rows, aside)


@_items.register
def _of_changed(answer: ChangedAnswer, table: Table) -> Iterator[Item]:
    written = change_signed(answer)
    for one in answer.segments:
        if not one.others:
            unexpected = ", otherwise than the rest beyond chance" if one.unexpected else ""
            said = f"{written(one.change)} of {written(answer.after - answer.before)}{unexpected}"
            yield Item(one.key, shortened(one.label), said, sum(one.n), answer.question, one.condition)
