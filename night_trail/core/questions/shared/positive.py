"""What a log scale has a place for."""

from __future__ import annotations

import numpy as np

from night_trail.core.questions.spread.question import Spread
from night_trail.core.rows import Measured


def above_zero(question: Spread, found: Measured) -> tuple[Measured, int]:
    """Return the cells above 0 where the scale is a log one, and how many are left out."""
    if question.scale != "log":
        return found, 0
    fits = found.values > 0
    left = int(np.count_nonzero(~fits))
    if not left:
        return found, 0
    lit = None if found.lit is None else found.lit[fits]
    return Measured(found.values[fits], lit, None if found.codes is None else found.codes[fits]), left
