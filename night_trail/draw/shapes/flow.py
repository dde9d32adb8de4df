"""Where a figure flows: bands between stations, or a matrix of two."""

from __future__ import annotations

import math

import numpy as np

from night_trail.core.language.numbers import number, percent
from night_trail.core.questions.flow.answer import FlowAnswer
from night_trail.core.questions.flow.words import figure_said
from night_trail.core.questions.shared.measure_slots import measure_words
from night_trail.core.table import Table
from night_trail.draw.frame.canvas import Canvas, Size, Stands, label
from night_trail.draw.frame.svg import Svg, el
from night_trail.draw.frame.text import shortened, width
from night_trail.draw.shapes.cross import grid_cell, grid_frame, lit_strip
from night_trail.draw.shapes.grids import STRONGEST, tone_of

THICK = 11.0
"""Pixels of a group's bar."""

GAP = 7.0
SHADES = 6


def draw_flow(answer: FlowAnswer, table: Table, size: Size, prefix: str) -> Canvas:
    """Return a flow in the shape it is asked for."""
    canvas = Canvas(size, prefix, answer.basis.lit is not None)
    if answer.total > 0:
        drawn = _Drawn(canvas, answer, table)
        drawn.matrix() if answer.shape == "matrix" else drawn.bands()
    return canvas


class _Drawn:
    """One picture while it is drawn."""

    def __init__(self, canvas: Canvas, answer: FlowAnswer, table: Table) -> None:
        self.canvas, self.answer, self.table = canvas, answer, table
        self.said = figure_said(answer)

    # ---- bands ----

    def bands(self) -> None:
        """Draw the groups of each station as bars, and between them what flows."""
        canvas, answer = self.canvas, self.answer
        most = max(len(order) for order in answer.orders)
        if canvas.labelled:
            canvas.left = canvas.name_room(answer.stations[0].labels, 150.0, 60.0) - 8
            canvas.right = canvas.name_room(answer.stations[-1].labels, 150.0, 60.0) - 8
            canvas.top, canvas.bottom = 24.0 if canvas.full else 4.0, 30.0 if canvas.full else 4.0
            canvas.grow(most, 16.0)
        else:
            canvas.left = canvas.right = canvas.top = canvas.bottom = 1.0
        self.tops = [self._laid(at) for at in range(len(answer.stations))]
        for at in range(len(answer.between)):
            self._between(at)
        for at in range(len(answer.stations)):
            self._station(at)
        if canvas.full:
            title = measure_words(answer.question.measure, self.table).removeprefix("the ")
            at = canvas.size.height - 8
            canvas.over.append(label(title, canvas.x_start, at, "start", "axis-title"))
            if answer.question.shade:
                self._key(canvas.x_end, at)

    def _key(self, right: float, y: float) -> None:
        """Say what the two colours mean."""
        for words, tone in (("fewer than by chance", "cell below shade-6"), ("more", "cell above shade-6")):
            self.canvas.over.append(label(words, right, y, "end"))
            right -= width(words) + 16
            self.canvas.over.append(el("rect", class_=tone, x=right, y=y - 9, width=10, height=10, rx=2))
            right -= 14

    def _x(self, at: int) -> float:
        thick = THICK if self.canvas.labelled else 2.0
        room = self.canvas.x_end - self.canvas.x_start - thick
        return self.canvas.x_start + room * at / (len(self.answer.stations) - 1)

    def _scale(self) -> float:
        most = max(len(order) for order in self.answer.orders)
        gap = GAP if self.canvas.labelled else 1.0
        high = self.canvas.y_end - self.canvas.y_start - gap * (most - 1)
        return max(high, 4.0) / self.answer.total

    def _laid(self, at: int) -> dict[int, float]:
        """Return where each group of a station begins, stacked in its order, the whole in the middle."""
        figures, order = self.answer.stations[at].figures, self.answer.orders[at]
        gap, scale = (GAP if self.canvas.labelled else 1.0), self._scale()
        tall = float(figures.sum()) * scale + gap * (len(order) - 1)
        y = self.canvas.y_start + max(self.canvas.y_end - self.canvas.y_start - tall, 0.0) / 2
        found = {}
        for i in order:
            found[i] = y
            y += float(figures[i]) * scale + gap
        return found

    def _between(self, at: int) -> None:
        """Draw what goes from a station to the next, each band from its place in the bar to its place."""
        answer, between, scale = self.answer, self.answer.between[at], self._scale()
        first, second = answer.stations[at], answer.stations[at + 1]
        left = dict(self.tops[at])
        starts: dict[tuple[int, int], float] = {}
        for i in answer.orders[at]:
            for j in answer.orders[at + 1]:
                starts[i, j] = left[i]
                left[i] += float(between.figures[i, j]) * scale
        right = dict(self.tops[at + 1])
        thick = THICK if self.canvas.labelled else 2.0
        x0, x1 = self._x(at) + thick, self._x(at + 1)
        for j in answer.orders[at + 1]:
            for i in answer.orders[at]:
                figure = float(between.figures[i, j])
                if figure <= 0:
                    continue
                y0, y1, tall = starts[i, j], right[j], figure * scale
                right[j] += tall
                key = f"{at}\x1f{first.labels[i]}\x1f{second.labels[j]}"
                tone = self._tone(at, i, j)
                shape = _band(x0, x1, y0, y1, max(tall, 0.4), tone, self.canvas.id("b", key))
                lit = None
                if between.lit is not None and between.lit[i, j]:
                    assert between.lit_figures is not None  # noqa: S101  (they come together)
                    share = min(1.0, max(0.0, float(between.lit_figures[i, j]) / figure))
                    lit = _band(x0, x1, y0, y1, max(tall * share, 0.6), "lit flowing")
                self.canvas.around(key, (x0 + x1) / 2, (y0 + y1 + tall) / 2)
                rows = Stands(int(between.n[i, j]), None if between.lit is None else int(between.lit[i, j]))
                card = self._card(at, i, j)
                self.canvas.mark(shape, lit, key, answer.condition(at, i, j), card, rows)

    def _tone(self, at: int, i: int, j: int) -> str:
        # what ends where it began is drawn with an edge of its own
        loop = " stays" if self.answer.stays(at, i, j) else ""
        if not self.answer.question.shade:
            return f"flowing hue-{self.answer.stations[at].hues[i]}{loop}"
        residual = float(self.answer.between[at].residuals[i, j])
        return f"{tone_of(max(-1.0, min(1.0, residual / STRONGEST)))} flowing{loop}"

    def _card(self, at: int, i: int, j: int) -> list[str]:
        answer, between = self.answer, self.answer.between[at]
        first, second = answer.stations[at], answer.stations[at + 1]
        figure = float(between.figures[i, j])
        leaves, reaches = float(first.figures[i]), float(second.figures[j])
        card = [f"{first.labels[i]} to {second.labels[j]}", self.said(figure)]
        if leaves and reaches:
            card.append(
                f"{percent(figure / leaves)} of what leaves, {percent(figure / reaches)} of what comes"
            )
        back = answer.returns(at, i, j)
        if back is not None:
            card.append(f"the other way: {self.said(back)}")
        if answer.stays(at, i, j):
            card.append("ends where it began")
        residual = float(between.residuals[i, j])
        side = "more" if residual >= 0 else "fewer"
        card.append(f"{number(abs(residual), 2)} standard errors {side} rows than by chance")
        return [*card, self.table.rows_in_words(int(between.n[i, j]))]

    def _station(self, at: int) -> None:
        """Draw the bars of a station's groups and their names."""
        canvas, station, scale = self.canvas, self.answer.stations[at], self._scale()
        x, thick = self._x(at), THICK if canvas.labelled else 2.0
        last = at == len(self.answer.stations) - 1
        if canvas.full:
            anchor = "end" if at == 0 else "start" if last else "middle"
            where = x + thick if at == 0 else x if last else x + thick / 2
            canvas.over.append(label(station.column.name, where, 14, anchor, "axis-title"))
        for i in self.answer.orders[at]:
            top, tall = self.tops[at][i], max(float(station.figures[i]) * scale, 0.5)
            name = station.labels[i]
            key = f"station{at}\x1f{name}"
            shape = el(
                "rect", class_="part tone-1", x=x, y=top, width=thick, height=tall, id=canvas.id("b", key)
            )
            lit = None
            n, shining = int(station.n[i]), None if station.lit is None else int(station.lit[i])
            if shining and n:
                lit = el("rect", class_="lit", x=x, y=top, width=thick, height=tall * shining / n)
            share = percent(float(station.figures[i]) / self.answer.total)
            card = [name, f"{self.said(float(station.figures[i]))}, {share}", self.table.rows_in_words(n)]
            canvas.around(key, x + thick / 2, top + tall / 2)
            canvas.mark(shape, lit, key, station.condition(i), card, Stands(n, shining))
            if canvas.labelled and (tall >= 7 or canvas.full):
                self._named(name, at, x, top + tall / 2 + 4, last)

    def _named(self, name: str, at: int, x: float, y: float, last: bool) -> None:
        canvas = self.canvas
        if at == 0:
            room = canvas.left - 8
            canvas.over.append(label(shortened(name, room), x - 6, y, "end", "lane-label"))
        elif last:
            room = canvas.right - 8
            canvas.over.append(label(shortened(name, room), x + THICK + 6, y, "start", "lane-label"))
        elif canvas.full:
            room = (canvas.x_end - canvas.x_start) / (len(self.answer.stations) - 1) / 2
            text = shortened(name, min(room, 110.0))
            if width(text) > 0:
                canvas.over.append(label(text, x + THICK + 5, y, "start", "cell-label"))

    # ---- a matrix ----

    def matrix(self) -> None:
        """Draw a cell for each pair: the more flows, the nearer to the moon's colour."""
        canvas, answer = self.canvas, self.answer
        first, second, between = answer.stations[0], answer.stations[1], answer.between[0]
        lines, tops = answer.orders[0], answer.orders[1]
        across, lanes = grid_frame(canvas, [first.labels[i] for i in lines], [second.labels[j] for j in tops])
        most = float(between.figures.max()) or 1.0
        for at, i in enumerate(lines):
            for place, j in enumerate(tops):
                figure = float(between.figures[i, j])
                key = f"0\x1f{first.labels[i]}\x1f{second.labels[j]}"
                if answer.question.shade:
                    tone = tone_of(max(-1.0, min(1.0, float(between.residuals[i, j]) / STRONGEST)))
                else:
                    tone = f"cell shade-{max(1, math.ceil(SHADES * figure / most))}"
                tone += " stays" if answer.stays(0, i, j) else ""
                text = self.said(figure) if between.n[i, j] else ""
                shape = grid_cell(canvas, across, lanes, at, place, tone, key, text)
                n = int(between.n[i, j])
                shining = None if between.lit is None else int(between.lit[i, j])
                lit = lit_strip(canvas, across, lanes, at, place, shining / n, key) if shining and n else None
                condition, card = answer.condition(0, i, j), self._card(0, i, j)
                canvas.mark(shape, lit, key, condition, card, Stands(n, shining))
        title = measure_words(answer.question.measure, self.table).removeprefix("the ")
        canvas.bottom_title(f"{second.column.name} · {title}")


def _band(
    x0: float, x1: float, y0: float, y1: float, tall: float, class_: str, id_: str | None = None
) -> Svg:
    """Return a band of one height from the left to the right."""
    middle = (x0 + x1) / 2
    points = np.round([x0, x1, middle, y0, y1, y0 + tall, y1 + tall], 2)
    a, b, m, top, end, below, under = (f"{p:g}" for p in points)
    d = f"M{a} {top}C{m} {top} {m} {end} {b} {end}L{b} {under}C{m} {under} {m} {below} {a} {below}Z"
    return el("path", class_=class_, id=id_, d=d)
