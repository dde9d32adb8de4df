"""A change as a stair: from one side's figure to the other's, a step for each part of it."""

from __future__ import annotations

import math

from night_trail.core.language.numbers import number
from night_trail.core.questions.changed.answer import ChangedAnswer, Segment
from night_trail.core.questions.changed.sentence import side_words
from night_trail.core.questions.changed.words import FAR, figure_said, signed
from night_trail.core.questions.shared.measure_slots import measure_words
from night_trail.core.questions.shared.measures import is_share
from night_trail.core.table import Table
from night_trail.draw.frame.canvas import Canvas, Size, Stands
from night_trail.draw.frame.scales import Linear, Tick, percent_ticks, ticks
from night_trail.draw.frame.stairs import Stair


def draw_changed(answer: ChangedAnswer, table: Table, size: Size, prefix: str) -> Canvas:
    """Return the way from before to after, the largest parts first, the gathered ones last."""
    canvas = Canvas(size, prefix, answer.basis.lit is not None)
    steps = [s for s in answer.segments if math.isfinite(s.change)]
    sides = [side_words(c, table) for c in (answer.question.before, answer.question.after)]
    before = answer.before if math.isfinite(answer.before) else 0.0
    # in a small picture the steps need the room that words behind them would take
    behind = _behind if canvas.full else lambda answer, one: signed(answer)(one.change)
    texts = [behind(answer, s) for s in steps]
    names = [sides[0], *(s.label for s in steps), sides[1]]
    off = [i for i, s in enumerate(steps) if s.unexpected]
    telling = max(off, key=lambda i: abs(steps[i].off), default=None)
    stair = Stair.laid(canvas, names, before, [s.change for s in steps], texts, telling)
    stair.framed(_ticks(answer, stair.x), _title(answer, table), figure_said(answer))
    for i, one in enumerate(steps):
        shape = stair.step(i, canvas.id("b", one.key), " stands-out" if one.unexpected else "")
        n = sum(one.n)
        lit = stair.lit(i, one.lit / n) if one.lit and n else None
        canvas.mark(shape, lit, one.key, one.condition, _card(answer, one), Stands(n, one.lit))
    return canvas


def _ticks(answer: ChangedAnswer, x: Linear) -> list[Tick]:
    wanted = max(2, int((x.end - x.start) / 95))
    if is_share(answer.question.measure, answer.column):
        return percent_ticks(x.low, x.high, wanted)
    return ticks(x.low, x.high, wanted)


def _title(answer: ChangedAnswer, table: Table) -> str:
    unit = answer.column.unit_words if answer.column is not None else ""
    shown = measure_words(answer.question.measure, table).removeprefix("the ")
    return f"{shown}, {unit}" if unit else shown


def _behind(answer: ChangedAnswer, one: Segment) -> str:
    text = signed(answer)(one.change)
    if one.unexpected and one.usual is not None and abs(one.usual) >= FAR:
        return f"{text} · {number(abs(one.usual), 2)} times its usual"
    return f"{text} · off course" if one.unexpected else text


def _card(answer: ChangedAnswer, one: Segment) -> list[str]:
    said, written = figure_said(answer), signed(answer)
    more = "more or fewer rows" if answer.adds_up else "its weight"
    rate = "another amount a row" if answer.adds_up else "its own rate"
    card = [
        one.label,
        f"{said(one.before)} before, {said(one.after)} after",
        f"{written(one.change)} of the change",
    ]
    if answer.question.measure.column is not None or not answer.adds_up:
        card.append(f"{written(one.weight)} by {more}, {written(one.rate)} by {rate}")
    if one.unexpected:
        card.append("otherwise than the rest, beyond chance")
    return card
