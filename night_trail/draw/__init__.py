"""Answers drawn as SVG: scales, axes, labels, marks; no statistics, no web framework.

``draw`` is the one door. A module per shape turns an answer into marks on a
``Canvas``; the canvas owns margins, axes and the attributes scripts read. To
add a shape, write its module and add one line to the registry in
``picture.py``.
"""

from __future__ import annotations

from night_trail.draw.frame.canvas import Played, Size, Spot
from night_trail.draw.picture import (
    BESIDE,
    MAIN,
    THUMB,
    WALK,
    draw,
    shared_spans,
    standalone,
    stations,
    touched,
)

__all__ = [
    "BESIDE",
    "MAIN",
    "THUMB",
    "WALK",
    "Played",
    "Size",
    "Spot",
    "draw",
    "shared_spans",
    "standalone",
    "stations",
    "touched",
]
