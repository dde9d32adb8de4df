"""The part of attached rows that is drawn at random and kept: what pictures are seen from at once."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

import msgspec
import polars as pl
from django.utils import timezone

from night_trail.core.attached.fields import Field, fields_of
from night_trail.core.errors import NightTrailError
from night_trail.core.table import Column
from night_trail.tables import cache
from night_trail.tables.attached.opened import opened
from night_trail.tables.attached.servers import database_of
from night_trail.tables.attached.where import Where, fingerprint, parts_of
from night_trail.tables.models import Version

PART_ROWS = 1_000_000
"""How many rows are drawn about; of fewer all are at hand, and no engine is asked."""


class Attachment(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """Where the rows of a version are, how many there were, and what told them from others.

    ``fields`` are the columns that an engine sees as the table does. ``seconds`` is how long it took
    to look at all rows once. Where a recipe took rows away or made others, they are ``reshaped``, and
    nothing of all rows follows from them any more.
    """

    where: Where
    rows: int
    files: int
    fingerprint: str
    as_of: dt.datetime
    fields: dict[str, Field] = {}
    seconds: float = 0.0
    reshaped: bool = False


def draw_part(where: Where, into: Path, goes_on: Callable[[str], bool]) -> Attachment:
    """Write a part of the rows to a Parquet file, drawn at random, and return what is known of them.

    ``goes_on`` is told what is done, and says whether somebody still waits.

    Raises
    ------
    NightTrailError
        Where they cannot be read, or change meanwhile.
    """
    files, before = looked_at(where)
    began = timezone.now()
    with opened(where) as engine:
        counting = "Counting the rows where they are."
        rows = int(
            engine.run(engine.rows.aggregate(n=engine.rows.count()), lambda: goes_on(counting))["n"][0]
        )
        drawn = engine.rows
        drawing = f"Drawing a part of {rows:,} rows at random."
        if rows > PART_ROWS:
            drawn = _some(drawn, PART_ROWS / rows)
        looked = timezone.now()
        engine.write(drawn, into, lambda: goes_on(drawing))
        seconds = (timezone.now() - looked).total_seconds()
    if looked_at(where)[1] != before:
        raise NightTrailError(
            "The rows changed while they were looked at", where.words, "Attach them again when they rest."
        )
    return Attachment(where, rows, files, before, began, seconds=seconds)


def looked_at(where: Where) -> tuple[int, str]:
    """Return how many files rows are in, and what tells them from others; of a server there is nothing.

    Raises
    ------
    NightTrailError
        Where they are not there, or may not be reached.
    """
    if where.server:
        database_of(where)
        return 0, ""
    files = parts_of(where)[1]
    return len(files), fingerprint(files)


def _some(rows: Any, share: float) -> Any:
    import ibis  # noqa: PLC0415  (slow import)

    return rows.filter(ibis.random() < share)


def with_fields(attachment: Attachment, part: Path, columns: Sequence[Column], version: int) -> Attachment:
    """Return it with the columns that the version holds cell for cell as they came."""
    try:
        came = [pl.read_parquet(part, columns=[at]).to_series() for at in range(len(columns))]
        fields = fields_of(columns, lambda at: cache.column((version, at, None, None)), came)
    except (pl.exceptions.PolarsError, IndexError):
        fields = {}
    return msgspec.structs.replace(attachment, fields=fields)


def attachment_of(version: Version) -> Attachment | None:
    """Return where the rows of a version are, with the columns that it still holds as they came.

    None where it is not attached, or where all its rows are at hand. Columns of a version that a
    recipe made count where it left them alone and took no row away.
    """
    if not version.attached:
        return None
    root = version.base or version
    found = msgspec.convert(version.attached, Attachment)
    if found.rows <= root.height:
        return None
    if root is version:
        return found
    names = [column.name for column in root.column_list()]
    places = version.place_list()
    if any(mapped is not None for _, _, mapped, _ in places) or version.height != root.height:
        return msgspec.structs.replace(found, fields={}, reshaped=True)
    fields = {
        column.name: found.fields[names[position]]
        for column, (of, position, _, _) in zip(version.column_list(), places, strict=True)
        if of == root.pk and names[position] in found.fields
    }
    return msgspec.structs.replace(found, fields=fields)


def part_words(attachment: Attachment, height: int) -> str:
    """Return what is said of the rows at hand, ``height`` of them."""
    if attachment.reshaped:
        return f"{height:,} rows that a recipe made of a part of {attachment.rows:,}, drawn at random"
    return f"{height:,} of {attachment.rows:,} rows, drawn at random"


def changed_since(attachment: Attachment) -> bool:
    """Whether the rows are seen to be others now than those that were attached, or are gone."""
    try:
        return looked_at(attachment.where)[1] != attachment.fingerprint
    except NightTrailError:
        return True
