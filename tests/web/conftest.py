"""People, a table, a trail and a tale for tests of pages."""

from __future__ import annotations

import shutil
from pathlib import Path
from typing import Any

import pytest
from django.conf import settings
from django.contrib.auth.models import User
from django.db import connection
from django.test import Client

from night_trail.core.turns import Light, SeeColumn
from night_trail.core.words_in import index
from night_trail.demo.story import WET
from night_trail.tables import cache
from night_trail.tables.arrivals import add_to_bundle, read_arrival
from night_trail.tables.models import Arrival, Bundle, Table
from night_trail.tales.models import Tale
from night_trail.tales.services import add_stop
from night_trail.trails import pictures
from night_trail.trails.models import Step
from night_trail.trails.services import cairn_at, start_trail, take_turn


@pytest.fixture(autouse=True)
def fresh_caches() -> None:
    # ids begin anew with every test; what was kept under them is another table's
    cache.forget()
    pictures.forget()
    index.forget()


@pytest.fixture
def owner(db: None) -> User:
    return User.objects.create_user("owner", password="a long enough secret")


@pytest.fixture
def other(db: None) -> User:
    return User.objects.create_user("other", password="a long enough secret")


def client_of(user: User | None) -> Client:
    client = Client()
    if user is not None:
        client.force_login(user, backend="django.contrib.auth.backends.ModelBackend")
    return client


@pytest.fixture
def client(owner: User) -> Client:
    return client_of(owner)


def bring(owner: User, path: Path) -> Arrival:
    """Read a file the way the worker does."""
    kept = settings.INCOMING / f"test-{owner.pk}-{path.name}"
    shutil.copy(path, kept)
    bundle = Bundle.objects.create(owner=owner, name=path.name)
    add_to_bundle(bundle, kept, path.name)
    arrival = bundle.arrivals.get()
    read_arrival(arrival)
    return arrival


Rows = dict[str, list[tuple[Any, ...]]]
_read: dict[tuple[str, str], Rows] = {}
"""What reading a file put into an empty database, by the file and what was there before."""


def _all_rows() -> Rows:
    with connection.cursor() as cursor:
        found = {}
        for name in connection.introspection.table_names(cursor):
            cursor.execute(f'SELECT * FROM "{name}"')
            found[name] = cursor.fetchall()
    return found


def _put_rows(rows: Rows) -> None:
    # tables refer to each other in a circle
    with connection.constraint_checks_disabled(), connection.cursor() as cursor:
        cursor.execute("PRAGMA defer_foreign_keys = ON")
        for name, added in rows.items():
            if added:
                places = ", ".join(["%s"] * len(added[0]))
                cursor.executemany(f'INSERT INTO "{name}" VALUES ({places})', added)


def bring_again(owner: User, path: Path) -> Table:
    """Read a file the way the worker does, or put in its place what that wrote before."""
    before = _all_rows()
    # who came in when is no reason to read anew
    there = {name: [row[0] for row in rows] for name, rows in before.items() if name != "django_session"}
    key = (str(path), f"{owner.pk} {there!r}")
    if key in _read:
        _put_rows(_read[key])
        return Table.objects.latest("pk")
    found = bring(owner, path).table
    after = _all_rows()
    assert all(set(before[name]) <= set(after[name]) for name in after), "reading only adds rows"
    _read[key] = {name: [row for row in rows if row not in before[name]] for name, rows in after.items()}
    return found


@pytest.fixture
def table(owner: User, few_buses_csv: Path) -> Table:
    return bring_again(owner, few_buses_csv)


@pytest.fixture
def step(owner: User, table: Table) -> Step:
    """A step with a histogram whose wet nights are lit."""
    return take_turn(take_turn(start_trail(owner, table), SeeColumn("late_min")), Light(WET))


@pytest.fixture
def tale(owner: User, step: Step) -> Tale:
    tale = Tale.objects.create(owner=owner, title="Why are we late?")
    add_stop(tale, None)
    add_stop(tale, cairn_at(step))
    return tale
