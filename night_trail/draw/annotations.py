"""Notes, arrows and ranges over a picture; where they lie is kept in data, not pixels."""

from __future__ import annotations

import math
from collections.abc import Sequence

from night_trail.core.annotations import Annotation, Arrow, Note, Range
from night_trail.draw.frame.canvas import Canvas, Field
from night_trail.draw.frame.scales import Linear
from night_trail.draw.frame.svg import Svg, el, group
from night_trail.draw.frame.text import NOTE, shortened, width, wrapped

FACE = "Literata-Italic"
WIDEST = 220.0
LEADING = 19.0


def draw_annotations(canvas: Canvas, annotations: Sequence[Annotation]) -> Svg:
    """Return the annotations of a picture as one group, ranges below, then arrows, then notes."""
    if not canvas.full or canvas.field("") is None:
        return Svg("")
    placed = [(a, field) for a in annotations if (field := canvas.field(a.panel)) is not None]
    drawn = [_range(canvas, field, a) for a, field in placed if isinstance(a, Range)]
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
