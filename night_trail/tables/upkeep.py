"""Upkeep of tables: what a kill left behind, what waits without a task, what is too old to keep."""

from __future__ import annotations

import time
from datetime import timedelta
from pathlib import Path

from django.conf import settings
from django.db.models import Q
from django.utils import timezone
from django_tasks_db.models import DBTaskResult

from night_trail.tables import room
from night_trail.tables.arrivals import UNFINISHED, end, forget_unused_files, give_up
from night_trail.tables.models import Arrival, Bundle, Version
from night_trail.tables.removal import remove_versions
from night_trail.tables.tasks import read_file

PREVIEWS_KEPT = timedelta(days=7)
ARRIVALS_KEPT = timedelta(days=30)
ABANDONED = timedelta(hours=1)
"""A version that is not complete, or an incoming file that did not grow, after so long is nobody's."""


def clear_interrupted() -> int:
    """Take away what a killed worker left unfinished and say so; return how many files it were.

    Where the file is still at hand its preview is open again, with all that was decided.
    """
    interrupted = list(Arrival.objects.filter(state=Arrival.State.READING))
    unfinished = Q(pk__in=[a.version_id for a in interrupted]) | Q(created__lt=timezone.now() - ABANDONED)
    remove_versions(Version.objects.filter(unfinished, table=None))
    for arrival in interrupted:
        if Path(arrival.path).is_file() and not arrival.attached:
            arrival.state, arrival.version, arrival.progress = Arrival.State.PREVIEW, None, 0.0
            arrival.source_file = None
            arrival.said = (
                f"Reading {arrival.file_name} was interrupted, and nothing was kept. Read it again."[:400]
            )
            arrival.save(update_fields=["state", "version", "progress", "said", "source_file"])
        else:
            way_on = "Attach it again." if arrival.attached else "Bring the file again."
            said = f"Reading {arrival.file_name} was interrupted, and nothing was kept. {way_on}"
            end(arrival, Arrival.State.FAILED, said)
    forget_unused_files()
    return len(interrupted)


def enqueue_waiting() -> int:
    """Give files that wait a task where their own is gone and there is room; return how many."""
    tasks = DBTaskResult.objects.filter(status__in=("READY", "RUNNING"), task_path=read_file.module_path)
    planned = {tuple(task.args_kwargs.get("args", ())) for task in tasks}
    waiting = Arrival.objects.filter(state=Arrival.State.WAITING, bundle__isnull=False)
    stray = [
        pk
        for pk, path in waiting.values_list("pk", "path")
        if (pk,) not in planned and not room.lacking(Path(path))
    ]
    for pk in stray:
        read_file.enqueue(pk)
    return len(stray)


def clear_incoming(grace: timedelta = ABANDONED) -> int:
    """Delete incoming files that no arrival waits for, left by a kill or a full disk; return how many.

    A file that grew within ``grace`` may still be arriving. Before the server
    starts nothing arrives, and no grace is needed.
    """
    wanted = set(Arrival.objects.filter(state__in=UNFINISHED).values_list("path", flat=True))
    gone = 0
    for path in settings.INCOMING.iterdir():
        if (
            path.is_file()
            and str(path) not in wanted
            and path.stat().st_mtime <= time.time() - grace.total_seconds()
        ):
            path.unlink(missing_ok=True)
            gone += 1
    return gone


def prune() -> None:
    """Let go of previews nobody came back to, and of what is said of files that arrived long ago."""
    old = Bundle.objects.filter(created__lt=timezone.now() - PREVIEWS_KEPT)
    for bundle in old.filter(arrivals__state=Arrival.State.PREVIEW).distinct():
        give_up(bundle)
    Arrival.objects.filter(created__lt=timezone.now() - ARRIVALS_KEPT).exclude(state__in=UNFINISHED).delete()
    forget_unused_files()
    clear_incoming()
