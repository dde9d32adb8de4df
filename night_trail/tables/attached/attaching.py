"""Attaching: an arrival whose rows stay where they are, and of which a part is drawn."""

from __future__ import annotations

import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import msgspec
from django.conf import settings

from night_trail.core.errors import NightTrailError
from night_trail.tables.attached.drawing import Attachment, draw_part, looked_at
from night_trail.tables.attached.where import Where
from night_trail.tables.models import Arrival, Bundle, Table, Version


def attach(owner: Any, where: Where, into: Table | None = None) -> Arrival:
    """Let rows be looked at where they are; the arrival waits for the worker.

    Raises
    ------
    NightTrailError
        Where they are not there, or lie outside of what may be attached.
    """
    looked_at(where)
    title = (into.name if into is not None else where.title)[:180]
    bundle = Bundle.objects.create(owner=owner, name=title)
    settings.INCOMING.mkdir(parents=True, exist_ok=True)
    path = settings.INCOMING / f"bundle-{bundle.pk}-part-{time.time_ns()}"
    path.touch()
    kept = into.latest.settings_value() if into is not None else None
    return Arrival.objects.create(
        owner=owner,
        bundle=bundle,
        into=into,
        file_name=f"{title}.parquet",
        path=str(path),
        attached=msgspec.to_builtins(where),
        settings=Version.as_json(kept) if kept is not None else {},
        said="Waiting to be looked at.",
    )


def attach_again(table: Table) -> Arrival:
    """Look at a table's attached rows once more, as they are now."""
    attached = table.latest.attached
    if not attached:
        raise NightTrailError(f"The rows of {table.name} are all here", "", "Bring its file again.")
    return attach(table.owner, msgspec.convert(attached, Attachment).where, table)


def drawn(arrival: Arrival, goes_on: Callable[[str], bool]) -> Attachment:
    """Draw the part of an arrival's rows into its file."""
    return draw_part(msgspec.convert(arrival.attached, Where), Path(arrival.path), goes_on)
