"""A column's shape in small, for the survey and for lists of columns."""

from __future__ import annotations

from night_trail.core.survey import Silhouette
from night_trail.draw.frame.svg import Svg, el
from night_trail.draw.frame.text import shortened, width

FADE = (0.85, 0.65, 0.5, 0.38, 0.28, 0.22, 0.16)


def draw_silhouette(shape: Silhouette, wide: int = 200, high: int = 38, labels: bool = True) -> Svg:
    """Return a silhouette; segments carry their labels below where there is room."""
    body: list[Svg] = []
    full = high
    if shape.form == "bars":
        step = wide / max(len(shape.values), 1)
        for i, value in enumerate(shape.values):
            if value > 0:
                tall = max(value * (high - 1), 0.8)
                body.append(
                    el("rect", class_="bar", x=i * step, y=high - tall, width=max(step - 1, 0.8), height=tall)
                )
        body.append(el("path", class_="axis", d=f"M0 {high}L{wide} {high}"))
    elif shape.form == "segments":
        full = high if labels else min(high, 18)
        body = _segments(shape, wide, full, labels)
    return el(
        "svg",
        *body,
        class_="silhouette",
        viewBox=f"0 0 {wide} {full + 1}",
        width=wide,
        height=full + 1,
        aria_hidden="true",
        focusable="false",
    )


def _segments(shape: Silhouette, wide: int, high: int, labels: bool) -> list[Svg]:
    body: list[Svg] = []
    at = 0.0
    free = 0.0
    for i, (share, name) in enumerate(zip(shape.values, shape.labels, strict=True)):
        long = share * wide
        tall = 14.0 if labels else float(high)
        fade = FADE[min(i, len(FADE) - 1)]
        body.append(
            el(
                "rect",
                class_="segment",
                fill_opacity=fade,
                x=at,
                y=4 if labels else 0,
                width=max(long - 1.5, 0.5),
                height=tall,
                rx=1.5,
            )
        )
        shown = shortened(name, long + 14) if labels else ""
        room = at + 2 >= free and at + width(shown) <= wide
        if len(shown) > 3 and room:
            body.append(el("text", shown, class_="axis-label", transform=f"translate({at + 2:.2f} 33)"))
            free = at + 2 + width(shown) + 6
        at += long
    return body
