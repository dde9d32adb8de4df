"""What stands around lines over time: events behind, differences below, the whole where a part is shown."""

from __future__ import annotations

import math

import numpy as np

from night_trail.core.questions.over_time.answer import OverTimeAnswer
from night_trail.core.questions.over_time.words import against_words
from night_trail.draw.frame.canvas import Canvas, label, line
from night_trail.draw.frame.measures import measured_ticks
from night_trail.draw.frame.scales import Linear, Tick, percent_ticks, ticks
from night_trail.draw.frame.svg import Svg, el
from night_trail.draw.frame.text import width
from night_trail.draw.marks.lines import path

OVERVIEW = 26.0


def shown_periods(answer: OverTimeAnswer) -> tuple[int, int]:
    """Return the periods inside the window zoomed into, all where there is none."""
    n, window = answer.calendar.n, answer.question.window_at
    if window is None or not n:
        return 0, n
    edges = answer.calendar.edges
    first = max(0, int(np.searchsorted(edges, window[0], side="right")) - 1)
    end = min(n, int(np.searchsorted(edges, window[1])))
    return (first, end) if end > first else (0, n)


def value_ticks(answer: OverTimeAnswer, low: float, high: float, wanted: int) -> list[Tick]:
    """Return ticks of the upright axis in the measure's unit."""
    if answer.question.shape == "shares":
        return percent_ticks(low, high, wanted)
    if answer.question.view == "index":
        return ticks(low, high, wanted)
    return measured_ticks(answer.measure, answer.column, low, high, wanted)


def upright(left: float, wide: float, top: float, ground: float, class_: str, id_: str) -> Svg:
    """Return an upright bar from the ground to its top."""
    low, high = sorted((top, ground))
    return el("rect", class_=class_, id=id_, x=left, y=low, width=wide, height=max(high - low, 0.5))


def bands(canvas: Canvas, answer: OverTimeAnswer, x: Linear) -> None:
    """Draw events and yes-periods behind the lines, named where there is room."""
    edges, free = answer.calendar.edges, -math.inf
    for name, a, b in answer.bands:
        left, right = max(x(float(edges[a])), x.start), min(x(float(edges[b])), x.end)
        if right <= left:
            continue
        wide = max(right - left, 1.0)
        rect = el(
            "rect",
            class_="event-band",
            x=left,
            y=canvas.y_start,
            width=wide,
            height=canvas.y_end - canvas.y_start,
        )
        canvas.under.append(rect)
        if canvas.full and left > free and left + width(name) < canvas.x_end:
            canvas.over.append(label(name, left + 3, canvas.y_start + 12, "start", "event-name"))
            free = left + width(name) + 8


def differences(
    canvas: Canvas, answer: OverTimeAnswer, x: Linear, top: float, bottom: float, visible: tuple[int, int]
) -> None:
    """Draw the difference of each period as a bar to either side of 0."""
    difference = answer.difference(answer.together)
    if difference is None:
        return
    first, end = visible
    values = difference[first:end]
    has = values[~np.isnan(values)]
    against = answer.question.against
    relative = against is not None and against.show == "relative"
    low, high = (min(0.0, float(has.min())), max(0.0, float(has.max()))) if len(has) else (0.0, 1.0)
    y = Linear(low, high if high > low else low + 1.0, bottom, top)
    found = percent_ticks(low, y.high, 2) if relative else value_ticks(answer, low, y.high, 2)
    for tick in found:
        canvas.over.append(label(tick.label, canvas.x_start - 10, y(tick.at) + 4, "end"))
    canvas.under.append(line(canvas.x_start, y(0.0), canvas.x_end, y(0.0), "axis"))
    canvas.over.append(label(f"difference from {against_words(answer)}", 4.0, top - 6, "start", "axis-title"))
    edges = answer.calendar.edges
    for i in range(first, end):
        at = float(difference[i])
        if math.isnan(at):
            continue
        left, right = x(float(edges[i])), x(float(edges[i + 1]))
        inner = max((right - left) * 0.7, 0.6)
        class_ = f"stair-step {'rise' if at >= 0 else 'fall'}"
        canvas.marks.append(
            upright(
                (left + right - inner) / 2, inner, y(at), y(0.0), class_, canvas.id("d", str(int(edges[i])))
            )
        )


def overview(canvas: Canvas, answer: OverTimeAnswer) -> None:
    """Draw the whole time below, the part zoomed into framed."""
    edges, values = answer.calendar.edges, answer.together.values
    has = values[~np.isnan(values)]
    if not len(has):
        return
    top = canvas.size.height - OVERVIEW - 2
    x = Linear(float(edges[0]), float(edges[-1]), canvas.x_start, canvas.x_end)
    y = Linear(float(has.min()), float(has.max()) or 1.0, top + OVERVIEW, top)
    canvas.under.append(el("path", class_="series quiet", d=path(answer.calendar.middles(), values, x, y)))
    first, end = shown_periods(answer)
    left, right = x(float(edges[first])), x(float(edges[end]))
    canvas.under.append(
        el("rect", class_="overview", x=left, y=top - 2, width=max(right - left, 2.0), height=OVERVIEW + 4)
    )
