"""Groups as coloured words over a picture; each lights its rows."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from night_trail.core.conditions import Condition
from night_trail.draw.frame.canvas import UNCOUNTED, Canvas, Stands, label
from night_trail.draw.frame.svg import el, group
from night_trail.draw.frame.text import width


@dataclass(frozen=True)
class Word:
    """One group: what it is called, its colour, what names its mark, its rows and how many they are."""

    label: str
    hue: int
    key: str
    condition: Condition
    rows: Stands = UNCOUNTED


def legend(canvas: Canvas, words: Iterable[Word], middle: float = 14.0) -> None:
    """Write the words in a row around a height, as many as fit over the plot."""
    at = canvas.x_start
    for word in words:
        wide = width(word.label) + 24
        if at + wide > canvas.x_end:
            break
        shape = group(
            el("rect", class_="ground", x=at - 2, y=middle - 12, width=wide, height=24),
            el(
                "circle", class_=f"point hue-{word.hue}", r=4, transform=f"translate({at + 4:.1f} {middle:g})"
            ),
            label(word.label, at + 13, middle + 4, "start"),
            class_="legend-word",
        )
        canvas.mark(shape, None, f"legend\x1f{word.key}", word.condition, [word.label], word.rows)
        at += wide + 10
