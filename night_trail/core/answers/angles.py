"""Another angle: the same histogram at three bin widths, since its shape may depend on the width."""

from __future__ import annotations

from dataclasses import dataclass

import msgspec
import numpy as np

from night_trail.core.answers.basis import Basis, Grouping
from night_trail.core.answers.histogram import HistogramAnswer, histogram
from night_trail.core.question import Bins, Spread
from night_trail.core.rows import Rows
from night_trail.core.stats.bins import HARD_MOST, next_width
from night_trail.core.table import Column


@dataclass(frozen=True)
class AnglesAnswer:
    """Three histograms of one column, from narrow to wide bins."""

    question: Spread
    column: Column
    basis: Basis
    grouping: Grouping
    parts: tuple[HistogramAnswer, ...]


def angles(question: Spread, rows: Rows) -> AnglesAnswer:
    """Return the histogram at about half its width, as it is, and at about twice."""
    plain = msgspec.structs.replace(question, angles=False)
    middle = histogram(plain, rows)
    parts = [middle]
    if middle.width and not middle.calendar and middle.question.scale != "log":
        whole = middle.column.kind == "whole number"
        span = float(middle.edges[-1] - middle.edges[0])
        narrow = next_width(next_width(middle.width, whole, up=False), whole, up=False)
        wide = next_width(next_width(middle.width, whole, up=True), whole, up=True)
        if span / narrow > HARD_MOST / 4:
            narrow = middle.width
        made = [
            histogram(msgspec.structs.replace(plain, bins=Bins(width=w)), rows)
            for w in sorted({narrow, wide} - {middle.width})
        ]
        parts = sorted([middle, *made], key=lambda part: part.width or 0.0)
    return AnglesAnswer(question, middle.column, middle.basis, middle.grouping, tuple(parts))


def peaks(answer: HistogramAnswer) -> int:
    """Return how many peaks the bars of a single histogram show, steps within chance left out."""
    from scipy.signal import find_peaks  # noqa: PLC0415  (slow import)

    counts = np.concatenate([[0], answer.groups[0].counts[1:-1], [0]]).astype(float)
    # a tenth of the highest above its sides, and four standard errors
    high = counts.max() or 1.0
    return len(find_peaks(counts, prominence=max(0.1 * high, 4 * np.sqrt(high)))[0])
