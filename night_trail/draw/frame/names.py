"""Names beside points, where there is room for them."""

from __future__ import annotations

from night_trail.draw.frame.canvas import Canvas, label
from night_trail.draw.frame.svg import Svg
from night_trail.draw.frame.text import shortened, width

MOST_NAMES = 80

Box = tuple[float, float, float, float]
"""Left, top, right, bottom, in pixels."""


class Names:
    """Names beside their points, as many as find room without touching another name or point."""

    def __init__(self, canvas: Canvas, plot: Box) -> None:
        self._canvas, self._plot = canvas, plot
        self._wanted: list[tuple[str, float, float, float]] = []
        self._blocked: list[Box] = []

    def offer(self, name: str, x: float, y: float, radius: float) -> None:
        """Take note of a point and what it is called."""
        self._wanted.append((name, x, y, radius))

    def block(self, box: Box) -> None:
        """Take note of room that is taken by something else."""
        self._blocked.append(box)

    def placed(self) -> list[Svg]:
        """Return the names that find room."""
        if not self._canvas.full or len(self._wanted) > 6 * MOST_NAMES:
            return []
        # the points first, so that each is found at its own place
        taken = [*((x - r, y - r, x + r, y + r) for _, x, y, r in self._wanted), *self._blocked]
        found: list[Svg] = []
        for i, (name, x, y, r) in enumerate(self._wanted):
            if not name or len(found) >= MOST_NAMES:
                continue
            said = shortened(name, 130.0)
            wide = width(said)
            for left, middle in (
                (x + r + 4, y),
                (x - r - 4 - wide, y),
                (x - wide / 2, y - r - 9),
                (x - wide / 2, y + r + 9),
            ):
                box = (left - 2, middle - 6.5, left + wide + 2, middle + 6.5)
                start, top, end, bottom = self._plot
                inside = box[0] >= start and box[2] <= end and box[1] >= top - 8 and box[3] <= bottom
                if inside and not any(touch(box, other) for k, other in enumerate(taken) if k != i):
                    taken.append(box)
                    found.append(label(said, left, middle + 4, "start", "point-name"))
                    break
        return found


def touch(a: Box, b: Box) -> bool:
    """Whether two boxes overlap."""
    return a[0] < b[2] and b[0] < a[2] and a[1] < b[3] and b[1] < a[3]
