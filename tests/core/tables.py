"""Small tables for tests."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
import polars as pl

from night_trail.core.table import Column, FrameSource, Kind, Table


def table_of(**columns: Sequence[Any] | np.ndarray | pl.Series) -> Table:
    """A table whose kinds follow from its cells: numbers, booleans, dates, and categories for text."""
    found, cells = [], []
    for name, values in columns.items():
        series = pl.Series("cells", values)
        if series.dtype == pl.String:
            kind, series = Kind.CATEGORY, series.cast(pl.Enum(series.drop_nulls().unique().sort()))
        else:
            kind = {
                pl.Int64: Kind.WHOLE,
                pl.Float64: Kind.NUMBER,
                pl.Boolean: Kind.YES_NO,
                pl.Date: Kind.DATE,
            }.get(series.dtype, Kind.DATETIME)
        found.append(Column(name=name, kind=kind, missing=series.null_count(), distinct=series.n_unique()))
        cells.append(series)
    return Table(
        key=f"test:{id(cells)}",
        name="test",
        columns=found,
        height=len(cells[0]),
        source=FrameSource(cells),
    )
