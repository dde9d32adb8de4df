"""Parts of rings."""

from __future__ import annotations

import math

from night_trail.draw.frame.svg import Svg, el


def arc(
    x: float,
    y: float,
    inner: float,
    outer: float,
    start: float,
    end: float,
    class_: str,
    id_: str | None = None,
) -> Svg:
    """Return a part of a ring around a place, between two radii, from one share of the turn to another.

    Shares are between 0 and 1, from the top and clockwise.
    """
    # a full turn has no two ends: it stops a hair before
    a, b = 2 * math.pi * start, 2 * math.pi * min(end, start + 0.99999)
    large = 1 if b - a > math.pi else 0

    def at(radius: float, angle: float) -> str:
        return f"{x + radius * math.sin(angle):.2f} {y - radius * math.cos(angle):.2f}"

    d = (
        f"M{at(outer, a)}A{outer:.2f} {outer:.2f} 0 {large} 1 {at(outer, b)}"
        f"L{at(inner, b)}A{inner:.2f} {inner:.2f} 0 {large} 0 {at(inner, a)}Z"
    )
    return el("path", class_=class_, id=id_, d=d)
