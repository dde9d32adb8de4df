"""How much of the disk a person's tables and images take, and may take."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.db import connection

from night_trail.core.errors import NightTrailError

BY_VERSION = (
    "JOIN tables_version version ON version.id = part.version_id "
    "JOIN tables_table owned ON owned.id = version.table_id"
)
BY_TABLE = "JOIN tables_table owned ON owned.id = part.table_id"
BY_TALE = "JOIN tales_tale owned ON owned.id = part.tale_id"
KEPT = {
    "tables_columnpart": BY_VERSION,
    "tables_rolledup": BY_VERSION,
    "tables_ownplan": BY_TABLE,
    "tables_ownareas": BY_TABLE,
    "tales_image": BY_TALE,
}
"""Where bytes are kept, and whose they are."""
OF_FILES = (
    "SELECT SUM(LENGTH(piece.data)) FROM tables_sourcepart piece WHERE piece.file_id IN ("
    "SELECT version.source_file_id FROM tables_version version "
    "JOIN tables_table owned ON owned.id = version.table_id WHERE owned.owner_id = %s)"
)
# bodies of blobs are not read for their length
PARTS = (
    *(
        f"SELECT SUM(LENGTH(part.data)) FROM {kept} part {owned} WHERE owned.owner_id = %s"  # noqa: S608
        for kept, owned in KEPT.items()
    ),
    OF_FILES,
)
USED = f"SELECT {' + '.join(f'COALESCE(({one}), 0)' for one in PARTS)}"


def used_by(person: Any) -> int:
    """Return the bytes that a person's tables, their files, plans and areas, and the images of tales take."""
    with connection.cursor() as cursor:
        cursor.execute(USED, [person.pk] * len(PARTS))
        return int(cursor.fetchone()[0])


def left_for(person: Any) -> int:
    """Return the bytes a person may still bring."""
    return max(0, settings.USER_QUOTA - used_by(person))


def check_room(person: Any, size: int) -> None:
    """Refuse what is larger than a person may still bring.

    Raises
    ------
    NightTrailError
        Where it is, with how much there is left.
    """
    left = left_for(person)
    if size > left:
        raise NightTrailError(
            f"What {person} has brought may take {in_words(left)} more, and this is larger",
            "",
            "Delete a table or a tale with images first.",
        )


def in_words(size: int) -> str:
    """Return bytes as they are said: ``1.2 GB``."""
    for least, unit in ((1e9, "GB"), (1e6, "MB"), (1e3, "kB")):
        if size >= least:
            return f"{size / least:.3g} {unit}"
    return f"{size} B"
