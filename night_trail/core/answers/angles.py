"""Another angle: the same histogram at three bin widths, since its shape may depend on the width."""

from __future__ import annotations

from dataclasses import dataclass

import msgspec

from night_trail.core.answers.basis import Basis, Grouping
from night_trail.core.answers.histogram import HistogramAnswer, histogram, neighbours
from night_trail.core.question import Bins, Spread
from night_trail.core.rows import Rows
from night_trail.core.stats.bins import HARD_MOST
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
        narrow, wide = neighbours(middle.width, middle.column.kind == "whole number")
        if float(middle.edges[-1] - middle.edges[0]) / narrow > HARD_MOST / 4:
            narrow = middle.width
        made = [
            histogram(msgspec.structs.replace(plain, bins=Bins(width=w)), rows)
            for w in sorted({narrow, wide} - {middle.width})
        ]
        parts = sorted([middle, *made], key=lambda part: part.width or 0.0)
    return AnglesAnswer(question, middle.column, middle.basis, middle.grouping, tuple(parts))
