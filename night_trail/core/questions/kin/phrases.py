"""What people say for who belongs to whom."""

from __future__ import annotations

from night_trail.core.questions.shared.phrase import Outline, Phrase

PHRASES = (
    Phrase("who belongs to whom|belongs to whom|who reports to whom|who is above whom|family tree|tree of|as a tree|organisation|organization|org chart|organisation chart|hierarchy", vote=1.2),
)  # fmt: skip


def likely(asked: Outline) -> float | None:
    """Return how likely what was asked is a tree of names: it is called one."""
    return 0.6 if asked.votes >= 1.0 and not asked.timed else None
