"""A file becomes a table: complete, or not at all.

While a file is read its version belongs to no table, so nothing can see it;
the last step gives it one. Whatever goes wrong before that takes the version
and all its parts away again.
"""

from __future__ import annotations

import logging
import shutil
from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.files.uploadedfile import TemporaryUploadedFile
from django.db import transaction

from night_trail.core.errors import NightTrailError
from night_trail.core.reading import open_file, read
from night_trail.core.reading.read import row_noun
from night_trail.core.survey import Profile, profile, survey
from night_trail.core.table import Column
from night_trail.tables import cache
from night_trail.tables.models import Arrival, ColumnPart, SourcePart, Table, Version

logger = logging.getLogger(__name__)

PIECE = 4 * 1024 * 1024


class Cancelled(Exception):
    """The owner does not want the file any more."""


def receive(owner: Any, uploaded: TemporaryUploadedFile) -> Arrival:
    """Keep an uploaded file where the worker finds it."""
    arrival = Arrival.objects.create(
        owner=owner, file_name=Path(uploaded.name or "table").name[:255], path=""
    )
    settings.INCOMING.mkdir(parents=True, exist_ok=True)
    arrival.path = str(settings.INCOMING / f"arrival-{arrival.pk}")
    shutil.move(uploaded.temporary_file_path(), arrival.path)
    arrival.save(update_fields=["path"])
    return arrival


def read_arrival(arrival: Arrival) -> None:
    """Read a file into a new table, saying how far it is; leave nothing behind where that fails."""
    if arrival.cancelled:
        _end(arrival, Arrival.State.CANCELLED, "Cancelled; nothing was kept.")
        return
    version = Version.objects.create()
    arrival.version, arrival.state = version, Arrival.State.READING
    arrival.save(update_fields=["version", "state"])
    try:
        _read_into(arrival, version)
    except Cancelled:
        version.delete()
        _end(arrival, Arrival.State.CANCELLED, "Cancelled; nothing was kept.")
    except NightTrailError as error:
        version.delete()
        _end(arrival, Arrival.State.FAILED, str(error))
    except Exception:
        logger.exception("reading %s failed", arrival.file_name)
        version.delete()
        said = f"{arrival.file_name} could not be read, and nothing was kept. Save it as CSV and try again."
        _end(arrival, Arrival.State.FAILED, said)


def _read_into(arrival: Arrival, version: Version) -> None:
    path = Path(arrival.path)
    _say(arrival, 0.02, "Looking at the file.")
    source = open_file(path, arrival.file_name)
    columns: list[Column] = []
    profiles: list[tuple[Profile, Any]] = []
    height = 0
    for found in read(source):
        height = len(found.cells)
        share = (found.position + 1) / len(source.names)
        name = found.column.name[:60]
        _say(
            arrival,
            0.05 + 0.85 * share,
            f"{height:,} rows: column {found.position + 1} of {len(source.names)}, {name}.",
        )
        columns.append(found.column)
        # of the cells only the dates' first column is asked for again, by the survey
        cells = found.cells if found.column.kind.temporal else None
        profiles.append((profile(found.column, found.cells), cells))
        ColumnPart.objects.bulk_create(
            ColumnPart(version=version, position=found.position, part=i, data=data)
            for i, data in enumerate(cache.encode(found.cells))
        )
    _say(arrival, 0.93, "Keeping the file as it arrived.")
    with path.open("rb") as file:
        part = 0
        while piece := file.read(PIECE):
            SourcePart.objects.create(version=version, part=part, data=piece)
            part += 1
    with transaction.atomic():
        nouns = row_noun(columns, height)
        name = free_name(arrival.owner, Path(arrival.file_name).stem[:180] or "table")
        table = Table.objects.create(
            owner=arrival.owner, name=name, noun_one=nouns[0][:60], noun_many=nouns[1][:60]
        )
        version.table = table
        version.height = height
        version.columns = Version.as_json(columns)
        version.survey = Version.as_json(survey(profiles, height))
        version.notes = source.notes
        version.save()
        arrival.table = table
        _end(arrival, Arrival.State.DONE, f"{height:,} rows and {len(columns):,} columns.")


def free_name(owner: Any, wanted: str) -> str:
    """Return the name, or the name with the first number that is free."""
    taken = set(Table.objects.filter(owner=owner, name__startswith=wanted).values_list("name", flat=True))
    name, count = wanted, 1
    while name in taken:
        count += 1
        name = f"{wanted} ({count})"
    return name


def _say(arrival: Arrival, progress: float, said: str) -> None:
    if Arrival.objects.filter(pk=arrival.pk, cancelled=True).exists():
        raise Cancelled
    arrival.progress, arrival.said = progress, said
    arrival.save(update_fields=["progress", "said"])


def _end(arrival: Arrival, state: str, said: str) -> None:
    arrival.state, arrival.said = state, said[:400]
    arrival.progress = 1.0 if state == Arrival.State.DONE else arrival.progress
    arrival.version = arrival.version if state == Arrival.State.DONE else None
    arrival.save(update_fields=["state", "said", "progress", "version", "table"])
    Path(arrival.path).unlink(missing_ok=True)


def clear_interrupted() -> int:
    """Mark what a killed worker left unfinished as failed and take its rows away; return how many."""
    interrupted = Arrival.objects.filter(state=Arrival.State.READING)
    count = 0
    for arrival in interrupted:
        said = f"Reading {arrival.file_name} was interrupted, and nothing was kept. Bring the file again."
        _end(arrival, Arrival.State.FAILED, said)
        count += 1
    Version.objects.filter(table=None).delete()
    return count
