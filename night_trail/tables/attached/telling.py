"""What an engine told of all rows of an attached version, kept by what was asked."""

from __future__ import annotations

import io
import threading
from collections.abc import Callable

import polars as pl
from cachetools import LRUCache

from night_trail.core.attached.engine import Attached
from night_trail.core.attached.roll import Roll
from night_trail.core.errors import NightTrailError
from night_trail.core.question import key
from night_trail.core.table import Table
from night_trail.tables.attached.drawing import Attachment, looked_at
from night_trail.tables.attached.opened import opened
from night_trail.tables.models import RolledUp, Version

_lock = threading.Lock()
_cells: LRUCache[int, pl.DataFrame] = LRUCache(200_000_000, getsizeof=lambda f: 1 + int(f.estimated_size()))


def told(version: Version, roll: Roll) -> pl.DataFrame | None:
    """Return the cells that were asked for before; None where they were not."""
    kept = RolledUp.objects.filter(version=version, key=key(roll)).only("pk").first()
    if kept is None:
        return None
    with _lock:
        found = _cells.get(kept.pk)
    if found is None:
        found = pl.read_ipc(io.BytesIO(bytes(kept.data)))
        with _lock:
            if 1 + int(found.estimated_size()) <= _cells.maxsize:
                _cells[kept.pk] = found
    return found


def ask(version: Version, attachment: Attachment, part: Table, roll: Roll, waits: Callable[[], bool]) -> int:
    """Ask the engine for cells and keep them; return how many they are.

    Raises
    ------
    NightTrailError
        Where the rows are others by now or cannot be reached, the engine fails, or nobody waits any more.
    """
    if looked_at(attachment.where)[1] != attachment.fingerprint:
        raise _changed(attachment)
    with opened(attachment.where) as engine:
        source = Attached(engine.rows, part, attachment.fields)
        cells = source.cells(roll, lambda expression: engine.run(expression, waits))
        if attachment.where.server:
            # files are told by their times; here only how many rows there are says something
            every = engine.rows.aggregate(n=engine.rows.count())
            counted = engine.run(every, waits)["n"][0] if roll.where else cells["n"].sum()
            if int(counted) != attachment.rows:
                raise _changed(attachment)
    packed = io.BytesIO()
    cells.write_ipc(packed, compression="zstd")
    RolledUp.objects.update_or_create(version=version, key=key(roll), defaults={"data": packed.getvalue()})
    return len(cells)


def _changed(attachment: Attachment) -> NightTrailError:
    return NightTrailError(
        "The rows are others than those that were attached",
        attachment.where.words,
        "Look at them again on the survey.",
    )


def forget() -> None:
    """Empty the cache; for tests and measurements."""
    with _lock:
        _cells.clear()
