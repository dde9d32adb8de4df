"""A change as a stair: from one side's figure to the other's, a step for each part of it."""

from __future__ import annotations

import math

from night_trail.core.language.numbers import number
from night_trail.core.questions.changed.answer import ChangedAnswer, Segment
from night_trail.core.questions.changed.sentence import side_words
from night_trail.core.questions.changed.words import FAR, figure_said, signed
from night_trail.core.questions.shared.measure_slots import measure_words
from night_trail.core.table import Table
from night_trail.draw.frame.canvas import NAMED, Canvas, Size, Stands, line
from night_trail.draw.frame.scales import Lanes, Linear, ticks
from night_trail.draw.frame.svg import el
from night_trail.draw.frame.text import width
from night_trail.draw.shapes.wholes import after_step, stair_step


def draw_changed(  # noqa: C901  (one case a part of the frame)
    answer: ChangedAnswer, table: Table, size: Size, prefix: str
) -> Canvas:
    """Return the way from before to after, the largest parts first, the gathered ones last."""
    canvas = Canvas(size, prefix, answer.basis.lit is not None)
    said = figure_said(answer)
    steps = [s for s in answer.segments if math.isfinite(s.change)]
    sides = [side_words(c, table) for c in (answer.question.before, answer.question.after)]
    names = [sides[0], *(s.label for s in steps), sides[1]]
    texts = [_behind(answer, s) for s in steps]
    if canvas.labelled:
        canvas.left = canvas.name_room(names, 190.0, 90.0)
        canvas.right = 16.0 + max((width(text) for text in [*texts, said(answer.before)]), default=20.0)
        canvas.top, canvas.bottom = 14.0, 50.0 if canvas.full else 26.0
    else:
        canvas.left = canvas.right = canvas.top = canvas.bottom = 1.0
    canvas.grow(len(names), NAMED)
    before = answer.before if math.isfinite(answer.before) else 0.0
    levels = [before]
    for one in steps:
        levels.append(levels[-1] + one.change)
    low, high = min([*levels, 0.0]), max([*levels, 0.0])
    near = low == 0.0 and max(levels) - min(levels) < 0.25 * high
    if near:
        low = min(levels) - 0.5 * (max(levels) - min(levels) or abs(high) * 0.01 or 1.0)
    x = Linear(low, high + 0.02 * (high - low) if high > low else low + 1.0, canvas.x_start, canvas.x_end)
    lanes = Lanes(tuple(names), canvas.y_start, canvas.y_end)
    canvas.x, canvas.y = x, lanes
    canvas.lane_labels(lanes, names, canvas.left - 22.0)
    if canvas.labelled:
        found = ticks(x.low, x.high, max(2, int((x.end - x.start) / 95)))
        for tick in found:
            canvas.under.append(line(x(tick.at), canvas.y_start, x(tick.at), canvas.y_end, "grid"))
        canvas.bottom_ticks(found, x)
        unit = (
            f", {answer.column.unit_words}" if answer.column is not None and answer.column.unit_words else ""
        )
        shown = measure_words(answer.question.measure, table).removeprefix("the ")
        canvas.bottom_title(shown + unit + (" · not from 0" if near else ""))
    thick = min(26.0, max(0.66 * lanes.step, 1.0))
    for i, level in ((0, before), (len(names) - 1, levels[-1])):
        canvas.under.append(
            stair_step(x, max(low, 0.0) if near else 0.0, level, lanes, i, thick, "part tone-5")
        )
        if canvas.labelled:
            canvas.over.append(after_step(said(level), x, level, lanes, i))
    for i, one in enumerate(steps, 1):
        start, end = levels[i - 1], levels[i]
        tone = f"stair-step {'rise' if end >= start else 'fall'}{' stands-out' if one.unexpected else ''}"
        shape = el("g", stair_step(x, start, end, lanes, i, thick, tone), id=canvas.id("b", one.key))
        lit = None
        if one.lit and sum(one.n):
            part = start + (end - start) * one.lit / sum(one.n)
            lit = stair_step(x, start, part, lanes, i, thick, "lit")
        canvas.mark(shape, lit, one.key, one.condition, _card(answer, one), Stands(sum(one.n), one.lit))
        top = lanes.top(i)
        canvas.under.append(line(x(start), top - lanes.step / 2, x(start), top + lanes.step / 2, "grid"))
        if canvas.labelled and lanes.step >= 10:
            canvas.over.append(after_step(texts[i - 1], x, max(start, end), lanes, i))
    return canvas


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
