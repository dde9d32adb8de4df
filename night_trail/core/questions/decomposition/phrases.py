"""What people say for a series taken apart."""

from __future__ import annotations

from night_trail.core.questions.shared.phrase import Outline, Phrase

PHRASES = (
    Phrase(
        "seasonality|seasonal|seasons|trend and season|trend and seasons|trend and seasonality|take apart"
        "|taken apart|take it apart|decompose|decomposed|decomposition|seasonal decomposition|season and trend"
        "|split into trend and season|is there a season|has a season|what seasons",
        vote=1.1,
    ),
    Phrase("without its season|without season|seasonally adjusted|without the season|season taken out",
           "show", "adjusted", vote=1.2),
    Phrase("season's shape|shape of the season|the season alone", "show", "season", vote=1.2),
    Phrase("all parts", "show", "parts"),
)  # fmt: skip


def likely(asked: Outline) -> float | None:
    """Return how likely what was asked is a series taken apart: its parts are named."""
    if asked.votes < 0.9 or not (asked.figured or asked.numbers):
        return None
    return 0.5 - 0.8 * asked.groups
