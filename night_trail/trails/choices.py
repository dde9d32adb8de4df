"""What a slot of the sentence offers: choices that show what they would give, best first."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from night_trail.core.breakdown import ranked
from night_trail.core.errors import BadQuestion
from night_trail.core.language.conditions import in_words
from night_trail.core.language.numbers import percent
from night_trail.core.question import Question, to_json
from night_trail.core.questions.registry import KINDS, kind_of, short_name
from night_trail.core.questions.shared.offers import Offer
from night_trail.core.questions.shared.ranking import ranked_by
from night_trail.core.questions.spread.answer import first_question
from night_trail.core.questions.spread.question import Spread
from night_trail.core.rows import Rows
from night_trail.core.survey import Survey
from night_trail.core.table import Column
from night_trail.core.turns import Beside, BreakDown, Change, SeeColumn, Slot, StepUp, turn
from night_trail.draw import THUMB, draw
from night_trail.draw.frame.svg import Svg
from night_trail.draw.small.silhouette import draw_silhouette
from night_trail.trails.behind import behind
from night_trail.trails.pictures import Desk

MOST_DRAWN = 14
MANY_GROUPS = 5_000
"""Choices drawn from the rows; those behind them go without a silhouette."""


@dataclass(frozen=True)
class Choice:
    """One line of a list: what it says, what it would give, what it posts.

    A ``slow`` picture is fetched when the list is open.
    """

    text: str
    post: str
    picture: Svg | str = ""
    hint: str = ""
    chosen: bool = False
    slow: bool = False


def choices(slot: str, desk: Desk, survey: Survey) -> list[Choice]:
    """Return the choices for a slot of the main picture's sentence."""
    question = desk.scene.main
    if slot == "beside":
        return _beside(desk, survey)
    if question is None or (slot == "column" and isinstance(question, Spread)):
        return _columns(desk, survey)
    if slot == "within":
        return list(_drawn(slot, desk, _levels(desk)))
    if slot == "breakdown":
        return list(_drawn(slot, desk, _breakdowns(desk, question)))
    if slot == "way":
        return list(_drawn(slot, desk, _ways(question)))
    return list(_drawn(slot, desk, kind_of(question).offers(slot, desk, question)))


def _ways(question: Question) -> list[Offer]:
    present = kind_of(question)
    return [Offer(kind.way, kind.tag, kind is present) for kind in KINDS]


def _drawn(slot: str, desk: Desk, offers: list[Offer]) -> Iterable[Choice]:
    """Yield offers with the picture each would give; what cannot be turned to is not offered."""
    for i, offer in enumerate(offers):
        change = offer.change or Slot(offer.slot or slot, offer.value)
        picture: Svg | str = ""
        slow = False
        if i < MOST_DRAWN:
            try:
                scene, _ = turn(desk.scene, change, desk.table)
                there = desk if scene.only == desk.scene.only else Desk(desk.version, scene)
                # models take a second each: a list does not wait for them
                if scene.main is not None and kind_of(scene.main).modelled:
                    slow = slot == "way"
                elif _many_groups(scene.main, desk):
                    slow = True
                elif scene.main is not None:
                    picture = _thumb(there, scene.main)
            except BadQuestion:
                continue
        yield Choice(offer.text, to_json(change), picture, offer.hint, offer.chosen, slow)


def _many_groups(question: Question | None, desk: Desk) -> bool:
    """Whether a picture ranks so many groups that a list does not wait for it."""
    by = None if question is None else ranked_by(question)
    return by is not None and desk.table.column(by.across).distinct > MANY_GROUPS


def preview(desk: Desk, change: Change) -> Svg | str:
    """Return the small picture a change would give; nothing where it cannot be made."""
    try:
        scene, _ = turn(desk.scene, change, desk.table)
        # what is made piece by piece is work of its own, which nobody asked for yet
        if scene.main is None or behind(scene.main):
            return ""
        return _thumb(Desk(desk.version, scene), scene.main)
    except BadQuestion:
        return ""


def _levels(desk: Desk) -> list[Offer]:
    """Return the pictures that can be come up to, the nearest first."""
    found = []
    for i, level in reversed(list(enumerate(desk.scene.within))):
        rows, change = in_words(level.rows, desk.table), StepUp(i)
        found.append(Offer(f"up to {short_name(level.above)}", None, False, rows, change=change))
    return found


def _breakdowns(desk: Desk, question: Question) -> list[Offer]:
    """Return the columns the lit rows can be broken down by, those that tell most apart first."""
    if desk.scene.lit is None:
        raise BadQuestion("Nothing is lit", "", "Click a mark to light its rows first.")
    rows = Rows(desk.table, (*desk.scene.only, desk.scene.lit))
    found = ranked(question, rows)
    if not found:
        raise BadQuestion("No other column makes groups of these rows", "", "Look at the rows themselves.")
    return [
        Offer(
            f"by {one.column.name}",
            one.column.name,
            False,
            f"{one.groups} groups" + ("" if one.effect is None else f" · tells {percent(one.effect)} apart"),
            change=BreakDown(one.column.name),
        )
        for one in found
    ]


def _columns(desk: Desk, survey: Survey) -> list[Choice]:
    current = desk.scene.main
    return [
        _column(
            profile.column,
            Slot("column", profile.column.name) if current is not None else SeeColumn(profile.column.name),
            draw_silhouette(profile.silhouette, 64, 30, labels=False),
            current is not None and current.column == profile.column.name,
        )
        for profile in survey.profiles
        if profile.column.missing < desk.table.height
    ]


def _beside(desk: Desk, survey: Survey) -> list[Choice]:
    current = desk.scene.main
    found = [
        _column(
            profile.column,
            Beside(first_question(profile.column)),
            draw_silhouette(profile.silhouette, 64, 30, labels=False),
            chosen=False,
        )
        for profile in survey.profiles
        if profile.column.missing < desk.table.height
    ]
    if current is not None and current not in desk.scene.beside:
        found.insert(0, Choice("this picture", to_json(Beside()), _thumb(desk, current), "keep it in sight"))
    return found


def _column(column: Column, change: Change, picture: Svg, chosen: bool) -> Choice:
    hint = f"{column.kind}{', ' + column.unit if column.unit else ''}"
    return Choice(column.name, to_json(change), picture, hint, chosen)


def _thumb(desk: Desk, question: Question) -> Svg:
    return draw(desk.answer(question), desk.table, THUMB, "thumb")
