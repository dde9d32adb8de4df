"""Decoded columns, shared by all requests of a process and bounded in bytes."""

from __future__ import annotations

import io
import threading

import polars as pl
from cachetools import LRUCache
from django.conf import settings

from night_trail.tables.models import ColumnPart

PART_ROWS = 250_000

_lock = threading.Lock()
_columns: LRUCache[tuple[int, int], pl.Series] = LRUCache(
    settings.COLUMN_CACHE_BYTES, getsizeof=lambda series: max(1, series.estimated_size())
)


def encode(cells: pl.Series) -> list[bytes]:
    """Return a column as compressed parts of at most 250,000 cells."""
    parts = []
    for start in range(0, max(len(cells), 1), PART_ROWS):
        buffer = io.BytesIO()
        cells.slice(start, PART_ROWS).alias("c").to_frame().write_ipc(buffer, compression="zstd")
        parts.append(buffer.getvalue())
    return parts


def column(version_id: int, position: int) -> pl.Series:
    """Return all cells of a column, from the cache or the database."""
    key = (version_id, position)
    with _lock:
        if key in _columns:
            return _columns[key]
    parts = ColumnPart.objects.filter(version_id=version_id, position=position).order_by("part")
    frames = [pl.read_ipc(io.BytesIO(bytes(data))) for data in parts.values_list("data", flat=True)]
    series = pl.concat(frames, rechunk=True).to_series()
    with _lock:
        if series.estimated_size() <= _columns.maxsize:
            _columns[key] = series
    return series


def forget() -> None:
    """Empty the cache; for tests and measurements of a cold start."""
    with _lock:
        _columns.clear()
