"""Annotations over a picture; where they lie is kept in data, not pixels."""

from __future__ import annotations

import math
import re
from collections.abc import Sequence

from night_trail.core.annotations import Annotation, Arrow, At, Bracket, Line, Note, Range, Ring
from night_trail.core.language.numbers import MINUS, number
from night_trail.core.language.spans import Fact
from night_trail.draw.frame.canvas import Canvas, Field
from night_trail.draw.frame.scales import Linear
from night_trail.draw.frame.svg import Svg, el, group
from night_trail.draw.frame.text import NOTE, shortened, width, wrapped

FACE = "Literata-Italic"
WIDEST = 220.0
LEADING = 19.0


def draw_annotations(canvas: Canvas, annotations: Sequence[Annotation], facts: Sequence[Fact] = ()) -> Svg:
    """Return the annotations of a picture as one group, ranges below, then lines, then words.

    ``facts`` are those of the picture: a bracket says the difference of the two it stands between.
    """
    if not canvas.full or canvas.field("") is None:
        return Svg("")
    placed = [(a, field) for a in annotations if (field := canvas.field(a.panel)) is not None]
    drawn = [_range(canvas, field, a) for a, field in placed if isinstance(a, Range)]
    drawn += [_line(canvas, field, a) for a, field in placed if isinstance(a, Line)]
    drawn += [_ring(canvas, field, a) for a, field in placed if isinstance(a, Ring)]
    drawn += [_bracket(canvas, field, a, facts) for a, field in placed if isinstance(a, Bracket)]
    drawn += [_arrow(canvas, field, a) for a, field in placed if isinstance(a, Arrow)]
    drawn += [_note(canvas, field, a) for a, field in placed if isinstance(a, Note)]
    return group(*drawn, class_="annotations", id=canvas.id("annotations"))


def _outer(canvas: Canvas, annotation: Annotation, said: str, *children: Svg) -> Svg:
    return group(
        *children,
        class_=f"annotation {type(annotation).__name__.lower()}",
        id=canvas.id("a", annotation.id),
        data_annotation=annotation.id,
        aria_label=said,
        role="img",
    )


def _note(canvas: Canvas, field: Field, note: Note) -> Svg:
    room = min(WIDEST, 0.45 * canvas.size.width)
    lines = wrapped(note.text or "…", room, NOTE, FACE)
    widest = max(width(text, NOTE, FACE) for text in lines)
    # kept inside the picture, so that no word is cut at another size
    x = min(max(field.x.place(note.x), 4.0), max(canvas.size.width - widest - 4.0, 4.0))
    y = min(max(field.y.place(note.y), NOTE), canvas.size.height - LEADING * (len(lines) - 1) - 6.0)
    texts = [
        el("text", text, class_="note-text", transform=f"translate({x:.2f} {y + i * LEADING:.2f})")
        for i, text in enumerate(lines)
    ]
    handle = el(
        "rect",
        class_="handle",
        data_handle="move",
        x=x - 6,
        y=y - NOTE - 2,
        width=widest + 12,
        height=LEADING * len(lines) + 6,
        rx=4.0,
    )
    return _outer(canvas, note, f"Note: {note.text}", handle, *texts)


def _arrow(canvas: Canvas, field: Field, arrow: Arrow) -> Svg:
    x1, y1 = field.x.place(arrow.x), field.y.place(arrow.y)
    x2, y2 = field.x.place(arrow.to_x), field.y.place(arrow.to_y)
    length = math.hypot(x2 - x1, y2 - y1) or 1.0
    bend = 0.12 * length
    cx = (x1 + x2) / 2 + (y2 - y1) / length * bend
    cy = (y1 + y2) / 2 - (x2 - x1) / length * bend
    angle = math.atan2(y2 - cy, x2 - cx)
    wings = [(x2 - 9 * math.cos(angle + s * 0.45), y2 - 9 * math.sin(angle + s * 0.45)) for s in (-1, 1)]
    shaft = f"M{x1:.2f} {y1:.2f}Q{cx:.2f} {cy:.2f} {x2:.2f} {y2:.2f}"
    head = f"M{wings[0][0]:.2f} {wings[0][1]:.2f}L{x2:.2f} {y2:.2f}L{wings[1][0]:.2f} {wings[1][1]:.2f}"
    return _outer(
        canvas,
        arrow,
        "Arrow",
        el("path", class_="grip", data_handle="move", d=shaft),
        el("path", class_="arrow-shaft", d=shaft),
        el("path", class_="arrow-head", d=head),
        el("circle", class_="handle", data_handle="from", cx=x1, cy=y1, r=7.0),
        el("circle", class_="handle", data_handle="to", cx=x2, cy=y2, r=7.0),
    )


def _range(canvas: Canvas, field: Field, stretch: Range) -> Svg:
    x = field.x
    if not isinstance(x, Linear):
        return Svg("")  # drawn where the picture has a measured axis again
    low, high = x.place(stretch.low), x.place(stretch.high)
    top, bottom = field.across if canvas.fields else (canvas.y_start, canvas.y_end)
    shown = shortened(stretch.text, max(high - low, 120.0), NOTE, FACE) if stretch.text else ""
    at = min(low + 6, canvas.x_end - width(shown, NOTE, FACE))
    return _outer(
        canvas,
        stretch,
        f"Range: {stretch.text}" if stretch.text else "Range",
        el(
            "rect",
            class_="range-body",
            data_handle="move",
            x=low,
            y=top,
            width=max(high - low, 1),
            height=bottom - top,
        ),
        el("path", class_="range-edge", d=f"M{low:.2f} {top:.2f}L{low:.2f} {bottom:.2f}"),
        el("path", class_="range-edge", d=f"M{high:.2f} {top:.2f}L{high:.2f} {bottom:.2f}"),
        el("text", shown, class_="note-text", transform=f"translate({at:.2f} {top + 18:.2f})")
        if shown
        else Svg(""),
        el("rect", class_="handle", data_handle="low", x=low - 5, y=top, width=10, height=bottom - top),
        el("rect", class_="handle", data_handle="high", x=high - 5, y=top, width=10, height=bottom - top),
    )


def _line(canvas: Canvas, field: Field, line: Line) -> Svg:
    axis = field.x if line.axis == "x" else field.y
    if not isinstance(axis, Linear):
        return Svg("")  # drawn where the picture has a measured axis again
    at = axis.place(line.at)
    top, bottom = field.across
    left, right = field.x.start, field.x.end
    across = line.axis == "y"
    path = (
        f"M{left:.2f} {at:.2f}L{right:.2f} {at:.2f}"
        if across
        else f"M{at:.2f} {top:.2f}L{at:.2f} {bottom:.2f}"
    )
    shown = shortened(line.text, max(right - left, 120.0), NOTE, FACE) if line.text else ""
    wide = width(shown, NOTE, FACE) if shown else 0.0
    x = right - wide if across else min(at + 6, canvas.x_end - wide)
    y = max(at - 6, NOTE) if across else top + 18
    return _outer(
        canvas,
        line,
        f"Line: {line.text}" if line.text else "Line",
        el("path", class_="grip", data_handle="move", d=path),
        el("path", class_="range-edge", d=path),
        _words(shown, x, y),
    )


def _ring(canvas: Canvas, field: Field, ring: Ring) -> Svg:
    x1, x2 = sorted((field.x.place(ring.x), field.x.place(ring.to_x)))
    y1, y2 = sorted((field.y.place(ring.y), field.y.place(ring.to_y)))
    rx, ry = max((x2 - x1) / 2, 8.0), max((y2 - y1) / 2, 8.0)
    cx, cy = (x1 + x2) / 2, (y1 + y2) / 2
    shown = shortened(ring.text, WIDEST, NOTE, FACE) if ring.text else ""
    x = min(cx + rx + 6, max(canvas.size.width - width(shown, NOTE, FACE) - 4, 4.0)) if shown else 0.0
    return _outer(
        canvas,
        ring,
        f"Ring: {ring.text}" if ring.text else "Ring",
        el("ellipse", class_="grip", data_handle="move", cx=cx, cy=cy, rx=rx, ry=ry),
        el("ellipse", class_="arrow-shaft", cx=cx, cy=cy, rx=rx, ry=ry),
        _words(shown, x, max(cy - ry, NOTE)),
        _end(field, "from", ring.x, ring.y),
        _end(field, "to", ring.to_x, ring.to_y),
    )


def _bracket(canvas: Canvas, field: Field, bracket: Bracket, facts: Sequence[Fact]) -> Svg:
    x1, y1 = field.x.place(bracket.x), field.y.place(bracket.y)
    x2, y2 = field.x.place(bracket.to_x), field.y.place(bracket.to_y)
    text = bracket.text or _difference(bracket, field, facts)
    shown = shortened(text, WIDEST, NOTE, FACE) if text else ""
    wide = width(shown, NOTE, FACE) if shown else 0.0
    if abs(y2 - y1) >= abs(x2 - x1):
        # beside the further of both, its arms to them
        out = min(max(x1, x2) + 16, canvas.size.width - 4)
        path = f"M{x1:.2f} {y1:.2f}L{out:.2f} {y1:.2f}L{out:.2f} {y2:.2f}L{x2:.2f} {y2:.2f}"
        x, y = min(out + 6, canvas.size.width - wide - 4), (y1 + y2) / 2 + 5
    else:
        out = max(min(y1, y2) - 16, NOTE + 4)
        path = f"M{x1:.2f} {y1:.2f}L{x1:.2f} {out:.2f}L{x2:.2f} {out:.2f}L{x2:.2f} {y2:.2f}"
        x, y = min(max((x1 + x2 - wide) / 2, 4.0), canvas.size.width - wide - 4), out - 5
    return _outer(
        canvas,
        bracket,
        f"Bracket: {text}" if text else "Bracket",
        el("path", class_="grip", data_handle="move", d=path),
        el("path", class_="arrow-shaft", d=path),
        _words(shown, x, y),
        _end(field, "from", bracket.x, bracket.y),
        _end(field, "to", bracket.to_x, bracket.to_y),
    )


def _difference(bracket: Bracket, field: Field, facts: Sequence[Fact]) -> str:
    """Return what lies between the two: of named marks their figures' difference, else that of the places."""
    if bracket.marks is not None:
        known = {fact.label: fact for fact in facts}
        one, other = (known.get(name) for name in bracket.marks)
        if one is None or other is None:
            return "—"  # a mark that is gone has no figure
        by = other.value - one.value
        # the unit is written as the figures have it
        unit = re.sub(rf"^[{MINUS}+\d.,\s]*", "", one.text)
        scale = 100.0 if unit.startswith("%") and abs(one.value) <= 1 else 1.0
        said = f"{number(abs(by) * scale, 3)}{' points' if scale > 1 else f' {unit}' if unit else ''}"
        return f"{'+' if by > 0 else MINUS if by < 0 else ''}{said}"
    for scale_, start, end in ((field.y, bracket.y, bracket.to_y), (field.x, bracket.x, bracket.to_x)):
        if isinstance(scale_, Linear) and isinstance(start, float | int) and isinstance(end, float | int):
            return number(abs(end - start), 3)
    return ""


def _end(field: Field, handle: str, x: At, y: At) -> Svg:
    return el("circle", class_="handle", data_handle=handle, cx=field.x.place(x), cy=field.y.place(y), r=7.0)


def _words(text: str, x: float, y: float) -> Svg:
    if not text:
        return Svg("")
    return el("text", text, class_="note-text", transform=f"translate({x:.2f} {y:.2f})")
