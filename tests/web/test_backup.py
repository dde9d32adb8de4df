"""Backups: whole, checked, taken while others write; what is no backup is refused and harms nothing."""

from __future__ import annotations

import sqlite3
import threading
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from django.contrib.auth.models import User
from django.db import connection

from night_trail.cli import main
from night_trail.core.errors import NightTrailError
from night_trail.core.turns import SeeColumn
from night_trail.site import backup as saving
from night_trail.site.backup import backup, check, nobody_serves, restore, serving
from night_trail.tables.models import Table
from night_trail.trails.models import Step, Trail
from night_trail.trails.services import start_trail, take_turn
from tests.web.conftest import bring


@pytest.fixture
def trail(transactional_db: None, few_buses_csv: Path) -> Iterator[Step]:
    owner = User.objects.create_user("owner")
    table = bring(owner, few_buses_csv).table
    assert table is not None
    yield take_turn(start_trail(owner, table), SeeColumn("late_min"))


@pytest.fixture
def unlooked(monkeypatch: pytest.MonkeyPatch) -> None:
    """Backups without the pictures, which another test looks at: a process of its own takes seconds."""
    monkeypatch.setattr(saving, "_same_pictures", lambda _: None)


def test_a_backup_taken_while_others_write_is_of_one_moment_and_comes_back(
    trail: Step, tmp_path: Path
) -> None:
    stop = threading.Event()

    def writes() -> None:
        i = 0
        while not stop.is_set():
            i += 1
            Trail.objects.filter(pk=trail.trail_id).update(title=f"title {i}")
            stop.wait(0.002)
        connection.close()

    busy = threading.Thread(target=writes)
    busy.start()
    try:
        found = backup(tmp_path / "copy.sqlite3")
    finally:
        stop.set()
        busy.join()
    assert found["tables"] == 1 and found["steps"] == 2 and found == check(tmp_path / "copy.sqlite3")
    assert [p.name for p in tmp_path.iterdir()] == ["copy.sqlite3"]
    assert (tmp_path / "copy.sqlite3").stat().st_mode & 0o077 == 0, "it holds what only its owners may read"
    Table.objects.all().delete()
    restored, aside = restore(tmp_path / "copy.sqlite3")
    assert restored == found and aside is not None and check(aside)["tables"] == 0
    step = Step.objects.get(pk=trail.pk)
    assert saving.pictures(5)[str(step.pk)] and Table.objects.get().latest.height > 2_000
    aside.unlink()


def test_what_exists_is_not_written_over(trail: Step, tmp_path: Path, capsys: Any) -> None:
    there = tmp_path / "there.sqlite3"
    there.write_text("precious")
    assert main(["backup", str(there)]) == 2 and "exists already" in capsys.readouterr().err
    assert there.read_text() == "precious"
    assert main(["backup", str(tmp_path / "no" / "such.sqlite3")]) == 2
    assert "could not be written" in capsys.readouterr().err


def test_what_is_no_whole_backup_is_refused(trail: Step, unlooked: None, tmp_path: Path) -> None:
    good = tmp_path / "good.sqlite3"
    backup(good)
    data = good.read_bytes()
    bad = tmp_path / "bad.sqlite3"
    middle = len(data) // 2
    for content in (b"", b"no database", data[:middle], data[:4096] + b"\xff" * 8192 + data[12288:]):
        bad.write_bytes(content)
        with pytest.raises(NightTrailError):
            restore(bad)
    with sqlite3.connect(bad.with_name("orphans.sqlite3")) as orphans:
        orphans.executescript("CREATE TABLE x (a)")
    with pytest.raises(NightTrailError, match="no backup"):
        restore(bad.with_name("orphans.sqlite3"))
    with pytest.raises(NightTrailError, match="no file"):
        restore(tmp_path / "none")
    assert Table.objects.count() == 1


def test_a_copy_that_says_something_else_is_no_backup(
    trail: Step, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(saving, "pictures", lambda *_: {str(trail.pk): "otherwise"})
    with pytest.raises(NightTrailError, match="something else"):
        backup(tmp_path / "copy.sqlite3")
    assert not list(tmp_path.iterdir())


def test_nothing_is_restored_under_a_server_or_a_worker(trail: Step, unlooked: None, tmp_path: Path) -> None:
    backup(tmp_path / "copy.sqlite3")
    with serving(), pytest.raises(NightTrailError, match="A server is running here"):
        restore(tmp_path / "copy.sqlite3")
    with saving.alone(), pytest.raises(NightTrailError, match="Another worker"):
        restore(tmp_path / "copy.sqlite3")
    with serving(), serving():
        pass
    with nobody_serves():
        pass
