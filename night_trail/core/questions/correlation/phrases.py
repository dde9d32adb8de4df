"""What people say for how all numbers move together."""

from __future__ import annotations

from night_trail.core.questions.shared.phrase import Outline, Phrase

PHRASES = (
    Phrase(
        "correlation matrix|correlations|correlation table|all correlations|correlation of everything"
        "|correlations of everything|numbers together|how do all numbers move together|all numbers"
        "|move together|moves together|move with each other|go together|what goes together|pairwise correlations",
        vote=1.0,
    ),
    Phrase("spearman|spearman correlations|by rank|by ranks|rank correlation|rank correlations|ranked|monotone|using ranks", "by", "rank", vote=0.1),
    Phrase("by straight lines|by line|linear|linear correlation", "by", "line", vote=0.1),
)  # fmt: skip


def likely(asked: Outline) -> float | None:
    """Return how likely what was asked is about all numbers: they are spoken of together, and none is named."""
    if asked.votes < 0.9 or asked.figured:
        return None
    return 0.5 - 0.6 * (asked.numbers + asked.categories + asked.groups)
