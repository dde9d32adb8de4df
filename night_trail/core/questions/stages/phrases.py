"""What people say for how far each gets."""

from __future__ import annotations

from night_trail.core.questions.shared.phrase import Outline, Phrase

PHRASES = (
    Phrase("how far gets each|how far does each|from stage to stage|through the stages|stage by stage|conversion|drop off|dropout|drop out|lost on the way|got lost between", vote=1.2),
)  # fmt: skip


def likely(asked: Outline) -> float | None:
    """Return how likely what was asked is about stages: it is called so."""
    return 0.5 if asked.votes >= 1.0 else None
