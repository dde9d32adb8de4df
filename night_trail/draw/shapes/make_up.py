"""What makes up a figure: a treemap, rings, indented bars, a hundred squares, a running total."""

from __future__ import annotations

import math
from collections.abc import Callable

from msgspec.structs import replace

from night_trail.core.language.numbers import MINUS, percent
from night_trail.core.question import to_json
from night_trail.core.questions.make_up.answer import MakeUpAnswer
from night_trail.core.questions.make_up.parts import Part
from night_trail.core.questions.make_up.words import figure_said, part_card, shade_said
from night_trail.core.questions.shared.measure_slots import measure_words
from night_trail.core.questions.shared.ranking import dwarfs
from night_trail.core.table import Table
from night_trail.core.turns import See
from night_trail.draw.frame.arcs import arc
from night_trail.draw.frame.canvas import NAMED, Canvas, Size, Stands, label, line
from night_trail.draw.frame.scales import Lanes, Linear, ticks
from night_trail.draw.frame.squarify import Box, squarified
from night_trail.draw.frame.stairs import Stair
from night_trail.draw.frame.svg import Svg, el
from night_trail.draw.frame.text import shortened, width

SHADES = 6
FARTHEST = 0.5
"""A change of this share of what was there is drawn as far as any can be."""

HEAD = 19.0
"""Pixels of the strip that names a part over its parts."""

LINE = 13.0
LEAST_WIDE = 26.0
SQUARES = 10


def draw_make_up(answer: MakeUpAnswer, table: Table, size: Size, prefix: str) -> Canvas:
    """Return a make-up in the shape it is asked for, or that its figures allow."""
    canvas = Canvas(size, prefix, answer.basis.lit is not None)
    if answer.parts:
        drawn = _Drawn(canvas, answer, table)
        {
            "treemap": drawn.treemap,
            "rings": drawn.rings,
            "bars": drawn.bars,
            "squares": drawn.squares,
            "stair": drawn.stair,
        }[answer.shape]()
    return canvas


class _Drawn:
    """One picture while it is drawn."""

    def __init__(self, canvas: Canvas, answer: MakeUpAnswer, table: Table) -> None:
        self.canvas, self.answer, self.table = canvas, answer, table
        self.said: Callable[[float], str] = figure_said(answer)
        self.shaded = answer.question.shade is not None or answer.question.against is not None
        self.below: dict[int, list[int]] = {}
        for at, part in enumerate(answer.parts):
            self.below.setdefault(part.parent, []).append(at)
        shades = [p.shade for p in answer.parts if p.shade is not None]
        self.shades = (min(shades), max(shades)) if shades else (0.0, 0.0)

    # ---- what all shapes say of a part ----

    def tone(self, part: Part) -> str:
        """Return the class of a part: its colour, or how dark it is shaded."""
        extra = " others" if part.others or part.missing else ""
        if self.answer.question.against is not None:
            return self.change_tone(part)
        if self.answer.question.shade is None:
            return f"piece hue-{part.hue} deep-{min(part.depth, 3)}{extra}"
        if part.shade is None:
            return f"piece hue-7 deep-3{extra}"
        low, high = self.shades
        share = (part.shade - low) / (high - low) if high > low else 1.0
        return f"cell shade-{min(SHADES, 1 + int(share * SHADES))}"

    def change_tone(self, part: Part) -> str:
        """Return the class of a part that is held against something: its side, and how far it is."""
        if part.change is None:
            return "piece hue-7 deep-3 others"
        if not part.change:
            return "piece hue-7 deep-3"
        share = abs(part.change) / abs(part.base) if part.base else FARTHEST
        side = "above" if part.change > 0 else "below"
        return f"cell {side} shade-{max(1, math.ceil(SHADES * min(share, FARTHEST) / FARTHEST))}"

    def signed(self, part: Part) -> str:
        """Return how a part differs from what it is held against, with its sign; empty where nothing is."""
        if part.change is None:
            return ""
        sign = "+" if part.change > 0 else MINUS if part.change < 0 else "±"
        return f"{sign}{self.said(abs(part.change))}"

    def mark(self, part: Part, shape: Svg, lit: Svg | None) -> None:
        """Add a part's mark."""
        card = part_card(self.answer, part, self.table, self.said)
        self.canvas.mark(shape, lit, part.key, part.condition, card, Stands(part.n, part.lit))

    def lit_share(self, part: Part) -> float:
        """Return how much of a part is lit: of its figure where that adds up, else of its rows."""
        if not part.lit or not part.n:
            return 0.0
        if self.answer.adds_up and part.lit_figure is not None and part.figure > 0:
            return min(1.0, max(0.0, part.lit_figure / part.figure))
        return part.lit / part.n

    def inward(self, part: Part) -> str:
        """Return the turn that goes into a part."""
        question = self.answer.question
        return to_json(See(replace(question, path=(*question.path, *part.names), opened=())))

    def opener(self, part: Part, x: float, y: float) -> None:
        """Draw the small door that parts what is gathered here, its top left corner at a place."""
        if not part.others or not self.canvas.full:
            return
        question = self.answer.question
        turn = to_json(See(replace(question, opened=(*question.opened, "\x1f".join(part.names))[-40:])))
        ground = el("rect", class_="kin-handle", x=x, y=y, width=16, height=16, rx=3)
        words = label("+", x + 8, y + 12.5, "middle")
        self.canvas.door(el("g", ground, words), f"open\x1f{part.key}", turn, [f"part the {part.label}"])

    def footed(self) -> None:
        """Say under the picture what is measured, and how shades read."""
        canvas, question = self.canvas, self.answer.question
        if not canvas.full:
            return
        unit = self.answer.column.unit_words if self.answer.column is not None else ""
        shown = measure_words(question.measure, self.table).removeprefix("the ")
        text = f"{shown}, {unit}" if unit else shown
        at = canvas.size.height - 8.0
        canvas.over.append(label(text, 2.0, at, "start", "axis-title"))
        if question.against is not None:
            self._change_key(at)
        if question.shade is None:
            return
        said = shade_said(self.answer, self.table)
        right = canvas.size.width - 2.0
        high, low = said(self.shades[1]), said(self.shades[0])
        canvas.over.append(label(high, right, at, "end"))
        x = right - width(high) - 8 - SHADES * 14
        for i in range(SHADES):
            box = el("rect", class_=f"cell shade-{i + 1}", x=x + i * 14, y=at - 10, width=13, height=11)
            canvas.over.append(box)
        name = measure_words(question.shade, self.table).removeprefix("the ")
        canvas.over.append(label(low, x - 6, at, "end"))
        canvas.over.append(label(name, x - 18 - width(low), at, "end", "axis-title"))

    def _change_key(self, at: float) -> None:
        """Say what the two colours mean, and that the darkest stand for half and beyond."""
        right = self.canvas.size.width - 2.0
        for words, side in (("half more, and beyond", "above"), ("half less, and beyond", "below")):
            self.canvas.over.append(label(words, right, at, "end"))
            right -= width(words) + 16
            tone = f"cell {side} shade-{SHADES}"
            self.canvas.over.append(el("rect", class_=tone, x=right, y=at - 10, width=11, height=11, rx=2))
            right -= 14

    def share(self, part: Part) -> str:
        """Return a part's share of what is drawn; its figure where that does not add up."""
        if part.of_all is None or not self.answer.total:
            return self.said(part.figure) if math.isfinite(part.figure) else "—"
        return percent(part.figure / self.answer.total)

    # ---- a treemap ----

    def treemap(self) -> None:
        """Draw parts as areas within areas."""
        canvas = self.canvas
        foot = 26.0 if canvas.full else 2.0
        if canvas.labelled:
            canvas.left = canvas.right = canvas.top = 2.0
            canvas.bottom = foot
        else:
            canvas.left = canvas.right = canvas.top = canvas.bottom = 1.0
        room = Box(
            canvas.x_start,
            canvas.y_start,
            max(canvas.x_end - canvas.x_start, 1.0),
            max(canvas.y_end - canvas.y_start, 1.0),
        )
        self._tiles(-1, room)
        self.footed()

    def _tiles(self, parent: int, room: Box) -> None:
        own = self.below.get(parent, [])
        sizes = [max(self.answer.parts[at].figure, 0.0) for at in own]
        for at, box in zip(own, squarified(sizes, room), strict=True):
            part = self.answer.parts[at]
            if min(box.width, box.height) < 0.4 and self.canvas.labelled:
                continue
            named = self.canvas.labelled and box.width >= 50 and box.height >= HEAD + 16
            if part.inner and (named or not self.canvas.labelled):
                if named:
                    self._strip(part, box)
                self._tiles(at, box.inside(1, HEAD, 1, 1) if named else box)
            else:
                self._tile(part, box)

    def _strip(self, part: Part, box: Box) -> None:
        """Name a part over its parts; its name is the way into it."""
        tone = self.tone(part).replace("deep-", "head deep-")
        # a shade below would mix with those of its parts
        plain = "ground-piece" if self.shaded else tone
        ground = el("rect", class_=plain, x=box.x, y=box.y, width=box.width - 1, height=box.height - 1)
        self.canvas.under.append(ground)
        shape = el("rect", class_=tone, x=box.x, y=box.y, width=box.width - 1, height=HEAD - 1)
        name = shortened(f"{part.label}  {self.share(part)} ›", box.width - 12)
        inked = "cell-label" if self.shaded else "piece-name"
        words = label(name, box.x + 5, box.y + 13.5, "start", f"{inked} head")
        card = [*part_card(self.answer, part, self.table, self.said), "go into it"]
        strip = el("g", shape, words)
        self.canvas.around(part.key, box.x + box.width / 2, box.y + box.height / 2)
        self.canvas.door(strip, f"in\x1f{part.key}", self.inward(part), card)

    def _tile(self, part: Part, box: Box) -> None:
        canvas = self.canvas
        id_ = canvas.id("b", part.key)
        wide, high = max(box.width - 1.0, 0.3), max(box.height - 1.0, 0.3)
        shape = el("rect", class_=self.tone(part), id=id_, x=box.x, y=box.y, width=wide, height=high)
        lit = None
        if share := self.lit_share(part):
            tall = high * share
            lit = el(
                "rect", class_="lit", x=box.x, y=box.y + high - tall, width=wide, height=tall,
                id=canvas.id("l", part.key),
            )  # fmt: skip
        canvas.around(part.key, box.x + box.width / 2, box.y + box.height / 2)
        self.mark(part, shape, lit)
        if wide >= 22 and high >= 22:
            self.opener(part, box.x + wide - 19, box.y + high - 19)
        if canvas.labelled and wide >= LEAST_WIDE and high >= LINE + 3:
            room = wide - 8
            name = shortened(part.label, room)
            if len(name) > 2 or name == part.label:
                inked = "cell-label" if self.shaded else "piece-name"
                canvas.over.append(label(name, box.x + 4, box.y + 13, "start", inked))
                figure = self.said(part.figure)
                if (by := self.signed(part)) and width(f"{figure}  {by}") <= room:
                    figure = f"{figure}  {by}"
                if high >= 2 * LINE + 5 and width(figure) <= room:
                    canvas.over.append(label(figure, box.x + 4, box.y + 27, "start", inked))

    # ---- rings ----

    def rings(self) -> None:
        """Draw each level as a ring around the one above it."""
        canvas = self.canvas
        deepest = max(part.depth for part in self.answer.parts)
        names = self.below[-1]
        canvas.grow(1, NAMED * len(names) + 60.0)
        size = canvas.size
        room = size.height - (36 if canvas.full else 8)
        outer = max(min(room / 2, size.width / 3.4 if canvas.labelled else size.width / 2), 6.0)
        x = 14 + outer if canvas.labelled else size.width / 2
        y = 6 + room / 2 if canvas.labelled else size.height / 2
        hole = outer * (0.34 if deepest > 1 else 0.6)
        thick = (outer - hole) / deepest
        self._ring(-1, 0.0, 1.0, (x, y, hole, thick))
        if canvas.labelled:
            self._listed(names, x + outer + 34, 8.0, size.height - (32.0 if canvas.full else 8.0))
        if canvas.full:
            canvas.over.append(label(self.said(self.answer.total), x, y + 5, "middle", "figure-title"))
        self.footed()

    def _ring(self, parent: int, start: float, end: float, place: tuple[float, float, float, float]) -> None:
        x, y, hole, thick = place
        own = self.below.get(parent, [])
        whole = sum(max(self.answer.parts[at].figure, 0.0) for at in own)
        if whole <= 0:
            return
        run = start
        for at in own:
            part = self.answer.parts[at]
            until = run + (end - start) * max(part.figure, 0.0) / whole
            inner = hole + (part.depth - 1) * thick
            shape = arc(x, y, inner + 0.5, inner + thick - 0.5, run, until, self.tone(part))
            lit = None
            if share := self.lit_share(part):
                shines = run + (until - run) * share
                lit = arc(x, y, inner + thick * 0.2, inner + thick * 0.8, run, shines, "lit")
            middle, radius = math.pi * (run + until), inner + thick / 2
            at_x, at_y = x + radius * math.sin(middle), y - radius * math.cos(middle)
            self.canvas.around(part.key, at_x, at_y)
            self.mark(part, shape, lit)
            long = 2 * math.pi * radius * (until - run)
            if self.canvas.full and thick >= 26 and long >= 17:
                name = shortened(part.label, max(thick - 6, min(long, thick * 2) * abs(math.cos(middle)) - 6))
                if len(name) > 2:
                    self.canvas.over.append(label(name, at_x, at_y + 4, "middle", "piece-name"))
            self._ring(at, run, until, place)
            run = until

    def _listed(self, names: list[int], left: float, top: float, bottom: float) -> None:
        """List the parts of the first level beside the picture; a name with parts is the way in."""
        canvas = self.canvas
        tall = min(24.0, (bottom - top) / max(len(names), 1))
        if tall < 12:
            return
        room = canvas.size.width - left - 24
        for i, at in enumerate(names):
            part = self.answer.parts[at]
            y = top + tall * i + tall / 2 + 4
            text = shortened(f"{self.share(part)}  {part.label}{' ›' if part.inner else ''}", room)
            box = el("rect", class_=self.tone(part), x=left, y=y - 9, width=10, height=10, rx=2)
            words = label(text, left + 18, y, "start")
            if part.inner:
                ground = el("rect", class_="ground", x=left - 2, y=y - 14, width=width(text) + 26, height=20)
                card = [*part_card(self.answer, part, self.table, self.said), "go into it"]
                self.canvas.door(el("g", ground, box, words), f"in\x1f{part.key}", self.inward(part), card)
            else:
                canvas.over += [box, words]
                self.opener(part, left + 26 + width(text), y - 12)

    # ---- indented bars ----

    def bars(self) -> None:
        """Draw a bar for each part, indented by its level, with its shares."""
        canvas, answer = self.canvas, self.answer
        order = self._in_order(-1)
        parts = [answer.parts[at] for at in order]
        texts = [self._behind(part) for part in parts]
        names = [part.label for part in parts]
        if canvas.labelled:
            indent = max(part.depth for part in parts) * 12.0
            canvas.left = canvas.name_room(names, 200.0, 90.0) + indent
            canvas.right = 12.0 + max(width(text) for text in texts)
            canvas.top, canvas.bottom = 10.0, 44.0 if canvas.full else 6.0
        else:
            canvas.left = canvas.right = canvas.top = canvas.bottom = 1.0
        canvas.grow(len(parts), NAMED + 2)
        named = [part.figure for part in parts if math.isfinite(part.figure) and not part.others]
        values = named + [p.figure for p in parts if p.others and not dwarfs(p.figure, named)] or [0.0]
        low, high = min(0.0, *values), max(0.0, *values)
        x = Linear(low, high if high > low else low + 1.0, canvas.x_start, canvas.x_end)
        lanes = Lanes(tuple(part.key for part in parts), canvas.y_start, canvas.y_end)
        canvas.x, canvas.y = x, lanes
        if canvas.labelled:
            found = ticks(x.low, x.high, max(2, int((x.end - x.start) / 95)))
            for tick in found:
                canvas.under.append(line(x(tick.at), canvas.y_start, x(tick.at), canvas.y_end, "grid"))
            if canvas.full:
                canvas.bottom_ticks(found, x)
                canvas.bottom_title(measure_words(answer.question.measure, self.table).removeprefix("the "))
            canvas.under.append(line(x(0.0), canvas.y_start, x(0.0), canvas.y_end, "axis"))
        for i, (part, text) in enumerate(zip(parts, texts, strict=True)):
            self._lane(part, text, i, x, lanes)

    def _lane(self, part: Part, text: str, i: int, x: Linear, lanes: Lanes) -> None:
        canvas = self.canvas
        tall = min(22.0, max(0.72 * lanes.step, 1.0)) * (1.0 if part.depth == 1 else 0.78)
        top = lanes.top(i) + (lanes.step - tall) / 2
        value = part.figure if math.isfinite(part.figure) else 0.0
        # what is gathered and would squeeze the others ends at the end of the axis, cut
        cut = not x.low <= value <= x.high
        left, right = sorted((x(0.0), x(min(max(value, x.low), x.high))))
        shape = el(
            "rect", class_=self.tone(part), id=canvas.id("b", part.key), x=left, y=top,
            width=max(right - left, 0.8), height=tall,
        )  # fmt: skip
        lit = None
        if share := self.lit_share(part):
            wide = max(right - left, 0.8) * share
            start = left if value >= 0 else right - wide
            lit = el("rect", class_="lit", x=start, y=top + tall * 0.25, width=wide, height=tall * 0.5)
        self.mark(part, shape, lit)
        if cut:
            canvas.over.append(line(right - 7, top - 1, right - 7, top + tall + 1, "broken-off"))
        if canvas.labelled and lanes.step >= 11:
            y = lanes.top(i) + lanes.step / 2 + 4
            at = 6.0 + (part.depth - 1) * 12.0
            name = shortened(part.label, canvas.left - at - 10)
            canvas.over.append(label(name, at, y, "start", "lane-label" if part.depth == 1 else "axis-label"))
            canvas.over.append(label(text, max(right, x(0.0)) + 6, y, "start", "bar-value"))
            self.opener(part, canvas.left - 22, y - 12)

    def _behind(self, part: Part) -> str:
        if not math.isfinite(part.figure):
            return "—"
        figure = self.said(part.figure)
        if by := self.signed(part):
            return f"{figure}, {by}"
        if part.of_all is None:
            return figure
        if part.depth > 1 and part.of_parent is not None:
            return f"{figure} · {percent(part.of_parent)} of it, {percent(part.of_all)} of all"
        return f"{figure} · {percent(part.of_all)}"

    def _in_order(self, parent: int) -> list[int]:
        found = []
        for at in self.below.get(parent, []):
            found += [at, *self._in_order(at)]
        return found

    # ---- a hundred squares ----

    def squares(self) -> None:
        """Draw a hundred squares, shared out among the parts of the first level."""
        canvas = self.canvas
        names = self.below[-1]
        parts = [self.answer.parts[at] for at in names]
        size = canvas.size
        foot = 32.0 if canvas.full else 4.0
        side = max(min(size.height - foot - 4, size.width / 2), 10.0) / SQUARES
        gap = 2.0 if canvas.labelled else 0.5
        at = 0
        for part, count in zip(parts, shared_out([p.figure for p in parts], SQUARES**2), strict=True):
            lit_count = round(count * self.lit_share(part))
            boxes = [self._square(at + i, side, gap, self.tone(part)) for i in range(count)]
            shining = [self._square(at + i, side, gap, "lit") for i in range(lit_count)]
            if boxes:
                shape = el("g", *boxes, id=canvas.id("b", part.key))
                middle = at + count / 2
                canvas.around(part.key, side * (middle // SQUARES + 0.5), side * (middle % SQUARES + 0.5))
                self.mark(part, shape, el("g", *shining) if shining else None)
            at += count
        if canvas.labelled:
            self._listed(names, side * SQUARES + 34, 4.0, size.height - foot)
        self.footed()

    def _square(self, i: int, side: float, gap: float, tone: str) -> Svg:
        # column by column, so that what belongs together stays together
        x, y = 2 + side * (i // SQUARES), 2 + side * (i % SQUARES)
        return el("rect", class_=tone, x=x, y=y, width=side - gap, height=side - gap, rx=1)

    # ---- a running total ----

    def stair(self) -> None:
        """Draw how the parts of the first level add up to the whole, step by step."""
        canvas, answer = self.canvas, self.answer
        parts = [answer.parts[at] for at in self.below[-1]]
        names = ["nothing", *(p.label for p in parts), "all together"]
        texts = [self._behind(p) for p in parts]
        stair = Stair.laid(canvas, names, 0.0, [p.figure for p in parts], texts)
        x = stair.x
        found = ticks(x.low, x.high, max(2, int((x.end - x.start) / 95)))
        title = measure_words(answer.question.measure, self.table).removeprefix("the ")
        stair.framed(found, title, self.said)
        for i, part in enumerate(parts):
            shape = stair.step(i, canvas.id("b", part.key))
            share = self.lit_share(part)
            self.mark(part, shape, stair.lit(i, share) if share else None)


def shared_out(values: list[float], count: int) -> list[int]:
    """Return whole numbers that sum to ``count``, as near to the shares of values as can be.

    By the largest remainders (Hamilton); all values are 0 or more.

    >>> shared_out([1.0, 1.0, 1.0], 100)
    [34, 33, 33]
    """
    total = sum(values)
    if total <= 0:
        return [0 for _ in values]
    exact = [count * value / total for value in values]
    found = [math.floor(one) for one in exact]
    order = sorted(range(len(values)), key=lambda i: (found[i] - exact[i], i))
    for i in order[: count - sum(found)]:
        found[i] += 1
    return found
