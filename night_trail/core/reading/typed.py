"""A column as it was understood: its kind, its cells, and why."""

from __future__ import annotations

from dataclasses import dataclass

import polars as pl

from night_trail.core.table import Kind


@dataclass(frozen=True)
class Typed:
    """Cells in their kind, and why; ``unit`` where the cells said one, ``distinct`` where it was counted."""

    kind: Kind
    cells: pl.Series
    reason: str
    pattern: str = ""
    unit: str = ""
    distinct: int | None = None
