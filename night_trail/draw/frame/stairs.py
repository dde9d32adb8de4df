"""A stair: from one figure to another, a step for each part of the way."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from itertools import accumulate

from night_trail.draw.frame.canvas import NAMED, Canvas, label, line
from night_trail.draw.frame.scales import Lanes, Linear, Tick
from night_trail.draw.frame.svg import Svg, el
from night_trail.draw.frame.text import width

THICKEST = 26.0


@dataclass(frozen=True)
class Stair:
    """Where steps stand: ``levels`` before the first and after each, ``texts`` behind them."""

    canvas: Canvas
    x: Linear
    lanes: Lanes
    levels: tuple[float, ...]
    texts: tuple[str, ...]
    near: bool

    @classmethod
    def laid(
        cls,
        canvas: Canvas,
        names: Sequence[str],
        start: float,
        changes: Sequence[float],
        texts: Sequence[str],
        telling: int | None = None,
    ) -> Stair:
        """Set the margins and scales of a stair on its canvas.

        ``names`` are those of the first figure, of every step and of the last;
        ``changes`` and ``texts`` one a step. ``telling`` is the step that is named
        where not all can be.
        """
        if canvas.labelled:
            canvas.left = canvas.name_room(names, 190.0, 90.0)
            canvas.right = 16.0 + max((width(text) for text in texts), default=20.0)
            canvas.top, canvas.bottom = 14.0, 50.0 if canvas.full else 26.0
        else:
            canvas.left = canvas.right = canvas.top = canvas.bottom = 1.0
        canvas.grow(len(names), NAMED)
        levels = tuple(accumulate(changes, initial=start))
        low, high = min([*levels, 0.0]), max([*levels, 0.0])
        # from 0 the steps may be too small to see; the first and last bar then say where they begin
        near = low == 0.0 and max(levels) - min(levels) < 0.25 * high
        if near:
            low = min(levels) - 0.5 * (max(levels) - min(levels) or abs(high) * 0.01 or 1.0)
        end = high + 0.02 * (high - low) if high > low else low + 1.0
        x = Linear(low, end, canvas.x_start, canvas.x_end)
        lanes = Lanes(tuple(names), canvas.y_start, canvas.y_end)
        canvas.x, canvas.y = x, lanes
        canvas.lane_labels(lanes, list(names), canvas.left - 22.0, None if telling is None else telling + 1)
        return cls(canvas, x, lanes, levels, tuple(texts), near)

    def framed(self, ticks: Sequence[Tick], title: str, said: Callable[[float], str]) -> None:
        """Draw the axis, and the bars of the first and the last figure."""
        canvas = self.canvas
        if canvas.labelled:
            for tick in ticks:
                at = self.x(tick.at)
                canvas.under.append(line(at, canvas.y_start, at, canvas.y_end, "grid"))
            canvas.bottom_ticks(list(ticks), self.x)
            canvas.bottom_title(title + (" · not from 0" if self.near else ""))
        begins = max(self.x.low, 0.0) if self.near else 0.0
        for i, level in ((0, self.levels[0]), (len(self.lanes.keys) - 1, self.levels[-1])):
            canvas.under.append(self._bar(begins, level, i, "part tone-5"))
            if canvas.labelled:
                canvas.over.append(self._after(said(level), level, i))

    def step(self, i: int, id_: str, extra: str = "") -> Svg:
        """Return a step, counted from 0, and draw what joins it to the last and what is said behind it."""
        start, end = self.levels[i], self.levels[i + 1]
        tone = f"stair-step {'rise' if end >= start else 'fall'}{extra}"
        top, tall, at = self.lanes.top(i + 1), self.lanes.step, self.x(start)
        self.canvas.under.append(line(at, top - tall / 2, at, top + tall / 2, "grid"))
        if self.canvas.labelled and tall >= 10:
            self.canvas.over.append(self._after(self.texts[i], max(start, end), i + 1))
        return el("g", self._bar(start, end, i + 1, tone), id=id_)

    def lit(self, i: int, share: float) -> Svg:
        """Return the part of a step that is lit."""
        start, end = self.levels[i], self.levels[i + 1]
        return self._bar(start, start + (end - start) * share, i + 1, "lit")

    def _bar(self, start: float, end: float, lane: int, class_: str) -> Svg:
        tall = min(THICKEST, max(0.66 * self.lanes.step, 1.0))
        left, right = sorted((self.x(start), self.x(end)))
        top = self.lanes.top(lane) + (self.lanes.step - tall) / 2
        return el("rect", class_=class_, x=left, y=top, width=max(right - left, 0.8), height=tall)

    def _after(self, text: str, at: float, lane: int) -> Svg:
        y = self.lanes.top(lane) + self.lanes.step / 2 + 4
        return label(text, self.x(at) + 6, y, "start", "bar-value")
