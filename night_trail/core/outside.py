"""What installed packages bring: questions, kinds, shapes, readers, exports, by their entry points.

A package that cannot be loaded is left out and said in the log: it must not keep the house from opening.
How to write one stands in ``docs/extending.md``.
"""

from __future__ import annotations

import logging
from functools import cache
from importlib.metadata import entry_points
from typing import Any

GROUPS = (
    "night_trail.questions",
    "night_trail.kinds",
    "night_trail.shapes",
    "night_trail.readers",
    "night_trail.exports",
)
"""A question's struct, its kind, the drawers of its answers, a reader of files, an export of tales."""

_log = logging.getLogger(__name__)


@cache
def brought(group: str) -> tuple[Any, ...]:
    """Return what installed packages bring under a group, by the names of their entry points."""
    found = []
    for point in sorted(entry_points(group=group), key=lambda one: (one.name, one.value)):
        try:
            found.append(point.load())
        except Exception as error:
            _log.warning("%s of %s was left out: %s", point.name, group, error)
    return tuple(found)
