"""Rectangles whose areas are shares of one that holds them, as square as can be.

Squarified treemaps (Bruls, Huizing & van Wijk 2000): parts are laid in rows along the shorter
side of what is left, a row taking further parts as long as its worst proportions get better.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass


@dataclass(frozen=True)
class Box:
    """A rectangle in pixels."""

    x: float
    y: float
    width: float
    height: float

    def inside(self, left: float, top: float, right: float, bottom: float) -> Box:
        """Return it with room left free at its sides; never less than nothing."""
        return Box(
            self.x + left,
            self.y + top,
            max(self.width - left - right, 0.0),
            max(self.height - top - bottom, 0.0),
        )


def squarified(sizes: Sequence[float], box: Box) -> list[Box]:
    """Return a rectangle for each size, in their order, which tile the box exactly.

    Areas are proportional to the sizes, none of which is below 0; sizes that descend give the
    best proportions.
    """
    total = sum(sizes)
    if not sizes:
        return []
    if total <= 0 or box.width <= 0 or box.height <= 0:
        return [Box(box.x, box.y, 0.0, 0.0) for _ in sizes]
    scale = box.width * box.height / total
    areas = [size * scale for size in sizes]
    found: list[Box] = []
    at, left = 0, box
    while at < len(areas):
        side = min(left.width, left.height)
        end, sum_, worst = at, 0.0, float("inf")
        while end < len(areas):
            longer = sum_ + areas[end]
            proportion = _worst(areas[at : end + 1], longer, side)
            if proportion > worst:
                break
            end, sum_, worst = end + 1, longer, proportion
        row, left = _row(areas[at:end], sum_, left, last=end == len(areas))
        found += row
        at = end
    return found


def _worst(areas: Sequence[float], total: float, side: float) -> float:
    """Return the worst proportion of a row of these areas along a side."""
    if total <= 0 or side <= 0:
        return float("inf")
    most, least = max(areas), min(areas)
    if least <= 0:
        # what has no area has no proportions
        return side * side * most / (total * total)
    return max(side * side * most / (total * total), total * total / (side * side * least))


def _row(areas: Sequence[float], total: float, box: Box, last: bool) -> tuple[list[Box], Box]:
    """Return a row along the shorter side of a box, and what is left of the box."""
    wide = box.width >= box.height
    side = box.height if wide else box.width
    thick = (box.width if wide else box.height) if last else (total / side if side else 0.0)
    found, run = [], 0.0
    for area in areas:
        long = side * area / total if total else 0.0
        if wide:
            found.append(Box(box.x, box.y + run, thick, long))
        else:
            found.append(Box(box.x + run, box.y, long, thick))
        run += long
    if wide:
        return found, Box(box.x + thick, box.y, max(box.width - thick, 0.0), box.height)
    return found, Box(box.x, box.y + thick, box.width, max(box.height - thick, 0.0))
