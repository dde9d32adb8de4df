"""From a file to typed columns: format, encoding, dialect, kinds.

``open_file`` is the door: it looks at the bytes, refuses what it cannot read
with one sentence, and returns a ``Source`` of text cells. ``read`` turns those
into typed columns, one at a time, so that a large file never stands in memory
as a whole. A new format is one module with a ``Source`` and one line in
``sources``.
"""

from __future__ import annotations

from night_trail.core.reading.read import TypedColumn, load, read
from night_trail.core.reading.sources import Source, open_file

__all__ = ["Source", "TypedColumn", "load", "open_file", "read"]
