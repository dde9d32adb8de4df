"""What the slots of a spread's sentence offer."""

from __future__ import annotations

import msgspec

from night_trail.core.moments import DAY
from night_trail.core.questions.shared.grouping import can_group
from night_trail.core.questions.shared.offers import Looking, Offer, column_offer, no_slot
from night_trail.core.questions.spread.answer import SHAPE_WORDS, shapes_for
from night_trail.core.questions.spread.histogram import RULE_WORDS, HistogramAnswer
from night_trail.core.questions.spread.question import Bins, Spread
from night_trail.core.questions.spread.sentence import HEIGHT_WORDS, ORDER_WORDS, SIDE_WORDS, bins_words
from night_trail.core.stats.bins import CALENDAR_SECONDS, HARD_MOST, next_width
from night_trail.core.table import Column

RULE_HINTS = {
    "sturges": "log₂ n + 1 bins: for few values in one hump",
    "scott": "by the standard deviation: for one even hump",
    "freedman": "by the middle half: far values do not widen it",
    "root": "√n bins: quick and even",
}


def offers(slot: str, look: Looking, question: Spread) -> list[Offer]:
    """Return the choices for a slot."""
    makers = {
        "column": _columns,
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
    if slot not in makers:
        raise no_slot(slot)
    return makers[slot](look, question)


def _columns(look: Looking, question: Spread) -> list[Offer]:
    able = [c for c in look.table.columns if c.missing < look.table.height]
    return [column_offer(c, c.name == question.column) for c in able]


def _across(look: Looking, question: Spread) -> list[Offer]:
    everything = Offer(f"over all {look.table.row_noun[1]}", None, question.across is None)
    return [
        everything,
        *(
            Offer(f"across {c.name}", c.name, c.name == question.across, f"{c.distinct:,} values")
            for c in look.table.columns
            if can_group(c) and c.name != question.column
        ),
    ]


def _shapes(look: Looking, question: Spread) -> list[Offer]:
    single = {"boxes": "a box plot"} if question.across is None else {}
    return [
        Offer(single.get(shape, SHAPE_WORDS[shape]), shape, shape == question.shape)
        for shape in shapes_for(look.table.column(question.column))
    ]


def _bins(look: Looking, question: Spread) -> list[Offer]:
    column = look.table.column(question.column)
    return [
        Offer("bins that fit", Bins(), question.bins == Bins()),
        *(
            Offer(bins_words(bins, column), bins, bins == question.bins)
            for bins in _bin_ladder(look, question, column)
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


def _bin_ladder(look: Looking, question: Spread, column: Column) -> list[Bins]:
    """Return widths around the present one, narrow to wide."""
    found = look.answer(question)
    if not isinstance(found, HistogramAnswer) or not found.basis.used:
        return []
    span = float(found.edges[-1] - found.edges[0])
    if column.kind.temporal:
        return [
            Bins(calendar=unit)  # type: ignore[arg-type]
            for unit, seconds in CALENDAR_SECONDS.items()
            if 1 <= span / seconds <= HARD_MOST / 4 and (seconds >= DAY or column.kind == "date and time")
        ]
    whole = column.kind == "whole number"
    ladder = [found.width or 1.0]
    for _ in range(2):
        ladder.insert(0, next_width(ladder[0], whole, up=False))
    for _ in range(3):
        ladder.append(next_width(ladder[-1], whole, up=True))
    widths = sorted({w for w in ladder if 2 <= span / w <= HARD_MOST / 4})
    return [Bins(width=w, start=question.bins.start) for w in widths]


def _heights(look: Looking, question: Spread) -> list[Offer]:
    rows = look.table.row_noun[1]
    hints = {
        "count": f"number of {rows}",
        "share": f"part of all {rows}",
        "density": "area is the share: fair where bins are uneven",
    }
    heights = ["count", "share"] if question.shape == "bars" else list(HEIGHT_WORDS)
    return [Offer(HEIGHT_WORDS[h], h, h == question.height, hints[h]) for h in heights]


def _scales(look: Looking, question: Spread) -> list[Offer]:
    return [
        Offer("on a plain scale", "plain", question.scale == "plain"),
        Offer("on a log scale", "log", question.scale == "log", "values above 0 only"),
    ]


def _sides(look: Looking, question: Spread) -> list[Offer]:
    return [Offer(words, side, side == question.side) for side, words in SIDE_WORDS.items()]


def _angles(look: Looking, question: Spread) -> list[Offer]:
    return [
        Offer("at one bin width", None, not question.angles),
        Offer("at three bin widths", "yes", question.angles, "does the shape depend on the width?"),
    ]


def _ends(look: Looking, question: Spread) -> list[Offer]:
    return [
        Offer("tails gathered", "gathered", question.ends == "gathered", "far values marked at the ends"),
        Offer("with open ends", "open", question.ends == "open", "every value in its own place"),
    ]


def _orders(look: Looking, question: Spread) -> list[Offer]:
    return [
        Offer(words, order, order == question.order)
        for (shape, order), words in ORDER_WORDS.items()
        if shape == ("boxes" if question.shape == "letters" else question.shape)
    ]
