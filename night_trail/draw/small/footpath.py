"""The trail as a footpath with forks, and the path of a walk."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

from night_trail.draw.frame.svg import Svg, el

STEP = 46
LANE = 26
MOST_LANES = 3
"""Forks further right than this share the last lane: the margin is narrow."""


@dataclass(frozen=True)
class Node:
    """A step on the footpath: the row of its parent (−1 for none), its lane, what it carries."""

    parent: int
    lane: int
    here: bool = False
    cairn: bool = False
    passed: bool = False


def footpath(nodes: Sequence[Node], wide: int = 110) -> Svg:
    """Return the drawn path; row i lies at ``STEP`` · i, labels are set beside it by the page."""
    body: list[Svg] = []
    for i, node in enumerate(nodes):
        if node.parent >= 0:
            x1, y1 = _x(nodes[node.parent].lane), _y(node.parent)
            x2, y2 = _x(node.lane), _y(i)
            bend = min(y1 + STEP * 0.6, y2)
            path = f"M{x1} {y1}C{x1} {bend:.1f} {x2} {y1:.1f} {x2} {bend:.1f}L{x2} {y2}"
            body.append(el("path", class_="way passed" if node.passed else "way", d=path))
    for i, node in enumerate(nodes):
        body.append(_node(_x(node.lane), _y(i), node))
    high = STEP * len(nodes)
    return el(
        "svg",
        *body,
        class_="footpath",
        viewBox=f"0 0 {wide} {high}",
        width=wide,
        height=high,
        aria_hidden="true",
        focusable="false",
    )


def _x(lane: int) -> float:
    return 16.0 + LANE * min(lane, MOST_LANES)


def _y(row: int) -> float:
    return STEP * row + STEP / 2


def _node(x: float, y: float, node: Node) -> Svg:
    glow = el("circle", class_="glow", cx=x, cy=y, r=11.0) if node.here else Svg("")
    if node.cairn:
        stones = [(5.0, 8.0, 3.4), (0.0, 5.8, 2.8), (-4.4, 3.6, 2.2)]
        drawn = [
            el("ellipse", class_="stone here" if node.here else "stone", cx=x, cy=y + dy, rx=rx, ry=ry)
            for dy, rx, ry in stones
        ]
        return Svg(glow + "".join(drawn))
    return Svg(glow + el("circle", class_="node here" if node.here else "node", cx=x, cy=y, r=5.0))


def lane_of(node: Node) -> int:
    """Return the pixels a label is set in, for its lane."""
    return int(_x(node.lane) + 16)


@dataclass(frozen=True)
class WalkStop:
    """A stop on the path of a walk: its heading and its address."""

    heading: str
    address: str


def walk_path(stops: Sequence[WalkStop], here: int, wide: int = 720, high: int = 44) -> Svg:
    """Return the path of a walk; every stop on it is a link."""
    gap = wide / max(len(stops), 1)
    places = [(gap * (i + 0.5), high / 2 + 7 * math.sin(1.3 * i + 0.4)) for i in range(len(stops))]
    body = []
    for (x1, y1), (x2, y2) in pairwise(places):
        middle = (x1 + x2) / 2
        path = f"M{x1:.1f} {y1:.1f}C{middle:.1f} {y1:.1f} {middle:.1f} {y2:.1f} {x2:.1f} {y2:.1f}"
        body.append(el("path", class_="way", d=path))
    for i, ((x, y), stop) in enumerate(zip(places, stops, strict=True)):
        class_ = "node here" if i == here else "node passed" if i < here else "node"
        body.append(
            el(
                "a",
                el("circle", class_="glow" if i == here else "hit", cx=x, cy=y, r=13.0),
                el("circle", class_=class_, cx=x, cy=y, r=5.5),
                href=stop.address,
                class_="walk-stop",
                aria_label=f"Stop {i + 1}: {stop.heading}",
                aria_current="step" if i == here else None,
                data_card=stop.heading,
            )
        )
    return el(
        "svg",
        *body,
        class_="footpath walk-path",
        viewBox=f"0 0 {wide} {high}",
        role="group",
        aria_label="Stops",
    )
