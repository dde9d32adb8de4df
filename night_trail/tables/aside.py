"""The processes in which files are looked at and read, with the limits of the settings."""

from __future__ import annotations

import atexit
from functools import lru_cache

from django.conf import settings

from night_trail.core.reading.aside import Aside, Limits


@lru_cache(maxsize=1)
def looking() -> Aside:
    """Return where first rows are looked at, while somebody waits for a page."""
    return _made(Limits(settings.LOOKING_MEMORY, settings.LOOKING_CPU, settings.LOOKING_SECONDS))


@lru_cache(maxsize=1)
def whole() -> Aside:
    """Return where whole files are read, by the worker."""
    return _made(Limits(settings.READING_MEMORY, settings.READING_CPU, settings.READING_SECONDS))


def _made(limits: Limits) -> Aside:
    found = Aside(limits)
    atexit.register(found.end)
    return found
