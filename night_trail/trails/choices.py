"""What a slot of the sentence offers: choices that show what they would give, best first."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import msgspec

from night_trail.core import answers
from night_trail.core.answers.histogram import HistogramAnswer
from night_trail.core.answers.spread import SHAPE_WORDS, can_group, first_question, shapes_for
from night_trail.core.errors import BadQuestion
from night_trail.core.question import Bins, Question, to_json
from night_trail.core.sentence import HEIGHT_WORDS, ORDER_WORDS, bins_words
from night_trail.core.stats.bins import CALENDAR_SECONDS, HARD_MOST, next_width
from night_trail.core.survey import Survey
from night_trail.core.table import Column
from night_trail.core.turns import Beside, Change, SeeColumn, Slot, turn
from night_trail.draw import THUMB, draw
from night_trail.draw.silhouette import draw_silhouette
from night_trail.draw.svg import Svg
from night_trail.trails.pictures import Desk

MOST_DRAWN = 8
"""Choices drawn from the rows; others show their column's silhouette."""


@dataclass(frozen=True)
class Choice:
    """One line of a list: what it says, what it would give, what it posts."""

    text: str
    post: str
    picture: Svg | str = ""
    hint: str = ""
    chosen: bool = False


def choices(slot: str, desk: Desk, survey: Survey) -> list[Choice]:
    """Return the choices for a slot of the main picture's sentence."""
    question = desk.scene.main
    if slot == "beside":
        return _columns(desk, survey, beside=True)
    if question is None or slot == "column":
        return _columns(desk, survey, beside=False)
    makers = {
        "across": _across,
        "shape": _shapes,
        "bins": _bins,
        "height": _heights,
        "ends": _ends,
        "order": _orders,
    }
    if slot not in makers:
        raise BadQuestion(f"There is no slot “{slot}” in this sentence")
    return makers[slot](desk, question)


def _columns(desk: Desk, survey: Survey, beside: bool) -> list[Choice]:
    current = desk.scene.main
    found = []
    for profile in survey.profiles:
        column = profile.column
        if column.missing == desk.table.height:
            continue
        change: Change
        if beside:
            change = Beside(first_question(column))
        else:
            change = Slot("column", column.name) if current is not None else SeeColumn(column.name)
        chosen = not beside and current is not None and current.column == column.name
        hint = f"{column.kind}{', ' + column.unit if column.unit else ''}"
        found.append(Choice(column.name, to_json(change), _silhouette(profile.silhouette), hint, chosen))
    if beside and current is not None and current not in desk.scene.beside:
        found.insert(0, Choice("this picture", to_json(Beside()), _thumb(desk, current), "keep it in sight"))
    return found


def _silhouette(shape: Any) -> str:
    return draw_silhouette(shape, 64, 30, labels=False)


def _across(desk: Desk, question: Question) -> list[Choice]:
    rows = desk.table.row_noun[1]
    found = [Choice(f"over all {rows}", to_json(Slot("across")), chosen=question.across is None)]
    for column in desk.table.columns:
        if can_group(column) and column.name != question.column:
            chosen = column.name == question.across
            picture = ""
            if len(found) <= MOST_DRAWN:
                picture = _drawn_if_possible(desk, _changed(question, across=column.name))
            hint = f"{column.distinct:,} values"
            found.append(
                Choice(f"across {column.name}", to_json(Slot("across", column.name)), picture, hint, chosen)
            )
    return found


def _shapes(desk: Desk, question: Question) -> list[Choice]:
    found = []
    for shape in shapes_for(desk.table.column(question.column)):
        words = "a box plot" if shape == "boxes" and question.across is None else SHAPE_WORDS[shape]
        picture = _drawn_if_possible(desk, _turned(desk, Slot("shape", shape)))
        found.append(Choice(words, to_json(Slot("shape", shape)), picture, chosen=shape == question.shape))
    return found


def _bins(desk: Desk, question: Question) -> list[Choice]:
    column = desk.table.column(question.column)
    found = [Choice("bins that fit", to_json(Slot("bins", Bins())), chosen=question.bins == Bins())]
    for bins in _bin_ladder(desk, question, column):
        changed = _changed(question, bins=bins)
        picture = _drawn_if_possible(desk, changed)
        if picture:
            text = bins_words(bins, column)
            found.append(Choice(text, to_json(Slot("bins", bins)), picture, chosen=bins == question.bins))
    return found


def _bin_ladder(desk: Desk, question: Question, column: Column) -> list[Bins]:
    """Return widths around the present one, narrow to wide."""
    found = desk.answer(question)
    if not isinstance(found, HistogramAnswer) or not found.basis.used:
        return []
    span = float(found.edges[-1] - found.edges[0])
    if column.kind.temporal:
        return [
            Bins(calendar=unit)  # type: ignore[arg-type]
            for unit, seconds in CALENDAR_SECONDS.items()
            if 1 <= span / seconds <= HARD_MOST / 4 and (seconds >= 86_400 or column.kind == "date and time")
        ]
    whole = column.kind == "whole number"
    present = found.width or 1.0
    ladder = [present]
    for _ in range(2):
        ladder.insert(0, next_width(ladder[0], whole, up=False))
    for _ in range(3):
        ladder.append(next_width(ladder[-1], whole, up=True))
    widths = sorted({w for w in ladder if span / w <= HARD_MOST / 4 and span / w >= 2})
    return [Bins(width=w, start=question.bins.start) for w in widths]


def _heights(desk: Desk, question: Question) -> list[Choice]:
    heights = ["count", "share"] if question.shape == "bars" else list(HEIGHT_WORDS)
    hints = {
        "count": f"number of {desk.table.row_noun[1]}",
        "share": f"part of all {desk.table.row_noun[1]}",
        "density": "area is the share: fair where bins are uneven",
    }
    return [
        Choice(HEIGHT_WORDS[h], to_json(Slot("height", h)), hint=hints[h], chosen=h == question.height)
        for h in heights
    ]


def _ends(desk: Desk, question: Question) -> list[Choice]:
    return [
        Choice(
            "tails gathered",
            to_json(Slot("ends", "gathered")),
            hint="far values in marked end bins",
            chosen=question.ends == "gathered",
        ),
        Choice(
            "with open ends",
            to_json(Slot("ends", "open")),
            hint="every value in its own bin",
            chosen=question.ends == "open",
        ),
    ]


def _orders(desk: Desk, question: Question) -> list[Choice]:
    return [
        Choice(words, to_json(Slot("order", order)), chosen=order == question.order)
        for (shape, order), words in ORDER_WORDS.items()
        if shape == question.shape
    ]


def _turned(desk: Desk, change: Change) -> Question:
    scene, _ = turn(desk.scene, change, desk.table)
    assert scene.main is not None  # noqa: S101  (a slot was changed, so there is a picture)
    return scene.main


def _changed(question: Question, **changes: Any) -> Question:
    return msgspec.structs.replace(question, **changes)


def _thumb(desk: Desk, question: Question) -> str:
    return draw(desk.answer(question), desk.table, THUMB, "thumb")


def _drawn_if_possible(desk: Desk, question: Question) -> str:
    try:
        answers.check(question, desk.table)
        return _thumb(desk, question)
    except BadQuestion:
        return ""
