"""Locks on the folder of the data: the system lets them go with their process, however it ends."""

from __future__ import annotations

import contextlib
import fcntl
import os
from collections.abc import Iterator
from pathlib import Path

from django.conf import settings

from night_trail.core.errors import NightTrailError


@contextlib.contextmanager
def held(name: str, how: int, what: str, way_on: str) -> Iterator[None]:
    """Hold a lock, shared or exclusive as ``fcntl`` says, or refuse with what another holds it for."""
    descriptor = os.open(Path(settings.VAR) / name, os.O_RDWR | os.O_CREAT, 0o600)
    try:
        try:
            fcntl.flock(descriptor, how)
        except OSError:
            raise NightTrailError(what, str(settings.VAR), way_on) from None
        yield
    finally:
        os.close(descriptor)
