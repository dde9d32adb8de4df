"""What a slot of the sentence offers: choices that show what they would give, best first."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import msgspec

from night_trail.core.breakdown import ranked
from night_trail.core.errors import BadQuestion
from night_trail.core.language.conditions import in_words
from night_trail.core.language.numbers import percent
from night_trail.core.question import Question, to_json
from night_trail.core.questions.compare.question import Compare
from night_trail.core.questions.correlation.question import Together
from night_trail.core.questions.crosstab.question import Goes
from night_trail.core.questions.cycle.question import Cycle
from night_trail.core.questions.decomposition.question import Apart
from night_trail.core.questions.forecast.question import Ahead
from night_trail.core.questions.over_time.question import OverTime
from night_trail.core.questions.registry import short_name
from night_trail.core.questions.relate.question import Relate
from night_trail.core.questions.shared.grouping import can_group
from night_trail.core.questions.shared.ranking import ranked_by
from night_trail.core.questions.spread.answer import SHAPE_WORDS, first_question, shapes_for
from night_trail.core.questions.spread.histogram import RULE_WORDS, HistogramAnswer
from night_trail.core.questions.spread.question import Bins, Spread
from night_trail.core.questions.spread.sentence import HEIGHT_WORDS, ORDER_WORDS, SIDE_WORDS, bins_words
from night_trail.core.questions.ways import WAYS
from night_trail.core.rows import Rows
from night_trail.core.stats.bins import CALENDAR_SECONDS, HARD_MOST, next_width
from night_trail.core.survey import Survey
from night_trail.core.table import Column
from night_trail.core.turns import Beside, BreakDown, Change, SeeColumn, Slot, StepUp, turn
from night_trail.draw import THUMB, draw
from night_trail.draw.silhouette import draw_silhouette
from night_trail.draw.svg import Svg
from night_trail.trails.compare_choices import compare_offers
from night_trail.trails.many_choices import many_offers
from night_trail.trails.offers import Offer
from night_trail.trails.pictures import Desk
from night_trail.trails.relate_choices import relate_offers
from night_trail.trails.time_choices import time_offers

RULE_HINTS = {
    "sturges": "log₂ n + 1 bins: for few values in one hump",
    "scott": "by the standard deviation: for one even hump",
    "freedman": "by the middle half: far values do not widen it",
    "root": "√n bins: quick and even",
}

MOST_DRAWN = 9
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
    if isinstance(question, Compare):
        return list(_drawn(slot, desk, compare_offers(slot, desk, question)))
    if isinstance(question, Together | Goes):
        return list(_drawn(slot, desk, many_offers(slot, desk, question)))
    if isinstance(question, OverTime | Cycle | Apart | Ahead):
        return list(_drawn(slot, desk, time_offers(slot, desk, question)))
    if isinstance(question, Relate):
        return list(_drawn(slot, desk, relate_offers(slot, desk, question)))
    offers = {
        "across": _across,
        "shape": _shapes,
        "bins": _bins,
        "height": _heights,
        "ends": _ends,
        "scale": _scales,
        "side": _sides,
        "angles": _angles,
        "order": _orders,
    }
    if slot not in offers:
        raise BadQuestion(f"There is no slot “{slot}” in this sentence")
    return list(_drawn(slot, desk, offers[slot](desk, question)))


WAY_OF: dict[type, str] = {
    Compare: "compare",
    Relate: "relate",
    Together: "together",
    Goes: "goes",
    OverTime: "over time",
    Cycle: "cycle",
    Apart: "apart",
    Ahead: "ahead",
}


def _ways(question: Question) -> list[Offer]:
    present = WAY_OF.get(type(question), "spread")
    return [Offer(words, way, way == present) for way, words in WAYS.items()]


def _drawn(slot: str, desk: Desk, offers: list[Offer]) -> Iterable[Choice]:
    """Yield offers with the picture each would give; what cannot be turned to is not offered."""
    for i, offer in enumerate(offers):
        change = offer.change or Slot(slot, offer.value)
        picture: Svg | str = ""
        slow = False
        if i < MOST_DRAWN:
            try:
                scene, _ = turn(desk.scene, change, desk.table)
                there = desk if scene.only == desk.scene.only else Desk(desk.version, scene)
                # models take a second each: a list does not wait for them
                if isinstance(scene.main, Apart | Ahead):
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
        # forecasts of groups are work of their own, which nobody asked for yet
        if scene.main is None or (isinstance(scene.main, Ahead) and scene.main.split is not None):
            return ""
        return _thumb(Desk(desk.version, scene), scene.main)
    except BadQuestion:
        return ""


def _levels(desk: Desk) -> list[Offer]:
    """Return the pictures that can be come up to, the nearest first."""
    return [
        Offer(f"up to {short_name(level.above)}", None, False, in_words(level.rows, desk.table), StepUp(i))
        for i, level in reversed(list(enumerate(desk.scene.within)))
    ]


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
            BreakDown(one.column.name),
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


def _across(desk: Desk, question: Spread) -> list[Offer]:
    everything = Offer(f"over all {desk.table.row_noun[1]}", None, question.across is None)
    return [
        everything,
        *(
            Offer(f"across {c.name}", c.name, c.name == question.across, f"{c.distinct:,} values")
            for c in desk.table.columns
            if can_group(c) and c.name != question.column
        ),
    ]


def _shapes(desk: Desk, question: Spread) -> list[Offer]:
    single = {"boxes": "a box plot"} if question.across is None else {}
    return [
        Offer(single.get(shape, SHAPE_WORDS[shape]), shape, shape == question.shape)
        for shape in shapes_for(desk.table.column(question.column))
    ]


def _bins(desk: Desk, question: Spread) -> list[Offer]:
    column = desk.table.column(question.column)
    return [
        Offer("bins that fit", Bins(), question.bins == Bins()),
        *(
            Offer(bins_words(bins, column), bins, bins == question.bins)
            for bins in _bin_ladder(desk, question, column)
        ),
        *_bin_rules(question, column),
    ]


def _bin_rules(question: Spread, column: Column) -> list[Offer]:
    if column.kind.temporal:
        return []
    ruled = [msgspec.convert({"rule": rule}, Bins) for rule in RULE_WORDS]
    return [
        Offer(bins_words(bins, column), bins, bins == question.bins, RULE_HINTS[bins.rule or ""])
        for bins in ruled
    ]


def _bin_ladder(desk: Desk, question: Spread, column: Column) -> list[Bins]:
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
    ladder = [found.width or 1.0]
    for _ in range(2):
        ladder.insert(0, next_width(ladder[0], whole, up=False))
    for _ in range(3):
        ladder.append(next_width(ladder[-1], whole, up=True))
    widths = sorted({w for w in ladder if 2 <= span / w <= HARD_MOST / 4})
    return [Bins(width=w, start=question.bins.start) for w in widths]


def _heights(desk: Desk, question: Spread) -> list[Offer]:
    rows = desk.table.row_noun[1]
    hints = {
        "count": f"number of {rows}",
        "share": f"part of all {rows}",
        "density": "area is the share: fair where bins are uneven",
    }
    heights = ["count", "share"] if question.shape == "bars" else list(HEIGHT_WORDS)
    return [Offer(HEIGHT_WORDS[h], h, h == question.height, hints[h]) for h in heights]


def _scales(desk: Desk, question: Spread) -> list[Offer]:
    return [
        Offer("on a plain scale", "plain", question.scale == "plain"),
        Offer("on a log scale", "log", question.scale == "log", "values above 0 only"),
    ]


def _sides(desk: Desk, question: Spread) -> list[Offer]:
    return [Offer(words, side, side == question.side) for side, words in SIDE_WORDS.items()]


def _angles(desk: Desk, question: Spread) -> list[Offer]:
    return [
        Offer("at one bin width", None, not question.angles),
        Offer("at three bin widths", "yes", question.angles, "does the shape depend on the width?"),
    ]


def _ends(desk: Desk, question: Spread) -> list[Offer]:
    return [
        Offer("tails gathered", "gathered", question.ends == "gathered", "far values marked at the ends"),
        Offer("with open ends", "open", question.ends == "open", "every value in its own place"),
    ]


def _orders(desk: Desk, question: Spread) -> list[Offer]:
    return [
        Offer(words, order, order == question.order)
        for (shape, order), words in ORDER_WORDS.items()
        if shape == ("boxes" if question.shape == "letters" else question.shape)
    ]


def _thumb(desk: Desk, question: Question) -> Svg:
    return draw(desk.answer(question), desk.table, THUMB, "thumb")
