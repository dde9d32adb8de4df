"""Kills, full disks, second workers: what ends starts again, and what was acknowledged is still there."""

from __future__ import annotations

import datetime as dt
import os
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import pytest
from django.conf import settings
from django.contrib.auth.models import User
from django.db import OperationalError, connection
from django.test import Client
from django.urls import reverse
from django.utils import timezone
from django_tasks_db.models import DBTaskResult

from night_trail.core.errors import NightTrailError
from night_trail.core.reading.aside import Aside
from night_trail.tables import arrivals, recipes, removal, room, upkeep, worker
from night_trail.tables.arrivals import add_to_bundle, read_arrival
from night_trail.tables.models import Arrival, Bundle, ColumnPart, SourcePart, Table, Version
from night_trail.trails.models import Step
from tests.web.conftest import client_of
from tools import run_demo

FULL = OperationalError("database or disk is full")


@pytest.fixture
def arrival(owner: User, few_buses_csv: Path) -> Arrival:
    """A file that waits to be read."""
    bundle = Bundle.objects.create(owner=owner, name="few")
    path = settings.INCOMING / f"few-{time.time_ns()}.csv"
    path.write_bytes(few_buses_csv.read_bytes())
    add_to_bundle(bundle, path, "few.csv")
    bundle.arrivals.update(state=Arrival.State.WAITING)
    return bundle.arrivals.get()


# ---- the worker ----


def test_a_second_worker_is_kept_out_until_the_first_is_gone(tmp_path: Path, settings: Any) -> None:
    settings.VAR = tmp_path
    code = f"""
import fcntl, os, sys
d = os.open({str(tmp_path / "worker.lock")!r}, os.O_RDWR | os.O_CREAT)
fcntl.flock(d, fcntl.LOCK_EX)
print("held", flush=True)
sys.stdin.read()
"""
    first = subprocess.Popen([sys.executable, "-c", code], stdin=subprocess.PIPE, stdout=subprocess.PIPE)
    assert first.stdout is not None and first.stdout.readline() == b"held\n"
    with pytest.raises(NightTrailError, match="Another worker is running here"), worker.alone():
        pass
    first.kill()
    first.wait()
    with worker.alone():
        pass


def turns(monkeypatch: pytest.MonkeyPatch, *runs: Any) -> list[str]:
    """Let the worker take these turns: an error it meets, or nothing; return what else it did."""
    did: list[str] = []
    left = list(runs)

    class Worker:
        running = True

        def __init__(self, **_: Any) -> None:
            pass

        def configure_signals(self) -> None:
            pass

        def run(self) -> None:
            did.append("run")
            outcome = left.pop(0)
            self.running = bool(left)
            if outcome is not None:
                raise outcome

    monkeypatch.setattr(worker, "Worker", Worker)
    monkeypatch.setattr(worker.time, "sleep", lambda s: did.append(f"sleep {s:g}"))
    monkeypatch.setattr(worker, "clear_up", lambda: did.append("clear up"))
    monkeypatch.setattr(worker, "prune", lambda: did.append("prune"))
    monkeypatch.setattr(worker, "_beat", lambda: None)
    monkeypatch.setattr(worker, "close_old_connections", lambda: None)
    monkeypatch.setattr(worker.upkeep, "enqueue_waiting", lambda: did.append("wake"))
    worker.work()
    return did


def test_a_full_disk_is_waited_out_and_cleared_up_after(monkeypatch: pytest.MonkeyPatch) -> None:
    did = turns(monkeypatch, FULL, OperationalError("database is locked"), None)
    assert [d for d in did if d in ("run", "clear up")] == ["clear up", "run"] * 3
    assert did.index("sleep 1") < did.index("sleep 2") < did.index("wake")
    with pytest.raises(OperationalError, match="malformed"):
        turns(monkeypatch, OperationalError("database disk image is malformed"))


def test_what_a_killed_worker_left_is_cleared_up(owner: User) -> None:
    Arrival.objects.create(owner=owner, file_name="half.csv", path="/nowhere", state="reading")
    DBTaskResult.objects.create(
        args_kwargs={"args": [1], "kwargs": {}}, task_path="x", backend_name="default", status="RUNNING",
        priority=0, queue_name="default", run_after=timezone.now(), worker_ids=[], exception_class_path="",
        traceback="",
    )  # fmt: skip
    worker.clear_up()
    assert "Bring the file again" in Arrival.objects.get().said
    assert not DBTaskResult.objects.running().exists()


def test_a_waiting_file_whose_task_died_gets_another_and_only_one(
    arrival: Arrival, monkeypatch: pytest.MonkeyPatch
) -> None:
    asked: list[int] = []
    monkeypatch.setattr(
        upkeep, "read_file", SimpleNamespace(module_path="tasks.read_file", enqueue=asked.append)
    )
    with monkeypatch.context() as full:
        full.setattr(upkeep.room, "free", lambda: 0)
        assert upkeep.enqueue_waiting() == 0, "it would only wait again"
    assert upkeep.enqueue_waiting() == 1 and asked == [arrival.pk]
    DBTaskResult.objects.create(
        args_kwargs={"args": [arrival.pk], "kwargs": {}}, task_path="tasks.read_file", backend_name="default",
        status="READY", priority=0, queue_name="default", run_after=timezone.now(), worker_ids=[],
        exception_class_path="", traceback="",
    )  # fmt: skip
    assert upkeep.enqueue_waiting() == 0


# ---- room ----


def test_a_disk_that_fills_while_a_file_is_read_lets_it_wait(
    arrival: Arrival, monkeypatch: pytest.MonkeyPatch
) -> None:
    kept = arrivals.cache.keep

    def fills(version: int, position: int, cells: object) -> None:
        if position == 2:
            raise FULL
        kept(version, position, cells)  # type: ignore[arg-type]

    with monkeypatch.context() as patched:
        patched.setattr(arrivals.cache, "keep", fills)
        read_arrival(arrival)
    arrival.refresh_from_db()
    assert arrival.state == Arrival.State.WAITING and "as soon as there is room" in arrival.said
    assert not Version.objects.exists() and Path(arrival.path).is_file()
    read_arrival(arrival)
    arrival.refresh_from_db()
    assert arrival.state == Arrival.State.DONE and Table.objects.count() == 1


def test_too_little_room_is_said_before_anything_is_begun(arrival: Arrival, settings: Any) -> None:
    settings.LEAST_ROOM = 1 << 60
    read_arrival(arrival)
    arrival.refresh_from_db()
    assert arrival.state == Arrival.State.WAITING and "GB are needed" in arrival.said
    client = client_of(arrival.owner)
    with open(arrival.path, "rb") as file:
        refused = client.post(reverse("tables:bring"), {"file": file})
    assert refused.status_code == 422 and "The disk of the server is full" in refused.content.decode()
    assert client.get("/health/").json()["disk"].endswith("MB left")


@pytest.mark.django_db(transaction=True)
def test_a_database_that_is_full_is_known_by_its_error() -> None:
    with connection.cursor() as cursor:
        cursor.execute("PRAGMA page_count")
        cursor.execute(f"PRAGMA max_page_count = {cursor.fetchone()[0]}")
    try:
        with pytest.raises(OperationalError) as full:
            Version.objects.bulk_create(Version(notes=["x" * 4_000]) for _ in range(200))
    finally:
        connection.close()
    assert room.is_full(full.value) and not room.is_full(ValueError("full"))


@pytest.mark.parametrize(
    ("error", "status", "words"),
    [(FULL, 507, "is full"), (OperationalError("database is locked"), 503, "Others are writing")],
)
def test_what_the_database_refuses_is_said(
    client: Client, table: Table, monkeypatch: pytest.MonkeyPatch, error: Exception, status: int, words: str
) -> None:
    def fails(*_: object) -> None:
        raise error

    monkeypatch.setattr(recipes, "change", fails)
    step = {"step": '{"step": "leave out", "columns": ["late_min"]}'}
    answer = client.post(reverse("tables:step", args=[table.pk]), step)
    assert answer.status_code == status and words in answer.content.decode()


# ---- cancelling ----


def test_what_waits_is_cancelled_at_once(arrival: Arrival) -> None:
    assert arrival.bundle is not None
    client_of(arrival.owner).post(reverse("tables:cancel", args=[arrival.bundle.pk]))
    state = Arrival.objects.get(pk=arrival.pk).state
    assert state == Arrival.State.CANCELLED and not Path(arrival.path).exists()
    read_arrival(arrival)  # its task comes all the same
    assert not Table.objects.exists() and not Version.objects.exists()


def test_a_file_is_cancelled_while_its_reader_says_nothing(
    arrival: Arrival, monkeypatch: pytest.MonkeyPatch
) -> None:
    def silent(self: Aside, asked: Any, unwanted: Any) -> Iterator[dict[str, Any]]:
        Arrival.objects.update(cancelled=True)  # by its owner, meanwhile
        assert unwanted()
        raise arrivals.Stopped
        yield {}

    monkeypatch.setattr(Aside, "_messages", silent)
    read_arrival(arrival)
    assert Arrival.objects.get().state == Arrival.State.CANCELLED and not Version.objects.exists()


# ---- leftovers ----


def test_what_interrupted_uploads_left_is_deleted_and_what_waits_is_not(
    arrival: Arrival, monkeypatch: pytest.MonkeyPatch, tmp_path: Path, settings: Any
) -> None:
    settings.INCOMING = tmp_path
    left = tmp_path / "tmp1.upload"
    left.write_text("half a file")
    waits = tmp_path / "waits"
    waits.write_text("whole")
    Arrival.objects.update(path=str(waits))
    assert upkeep.clear_incoming() == 0, "it may still be arriving"
    assert upkeep.clear_incoming(dt.timedelta()) == 1 and not left.exists() and waits.exists()


def test_previews_nobody_came_back_to_are_let_go(arrival: Arrival) -> None:
    Arrival.objects.update(state=Arrival.State.PREVIEW)
    upkeep.prune()
    assert Arrival.objects.get().state == Arrival.State.PREVIEW
    Bundle.objects.update(created=timezone.now() - dt.timedelta(days=8))
    upkeep.prune()
    assert Arrival.objects.get().state == Arrival.State.CANCELLED and not Path(arrival.path).exists()
    Arrival.objects.update(created=timezone.now() - dt.timedelta(days=31))
    worker.prune()
    assert not Arrival.objects.exists()


# ---- health ----


def test_health_says_what_is_wrong_and_nothing_of_anybody(
    table: Table, settings: Any, tmp_path: Path
) -> None:
    settings.VAR = tmp_path
    stranger = Client()
    assert stranger.get("/health/").json()["worker"] == "never seen"
    worker.beat_file().touch()
    well = stranger.get("/health/")
    assert well.status_code == 200 and well.json()["well"] and well.json()["counts"]["tables"] == 1
    assert table.name not in well.content.decode() and not stranger.cookies
    silent = time.time() - 300
    os.utime(worker.beat_file(), (silent, silent))
    ill = stranger.get("/health/")
    assert ill.status_code == 503 and ill.json()["worker"] == "silent for 300 s"


# ---- the demo's supervisor ----


class Clock:
    """Time that passes only by sleeping."""

    def __init__(self, monkeypatch: pytest.MonkeyPatch) -> None:
        self.now = 0.0
        monkeypatch.setattr(run_demo.time, "sleep", self.sleep)
        monkeypatch.setattr(run_demo.time, "monotonic", lambda: self.now)

    def sleep(self, seconds: float) -> None:
        self.now += seconds


class Ends:
    """A process that ends after some looks at it."""

    pid = 1 << 30
    started: list[float] = []

    def __init__(self, clock: Clock, after: float) -> None:
        self.clock, self.at = clock, clock.now + after
        Ends.started.append(clock.now)

    def poll(self) -> int | None:
        return 1 if self.clock.now >= self.at else None


def part(monkeypatch: pytest.MonkeyPatch, clock: Clock, after: float) -> run_demo.Part:
    Ends.started = []
    monkeypatch.setattr(run_demo.subprocess, "Popen", lambda *_, **__: Ends(clock, after))
    return run_demo.Part("worker", [], {})


def test_a_part_that_ends_is_started_again_with_growing_pauses(
    monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    clock = Clock(monkeypatch)
    dying = part(monkeypatch, clock, 1.0)
    while clock.now < 300:
        dying.keep()
        clock.sleep(0.25)
    gaps = [b - a for a, b in zip(Ends.started, Ends.started[1:], strict=False)]
    assert gaps[:3] == pytest.approx([2.0, 3.0, 5.0], abs=0.6) and max(gaps) < 32.5
    assert "The worker ended (1); it starts again in 1 s." in capsys.readouterr().out
    steady = part(monkeypatch, clock, 90.0)
    for _ in range(1_000):
        steady.keep()
        clock.sleep(1.0)
    assert steady.pause == 0.5 and len(Ends.started) > 8, "what lived long starts again at once"


def test_the_demo_waits_while_its_parts_live(
    monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    clock, tries = Clock(monkeypatch), []

    def refuses(address: str, timeout: float) -> None:
        tries.append(address)
        if len(tries) < 400:
            raise OSError("refused")

    monkeypatch.setattr(run_demo.urllib.request, "urlopen", refuses)
    # 80 seconds, far beyond any fixed patience
    assert run_demo._answers([part(monkeypatch, clock, 1e9)], lambda: False)
    said = capsys.readouterr().out.splitlines()
    assert len(said) == 15 and said[0].startswith("Waiting for the server to answer on port")
    tries.clear()
    assert not run_demo._answers([part(monkeypatch, clock, 1.0)], lambda: False)
    assert "ended before it answered" in capsys.readouterr().err


# ---- what is large goes in pieces ----


def test_a_table_is_gone_at_once_its_cells_after_it_and_a_kill_between_leaves_nothing(
    client: Client, step: Step, monkeypatch: pytest.MonkeyPatch
) -> None:
    version = step.trail.version
    table = version.table
    assert table is not None and ColumnPart.objects.filter(version=version).count() > removal.AT_ONCE // 4
    monkeypatch.setattr(removal, "AT_ONCE", 3)
    held: list[int] = []

    def killed(pieces: Any) -> None:
        held.append(pieces.count())
        raise SystemExit

    with monkeypatch.context() as ending, pytest.raises(SystemExit):
        ending.setattr(removal, "in_pieces", killed)
        client.post(reverse("tables:delete", args=[table.pk]))
    assert held[0] > 3, "cells wait until the table itself is gone"
    assert not Table.objects.filter(pk=table.pk).exists() and not Step.objects.filter(pk=step.pk).exists()
    assert client.get(reverse("tables:survey", args=[table.pk])).status_code == 404
    upkeep.clear_interrupted()
    assert ColumnPart.objects.exists(), "what is young may be somebody's work"
    Version.objects.update(created=timezone.now() - 2 * upkeep.ABANDONED)
    upkeep.clear_interrupted()
    assert (
        not Version.objects.exists() and not ColumnPart.objects.exists() and not SourcePart.objects.exists()
    )
