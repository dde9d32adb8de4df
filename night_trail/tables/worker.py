"""The one background worker: kept alone by a lock, heard by its beat, not brought down by a full disk."""

from __future__ import annotations

import contextlib
import fcntl
import io
import logging
import os
import threading
import time
from datetime import timedelta
from pathlib import Path

from django.conf import settings
from django.core.management import call_command
from django.db import OperationalError, close_old_connections
from django.utils import timezone
from django_tasks_db.management.commands.db_worker import Worker
from django_tasks_db.models import DBTaskResult

from night_trail.tables import deliveries, room, upkeep
from night_trail.tables.locks import held

logger = logging.getLogger(__name__)

BEAT_EVERY = 5.0
LOOK_EVERY = 5.0
PRUNE_EVERY = 6 * 3_600.0
LONGEST_PAUSE = 30.0
KEPT_DAYS = 30
"""So long results of tasks are kept, and who signed in when."""


def beat_file() -> Path:
    """Return the file whose time says when the worker was last alive."""
    return Path(settings.VAR) / "worker.beat"


def alone() -> contextlib.AbstractContextManager[None]:
    """Keep a second worker out for as long as this one lives."""
    return held(
        "worker.lock",
        fcntl.LOCK_EX | fcntl.LOCK_NB,
        "Another worker is running here",
        "One is enough; stop it first.",
    )


def work(interval: float = 0.3) -> None:
    """Do what waits, until a signal ends it."""
    worker = Worker(
        queue_names=["default"],
        interval=0,
        batch=True,  # it returns where nothing waits, so that upkeep has its turn
        backend_name="default",
        startup_delay=False,
        max_tasks=None,
        worker_id=f"worker-{os.getpid()}",
        excluded_queue_names=[],
    )
    worker.configure_signals()
    threading.Thread(target=_beat, daemon=True).start()
    clean, pause, looked, pruned = False, 1.0, 0.0, 0.0
    while worker.running:
        try:
            if not clean:
                clear_up()
                clean = True
            worker.run()
            if time.monotonic() > looked + LOOK_EVERY:
                deliveries.look_into_folders()
                upkeep.enqueue_waiting()
                looked = time.monotonic()
            if not pruned or time.monotonic() > pruned + PRUNE_EVERY:
                prune()
                pruned = time.monotonic()
            pause = 1.0
        except OperationalError as error:
            if not (room.is_full(error) or room.is_busy(error)):
                raise
            # what was begun is cleared up as after a kill, once there is room
            logger.warning("the worker waits %.0f s: %s", pause, error)
            clean = False
            close_old_connections()
            time.sleep(pause)
            pause = min(LONGEST_PAUSE, pause * 2)
        if worker.running:
            time.sleep(interval)


def clear_up() -> None:
    """Take away what a killed worker left, and say so."""
    if count := upkeep.clear_interrupted():
        logger.warning("%s interrupted file(s): nothing of them was kept.", count)
    # a task whose worker was killed would be running for ever
    DBTaskResult.objects.running().update(status="FAILED", finished_at=timezone.now())


def prune() -> None:
    """Let go of sessions that ended, results of tasks, and files nobody waits for."""
    call_command("clearsessions")
    old = timezone.now() - timedelta(days=KEPT_DAYS)
    DBTaskResult.objects.finished().filter(finished_at__lt=old).delete()
    call_command("axes_reset_logs", age=KEPT_DAYS, stdout=io.StringIO())
    upkeep.prune()


def _beat() -> None:
    while True:
        with contextlib.suppress(OSError):
            beat_file().touch()
        time.sleep(BEAT_EVERY)
