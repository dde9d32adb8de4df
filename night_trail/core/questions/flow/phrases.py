"""What people say for where a figure flows."""

from __future__ import annotations

from night_trail.core.questions.shared.phrase import Outline, Phrase

PHRASES = (
    Phrase("flow|flows|flow of|flowing|flow chart|where does flow|where do flow|as bands|stream from|go on to|went on to", vote=1.1),
    Phrase("as a matrix|from to matrix|origin and destination|origins and destinations", "shape", "matrix", vote=0.7),
    Phrase("against chance|coloured by chance", "shade", "chance", vote=0.2),
)  # fmt: skip


def likely(asked: Outline) -> float | None:
    """Return how likely what was asked is a flow: it is called one, and two columns are passed."""
    if asked.votes < 0.7 or asked.timed:
        return None
    return 0.5 if asked.groups + asked.categories >= 2 else 0.1
