"""What people say for how far each gets."""

from __future__ import annotations

from night_trail.core.questions.shared.phrase import Outline, Phrase, column_name

PHRASES = (
    Phrase("how far gets each|how far does each|how far each|how far do|from stage to stage|through the stages|stage by stage|conversion|conversions"
           "|drop off|dropout|drop out|lost on the way|got lost between|funnel|where do we lose|where are lost", vote=1.2),
    Phrase("gets through @|get through @|through @|along @", "stage", column_name, vote=0.3),
)  # fmt: skip


def likely(asked: Outline) -> float | None:
    """Return how likely what was asked is about stages: it is called so."""
    return 0.5 if asked.votes >= 1.0 else None
