"""Where a figure lies: dots, hexagons or areas on a map whose areas are true."""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np

from night_trail.core.places.flat import back_upright, sideways, upright
from night_trail.core.places.outlines import Area, all_countries, regions_of
from night_trail.core.places.plan import ACROSS, Plan
from night_trail.core.questions.place.answer import PlaceAnswer
from night_trail.core.questions.place.sentence import areas_words, plan_words
from night_trail.core.questions.place.words import MOST_ARCS, figure_said, shade_said
from night_trail.core.questions.shared.measure_slots import measure_words
from night_trail.core.table import Table
from night_trail.draw.frame.canvas import Canvas, Size, Stands, label, line
from night_trail.draw.frame.earth import area_path, in_sight, land_path, says_something
from night_trail.draw.frame.legend import Word, legend
from night_trail.draw.frame.names import Box, Names
from night_trail.draw.frame.scales import Linear, Upright, ticks
from night_trail.draw.frame.small_lines import Standing, draw_small_lines
from night_trail.draw.frame.svg import Svg, el
from night_trail.draw.frame.svg import group as drawn_group
from night_trail.draw.frame.text import width

LARGEST = {"full": 22.0, "beside": 10.0, "thumb": 4.0}
SMALLEST = {"full": 2.0, "beside": 1.4, "thumb": 0.6}
PLAIN = {"full": 5.0, "beside": 3.0, "thumb": 1.2}
SHADES_OF = {1: (6,), 2: (2, 6), 3: (2, 4, 6), 4: (1, 3, 4, 6), 5: (1, 2, 3, 5, 6)}
"""Which shades so many classes have."""

GRATICULE = 5
WIDEST = {"full": 16.0, "beside": 7.0, "thumb": 3.0}
PLAIN_ARC, THINNEST, MANY_ARCS = 1.5, 0.6, 30


def draw_place(answer: PlaceAnswer, table: Table, size: Size, prefix: str) -> Canvas:
    """Return a place drawn on a canvas."""
    canvas = Canvas(size, prefix, answer.basis.lit is not None)
    _Drawn(canvas, answer, table).all()
    return canvas


class _Drawn:
    """One picture while it is drawn."""

    def __init__(self, canvas: Canvas, answer: PlaceAnswer, table: Table) -> None:
        self.canvas, self.answer, self.table = canvas, answer, table
        self.spots = answer.spots
        self.said, self.shaded = figure_said(answer), shade_said(answer, table)
        self.shading = answer.shading
        on = answer.question.drawn_on
        self.plan: Plan | None = None if on is None else table.plan(on)
        self.detail = canvas.size.detail
        self.written: list[Box] = []

    def all(self) -> None:
        """Draw the ground, what lies on it, and how to read it."""
        canvas, answer = self.canvas, self.answer
        worded = canvas.full and answer.question.coloured is not None
        edge = 2.0 if canvas.labelled else 0.5
        canvas.left = canvas.right = edge
        canvas.top = 24.0 if worded else edge
        canvas.bottom = 44.0 if canvas.full else edge
        self._fitted()
        if worded:
            legend(canvas, self._words(), 12.0)
        self._ground()
        shapes = {"areas": self._areas, "hexagons": self._hexagons, "dots": self._dots, "arcs": self._arcs}
        shapes[answer.shape]()
        if len(answer.question.at) == 2 and answer.shape != "arcs":
            canvas.x_column, canvas.y_column = answer.question.at
        canvas.x, canvas.y, canvas.zooms = self.x, self.y, "xy"
        if canvas.full:
            self._foot()

    def _fitted(self) -> None:
        """Lay what is seen into the room there is, a degree as long both ways on the parallel."""
        canvas, parallel = self.canvas, self.spots.parallel
        if self.plan is not None:
            return self._fitted_plan()
        west, east, south, north = self.spots.window
        x0, x1 = sideways(np.array([west, east]), parallel).tolist()
        y0, y1 = upright(np.array([south, north]), parallel).tolist()
        wide, high = canvas.x_end - canvas.x_start, canvas.y_end - canvas.y_start
        self.scale = max(min(wide / max(x1 - x0, 1e-9), high / max(y1 - y0, 1e-9)), 1e-9)
        middle_x, middle_y = (x0 + x1) / 2, (y0 + y1) / 2
        across, up = wide / self.scale / 2, high / self.scale / 2
        flat = math.cos(math.radians(parallel))
        # beyond the poles there is nothing
        pole = float(upright(np.array([90.0]), parallel)[0])
        low, top = max(middle_y - up, -pole), min(middle_y + up, pole)
        centre = (canvas.y_start + canvas.y_end) / 2
        self.x = Linear((middle_x - across) / flat, (middle_x + across) / flat, canvas.x_start, canvas.x_end)
        self.y: Linear = Upright(
            back_upright(low, parallel), back_upright(top, parallel),
            centre + (middle_y - low) * self.scale, centre - (top - middle_y) * self.scale,
        )  # fmt: skip

    def _fitted_plan(self) -> None:
        """Lay what is seen of a plan into the room there is."""
        canvas = self.canvas
        west, east, south, north = self.spots.window
        wide, high = canvas.x_end - canvas.x_start, canvas.y_end - canvas.y_start
        scale = max(min(wide / max(east - west, 1e-9), high / max(north - south, 1e-9)), 1e-9)
        across, up = (wide / scale - (east - west)) / 2, (high / scale - (north - south)) / 2
        self.scale = scale
        self.x = Linear(west - across, east + across, canvas.x_start, canvas.x_end)
        self.y = Linear(south - up, north + up, canvas.y_end, canvas.y_start)

    # ---- the ground ----

    def _ground(self) -> None:
        canvas = self.canvas
        clip = canvas.id("seen")
        seen = el(
            "rect",
            x=self.x.start,
            y=self.y.end,
            width=self.x.end - self.x.start,
            height=self.y.start - self.y.end,
        )
        canvas.under.append(el("clipPath", seen, id=clip))
        self.clip = f"url(#{clip})"
        if self.plan is not None:
            self._plan_ground(self.plan)
            return
        if canvas.full:
            self._graticule()
        self.outlined = says_something(self.x)
        if self.outlined and not (self.answer.shape == "areas" and self.spots.level == "countries"):
            canvas.under.append(el("path", class_="land", d=land_path(self.x, self.y), clip_path=self.clip))

    def _plan_ground(self, plan: Plan) -> None:
        """Lay the picture of the plan under what stands on it."""
        left, right = self.x(0.0), self.x(ACROSS)
        top, foot = self.y(plan.picture.high), self.y(0.0)
        self.outlined = False
        self.canvas.under.append(
            el(
                "image", class_=f"plan{' plan-light' if plan.picture.light else ''}",
                href=plan.picture.large if self.canvas.full else plan.picture.small,
                x=round(left, 1), y=round(top, 1), width=round(right - left, 1), height=round(foot - top, 1),
                preserveAspectRatio="none", clip_path=self.clip,
            )
        )  # fmt: skip

    def _graticule(self) -> None:
        canvas = self.canvas
        for scale, upward in ((self.x, False), (self.y, True)):
            low, high = min(scale.low, scale.high), max(scale.low, scale.high)
            for tick in ticks(low, high, GRATICULE):
                at = scale(tick.at)
                if upward:
                    canvas.under.append(line(self.x.start, at, self.x.end, at, "grid"))
                    text = _degrees(tick.at, "S", "N")
                    if at > self.y.end + 14:
                        canvas.over.append(label(text, self.x.end - 3, at - 3, "end"))
                        self.written.append((self.x.end - width(text) - 8, at - 16, self.x.end, at + 2))
                else:
                    canvas.under.append(line(at, self.y.end, at, self.y.start, "grid"))
                    wide = width(text := _degrees(tick.at, "W", "E"))
                    if self.x.start + wide / 2 < at < self.x.end - wide / 2 - 40:
                        canvas.over.append(label(text, at, self.y.start - 3, "middle"))
                        self.written.append(
                            (at - wide / 2 - 4, self.y.start - 17, at + wide / 2 + 4, self.y.start)
                        )

    def _foot(self) -> None:
        """Say under the picture what is measured, how shades read, and how it is laid flat."""
        canvas, answer = self.canvas, self.answer
        at = canvas.size.height - 24.0
        title = measure_words(answer.question.measure, self.table).removeprefix("the ")
        unit = answer.column.unit_words if answer.column is not None else ""
        title = f"{title}, {unit}" if unit else title
        if self.shading is None and answer.sized:
            title = f"{'width' if answer.shape == 'arcs' else 'size'}: {title}"
        canvas.over.append(label(title, 2.0, at, "start", "axis-title"))
        if self.plan is not None:
            canvas.over.append(label(self._plan_said(), 2.0, canvas.size.height - 6.0, "start"))
            if self.shading is not None and answer.question.coloured is None:
                self._key(at)
            return
        near = "outlines: Natural Earth" if self.outlined else "no outlines this near"
        if self.spots.level == "areas":
            near = f"areas: {areas_words(answer.question.areas or '', self.table)}"
        flat = (
            f"areas true, shapes at {_degrees(self.spots.parallel, 'S', 'N')}"
            if self.spots.parallel
            else "areas true"
        )
        said = [flat, near, *self._histories_said()]
        canvas.over.append(label(" · ".join(said), 2.0, canvas.size.height - 6.0, "start"))
        if self.shading is not None and self.answer.question.coloured is None:
            self._key(at)

    def _plan_said(self) -> str:
        return " · ".join(
            [f"plan: {plan_words(self.answer.question.drawn_on or '', self.table)}", *self._histories_said()]
        )

    def _histories_said(self) -> list[str]:
        found = self.answer.histories
        return (
            []
            if found is None
            else [f"small lines where there is room: {found.first} to {found.last}, on one scale"]
        )

    def _key(self, at: float) -> None:
        """Draw a box for each class, and where each begins."""
        canvas, answer = self.canvas, self.answer
        known = self.shading[np.isfinite(self.shading)] if self.shading is not None else np.empty(0)
        if not len(known):
            return
        ends = [
            self.shaded(float(known.min())),
            *(self.shaded(e) for e in answer.edges),
            self.shaded(float(known.max())),
        ]
        shades = SHADES_OF[len(answer.edges) + 1]
        room = max(max(width(text) for text in ends) + 10.0, 30.0)
        right = canvas.size.width - 2.0 - width(ends[-1]) / 2
        left = right - room * len(shades)
        for i, shade in enumerate(shades):
            canvas.over.append(
                el(
                    "rect",
                    class_=f"cell shade-{shade}",
                    x=left + i * room,
                    y=at - 10,
                    width=room - 1,
                    height=11,
                )
            )
        for i, text in enumerate(ends):
            canvas.over.append(label(text, left + i * room, at + 14, "middle"))
        if answer.question.shade is not None:
            name = measure_words(answer.question.shade, self.table).removeprefix("the ")
            canvas.over.append(
                label(f"shade: {name}", left - 10 - width(ends[0]) / 2, at, "end", "axis-title")
            )

    def _words(self) -> Iterator[Word]:
        answer = self.answer
        for position, group in enumerate(answer.grouping.groups):
            condition = answer.grouping.condition(position)
            if condition is not None:
                yield Word(group.label, answer.hues[position], group.key or "others", condition)

    # ---- what lies there ----

    def _tone(self, i: int) -> str:
        if self.answer.question.rule is not None:
            return "point hue-3" if self.answer.marked(i) else "point unmarked"
        if self.answer.groups is not None:
            group = int(self.answer.groups[i])
            return f"point hue-{self.answer.hues[group]}" if group >= 0 else "point hue-7"
        if self.shading is None:
            return "point"
        value = float(self.shading[i])
        if not math.isfinite(value):
            return "cell shade-1"
        return f"cell shade-{SHADES_OF[len(self.answer.edges) + 1][self.answer.class_of(value) - 1]}"

    def _rows(self, i: int) -> Stands:
        lit = None if self.answer.lit is None else int(self.answer.lit[i])
        return Stands(int(self.answer.n[i]), lit)

    def _lit_share(self, i: int) -> float:
        """Return how much of a spot is lit: of its figure where that adds up, else of its rows."""
        answer = self.answer
        if answer.lit is None or answer.lit_figures is None or not answer.lit[i] or not answer.n[i]:
            return 0.0
        if answer.adds_up and answer.figures[i] > 0:
            return float(min(1.0, max(0.0, answer.lit_figures[i] / answer.figures[i])))
        return float(answer.lit[i] / answer.n[i])

    def _card(self, i: int) -> list[str]:
        answer = self.answer
        figure = float(answer.figures[i])
        name = f"around {self.spots.labels[i]}" if self.spots.wide else self.spots.labels[i]
        card = [name, self.said(figure) if math.isfinite(figure) else "no figure"]
        if (
            answer.shades is not None
            and answer.question.shade is not None
            and math.isfinite(answer.shades[i])
        ):
            name = measure_words(answer.question.shade, self.table).removeprefix("the ")
            card.append(f"{name}: {self.shaded(float(answer.shades[i]))}")
        if answer.groups is not None and answer.groups[i] >= 0:
            card.append(f"most rows: {answer.grouping.groups[int(answer.groups[i])].label}")
        return [*card, self.table.rows_in_words(int(answer.n[i]))]

    def _mark(self, i: int, shape: Svg, lit: Svg | None) -> None:
        self.canvas.mark(
            shape, lit, self.spots.keys[i], self.spots.conditions[i], self._card(i), self._rows(i)
        )

    def _names(self) -> Names:
        names = Names(self.canvas, (self.x.start, self.y.end, self.x.end, self.y.start))
        for box in self.written:
            names.block(box)
        return names

    def _dots(self) -> None:
        answer, canvas = self.answer, self.canvas
        largest = LARGEST[self.detail]
        if self.spots.wide:
            largest = min(largest, max(0.55 * self.spots.wide * self.scale, 2.0))
        known = answer.figures[np.isfinite(answer.figures)]
        size_of = f"size: {measure_words(answer.question.measure, self.table)}"
        _, most = canvas.span(size_of, 0.0, float(known.max()) if len(known) else 0.0)
        names = self._names()
        called = self.spots.level is not None or bool(self.spots.named)
        standing: list[Standing] = []
        # small ones lie on top of large ones
        for i in answer.order.tolist():
            if not answer.n[i]:
                continue
            radius = PLAIN[self.detail]
            if answer.sized:
                share = max(float(answer.figures[i]), 0.0) / most if most > 0 else 0.0
                radius = max(SMALLEST[self.detail], largest * math.sqrt(share))
            key, at_x, at_y = (
                self.spots.keys[i],
                self.x(float(self.spots.longitudes[i])),
                self.y(float(self.spots.latitudes[i])),
            )
            place = f"translate({at_x:.1f} {at_y:.1f})"
            if not self.spots.wide:
                canvas.spots[key] = at_x, at_y, radius
            shape = el(
                "circle", class_=f"spot {self._tone(i)}", id=canvas.id("p", key), r=radius, transform=place
            )
            lit = None
            if share := self._lit_share(i):
                lit = el(
                    "circle",
                    class_="lit-point",
                    id=canvas.id("l", key),
                    r=max(radius * math.sqrt(share), 1.0),
                    transform=place,
                )
            self._mark(i, shape, lit)
            if called:
                names.offer(self.spots.labels[i], at_x, at_y, radius)
            standing.append((i, at_x, at_y, radius))
        if canvas.full and answer.histories is not None:
            room = (self.x.start, self.y.end, self.x.end, self.y.start)
            draw_small_lines(canvas, answer.histories.values, standing, room, names, self.written)
        canvas.over.extend(names.placed())

    def _arcs(self) -> None:
        """Draw each way as an arc that bends to its left, as wide as its figure."""
        answer, canvas, spots = self.answer, self.canvas, self.spots
        assert spots.onward is not None  # noqa: S101  (arcs lead somewhere)
        known = answer.figures[np.isfinite(answer.figures)]
        size_of = f"width: {measure_words(answer.question.measure, self.table)}"
        _, most = canvas.span(size_of, 0.0, float(known.max()) if len(known) else 0.0)
        # many are thinner, so that what lies under them is seen
        widest = WIDEST[self.detail] * min(1.0, math.sqrt(MANY_ARCS / max(len(answer.n), 1)))
        # wide ones first, so that narrow ones lie on top of them
        for i in answer.order.tolist()[:MOST_ARCS]:
            if not answer.n[i]:
                continue
            x0, y0 = self.x(float(spots.longitudes[i])), self.y(float(spots.latitudes[i]))
            x1, y1 = self.x(float(spots.onward[0][i])), self.y(float(spots.onward[1][i]))
            d = _arc(x0, y0, x1, y1)
            stroke = PLAIN_ARC
            if answer.sized:
                share = max(float(answer.figures[i]), 0.0) / most if most > 0 else 0.0
                stroke = max(widest * share, THINNEST)
            key = spots.keys[i]
            drawn = el(
                "path", class_=f"arc {self._tone(i)}", id=canvas.id("p", key), d=d, stroke_width=stroke
            )
            end = el("circle", class_=f"arc-end {self._tone(i)}", cx=x1, cy=y1, r=max(stroke / 2 + 0.6, 1.6))
            hit = el("path", class_="arc-hit", d=d)
            lit = None
            if share := self._lit_share(i):
                lit = el(
                    "path", class_="arc lit", id=canvas.id("l", key), d=d,
                    stroke_width=max(stroke * share, THINNEST),
                )  # fmt: skip
            canvas.around(key, (x0 + x1) / 2, (y0 + y1) / 2)
            self._mark(i, drawn_group(hit, drawn, end) if canvas.labelled else drawn, lit)

    def _hexagons(self) -> None:
        answer, canvas = self.answer, self.canvas
        radius = self.spots.wide * self.scale / math.sqrt(3)
        for i in answer.order.tolist():
            if not answer.n[i]:
                continue
            key, x, y = (
                self.spots.keys[i],
                self.x(float(self.spots.longitudes[i])),
                self.y(float(self.spots.latitudes[i])),
            )
            shape = _hexagon(x, y, radius, f"hexagon {self._tone(i)}", canvas.id("p", key), self.clip)
            lit = None
            if share := self._lit_share(i):
                lit = _hexagon(x, y, radius * math.sqrt(share), "lit", canvas.id("l", key), self.clip)
            self._mark(i, shape, lit)

    def _areas(self) -> None:
        answer, canvas, spots = self.answer, self.canvas, self.spots
        self._without()
        names = self._names()
        for i in answer.order.tolist():
            area = spots.areas[i]
            if area is None or not answer.n[i]:
                continue
            path = area_path(area, self.x, self.y)
            if not path:
                continue
            key = spots.keys[i]
            shape = el(
                "path", class_=f"area {self._tone(i)}", id=canvas.id("p", key), d=path, clip_path=self.clip
            )
            lit = None
            if share := self._lit_share(i):
                lit = el(
                    "path",
                    class_="lit",
                    id=canvas.id("l", key),
                    d=path,
                    clip_path=self.clip,
                    fill_opacity=max(share, 0.15),
                )
            self._mark(i, shape, lit)
            west, east, _, _ = area.box
            if abs(self.x(east) - self.x(west)) > width(area.name):
                names.offer(area.name, self.x(spots.longitudes[i]), self.y(spots.latitudes[i]), 0.0)
        canvas.over.extend(names.placed())

    def _without(self) -> None:
        """Hatch areas of the same level that no row is of."""
        canvas, spots = self.canvas, self.spots
        there = {area.key for area in spots.areas if area is not None}
        able: list[Area]
        if spots.level == "areas":
            own = self.table.own_areas(self.answer.question.areas or "")
            able = list(own.all(self.answer.question.areas or ""))
        elif spots.level == "regions":
            countries = {area.within for area in spots.areas if area is not None}
            able = [area for country in sorted(countries) for area in regions_of(country)]
        else:
            able = list(all_countries())
        hatch = canvas.id("hatch")
        stripe = el("path", class_="hatching", d="M0 6L6 0")
        canvas.under.append(el("pattern", stripe, id=hatch, width=6, height=6, patternUnits="userSpaceOnUse"))
        d = "".join(
            area_path(area, self.x, self.y)
            for area in in_sight(able, self.x, self.y)
            if area.key not in there
        )
        if d:
            canvas.under.append(el("path", class_="without", d=d, fill=f"url(#{hatch})", clip_path=self.clip))


def _arc(x0: float, y0: float, x1: float, y1: float) -> str:
    """Return an arc from one place to another that bends to its left, a fifth of its length."""
    across, down = x1 - x0, y1 - y0
    bend_x, bend_y = (x0 + x1) / 2 + 0.4 * down, (y0 + y1) / 2 - 0.4 * across
    return f"M{x0:.1f} {y0:.1f}Q{bend_x:.1f} {bend_y:.1f} {x1:.1f} {y1:.1f}"


def _hexagon(x: float, y: float, radius: float, class_: str, id_: str, clip: str) -> Svg:
    corners = [
        (x + radius * math.sin(math.radians(60 * k)), y - radius * math.cos(math.radians(60 * k)))
        for k in range(6)
    ]
    d = "L".join(f"{a:.1f} {b:.1f}" for a, b in corners)
    return el("path", class_=class_, id=id_, d=f"M{d}Z", clip_path=clip)


def _degrees(at: float, below: str, above: str) -> str:
    """Return degrees as a map writes them.

    >>> _degrees(-2.5, "W", "E")
    '2.5° W'
    """
    side = f" {below if at < 0 else above}" if at else ""
    return f"{abs(round(at, 6)):g}°{side}"
