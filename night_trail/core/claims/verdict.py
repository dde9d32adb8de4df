"""What became of a claim, and what its checks share: rows drawn together, redraws that hold."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

import numpy as np

from night_trail.core.questions.shared.kept_together import alike_within, sets_of
from night_trail.core.rows import Rows
from night_trail.core.stats.redraws import bags
from night_trail.core.table import Floats, Ints

State = Literal["holds", "weak", "fails", "open"]
SURE = 98
"""So many of 100 redraws have to hold: both ends of the middle 95 lie on the side that was claimed."""


@dataclass(frozen=True)
class Verdict:
    """What became of a claim.

    Attributes
    ----------
    state
        Whether it holds, holds weakly, does not, or cannot be known yet.
    figure, low, high
        What was claimed of (a difference, a figure, a correlation, a share), and where 95 of 100
        redraws lie; NaN where there is none.
    redraws
        In how many of 100 redraws it holds; None where nothing was drawn anew.
    drawn
        What was drawn anew: ``rows``, or the name of the column that keeps them together.
    n
        How many rows it rests on.
    turns
        Without how few of these rows it would not hold; None where no few decide it.
    than, other
        The figure it is held against, and who has it.
    """

    state: State
    figure: float
    low: float = math.nan
    high: float = math.nan
    redraws: int | None = None
    drawn: str = "rows"
    n: int = 0
    turns: int | None = None
    than: float = math.nan
    other: str = ""


def together(rows: Rows, at: Ints | None, values: Floats) -> tuple[Ints, int, str]:
    """Return the bag of each cell, how many bags there are, and what keeps rows together.

    ``at`` are the rows of the cells, None for all; both have shape (cells,).
    """

    places = np.arange(rows.table.height) if at is None else at
    sure = [
        (alike_within(values, codes), column.name, codes) for column, codes in sets_of(rows.table, places)
    ]
    best = max(sure, key=lambda s: s[0], default=None)
    if best is None or best[0] <= 0:
        return (*bags(None, len(values)), "rows")
    return (*bags(np.unique(best[2], return_inverse=True)[1].astype(np.int64), len(values)), best[1])


def held_of_100(passes: Floats) -> int:
    """Return how many of 100 redraws hold; ``passes`` has shape (draws,), above 0 where one does."""
    known = passes[~np.isnan(passes)]
    return math.floor(100 * float((known > 0).mean())) if len(known) else 0


def ends_of(drawn: Floats) -> tuple[float, float]:
    """Return where the middle 95 of 100 draws lie, NaN of none; ``drawn`` has shape (draws,)."""
    known = drawn[np.isfinite(drawn)]
    if not len(known):
        return math.nan, math.nan
    low, high = np.quantile(known, (0.025, 0.975))
    return float(low), float(high)


def state_of(margin: float, held: int | None) -> State:
    """Return what a margin and the redraws that hold make of a claim."""
    if not margin > 0:
        return "fails"
    return "holds" if held is None or held >= SURE else "weak"
