"""What people say for where a figure lies."""

from __future__ import annotations

from night_trail.core.questions.shared.phrase import Outline, Phrase

PHRASES = (
    Phrase("where is|where are|where lies|where lie|map|map of|on a map|on the map|as a map|mapped|located|location of|geographically", vote=1.1),
    Phrase("as hexagons|hexagons|hexagonal bins", "shape", "hexagons", vote=1.1),
    Phrase("as areas|shaded areas|by area on a map", "shape", "areas", vote=0.9),
)  # fmt: skip


def likely(asked: Outline) -> float | None:
    """Return how likely what was asked is a place: it is called one."""
    if asked.votes < 0.9 or asked.timed:
        return None
    return 0.3
