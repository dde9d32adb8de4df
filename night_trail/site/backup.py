"""Backup and restore: a copy that is whole, checked before it is called one.

SQLite keeps fresh pages beside the database; copying the files while somebody
writes gives a broken copy now and then. Here the database itself writes the
copy, from one moment, without holding up writers.
"""

from __future__ import annotations

import contextlib
import fcntl
import hashlib
import json
import os
import sqlite3
import subprocess
import sys
from pathlib import Path

from django.conf import settings
from django.core.management import call_command
from django.db import connection
from django.utils import timezone

from night_trail.core.errors import NightTrailError
from night_trail.core.language.spans import plain
from night_trail.core.questions.registry import words_of
from night_trail.tables.locks import held
from night_trail.tables.worker import alone
from night_trail.trails.models import Step
from night_trail.trails.pictures import Desk

COUNTED = {
    "auth_user": "people",
    "tables_table": "tables",
    "trails_trail": "trails",
    "trails_step": "steps",
    "trails_cairn": "cairns",
    "tales_tale": "tales",
    "tales_stop": "stops",
    "tables_columnpart": "parts of columns",
    "tables_sourcepart": "pieces of files",
}
PICTURES = 3
Counts = dict[str, int]


def backup(to: Path) -> Counts:
    """Write a checked copy of the database and return what it holds.

    Raises
    ------
    NightTrailError
        Where the file exists already, there is no room, or the copy does not
        hold what the database does; no file is left then.
    """
    if to.exists():
        raise NightTrailError(f"{to} exists already", "", "Choose another name, or remove it first.")
    draft = to.with_name(f".{to.name}.{os.getpid()}")
    try:
        os.close(os.open(draft, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600))
        with contextlib.closing(sqlite3.connect(_database())) as source:
            source.execute("BEGIN")
            before = _counts(source)  # begins to read: the copy is of this very moment
            with contextlib.closing(sqlite3.connect(draft)) as copy:
                source.backup(copy)
        _same_pictures(draft)
        _into_one_file(draft)
        found = check(draft)
        if found != before:
            raise NightTrailError(f"The copy holds {found} and not {before}", str(to), "Try again.")
        os.replace(draft, to)
    except sqlite3.Error as error:
        raise NightTrailError(f"The copy could not be written: {error}", str(to), "Try again.") from None
    except OSError as error:
        raise NightTrailError(f"The copy could not be written: {error.strerror}", str(to), "") from None
    finally:
        draft.unlink(missing_ok=True)
    return found


def restore(of: Path) -> tuple[Counts, Path | None]:
    """Put a copy in the place of the database; return what it holds and where the old one went.

    Raises
    ------
    NightTrailError
        Where the file is no whole copy, or a server or worker is running.
    """
    found = check(of)
    with nobody_serves(), alone():
        database = _database()
        database.parent.mkdir(parents=True, exist_ok=True)
        draft = database.with_suffix(".restored")
        draft.unlink(missing_ok=True)
        with (
            contextlib.closing(sqlite3.connect(f"file:{of}?mode=ro", uri=True)) as source,
            contextlib.closing(sqlite3.connect(draft)) as copy,
        ):
            source.backup(copy)
        connection.close()
        aside = None
        if database.exists():
            aside = database.with_name(f"{database.name}.before-{timezone.now():%Y%m%d-%H%M%S}")
            _into_one_file(database)
            os.replace(database, aside)
        os.replace(draft, database)
        call_command("migrate", verbosity=0)
        pictures(PICTURES)
    return found, aside


def _into_one_file(database: Path) -> None:
    """Take what lies in files beside a database into it."""
    with contextlib.closing(sqlite3.connect(database)) as open_one:
        open_one.execute("PRAGMA journal_mode=DELETE")


def check(file: Path) -> Counts:
    """Return what a copy holds, or refuse one that is not whole."""
    if not file.is_file():
        raise NightTrailError(f"There is no file {file}", "", "Name a backup.")
    try:
        with contextlib.closing(sqlite3.connect(f"file:{file}?mode=ro", uri=True)) as copy:
            said = [row[0] for row in copy.execute("PRAGMA integrity_check(3)")]
            if said != ["ok"]:
                raise NightTrailError(f"The copy is damaged ({said[0]})", str(file), "Take another one.")
            if copy.execute("PRAGMA foreign_key_check").fetchone() is not None:
                raise NightTrailError("The copy lacks rows that others name", str(file), "Take another one.")
            return _counts(copy)
    except sqlite3.Error as error:
        raise NightTrailError(f"The file is no backup ({error})", str(file), "Take another one.") from None


def pictures(most: int, among: list[int] | None = None) -> dict[str, str]:
    """Compute the newest pictures anew, of these steps or all, and return the hash of their words by step."""
    found = {}
    steps = Step.objects.select_related("trail__version__table").order_by("-pk")
    for step in (steps if among is None else steps.filter(pk__in=among)).iterator():
        scene = step.scene_value()
        if scene.main is None:
            continue
        desk = Desk(step.trail.version, scene)
        words = plain(words_of(desk.answer(scene.main), desk.table, scene.only).headline)
        found[str(step.pk)] = hashlib.sha256(words.encode()).hexdigest()
        if len(found) == most:
            break
    return found


def serving(how: int = fcntl.LOCK_SH) -> contextlib.AbstractContextManager[None]:
    """Let a restore know that a server runs here, for as long as the process lives."""
    return held("server.lock", how, "A server is running here", "Stop it first.")


def nobody_serves() -> contextlib.AbstractContextManager[None]:
    """Refuse where a server runs here, and keep one from starting."""
    return serving(fcntl.LOCK_EX | fcntl.LOCK_NB)


def _database() -> Path:
    return Path(str(settings.DATABASES["default"]["NAME"]))


def _counts(database: sqlite3.Connection) -> Counts:
    # names of tables are ours, from the list above
    return {
        words: database.execute(f"SELECT COUNT(*) FROM {name}").fetchone()[0]  # noqa: S608
        for name, words in COUNTED.items()
    }


def _same_pictures(copy: Path) -> None:
    """Refuse a copy whose newest pictures, computed from it alone, say something else."""
    code = (
        "import django, json; django.setup()\n"
        "from night_trail.site.backup import pictures\n"
        f"print(json.dumps(pictures({PICTURES})))"
    )
    told = subprocess.run(  # noqa: S603  (this very program)
        [sys.executable, "-c", code],
        env=os.environ | {"NIGHT_TRAIL_DATABASE": str(copy)},
        capture_output=True,
        text=True,
        check=False,
    )
    if told.returncode:
        raise NightTrailError("A picture could not be drawn from the copy", str(copy), told.stderr[-300:])
    there = json.loads(told.stdout)
    here = pictures(PICTURES, [int(step) for step in there])
    for step, words in there.items():
        if here.get(step, words) != words:
            raise NightTrailError(f"Step {step} says something else in the copy", str(copy), "Try again.")
