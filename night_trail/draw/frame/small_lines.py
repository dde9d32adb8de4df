"""Small lines over time beside spots, where there is room for them."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from night_trail.core.table import Floats
from night_trail.draw.frame.canvas import Canvas
from night_trail.draw.frame.names import Box, Names, touch
from night_trail.draw.frame.svg import el

WIDE, HIGH = 40.0, 14.0
"""How wide and high a small line is."""

Standing = tuple[int, float, float, float]
"""A spot: its place among all, where it stands, and its radius, in pixels."""


def draw_small_lines(
    canvas: Canvas,
    values: Floats,
    standing: Sequence[Standing],
    room: Box,
    names: Names,
    written: Sequence[Box],
) -> None:
    """Draw the figures of each spot under or over it, all on one scale, where they cover nothing.

    ``values`` have shape (spots, periods), NaN where there is no figure.
    """
    if not np.isfinite(values).any():
        return
    least, most = min(0.0, float(np.nanmin(values))), float(np.nanmax(values))
    taken = [*((x - r, y - r, x + r, y + r) for _, x, y, r in standing), *written]
    for place, (i, x, y, radius) in enumerate(standing):
        for top in (y + radius + 4, y - radius - HIGH - 5):
            box = (x - WIDE / 2 - 3, top - 2, x + WIDE / 2 + 3, top + HIGH + 3)
            inside = room[0] <= box[0] and box[2] <= room[2] and room[1] <= box[1] and box[3] <= room[3]
            if inside and not any(touch(box, other) for k, other in enumerate(taken) if k != place):
                _line(canvas, values[i], (least, most), x, top)
                taken.append(box)
                names.block(box)
                break


def _line(canvas: Canvas, values: Floats, ends: tuple[float, float], x: float, y: float) -> None:
    least, most = ends
    ground = el(
        "rect", class_="history-ground", x=x - WIDE / 2 - 3, y=y - 2, width=WIDE + 6, height=HIGH + 5, rx=2
    )
    canvas.over.append(ground)
    d, down = "", False
    for at, value in enumerate(values.tolist()):
        if math.isfinite(value):
            across = x - WIDE / 2 + WIDE * at / (len(values) - 1)
            up = (value - least) / (most - least or 1.0)
            d += f"{'L' if down else 'M'}{across:.1f} {y + HIGH * (1 - up):.1f}"
        down = math.isfinite(value)
    if d:
        canvas.over.append(el("path", class_="history", d=d))
