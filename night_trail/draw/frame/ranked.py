"""Columns in an order, one a lane: its name, a bar, a small picture, and what that says."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from night_trail.draw.frame.canvas import Canvas, label, line
from night_trail.draw.frame.scales import Lanes, Linear, Tick
from night_trail.draw.frame.svg import Svg, el
from night_trail.draw.frame.text import width, wrapped

LANE = 46.0
"""Pixels a lane has at least where a small picture stands in it."""
TITLE = 30.0


@dataclass(frozen=True)
class Ranked:
    """Where the parts of lanes stand: bars on ``x``; small pictures and words where there is room."""

    lanes: Lanes
    x: Linear
    small: tuple[float, float] | None
    words: tuple[float, float] | None

    def band(self, i: int, share: float = 0.62, most: float = 34.0) -> tuple[float, float]:
        """Return the upper edge and the height of what is drawn in a lane."""
        tall = max(min(share * self.lanes.step, most), 1.0)
        return self.lanes.top(i) + (self.lanes.step - tall) / 2, tall

    def bar(self, i: int, value: float, class_: str, id_: str | None = None) -> Svg:
        """Return the bar of a lane."""
        top, tall = self.band(i, 0.5, 18.0)
        left, right = sorted((self.x(max(self.x.low, 0.0)), self.x(value)))
        return el("rect", class_=class_, id=id_, x=left, y=top, width=max(right - left, 1.0), height=tall)

    def value(self, i: int, text: str, after: float) -> Svg:
        """Return a figure behind the bar of a lane."""
        top, tall = self.band(i, 0.5, 18.0)
        return label(text, after + 6, top + tall / 2 + 4, "start", "bar-value")

    def say(self, i: int, text: str) -> list[Svg]:
        """Return what a lane's small picture says, in as many lines as fit, at most five."""
        if self.words is None:
            return []
        start, end = self.words
        lines = wrapped(text, end - start, 11.5, "Figtree-Regular")[
            : max(1, min(5, int(self.lanes.step / 14)))
        ]
        middle = self.lanes.top(i) + self.lanes.step / 2 + 4 - 7.0 * (len(lines) - 1)
        return [label(one, start, middle + 14.0 * j, "start", "lane-said") for j, one in enumerate(lines)]


def ranked_frame(
    canvas: Canvas,
    names: Sequence[str],
    span: tuple[float, float],
    ticks: Sequence[Tick],
    heads: tuple[str, str],
    widest: str,
    note: str = "",
) -> Ranked:
    """Set the margins of a picture of lanes, draw what stands around them, and return where they stand.

    Parameters
    ----------
    span, ticks
        The ends of the bars' scale, and its places.
    heads
        What stands over the bars and over the small pictures.
    widest
        The longest figure behind a bar.
    note
        What is said below the lanes.
    """
    if canvas.labelled:
        canvas.left = canvas.name_room(names, max(150.0, min(192.0, 0.26 * canvas.size.width)), 96.0)
        canvas.right = 14.0
        canvas.top = TITLE if canvas.full else 6.0
        canvas.bottom = (46.0 if note else 28.0) if canvas.full else 8.0
    else:
        canvas.left = canvas.right = canvas.top = canvas.bottom = 1.0
    canvas.grow(max(len(names), 1), LANE)
    start, end = canvas.x_start, canvas.x_end
    small = words = None
    bars_end = end
    if canvas.full:
        free = end - start
        bars_end = start + 0.34 * free
        small = bars_end + 26.0, bars_end + 26.0 + 0.3 * free
        words = small[1] + 14.0, end
    shown_end = bars_end - (width(widest) + 8.0 if canvas.labelled else 0.0)
    lanes = Lanes(tuple(names), canvas.y_start, canvas.y_end)
    x = Linear(*span, start, max(shown_end, start + 10.0))
    canvas.x, canvas.y = x, lanes
    canvas.lane_labels(lanes, list(names), canvas.left - 22.0)
    if canvas.full:
        for tick in ticks:
            canvas.under.append(line(x(tick.at), canvas.y_start, x(tick.at), canvas.y_end, "grid"))
        canvas.bottom_ticks(list(ticks), x)
        canvas.over.append(label(heads[0], start, canvas.y_start - 14, "start", "axis-title"))
        if small is not None:
            canvas.over.append(label(heads[1], small[0], canvas.y_start - 14, "start", "axis-title"))
        if note:
            canvas.over.append(label(note, start, canvas.y_end + 38, "start", "axis-title"))
    return Ranked(lanes, x, small, words)
