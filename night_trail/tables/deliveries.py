"""Deliveries that nobody uploads: by a command, and by folders that are looked into.

A file in ``deliveries/<person>/<table>/`` takes the place of the rows of that table, as an
upload does; one in ``behind/`` of it is put behind them, one in ``new/`` as well but for the
rows that are there already. A table whose name cannot be a folder's goes by its number.
"""

from __future__ import annotations

import contextlib
import logging
import os
import shutil
import time
from collections.abc import Iterator
from pathlib import Path

from django.conf import settings
from django.urls import reverse

from night_trail.core.errors import NightTrailError
from night_trail.core.hand import LARGEST_KEY, whole
from night_trail.people.models import Letter
from night_trail.tables import quota
from night_trail.tables.arrivals import add_to_bundle
from night_trail.tables.models import Arrival, Bundle, Table

logger = logging.getLogger(__name__)

STILL = 5.0
"""A file that did not change for so many seconds is complete."""

WAYS = {"": Arrival.Behind.INSTEAD, "behind": Arrival.Behind.ALL, "new": Arrival.Behind.NEW}
REFUSED = "refused"
_UNFINISHED = (".part", ".tmp", ".crdownload", "~")


def table_of(person: str, name: str) -> Table | None:
    """Return a person's table by its name, or by its number."""
    own = Table.objects.filter(owner__username=person)
    number = whole(name, LARGEST_KEY)
    return own.filter(name=name).first() or (own.filter(pk=number).first() if number else None)


def delivery(table: Table, path: Path, name: str, behind: str) -> Arrival:
    """Take a file in as a delivery to a table, waiting to be read; the file is moved.

    Raises
    ------
    NightTrailError
        Where it is larger than is taken, or cannot be read; the file is where it was in the first case.
    """
    size = path.stat().st_size
    if size > settings.UPLOAD_LIMIT:
        most = quota.in_words(settings.UPLOAD_LIMIT)
        raise NightTrailError(f"{name} is larger than the {most} that are taken", "", "Leave out rows.")
    if size > quota.left_for(table.owner):
        raise NightTrailError(f"The tables of {table.owner} may take no more", "", "Delete a table first.")
    settings.INCOMING.mkdir(parents=True, exist_ok=True)
    kept = settings.INCOMING / f"delivery-{table.pk}-{time.time_ns()}"
    shutil.move(path, kept)
    bundle = Bundle.objects.create(owner=table.owner, name=name[:200])
    add_to_bundle(bundle, kept, name[:255], table)
    arrival = bundle.arrivals.first()
    if arrival is None:
        raise NightTrailError(f"No table was found in {name}", "", "Save it as CSV and try again.")
    if arrival.state == Arrival.State.FAILED:
        raise NightTrailError(arrival.said, "", "")
    arrival.behind, arrival.state, arrival.said = behind, Arrival.State.WAITING, "Waiting to be read."
    arrival.save(update_fields=["behind", "state", "said"])
    return arrival


def look_into_folders() -> list[Arrival]:
    """Take in what lies complete in the folders of deliveries; what is refused is put aside and told."""
    taken = []
    for table, path, behind in list(_lying()):
        try:
            arrival = delivery(table, path, path.name, behind)
        except NightTrailError as error:
            _put_aside(path)
            tell(table, path.name, str(error))
            continue
        except OSError as error:
            logger.warning("a delivery of %s could not be moved: %s", table, error)
            continue
        Arrival.objects.filter(pk=arrival.pk).update(by_itself=True)
        taken.append(arrival)
    return taken


def _lying() -> Iterator[tuple[Table, Path, str]]:
    """Yield complete files with their table and the way they are put there; links lead nowhere."""
    for person in _folders(settings.DELIVERIES):
        for folder in _folders(person):
            table = table_of(person.name, folder.name)
            if table is None:
                continue
            for inner, behind in WAYS.items():
                for path in sorted(_entries(folder / inner if inner else folder)):
                    if path.is_file() and not path.is_symlink() and _complete(path):
                        yield table, path, behind


def _entries(folder: Path) -> list[Path]:
    if folder.is_symlink():
        return []
    with contextlib.suppress(OSError):
        return list(folder.iterdir())
    return []


def _folders(folder: Path) -> list[Path]:
    return [one for one in _entries(folder) if one.is_dir() and not one.is_symlink()]


def _complete(path: Path) -> bool:
    if path.name.startswith(".") or path.name.endswith(_UNFINISHED):
        return False
    try:
        return path.stat().st_mtime < time.time() - STILL
    except OSError:
        return False


def _put_aside(path: Path) -> None:
    """Move a file that was refused out of the way, if it is still there."""
    with contextlib.suppress(OSError):
        aside = path.parent / REFUSED
        aside.mkdir(exist_ok=True)
        os.replace(path, aside / path.name)


def tell(table: Table, file_name: str, said: str, came: bool = False) -> None:
    """Write to the owner of a table what became of a file that came by itself."""
    Letter.objects.create(
        to=table.owner,
        subject=f"{'Newer rows in' if came else 'A delivery was refused:'} {table.name}"[:200],
        text=f"{file_name}: {said}"[:6_000],
        address=reverse("tables:survey", args=[table.pk]),
    )
