"""What people say for where a series is going."""

from __future__ import annotations

from typing import Any

from night_trail.core.moments import GRAINS
from night_trail.core.questions.shared.phrase import Outline, Phrase, column_name, whole_number


def _band(args: tuple[Any, ...], question: Any) -> str:
    return f"{args[0]:.0f}"


def _ahead(grain: str) -> tuple[Phrase, ...]:
    said = (
        f"next # {grain}s|for the next # {grain}s|over the next # {grain}s|in the next # {grain}s|# {grain}s ahead"
        f"|next # {grain}|# {grain}s into the future|coming # {grain}s|for # {grain}s ahead"
    )
    return Phrase(said, "grain", grain, vote=0.9), Phrase(said, "horizon", whole_number, vote=0.9)


PHRASES = (
    Phrase(
        "forecast|forecasts|forecasted|predict|prediction|predictions|predicted|projection|project|projected|ahead"
        "|look ahead|outlook|future|extrapolate|where is it going|where will it go",
        vote=1.1,
    ),
    Phrase("rise|fall|grow|increase|decrease|drop|go up|go down|change", vote=0.2),
    Phrase("where is|where are|where will|going|will be|will", vote=0.6),
    *(phrase for grain in GRAINS for phrase in _ahead(grain)),
    Phrase("next #|# ahead|next # periods", "horizon", whole_number, vote=0.5),
    Phrase("next year|in the coming year|coming year|a year ahead", "grain", "month", vote=0.9),
    Phrase("next year|in the coming year|coming year|a year ahead", "horizon", "12", vote=0.9),
    Phrase("with # % bands|with # % band|# % bands|# % band|# percent bands", "bands", _band, vote=0.5),
    Phrase("against @|vs @|compared with @|compared to @", "plan", column_name),
    Phrase("knowing @", "known", column_name, vote=0.5),
)  # fmt: skip


def likely(asked: Outline) -> float | None:
    """Return how likely what was asked is a forecast: what is to come is named."""
    if asked.votes < 0.5 or not (asked.figured or asked.numbers):
        return None
    return 0.5 - (0.8 if asked.groups > 1 else 0.0)
