"""What a log scale has a place for."""

from __future__ import annotations

from night_trail.core.questions.spread.question import Spread
from night_trail.core.rows import Measured


def above_zero(question: Spread, found: Measured) -> tuple[Measured, int]:
    """Return the cells above 0 where the scale is a log one, and how many are left out."""
    if question.scale != "log":
        return found, 0
    fits = found.values > 0
    if fits.all():
        return found, 0
    kept = found.at(fits)
    return kept, found.rows - kept.rows
