"""What people say for what makes up a figure."""

from __future__ import annotations

from night_trail.core.questions.shared.phrase import Outline, Phrase

PHRASES = (
    Phrase("what makes up|what make up|makes up|make up of|make-up of|made up of|composition of|composed of", vote=1.2),
    Phrase("treemap|tree map|as a treemap|as a tree map", "shape", "treemap", vote=1.2),
    Phrase("as rings|nested rings|rings of rings", "shape", "rings", vote=1.2),
    Phrase("indented bars|as indented bars", "shape", "bars", vote=1.2),
    Phrase("a hundred squares|hundred squares|as squares|as a hundred squares", "shape", "squares", vote=1.2),
    Phrase("running total|as a running total|what adds up to what", "shape", "stair", vote=0.9),
)  # fmt: skip


def likely(asked: Outline) -> float | None:
    """Return how likely what was asked is a make-up: it is called one, or a shape only it has is."""
    if asked.votes < 0.9 or asked.timed:
        return None
    return 0.4 - (0.4 if asked.groups == 0 else 0.0)
