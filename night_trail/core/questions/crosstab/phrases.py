"""What people say for which value goes with which."""

from __future__ import annotations

from night_trail.core.questions.shared.phrase import Outline, Phrase, column_name

PHRASES = (
    Phrase("goes with which|go with which|with which|contingency table|against chance|crossed with", vote=0.8),
    Phrase("vs @|versus @|against @|with which @|goes with @|go with @|crossed with @", "against", column_name, vote=0.5),
)  # fmt: skip


def likely(asked: Outline) -> float | None:
    """Return how likely what was asked is about two categories: both are named, and nothing is measured."""
    if asked.figured or asked.numbers or asked.timed or not 1 <= asked.categories + asked.groups <= 2:
        return None
    if asked.categories < 2 and not (asked.votes and asked.moves):
        return None
    return 0.4 - 0.3 * asked.groups
