"""Who belongs to whom: cards in levels from left to right, joined to who stands above them.

Leaves stand one under the other, and who has some below stands beside the first of them, so
that both are in sight where a tree is taller than the page.
"""

from __future__ import annotations

import math

from night_trail.core.language.numbers import percent
from night_trail.core.question import to_json
from night_trail.core.questions.kin.answer import KinAnswer, Unit
from night_trail.core.questions.kin.sentence import turned
from night_trail.core.questions.kin.words import figure_said, unit_card
from night_trail.core.questions.shared.measure_slots import measure_words
from night_trail.core.table import Table
from night_trail.core.turns import See, Slot
from night_trail.draw.frame.canvas import Canvas, Size, Stands, label
from night_trail.draw.frame.svg import el
from night_trail.draw.frame.text import shortened, width

HIGH, GAP = 34.0, 6.0
HANDLE = 30.0
WIDEST = 210.0


def draw_kin(answer: KinAnswer, table: Table, size: Size, prefix: str) -> Canvas:
    """Return the tree, as far as it is opened."""
    canvas = Canvas(size, prefix, answer.basis.lit is not None)
    if answer.shown:
        _Drawn(canvas, answer, table).cards()
    return canvas


class _Drawn:
    """One picture while it is drawn."""

    def __init__(self, canvas: Canvas, answer: KinAnswer, table: Table) -> None:
        self.canvas, self.answer, self.table = canvas, answer, table
        self.said = figure_said(answer)
        self.below: dict[int, list[int]] = {}
        for at, unit in enumerate(answer.shown):
            self.below.setdefault(unit.parent, []).append(at)
        self.rows: dict[int, float] = {}
        self.leaves = 0.0

    def cards(self) -> None:
        """Draw the cards, the lines that join them, and the path that leads to the first."""
        canvas = self.canvas
        for top in self.below[-1]:
            self._place(top)
        labelled = canvas.labelled
        canvas.left = canvas.right = 2.0
        canvas.top = (26.0 if self.answer.path or self.answer.question.top else 4.0) if canvas.full else 2.0
        canvas.bottom = 22.0 if canvas.full else 2.0
        canvas.grow(max(round(self.leaves), 1), HIGH + GAP)
        step = (canvas.y_end - canvas.y_start) / max(self.leaves, 1.0)
        high = min(HIGH, step * 0.86) if labelled else max(step * 0.7, 1.0)
        deepest = max(unit.depth for unit in self.answer.shown)
        stride = (canvas.x_end - canvas.x_start) / (deepest + 1)
        wide = min(WIDEST, stride - 26.0) if labelled else stride * 0.7
        for at, unit in enumerate(self.answer.shown):
            x = canvas.x_start + unit.depth * stride
            y = canvas.y_start + (self.rows[at] + 0.5) * step
            if unit.parent >= 0:
                above = self.answer.shown[unit.parent]
                start = canvas.x_start + above.depth * stride + wide
                self._join(start, canvas.y_start + (self.rows[unit.parent] + 0.5) * step, x, y)
            self._card(unit, x, y, wide, high)
        if canvas.full:
            self._path()
            title = measure_words(self.answer.question.measure, self.table).removeprefix("the ")
            text = f"{title}, with all below"
            canvas.over.append(label(text, 2.0, canvas.size.height - 6, "start", "axis-title"))

    def _place(self, at: int) -> float:
        """Give a unit its row: a leaf the next, another that of the first below it."""
        own = self.below.get(at, [])
        if own:
            rows = [self._place(one) for one in own]
            self.rows[at] = rows[0]
        else:
            self.rows[at] = self.leaves
            self.leaves += 1.0
        return self.rows[at]

    def _join(self, x0: float, y0: float, x1: float, y1: float) -> None:
        middle = (x0 + x1) / 2
        d = f"M{x0:.1f} {y0:.1f}C{middle:.1f} {y0:.1f} {middle:.1f} {y1:.1f} {x1:.1f} {y1:.1f}"
        self.canvas.under.append(el("path", class_="kin-line", d=d))

    def _card(self, unit: Unit, x: float, y: float, wide: float, high: float) -> None:
        canvas, top = self.canvas, y - high / 2
        odd = " others" if unit.others else " odd" if unit.odd else ""
        odd += " marked" if self.answer.marked(unit.below) else ""
        shape = el(
            "rect", class_=f"kin-card{odd}", id=canvas.id("b", unit.key), x=x, y=top, width=wide, height=high,
            rx=4,
        )  # fmt: skip
        lit = None
        if unit.lit and unit.n_below:
            share = min(1.0, unit.lit / unit.n_below)
            lit = el("rect", class_="lit", x=x, y=top + high - 4, width=max(wide * share, 1.0), height=4)
        canvas.around(unit.key, x + wide / 2, y)
        card = unit_card(self.answer, unit, self.table, self.said)
        canvas.mark(shape, lit, unit.key, unit.condition, card, Stands(unit.n_below, unit.lit))
        if not canvas.labelled or high < 12:
            return
        handle = HANDLE if unit.children else 0.0
        room = wide - 12 - handle
        figure = self.said(unit.below) if math.isfinite(unit.below) else "—"
        tall = high >= 28
        name = shortened(unit.label, room if tall else room - width(figure) - 8)
        canvas.over.append(label(name, x + 7, y - 3 if tall else y + 4, "start", "piece-name head"))
        if tall:
            canvas.over.append(label(shortened(self._figures(unit, figure), room), x + 7, y + 11, "start"))
        else:
            canvas.over.append(label(figure, x + wide - handle - 4, y + 4, "end"))
        if unit.children:
            self._handle(unit, x + wide - handle, top, high)

    def _figures(self, unit: Unit, figure: str) -> str:
        """Return what a card says under the name: the figure with all below, its share of who is above."""
        if not self.answer.adds_up or unit.parent < 0:
            return figure
        above = self.answer.shown[unit.parent].below
        if not (above > 0 and 0 <= unit.below <= above):
            return figure
        return f"{figure} · {percent(unit.below / above)}"

    def _handle(self, unit: Unit, x: float, top: float, high: float) -> None:
        """Draw what opens and closes a unit, with how many stand directly below it."""
        text = "−" if unit.opened else f"+{unit.children:,}"
        ground = el("rect", class_="kin-handle", x=x, y=top, width=HANDLE, height=high, rx=4)
        words = label(text, x + HANDLE / 2, top + high / 2 + 4, "middle")
        below = f"{unit.children:,} directly below {unit.label}"
        card = [f"close {unit.label}" if unit.opened else f"open {below}"]
        question = self.answer.question
        # deeper than can be drawn at once, the picture begins at the unit
        deep = not unit.opened and unit.depth + 2 > 5
        change = (
            to_json(Slot("top", unit.key)) if deep else to_json(See(turned(question, unit.key, unit.opened)))
        )
        self.canvas.door(el("g", ground, words), f"open\x1f{unit.key}", change, card)

    def _path(self) -> None:
        """Write the way from the root to where the picture begins; each name leads back there."""
        top = self.answer.question.top
        if top is None:
            return
        x = 2.0
        for name in ("all of them", *self.answer.path):
            text = shortened(name, 150.0)
            change = to_json(Slot("top", None if name == "all of them" else name))
            ground = el("rect", class_="ground", x=x - 2, y=2, width=width(text) + 8, height=20)
            words = label(text, x, 16, "start", "lane-label")
            self.canvas.door(el("g", ground, words), f"path\x1f{name}", change, [f"begin at {name}"])
            x += width(text) + 6
            self.canvas.over.append(label("›", x, 16, "start"))
            x += 12
        self.canvas.over.append(label(shortened(top, 200.0), x, 16, "start", "piece-name head"))
