"""The ground every shape is drawn on: margins, axes, marks with an identity.

A mark is anything that stands for rows. It carries an id that is stable from
step to step, the condition that names its rows (``data-light``), the text of
its hover card (``data-card``), and can be reached with the keyboard.
"""

from __future__ import annotations

import json
import math
from collections.abc import Iterable
from dataclasses import dataclass, field, replace
from typing import Any, Literal

from night_trail.core.conditions import Condition
from night_trail.core.language.numbers import bare, percent
from night_trail.core.question import to_json
from night_trail.core.table import CLOCK, YEAR, Column, Kind
from night_trail.draw.frame.scales import (
    Lanes,
    Linear,
    Log,
    Scale,
    Tick,
    date_ticks,
    log_ticks,
    thinned,
    ticks,
)
from night_trail.draw.frame.svg import Svg, el, group, quoted, safe_id
from night_trail.draw.frame.text import AXIS, shortened, width

Detail = Literal["full", "beside", "thumb"]

NAMED = 14.0
"""Pixels a lane has at least on a main picture: names of neighbours do not touch."""

END_ROOM = 34.0
"""Pixels kept free at a side for its gathered tail."""


Spot = tuple[float, float, float]
"""Where a mark stands that can travel, and its radius, in pixels."""


@dataclass(frozen=True)
class Played:
    """What a picture that plays shows besides the marks of its period.

    ``label`` is what the period is called, ``waiting`` are the places of marks that have no figure in
    it, ``trails`` those that lit marks came along.
    """

    label: str
    waiting: tuple[Spot, ...] = ()
    trails: tuple[tuple[Spot, ...], ...] = ()


@dataclass(frozen=True)
class Size:
    """How large a picture is and how much it shows: a thumb has marks only.

    ``spans`` are ends that axes take over from other pictures, by what the
    axes show; an axis is only ever made longer. One that is only ``planned``
    tells ids and ends, and writes no mark. One that is ``played`` is of one period of several.
    """

    width: int
    height: int
    detail: Detail = "full"
    spans: tuple[tuple[str, float, float], ...] = ()
    planned: bool = False
    played: Played | None = None


@dataclass(frozen=True)
class Field:
    """One of several plots on a canvas, or the place around a part that has no axes.

    ``key`` names it for annotations, ``rows`` is the condition its rows meet.
    """

    key: str
    x: Scale
    y: Scale
    rows: Condition | None = None

    @property
    def across(self) -> tuple[float, float]:
        """Its upper and lower edge."""
        low, high = sorted((self.y.start, self.y.end))
        return low, high

    def described(self) -> dict[str, Any]:
        """Return what scripts need to turn pixels into places of this plot."""
        low, high = self.across
        return {
            "key": self.key,
            "x": self.x.described(),
            "y": self.y.described(),
            "plot": [self.x.start, low, self.x.end, high],
            "rows": None if self.rows is None else json.loads(to_json(self.rows)),
        }


@dataclass(frozen=True)
class Stands:
    """The rows a mark stands for: how many, how many of them are lit, and the figure of those.

    ``lit`` is None where the lantern is out.
    """

    n: int
    lit: int | None
    figure: str = ""

    @property
    def all_lit(self) -> bool:
        """Whether there are rows, and all of them are lit."""
        return self.lit is not None and self.lit == self.n > 0

    def words(self) -> list[str]:
        """Return what a card says of the lit rows; nothing where the lantern is out."""
        if self.lit is None:
            return []
        if self.n == 1:
            return ["lit"] if self.lit else []
        share = f" ({percent(self.lit / self.n)})" if self.n else ""
        return [f"{self.lit:,} lit{share}{f': {self.figure}' if self.figure else ''}"]


UNCOUNTED = Stands(0, None)
"""For what leads to rows that were not counted."""


@dataclass
class Canvas:
    """Collects what a shape draws; ``prefix`` keeps ids apart where several pictures share a page.

    ``touched`` are the ids of marks that hold lit rows; ``y_column`` is set
    where both axes are measured, so that a loop can be drawn; ``zooms`` is "xy"
    or "x" where both axes or only the horizontal one can be zoomed; ``fields``
    are the plots of a picture that has several, or its parts where it has no
    axes: with them, or with ``x`` and ``y``, annotations have their places.
    ``spots`` are where marks that can travel stand, by their key.
    """

    size: Size
    prefix: str
    has_lit: bool
    left: float = 0.0
    right: float = 0.0
    top: float = 0.0
    bottom: float = 0.0
    under: list[Svg] = field(default_factory=list)
    marks: list[Svg] = field(default_factory=list)
    over: list[Svg] = field(default_factory=list)
    x: Scale | None = None
    y: Scale | None = None
    x_column: str = ""
    y_column: str = ""
    zooms: str = ""
    fields: list[Field] = field(default_factory=list)
    count: int = 0
    touched: list[str] = field(default_factory=list)
    spans: dict[str, tuple[float, float]] = field(default_factory=dict)
    asked_height: int = 0
    spots: dict[str, Spot] = field(default_factory=dict)

    def grow(self, lanes: int, least: float) -> None:
        """Make a main picture as tall as its lanes need to be read: pages scroll it, files are longer."""
        needed = math.ceil(self.top + self.bottom + lanes * least)
        if self.full and needed > self.size.height:
            self.asked_height = self.asked_height or self.size.height
            self.size = replace(self.size, height=needed)

    def span(self, shows: str, low: float, high: float) -> tuple[float, float]:
        """Return the ends of an axis: its own, or those it shares with other pictures of the same."""
        self.spans[shows] = low, high
        shared = [(a, b) for name, a, b in self.size.spans if name == shows]
        return min([low, *(a for a, _ in shared)]), max([high, *(b for _, b in shared)])

    def around(self, key: str, x: float, y: float) -> None:
        """Let annotations stand around a part without axes, in shares of the picture from its middle."""
        wide, high = float(self.size.width), float(self.size.height)
        self.fields.append(
            Field(key, Linear(-1.0, 1.0, x - wide, x + wide), Linear(-1.0, 1.0, y - high, y + high))
        )

    def field(self, panel: str) -> Field | None:
        """Return where annotations of a panel are placed; those of one that is gone stand in the first."""
        if self.fields:
            return next((each for each in self.fields if each.key == panel), self.fields[0])
        if self.x is None or self.y is None:
            return None
        return Field("", self.x, self.y)

    @property
    def labelled(self) -> bool:
        """Whether there is room for labels."""
        return self.size.detail != "thumb"

    @property
    def full(self) -> bool:
        """Whether this is a main picture."""
        return self.size.detail == "full"

    @property
    def x_start(self) -> float:
        """The left edge of the plot."""
        return self.left

    @property
    def x_end(self) -> float:
        """The right edge of the plot."""
        return self.size.width - self.right

    @property
    def y_start(self) -> float:
        """The upper edge of the plot."""
        return self.top

    @property
    def y_end(self) -> float:
        """The lower edge of the plot."""
        return self.size.height - self.bottom

    def id(self, *parts: str) -> str:
        """Return an id on this picture."""
        return safe_id(self.prefix, *parts)

    def mark(
        self, shape: Svg, lit: Svg | None, key: str, condition: Condition, card: list[str], rows: Stands
    ) -> None:
        """Add a mark: its shape, the lit part drawn over it, what it says, and what of its rows is lit."""
        if not self.labelled:
            self.marks.append(group(shape, lit or ""))
            return
        if self.size.planned:
            if lit or rows.all_lit:
                self.touched.append(self.id("m", key))
            return
        self.count += 1
        id_, said = self.id("m", key), quoted("\n".join([*card, *rows.words()]))
        pressed = rows.all_lit
        if lit or pressed:
            self.touched.append(id_)
        # written out, since a picture may have a thousand of them
        self.marks.append(
            Svg(
                f'<g class="mark" id="{id_}" role="button" '
                f'tabindex="{0 if self.count == 1 else -1}" aria-pressed="{"true" if pressed else "false"}" '
                f"aria-label={said.replace(chr(10), ', ')} data-light={quoted(to_json(condition))} "
                f"data-card={said}>{shape}{lit or ''}</g>"
            )
        )

    def door(self, shape: Svg, key: str, change: str, card: list[str]) -> None:
        """Add a mark that stands for no rows but leads to another picture: ``change`` is a turn as JSON."""
        if not self.labelled:
            self.marks.append(shape)
            return
        self.count += 1
        self.marks.append(
            group(
                shape,
                class_="mark door",
                id=self.id("m", key),
                role="button",
                tabindex="0" if self.count == 1 else "-1",
                aria_label=", ".join(card),
                data_turn=change,
                data_card="\n".join(card),
            )
        )

    def value_axis(self, scale: Linear, column: Column, title: str, keep_clear: float = 0.0) -> None:
        """Draw the horizontal axis of a measured column under the plot.

        ``keep_clear`` pixels at either end of the scale get no label where an
        end bin beside it has its own.
        """
        if not self.labelled:
            return
        wanted = max(3, int((scale.end - scale.start) / 85))
        whole, log = column.kind == Kind.WHOLE, isinstance(scale, Log)
        found = scaled_ticks(column, scale.low, scale.high, wanted, whole, log)
        low = scale.start + (keep_clear if scale.start > self.x_start else -1.0)
        high = scale.end - (keep_clear if scale.end < self.x_end else -1.0)
        self.bottom_ticks([t for t in found if low <= scale(t.at) <= high], scale)
        self.bottom_title(title)

    def bottom_ticks(self, found: list[Tick], scale: Linear) -> None:
        """Write labels under the plot, thinned until none overlap."""
        pixels = [scale(t.at) for t in found]
        widths = [width(t.label) for t in found]
        for tick in thinned(found, widths, pixels, gap=12):
            self.over.append(label(tick.label, scale(tick.at), self.y_end + 18, "middle"))

    def ticks_within(self, found: list[Tick], scale: Linear, y: float) -> None:
        """Write labels under one of several plots, none beyond its ends, thinned until none overlap."""
        widths = [width(t.label) for t in found]
        places = [
            max(scale.start + wide / 2, min(scale(t.at), scale.end - wide / 2))
            for t, wide in zip(found, widths, strict=True)
        ]
        at = dict(zip(found, places, strict=True))
        for tick in thinned(found, widths, places, gap=12):
            self.over.append(label(tick.label, at[tick], y, "middle"))

    def bottom_title(self, title: str) -> None:
        """Write the axis title in words, in the middle under the labels."""
        if self.full:
            middle = (self.x_start + self.x_end) / 2
            shown = shortened(title, self.x_end - self.x_start)
            self.over.append(label(shown, middle, self.y_end + 38, "middle", "axis-title"))

    def count_axis(self, scale: Linear, title: str, whole: bool) -> None:
        """Draw the vertical axis with a hairline grid; the title stands over it."""
        if not self.labelled:
            return
        wanted = 4 if self.full else 2
        self.upright_ticks(ticks(scale.low, scale.high, wanted, whole=whole), scale)
        if self.full:
            self.over.append(label(title, self.x_start - 10, self.y_start - 10, "start", "axis-title"))

    def upright_ticks(self, found: Iterable[Tick], scale: Linear) -> None:
        """Write labels beside the plot, each with a hairline across it."""
        for tick in found:
            y = scale(tick.at)
            self.under.append(line(self.x_start, y, self.x_end, y, "grid"))
            self.over.append(label(tick.label, self.x_start - 10, y + 4, "end"))

    def time_ticks(self, scale: Linear, kind: Kind) -> None:
        """Write calendar places under the plot."""
        if self.labelled:
            wanted = max(3, int((scale.end - scale.start) / 85))
            self.bottom_ticks(date_ticks(scale.low, scale.high, wanted, kind), scale)

    def name_room(self, names: Iterable[str], most: float, beside: float) -> float:
        """Return the left margin that names of lanes need: at most so wide, less on a picture beside."""
        widest = max((width(name) for name in names), default=0.0)
        # whole pixels, so that the widest name itself is never found too wide
        return min(most if self.full else beside, math.ceil(widest)) + 22.0

    def lane_labels(self, lanes: Lanes, labels: list[str], room: float, telling: int | None = None) -> None:
        """Write group labels beside their lanes, where there is height for them; ``telling`` before all."""
        if not self.labelled:
            return
        every = max(1, round(13 / lanes.step + 0.49)) if lanes.step < 13 else 1
        written: list[int] = []
        for i in sorted(range(len(labels)), key=lambda i: (i != telling, i % every > 0, i)):
            if all(abs(i - other) >= every for other in written):
                written.append(i)
        for i in sorted(written):
            y = lanes.top(i) + lanes.step / 2 + 4
            self.over.append(label(shortened(labels[i], room), self.x_start - 12, y, "end", "lane-label"))

    def picture(self, title: str, description: str, annotations: Svg) -> Svg:
        """Return the whole as one SVG element."""
        width_, height = self.size.width, self.size.height
        if self.size.played is not None and self.labelled:
            self._played(self.size.played)
        classes = f"picture as-{self.size.detail}{' has-lit' if self.has_lit else ''}"
        if self.count > 300:
            classes += " many"
        if self.asked_height:
            classes += " tall"
        if not self.labelled:
            body = [*self.under, *self.marks, *self.over]
            return el(
                "svg",
                *body,
                class_=classes,
                viewBox=f"0 0 {width_} {height}",
                width=width_,
                height=height,
                aria_hidden="true",
                focusable="false",
            )
        title_id, desc_id = self.id("title"), self.id("desc")
        ground = el(
            "rect",
            class_="ground",
            x=self.x_start,
            y=self.y_start,
            width=max(self.x_end - self.x_start, 0),
            height=max(self.y_end - self.y_start, 0),
        )
        band = el(
            "rect",
            class_="axis-band",
            x=self.x_start,
            y=self.y_end,
            width=max(self.x_end - self.x_start, 0),
            height=max(self.bottom, 0),
        )
        return el(
            "svg",
            el("title", title, id=title_id),
            el("desc", description, id=desc_id),
            ground,
            group(*self.under, class_="under"),
            group(*self.marks, class_="marks", id=self.id("marks")),
            group(*self.over, class_="over"),
            band if self.x_column else "",
            annotations,
            class_=classes,
            id=self.id("picture"),
            viewBox=f"0 0 {width_} {height}",
            width=width_,
            height=height,
            role="group",
            aria_labelledby=title_id,
            aria_describedby=desc_id,
            data_axes=json.dumps(self.axes(), ensure_ascii=False),
            data_room=f"{width_}x{self.asked_height}" if self.asked_height else None,
        )

    def _played(self, played: Played) -> None:
        """Set the period in the ground, the marks that wait, and the ways of lit ones."""
        big = "period" if self.full else "period small"
        self.under.append(label(played.label, self.x_end - 10, self.y_end - 16, "end", big))
        for x, y, radius in played.waiting:
            place = f"translate({x:.1f} {y:.1f})"
            self.under.append(el("circle", class_="waits", r=max(radius, 2.0), transform=place))
        for way in played.trails:
            d = "L".join(f"{x:.1f} {y:.1f}" for x, y, _ in way)
            self.under.append(el("path", class_="came-along", d=f"M{d}"))
            for x, y, _ in way[:-1]:
                place = f"translate({x:.1f} {y:.1f})"
                self.under.append(el("circle", class_="came-by", r=1.8, transform=place))

    def axes(self) -> dict[str, Any]:
        """Return what scripts need to turn pixels into places."""
        return {
            "x": self.x.described() if self.x else None,
            "y": self.y.described() if self.y else None,
            "column": self.x_column,
            "y_column": self.y_column,
            "zoom": self.zooms,
            "plot": [self.x_start, self.y_start, self.x_end, self.y_end],
            "fields": [each.described() for each in self.fields],
        }


def column_ticks(column: Column, low: float, high: float, wanted: int, whole: bool) -> list[Tick]:
    """Return ticks as a column wants them written: calendar places, years, times of day, or numbers."""
    if column.kind.temporal:
        return date_ticks(low, high, wanted, column.kind)
    found = ticks(low, high, wanted, whole=whole)
    if column.unit in (YEAR, CLOCK):
        return [Tick(t.at, bare(t.at, column.unit)) for t in found]
    return found


def scaled_ticks(
    column: Column, low: float, high: float, wanted: int, whole: bool, log: bool = False, factor: float = 1.0
) -> list[Tick]:
    """Return ticks on a plain or log axis; labels are multiplied by ``factor``, as for an index."""
    if factor == 1.0 and not log:
        return column_ticks(column, low, high, wanted, whole=whole)
    found = (
        log_ticks(low * factor, high * factor, wanted) if log else ticks(low * factor, high * factor, wanted)
    )
    return [Tick(t.at / factor, t.label) for t in found]


def unit_title(column: Column) -> str:
    """Return the unit as an axis title names it, after the column."""
    return f", {column.unit}" if column.unit and column.unit not in (YEAR, CLOCK) else ""


def label(text: str, x: float, y: float, anchor: str, class_: str = "axis-label") -> Svg:
    """Return a text placed by transform, which moves smoothly where x and y would jump."""
    return el("text", text, class_=class_, text_anchor=anchor, transform=f"translate({x:.2f} {y:.2f})")


def line(x1: float, y1: float, x2: float, y2: float, class_: str, id_: str | None = None) -> Svg:
    """Return a line as a path, for the same reason."""
    return el("path", class_=class_, id=id_, d=f"M{x1:.2f} {y1:.2f}L{x2:.2f} {y2:.2f}")


__all__ = ["AXIS", "Canvas", "Detail", "Size", "label", "line"]
