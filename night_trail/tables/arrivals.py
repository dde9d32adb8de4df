"""A file becomes tables: complete, or not at all.

A file that arrives is looked at first (``receive``): each sheet or inner table
is an arrival of its own, in one bundle, and waits in its preview. While one is
read its version belongs to no table, so nothing can see it; the last step
gives it one. Whatever goes wrong before that takes the version and all its
parts away again.
"""

from __future__ import annotations

import logging
import shutil
import time
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

import polars as pl
from django.conf import settings
from django.core.files.uploadedfile import TemporaryUploadedFile
from django.db import transaction
from django.utils import timezone

from night_trail.core.errors import NightTrailError
from night_trail.core.language.numbers import counted, listed
from night_trail.core.reading import Understood
from night_trail.core.reading.aside import Stopped
from night_trail.core.reading.kinds import typed
from night_trail.core.reading.read import row_noun
from night_trail.core.reading.summing import related
from night_trail.core.survey import Surveyor
from night_trail.core.table import Column
from night_trail.tables import aside, cache, recipes, room
from night_trail.tables.appending import appended
from night_trail.tables.attached.attaching import drawn
from night_trail.tables.attached.drawing import with_fields
from night_trail.tables.models import Arrival, Bundle, SourceFile, SourcePart, Table, Version
from night_trail.tables.removal import remove_files

logger = logging.getLogger(__name__)

PIECE = 4 * 1024 * 1024
MOST_PARTS = 60
SAID_EVERY = 0.2
_packing = ThreadPoolExecutor(2, thread_name_prefix="packing")


class Cancelled(Exception):
    """The owner does not want the file any more."""


def receive(owner: Any, uploaded: Sequence[TemporaryUploadedFile], into: Table | None = None) -> Bundle:
    """Keep uploaded files where the worker finds them, and look what tables are in them."""
    names = [Path(file.name or "table").name[:255] for file in uploaded]
    bundle = Bundle.objects.create(owner=owner, name=names[0][:200])
    settings.INCOMING.mkdir(parents=True, exist_ok=True)
    for file, name in zip(uploaded, names, strict=True):
        path = settings.INCOMING / f"bundle-{bundle.pk}-{names.index(name)}-{time.time_ns()}"
        shutil.move(file.temporary_file_path(), path)
        add_to_bundle(bundle, path, name, into)
    return bundle


def add_to_bundle(
    bundle: Bundle, path: Path, name: str, into: Table | None = None, part: str | None = None
) -> None:
    """Make an arrival of each table in a file; one that failed where it cannot be read."""
    if into is not None and into.latest.attached:
        raise NightTrailError(
            f"The rows of {into.name} stay where they are", "", "Look at them again on its survey instead."
        )
    said = "Look at how it is understood, then read it."
    source = {"owner": bundle.owner, "bundle": bundle, "file_name": name, "path": str(path), "into": into}
    try:
        found = [part] if part is not None else aside.looking().parts(path, name)[:MOST_PARTS]
        if into is not None:
            found = [p for p in found if p == into.latest.part] or found[:1]
    except NightTrailError as error:
        Arrival.objects.create(**source, state=Arrival.State.FAILED, said=str(error)[:400], wanted=False)
        path.unlink(missing_ok=True)
        return
    kept = into.latest.settings_value() if into is not None else None
    for inner in found:
        Arrival.objects.create(
            **source,
            part=inner[:300],
            state=Arrival.State.PREVIEW,
            said=said,
            settings=Version.as_json(kept) if kept is not None else {},
        )


def bring_again(table: Table) -> Bundle:
    """Lay a table's file out once more, to be read with other settings into the same table."""
    root = table.latest.base or table.latest
    if root.source_file is None:
        raise NightTrailError(f"The file of {table.name} was not kept", "", "Bring it again.")
    bundle = Bundle.objects.create(owner=table.owner, name=root.source_file.name[:200])
    settings.INCOMING.mkdir(parents=True, exist_ok=True)
    path = settings.INCOMING / f"bundle-{bundle.pk}-again-{time.time_ns()}"
    with path.open("wb") as out:
        for data in root.source_file.parts.order_by("part").values_list("data", flat=True).iterator(2):
            out.write(bytes(data))
    add_to_bundle(bundle, path, root.source_file.name, table, root.part)
    return bundle


def read_arrival(arrival: Arrival) -> None:
    """Read a file into a table, saying how far it is; leave nothing behind where that fails.

    Without room on the disk it goes on waiting, and says so.
    """
    open_still = Arrival.objects.filter(
        pk=arrival.pk, state__in=(Arrival.State.PREVIEW, Arrival.State.WAITING)
    )
    if lacking := room.lacking(Path(arrival.path)):
        open_still.update(said=f"{lacking} It is read as soon as there is room."[:400])
        return
    version = Version.objects.create()
    arrival.version, arrival.state, arrival.started = version, Arrival.State.READING, time.time()
    if not open_still.update(version=version, state=arrival.state, started=arrival.started):
        recipes.let_fall(version)  # cancelled in this moment
        return
    try:
        _read_into(arrival, version)
    except (Cancelled, Stopped):
        recipes.let_fall(version)
        end(arrival, Arrival.State.CANCELLED, "Cancelled; nothing was kept.")
    except NightTrailError as error:
        recipes.let_fall(version)
        end(arrival, Arrival.State.FAILED, str(error))
    except Exception as error:
        recipes.let_fall(version)
        if room.is_full(error):
            Arrival.objects.filter(pk=arrival.pk).update(source_file=None)
            _mark(arrival, Arrival.State.WAITING, f"{room.FULL}. It is read as soon as there is room.")
            return
        logger.exception("reading %s failed", arrival.file_name)
        said = f"{arrival.file_name} could not be read, and nothing was kept. Save it as CSV and try again."
        end(arrival, Arrival.State.FAILED, said)
    forget_unused_files()


def _read_into(arrival: Arrival, version: Version) -> None:
    path, chosen = Path(arrival.path), arrival.settings_value()
    _say(arrival, 0.02, "Looking at the file.")
    attachment = drawn(arrival, lambda doing: _still(arrival, doing)) if arrival.attached else None
    total, understood = 1, Understood(format="")
    columns: list[Column] = []
    surveyor: Surveyor | None = None
    height, said = 0, 0.0
    unwanted = Arrival.objects.filter(pk=arrival.pk, cancelled=True).exists
    for found in aside.whole().read(path, arrival.file_name, chosen, arrival.part, unwanted):
        if isinstance(found, Understood):
            understood = found
            continue
        if isinstance(found, int):
            total = found
            _say(arrival, 0.05, f"Reading the first of {total:,} columns.")
            # the first column is made meanwhile, in the process that reads
            _keep_file(arrival, path)
            continue
        if surveyor is None:
            height = len(found.cells)
            surveyor = Surveyor(height, timezone.now().date())
        share = 0.05 + 0.85 * min(1.0, (found.position + 1) / total)
        if time.monotonic() > said + SAID_EVERY:
            said = time.monotonic()
            column = f"column {found.position + 1} of {total}, {found.column.name[:60]}"
            _say(arrival, share, f"{height:,} rows: {column}{_time_left(arrival, share)}.")
        columns.append(found.column)
        # cells are packed on a thread of their own while they are looked at
        packed = _packing.submit(cache.encode, found.cells)
        surveyor.add(found.column, found.cells)
        cache.keep(version.pk, found.position, packed.result())
    _keep_file(arrival, path)
    surveyor = surveyor or Surveyor(0, timezone.now().date())
    _say(arrival, 0.92, "Looking at the columns together.")

    def cells(position: int) -> pl.Series:
        return cache.column((version.pk, position, None, None))

    columns = related(columns, cells, height)
    surveyor.learn(columns)
    surveyed = surveyor.finish(cells)
    if attachment is not None:
        version.attached = Version.as_json(with_fields(attachment, path, columns, version.pk))
    version.height = height
    version.columns = Version.as_json(columns)
    version.survey = Version.as_json(surveyed)
    _keep_how(version, arrival, understood)
    if arrival.into is not None and arrival.behind:
        _put_behind(arrival, version)
    else:
        _settle(arrival, version)
    discard_file(arrival.path)


def _keep_how(version: Version, arrival: Arrival, understood: Understood) -> None:
    """Keep a version with how it was read."""
    version.notes = understood.notes()
    version.understood = Version.as_json(understood)
    version.settings = arrival.settings
    version.part = arrival.part
    version.source_file = arrival.source_file
    version.save()


def _put_behind(arrival: Arrival, delivered: Version) -> None:
    _say(arrival, 0.97, "Putting the rows behind those that are there.")
    settled = False
    while not settled:
        made, behind = appended(arrival, delivered)
        arrival.version = made
        try:
            settled = _settle(arrival, made, behind)
        finally:
            if not settled:
                recipes.let_fall(made)
    recipes.let_fall(delivered)


def _new_table(arrival: Arrival, columns: list[Column], height: int) -> Table:
    nouns = row_noun(columns, height)
    name = arrival.title[:180] or "table"
    return Table(
        owner=arrival.owner, bundle=arrival.bundle, name=name, noun_one=nouns[0][:60], noun_many=nouns[1][:60]
    )


def _settle(arrival: Arrival, version: Version, behind: Version | None = None) -> bool:
    """Make a version a table's own; a fresh delivery meets the recipe of the rows before it.

    Of a version that was put behind the rows of another, ``behind``, nothing comes where another
    delivery was quicker; false is returned then. Everything long is done before the database is
    held. Where the recipe was changed meanwhile, the delivery meets the changed one.
    """
    columns = version.column_list()
    while True:
        table = arrival.into or _new_table(arrival, columns, version.height)
        before = Table.objects.get(pk=table.pk).latest if arrival.into else None
        if before and behind and (before.base or before).pk != behind.pk:
            return False
        if before:
            version.complaints = _differences(before.base or before, version)
            version.save(update_fields=["complaints"])
        steps = [*(before.steps() if before else ()), *arrival.remedy_steps()]
        shown = recipes.prepared(table, steps, version, lenient=True) if steps else version
        with transaction.atomic():
            if before is None:
                table.name = free_name(arrival.owner, table.name)
                table.save()
            if before is None or Table.objects.get(pk=table.pk).latest.pk == before.pk:
                for own in dict.fromkeys((version, shown)):
                    recipes.look_at(table, own)
                arrival.table = table
                said = f"{counted(version.height, 'row')} and {counted(len(columns), 'column')}."
                _mark(arrival, Arrival.State.DONE, said)
                return True
        recipes.let_fall(shown)


def _differences(before: Version, now: Version) -> list[str]:
    """Return what a delivery's columns have otherwise than those before it."""
    old, new = ({c.name: c.kind for c in v.column_list()} for v in (before, now))
    said = []
    if gone := [n for n in old if n not in new]:
        said.append(f"Columns that are gone: {listed(gone[:8])}.")
    if fresh := [n for n in new if n not in old]:
        said.append(f"Columns that were not there before: {listed(fresh[:8])}.")
    said += [f"{n} is now {new[n]}; it was {old[n]}." for n in new if n in old and new[n] != old[n]]
    return said[:20]


def _keep_file(arrival: Arrival, path: Path) -> None:
    """Keep the file as it arrived with what is read from it, once; of attached rows none is kept."""
    if arrival.source_file is None and not arrival.attached:
        arrival.source_file = _kept_file(arrival, path)
        arrival.save(update_fields=["source_file"])


def _kept_file(arrival: Arrival, path: Path) -> SourceFile:
    """Return the file in the database, kept once for all tables that were read from it."""
    same = Arrival.objects.filter(path=arrival.path, source_file__isnull=False).first()
    if same is not None and same.source_file is not None:
        return same.source_file
    kept = SourceFile.objects.create(name=arrival.file_name)
    with path.open("rb") as file:
        part = 0
        while piece := file.read(PIECE):
            SourcePart.objects.create(file=kept, part=part, data=piece)
            part += 1
    return kept


def forget_unused_files() -> None:
    """Delete kept files of which no version, and no arrival, is left."""
    used = Arrival.objects.filter(state__in=UNFINISHED, source_file__isnull=False).values("source_file")
    remove_files(SourceFile.objects.filter(versions=None).exclude(pk__in=used))


UNFINISHED = (Arrival.State.PREVIEW, Arrival.State.WAITING, Arrival.State.READING)


def free_name(owner: Any, wanted: str) -> str:
    """Return the name, or the name with the first number that is free."""
    taken = set(Table.objects.filter(owner=owner, name__startswith=wanted).values_list("name", flat=True))
    name, count = wanted, 1
    while name in taken:
        count += 1
        name = f"{wanted} ({count})"
    return name


def _time_left(arrival: Arrival, share: float) -> str:
    passed = time.time() - arrival.started
    left = passed / share * (1 - share)
    return f"; about {max(1, round(left))} s left" if passed > 2 and left > 2 else ""


def _still(arrival: Arrival, doing: str) -> bool:
    """Say what is done with attached rows, and whether somebody still waits for it."""
    _say(arrival, 0.03, doing)
    return True


def _say(arrival: Arrival, progress: float, said: str) -> None:
    if Arrival.objects.filter(pk=arrival.pk, cancelled=True).exists():
        raise Cancelled
    arrival.progress, arrival.said = progress, said
    arrival.save(update_fields=["progress", "said"])


def end(arrival: Arrival, state: str, said: str) -> None:
    """Say what became of an arrival, and let its file go."""
    _mark(arrival, state, said)
    discard_file(arrival.path)


def _mark(arrival: Arrival, state: str, said: str) -> None:
    arrival.state, arrival.said = state, said[:400]
    arrival.progress = 1.0 if state == Arrival.State.DONE else arrival.progress
    arrival.version = arrival.version if state == Arrival.State.DONE else None
    arrival.save(update_fields=["state", "said", "progress", "version", "table"])


def discard_file(path: str) -> None:
    """Delete an incoming file once no arrival waits for it any more."""
    if path and not Arrival.objects.filter(path=path, state__in=UNFINISHED).exists():
        Path(path).unlink(missing_ok=True)


def give_up(bundle: Bundle) -> None:
    """Forget previews and what waits to be read, and their files."""
    unread = bundle.arrivals.filter(state__in=(Arrival.State.PREVIEW, Arrival.State.WAITING))
    paths = list(unread.values_list("path", flat=True))
    unread.update(state=Arrival.State.CANCELLED, said="Cancelled; nothing was kept.")
    for path in paths:
        discard_file(path)


def warm_up() -> None:
    """Load what surveying needs, so that the first file does not wait for it."""
    surveyor = Surveyor(100, timezone.now().date())
    column, cells = typed("warm", pl.Series("cells", [f"{i}.5" for i in range(100)]))
    surveyor.add(column, cells)
    aside.whole().warm_up()
