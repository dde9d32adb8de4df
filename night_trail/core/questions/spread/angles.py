"""Another angle: the same histogram at three bin widths, since its shape may depend on the width."""

from __future__ import annotations

from dataclasses import dataclass

import msgspec

from night_trail.core.questions.shared.basis import Basis, Grouping
from night_trail.core.questions.spread.histogram import HistogramAnswer, histogram
from night_trail.core.questions.spread.question import Bins, Spread
from night_trail.core.rows import Rows
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
    """Return the histogram at a narrower width, as it is, and at a wider one."""
    plain = msgspec.structs.replace(question, angles=False)
    middle = histogram(plain, rows)
    parts = [
        middle if w == middle.width else histogram(msgspec.structs.replace(plain, bins=Bins(width=w)), rows)
        for w in middle.angles
    ] or [middle]
    return AnglesAnswer(question, middle.column, middle.basis, middle.grouping, tuple(parts))
