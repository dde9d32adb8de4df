"""The demo's door: an address that lets somebody in once."""

from __future__ import annotations

import hashlib
import os
from pathlib import Path

from django.conf import settings
from django.utils.crypto import constant_time_compare


def fits(key: str) -> bool:
    """Whether a key is that of this demo."""
    return bool(settings.DEMO_KEY) and constant_time_compare(key, settings.DEMO_KEY)


def _mark() -> Path:
    return Path(settings.VAR) / f"door-{hashlib.sha256(settings.DEMO_KEY.encode()).hexdigest()[:16]}"


def was_used() -> bool:
    """Whether somebody came in by this key."""
    return _mark().exists()


def use() -> bool:
    """Close the door behind whoever comes first; return whether that is this one."""
    try:
        os.close(os.open(_mark(), os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600))
    except FileExistsError:
        return False
    return True
