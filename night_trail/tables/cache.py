"""Decoded columns and views of them, shared by all requests of a process and bounded in bytes."""

from __future__ import annotations

import io
import threading
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from typing import TypeVar

import polars as pl
from cachetools import LRUCache
from django.conf import settings

from night_trail.core.table import Axis, Coded, Ordered, Outline
from night_trail.tables.models import ColumnPart, Place

PART_ROWS = 250_000
FIRST_MAP = 1_000_000
"""Row maps of a version are kept as columns from this position on."""

Kept = pl.Series | Axis | Ordered | Coded | Outline
T = TypeVar("T", bound=Kept)

_unpacking = ThreadPoolExecutor(2, thread_name_prefix="unpacking")
_lock = threading.Lock()


def _size(kept: Kept) -> int:
    return max(1, int(kept.estimated_size()) if isinstance(kept, pl.Series) else kept.nbytes)


class _Columns(LRUCache[tuple[Place, type], Kept]):
    """Lets go first of cells that a view of their column stands for, then of what was used longest ago."""

    def popitem(self) -> tuple[tuple[Place, type], Kept]:
        for key in self:
            place, kind = key
            if kind is pl.Series and ((place, Axis) in self or (place, Coded) in self):
                return key, self.pop(key)
        return super().popitem()


_columns = _Columns(settings.COLUMN_CACHE_BYTES, getsizeof=_size)


def encode(cells: pl.Series) -> list[bytes]:
    """Return a column as compressed parts of at most 250,000 cells."""
    parts = []
    for start in range(0, max(len(cells), 1), PART_ROWS):
        buffer = io.BytesIO()
        cells.slice(start, PART_ROWS).alias("c").to_frame().write_ipc(buffer, compression="zstd")
        parts.append(buffer.getvalue())
    return parts


def keep(version_id: int, position: int, cells: pl.Series | list[bytes]) -> None:
    """Keep a column of a version in the database, packed already or not."""
    parts = encode(cells) if isinstance(cells, pl.Series) else cells
    ColumnPart.objects.bulk_create(
        ColumnPart(version_id=version_id, position=position, part=i, data=data)
        for i, data in enumerate(parts)
    )


def column(place: Place) -> pl.Series:
    """Return all cells of a column, from the cache or the database, in the rows its map gives."""
    return view(place, pl.Series, lambda: _gathered(place))


def _gathered(place: Place) -> pl.Series:
    version, position, map_version, map_position = place
    if map_version is None or map_position is None:
        return _decoded(version, position)
    rows = column((map_version, map_position, None, None))
    return column((version, position, None, None)).gather(rows)


def view(place: Place, kind: type[T], make: Callable[[], T]) -> T:
    """Return a view of a column, from the cache or made now."""
    key = (place, kind)
    found = at_hand(place, kind)
    if found is None:
        # made outside the lock: two requests may both make it, and neither waits for other columns
        found = make()
        with _lock:
            if _size(found) <= _columns.maxsize:
                _columns[key] = found
    return found


def at_hand(place: Place, kind: type[T]) -> T | None:
    """Return a view of a column where the cache has it."""
    with _lock:
        found = _columns.get((place, kind))
    assert found is None or isinstance(found, kind)  # noqa: S101  (stored under its own type)
    return found


def _decoded(version_id: int, position: int) -> pl.Series:
    parts = ColumnPart.objects.filter(version_id=version_id, position=position).order_by("part")
    packed = [bytes(data) for data in parts.values_list("data", flat=True)]
    # unpacking leaves the interpreter to others: two parts at a time
    frames = list((map if len(packed) < 3 else _unpacking.map)(_unpacked, packed))
    return pl.concat(frames, rechunk=True).to_series()


def _unpacked(data: bytes) -> pl.DataFrame:
    return pl.read_ipc(io.BytesIO(data))


def forget() -> None:
    """Empty the cache; for tests and measurements of a cold start."""
    with _lock:
        _columns.clear()
