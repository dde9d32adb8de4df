"""Marks of periods on lines over time, what they say, and figures beside them."""

from __future__ import annotations

import math
from dataclasses import dataclass

from night_trail.core.questions.over_time.answer import OverTimeAnswer
from night_trail.core.questions.over_time.words import against_words, said_of, signed
from night_trail.core.questions.shared.rolled import Line
from night_trail.core.table import Table
from night_trail.draw.frame.canvas import Canvas, label
from night_trail.draw.frame.scales import Linear
from night_trail.draw.frame.svg import el, group
from night_trail.draw.frame.text import width
from night_trail.draw.marks.lines import stands

MOST_MARKS = 400


@dataclass(frozen=True)
class TimePlot:
    """Where one plot lies: its scales, its upper and lower edge, the periods shown."""

    x: Linear
    y: Linear
    top: float
    bottom: float
    visible: tuple[int, int]


def period_marks(canvas: Canvas, answer: OverTimeAnswer, table: Table, place: TimePlot, k: int) -> None:
    """Lay a mark over every period of every line, or over stretches of them where there are many."""
    first, end = place.visible
    n = end - first
    lines = answer.lines if len(answer.lines) * n <= 1.5 * MOST_MARKS else answer.lines[:0]
    if not answer.question.split:
        lines = answer.lines
    every = max(1, math.ceil(n / MOST_MARKS))
    edges = answer.calendar.edges
    step = (place.x.end - place.x.start) / max(n / every, 1)
    radius = max(1.5, min(9.0, step / 2)) if canvas.full else max(1.0, min(4.0, step / 2))
    for one in lines:
        for a in range(first, end, every):
            b = min(a + every, end)
            value = one.mean_over(a, b)
            if math.isnan(value):
                continue
            px, py = (
                place.x((float(edges[a]) + float(edges[b])) / 2),
                min(max(place.y(value), place.top), place.bottom),
            )
            key = f"{k}\x1f{one.label}\x1f{int(edges[a])}"
            open_ = not bool(answer.whole[a:b].all())
            class_ = "dot-hit" + (" shown" if answer.question.points else "") + (" open" if open_ else "")
            here = f"translate({px:.1f} {py:.1f})"
            shape = el("circle", class_=class_, r=round(radius, 1), transform=here)
            if answer.question.points:
                shape = group(shape, el("circle", class_="dot", r=2.6, transform=here))
            rows = stands(one, a, b)
            lit = None
            if rows.all_lit:
                lit = el(
                    "circle", class_="lit-point", id=canvas.id("p", key), r=min(4.5, radius), transform=here
                )
            card = period_card(answer, table, one, a, b)
            canvas.mark(shape, lit, key, answer.condition(one, a, b), card, rows)
        if answer.question.points and canvas.full:
            _compact_labels(canvas, answer, one, place)


def _compact_labels(canvas: Canvas, answer: OverTimeAnswer, one: Line, place: TimePlot) -> None:
    """Write figures over points where they do not overlap."""
    said, free = said_of(answer), -math.inf
    at = answer.calendar.middles()
    for i in range(*place.visible):
        value = float(one.values[i])
        if math.isnan(value):
            continue
        text, px = said(value), place.x(float(at[i]))
        wide = width(text)
        if px - wide / 2 >= max(free, canvas.x_start) and px + wide / 2 <= canvas.size.width:
            canvas.over.append(label(text, px, max(place.y(value) - 9, place.top - 2), "middle", "bar-value"))
            free = px + wide / 2 + 6


def period_card(answer: OverTimeAnswer, table: Table, one: Line, a: int, b: int) -> list[str]:
    """Return what the card of a period, or of several together, says."""
    said = said_of(answer)
    name = answer.name(a) if b == a + 1 else f"{answer.name(a)} to {answer.name(b - 1)}"
    card = [*([one.label] if one.label else []), name]
    if not math.isnan(mean := one.mean_over(a, b)):
        written = said(mean)
        card.append(written if b == a + 1 else f"{written} on average")
    if one.base is not None and b == a + 1 and not math.isnan(float(one.base[a])):
        card.append(f"{against_words(answer)}: {said(float(one.base[a]))}")
        change = float(one.values[a] - one.base[a])
        card.append(f"difference {signed(said(change), change)}")
    if not answer.whole[a:b].all():
        card.append("not covered from end to end")
    rows = int(one.n[a:b].sum())
    card.append(table.rows_in_words(rows))
    return card
