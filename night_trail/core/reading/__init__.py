"""From a file to typed columns: format, encoding, dialect, kinds.

``open_file`` is the door: it looks at the bytes, refuses what it cannot read
with one sentence, and returns a ``Source`` of cells. ``read`` turns those into
typed columns, one at a time, so that a large file never stands in memory as a
whole; ``preview`` does the same for the first rows only. What is decided by
hand is a ``ReadingSettings``. A new format is one module with a ``Source`` and
one line in ``sources``.
"""

from __future__ import annotations

from night_trail.core.reading.read import (
    Loaded,
    Preview,
    TypedColumn,
    load,
    load_part,
    preview,
    read,
    table_name,
)
from night_trail.core.reading.settings import ColumnSetting, ReadingSettings, Understood
from night_trail.core.reading.sources import Source, open_file, parts

__all__ = [
    "ColumnSetting",
    "Loaded",
    "Preview",
    "ReadingSettings",
    "Source",
    "TypedColumn",
    "Understood",
    "load",
    "load_part",
    "open_file",
    "parts",
    "preview",
    "read",
    "table_name",
]
