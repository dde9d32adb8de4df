"""Room on the disk: whether there is enough, and what is said where there is none."""

from __future__ import annotations

import errno
import shutil
from pathlib import Path

from django.conf import settings
from django.db import OperationalError

FULL = "The disk of the server is full, and nothing of this was kept"
TIMES = 3
"""A file is kept as it arrived and as columns, and a change of both passes through the log."""


def is_full(error: BaseException) -> bool:
    """Whether an error says that there is no room on the disk."""
    told = isinstance(error, OperationalError) and "full" in str(error)
    return told or (isinstance(error, OSError) and error.errno in (errno.ENOSPC, errno.EDQUOT))


def is_busy(error: BaseException) -> bool:
    """Whether an error says that the database was held by others for too long."""
    return isinstance(error, OperationalError) and "locked" in str(error)


def free() -> int:
    """Return the bytes that are free where the database is."""
    return shutil.disk_usage(settings.VAR).free


def lacking(path: Path) -> str:
    """Return what is said where there is too little room to read a file, nothing where there is enough."""
    needed = settings.LEAST_ROOM + TIMES * (path.stat().st_size if path.is_file() else 0)
    if free() >= needed:
        return ""
    return (
        f"The disk of the server has {free() / 1e9:.1f} GB left, and about {needed / 1e9:.1f} GB are needed."
    )
