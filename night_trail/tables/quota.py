"""How much of the disk a person's tables take, and may take."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.db import connection

# bodies of blobs are not read for their length
USED = """
SELECT COALESCE((
    SELECT SUM(LENGTH(part.data)) FROM tables_columnpart part
    JOIN tables_version version ON version.id = part.version_id
    JOIN tables_table owned ON owned.id = version.table_id WHERE owned.owner_id = %s
), 0) + COALESCE((
    SELECT SUM(LENGTH(piece.data)) FROM tables_sourcepart piece WHERE piece.file_id IN (
        SELECT version.source_file_id FROM tables_version version
        JOIN tables_table owned ON owned.id = version.table_id WHERE owned.owner_id = %s)
), 0) + COALESCE((
    SELECT SUM(LENGTH(told.data)) FROM tables_rolledup told
    JOIN tables_version version ON version.id = told.version_id
    JOIN tables_table owned ON owned.id = version.table_id WHERE owned.owner_id = %s
), 0)
"""


def used_by(person: Any) -> int:
    """Return the bytes that a person's tables and their files take."""
    with connection.cursor() as cursor:
        cursor.execute(USED, [person.pk] * 3)
        return int(cursor.fetchone()[0])


def left_for(person: Any) -> int:
    """Return the bytes a person may still bring."""
    return max(0, settings.USER_QUOTA - used_by(person))


def in_words(size: int) -> str:
    """Return bytes as they are said: ``1.2 GB``."""
    for least, unit in ((1e9, "GB"), (1e6, "MB"), (1e3, "kB")):
        if size >= least:
            return f"{size / least:.3g} {unit}"
    return f"{size} B"
