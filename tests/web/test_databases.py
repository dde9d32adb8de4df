"""Tables of a database on a server: attached, counted there, and nothing of its password anywhere."""

from __future__ import annotations

import logging
import os
import shutil
import socket
import subprocess
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import polars as pl
import psycopg
import pytest
from django.contrib.auth.models import User
from django.db import connection
from django.test import Client
from django.urls import reverse

from night_trail.core.conditions import Between, Contains, OneOf
from night_trail.core.turns import Light, SeeColumn
from night_trail.tables.attached import drawing, telling
from night_trail.tables.attached.engine import Stopped
from night_trail.tables.attached.opened import opened
from night_trail.tables.attached.sealed import open_seal, seal
from night_trail.tables.attached.where import Where
from night_trail.tables.models import Arrival, Database, RolledUp, Table
from night_trail.trails.pictures import Desk
from night_trail.trails.services import start_trail, take_turn
from tests.web.conftest import client_of
from tests.web.test_attached import ROWS, desk, page, taps

SECRET = "moth's wing; 7 %"
HOSTILE = 'late"; DROP TABLE taps; --'


def _programs() -> Path | None:
    found = [Path("/usr/lib/postgresql"), Path("/usr/local/bin"), Path("/usr/bin")]
    paths = [
        p for folder in found for p in (folder, *sorted(folder.glob("*/bin"))) if (p / "initdb").exists()
    ]
    return paths[-1] if paths else None


@pytest.fixture(scope="session")
def server() -> Iterator[str]:
    """A PostgreSQL server of its own, as host:port; its tables are taps, of 4,000 rows, and a view."""
    programs = _programs()
    if programs is None:
        pytest.skip("PostgreSQL is not installed here")
    folder = Path(tempfile.mkdtemp(prefix="nt-postgres-"))
    # the server refuses to be run by root
    as_whom: dict[str, Any] = {"user": "nobody"} if os.getuid() == 0 else {}
    if as_whom:
        shutil.chown(folder, "nobody")
    quiet: dict[str, Any] = {"stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL, "cwd": folder}
    password = folder / "password"
    password.write_text(SECRET)
    password.chmod(0o644)
    data = str(folder / "data")
    made = [str(programs / "initdb"), "-D", data, "-A", "scram-sha-256", "-U", "moth", "-E", "UTF8", "-N"]
    subprocess.run([*made, "--pwfile", str(password)], check=True, **as_whom, **quiet)
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    options = ["-p", str(port), "-k", "", "-c", "listen_addresses=127.0.0.1", "-c", "fsync=off"]
    running = subprocess.Popen([str(programs / "postgres"), "-D", data, *options], **as_whom, **quiet)
    for _ in range(100):
        try:
            with _opened(port) as base:
                _fill(base)
            break
        except psycopg.OperationalError:
            time.sleep(0.1)
    yield f"127.0.0.1:{port}"
    running.terminate()
    running.wait(timeout=20)
    shutil.rmtree(folder, ignore_errors=True)


def _opened(port: int) -> psycopg.Connection:
    where = {"host": "127.0.0.1", "port": port, "user": "moth", "dbname": "postgres"}
    return psycopg.connect(**where, password=SECRET, autocommit=True)


def _fill(base: psycopg.Connection) -> None:
    base.execute("CREATE TABLE taps (line text, fare numeric(8,2), tapped_at timestamp, wet boolean)")
    with base.cursor().copy("COPY taps FROM STDIN") as copy:
        for at, row in enumerate(taps().iter_rows()):
            copy.write_row((*row, None if at % 9 == 0 else at % 4 == 0))
    base.execute(
        f"CREATE VIEW {psycopg.sql.Identifier(HOSTILE).as_string(base)} AS SELECT * FROM taps WHERE wet"
    )
    base.execute("CREATE ROLE reader LOGIN PASSWORD 'reads'")


@pytest.fixture
def reached(
    server: str, client: Client, owner: User, settings: Any, monkeypatch: pytest.MonkeyPatch
) -> Database:
    """The database as the owner has said how it is reached."""
    settings.ATTACH_SERVERS = [server]
    monkeypatch.setattr(drawing, "PART_ROWS", 1_000)
    telling.forget()
    said = {"name": "depots", "server": server, "database": "postgres", "user": "moth", "secret": SECRET}
    answer = client.post(reverse("tables:add-database"), said, follow=True)
    assert "public.taps" in answer.content.decode()
    return Database.objects.get(owner=owner)


def attached(client: Client, reached: Database, table: str = "taps") -> Table:
    said = {"server": reached.pk, "path": "public", "table": table}
    client.post(reverse("tables:attach"), said)
    arrival = Arrival.objects.latest("pk")
    assert arrival.state == Arrival.State.DONE, arrival.said
    return Table.objects.get(pk=arrival.table_id)


def test_a_table_is_seen_in_part_and_counted_where_it_is(
    client: Client, owner: User, reached: Database
) -> None:
    table = attached(client, reached)
    assert 800 < table.latest.height < 1_200 and table.latest.attached["rows"] == ROWS
    survey = client.get(reverse("tables:survey", args=[table.pk])).content.decode()
    assert "the database depots, table public.taps, as of" in survey and "are not noticed" in survey
    step = desk(owner, table, "sum of fare by line")
    assert f"all {ROWS:,} rows, as of" in page(client, step)
    found = Desk(step.trail.version, step.scene_value()).answer(step.scene_value().main)
    truth = taps().group_by("line").agg(pl.col("fare").sum())
    assert {g.label: pytest.approx(g.value) for g in found.groups} == dict(truth.iter_rows())


@pytest.mark.parametrize(
    ("words", "lit", "truth"),
    [
        ("average of fare by line", OneOf("line", ("N1", "N2")), pl.col("line").is_in(["N1", "N2"])),
        ("sum of fare by tapped_at", Between("fare", 2.0, 5.0), pl.col("fare").is_between(2, 5, closed="left")),
        ("fare by hour of tapped_at", Contains("line", "3"), pl.col("line").str.contains("3")),
        ("line with wet", OneOf("wet", ("yes",)), pl.col("wet")),
        ("median of fare by line", OneOf("wet", ("no",)), ~pl.col("wet")),
    ],
)  # fmt: skip
def test_what_is_lit_is_counted_as_the_rows_say(
    client: Client, owner: User, reached: Database, words: str, lit: Any, truth: pl.Expr
) -> None:
    table = attached(client, reached)
    step = take_turn(desk(owner, table, words), Light(lit))
    shown = page(client, step)
    assert f"all {ROWS:,} rows, as of" in shown, words
    every = taps().with_columns(wet=pl.int_range(ROWS) % 4 == 0)
    every = every.with_columns(wet=pl.when(pl.int_range(ROWS) % 9 != 0).then("wet"))
    answer = Desk(step.trail.version, step.scene_value()).answer(step.scene_value().main)
    assert answer.basis.lit == every.filter(truth).height


def test_the_password_is_in_no_page_no_log_no_row_and_no_package(
    client: Client, owner: User, other: User, reached: Database, caplog: pytest.LogCaptureFixture, server: str
) -> None:
    caplog.set_level(logging.DEBUG)
    assert open_seal(reached.secret) == SECRET
    table = attached(client, reached)
    step = desk(owner, table, "sum of fare by line")
    pages = [page(client, step)]
    for name, args in (("attach", []), ("database", [reached.pk]), ("survey", [table.pk])):
        pages.append(client.get(reverse(f"tables:{name}", args=args)).content.decode())
    said = {"name": "again", "server": server, "database": "none such", "user": "moth", "secret": SECRET}
    pages.append(client.post(reverse("tables:add-database"), said).content.decode())
    pages.append(
        client.post(reverse("tables:database", args=[reached.pk]), {"secret": SECRET + "!"}).content.decode()
    )
    for shown in (*pages, caplog.text):
        assert SECRET not in shown and SECRET.replace("'", "&#x27;") not in shown
    with connection.cursor() as cursor:
        for name in connection.introspection.table_names(cursor):
            cursor.execute(f'SELECT * FROM "{name}"')
            assert SECRET not in repr(cursor.fetchall()), name
    # another person sees nothing of it, and attaches nothing with it
    theirs = client_of(other)
    for name in ("database", "forget-database"):
        assert theirs.post(reverse(f"tables:{name}", args=[reached.pk]), {"secret": "x"}).status_code == 404
    answer = theirs.post(reverse("tables:attach"), {"server": reached.pk, "path": "public", "table": "taps"})
    assert answer.status_code == 404 and Database.objects.get().secret == reached.secret


@pytest.mark.parametrize(
    ("changed", "sentence"),
    [
        ({"secret": "wrong"}, "password authentication failed"),
        ({"server": "127.0.0.1:1"}, "no server that may be reached"),
        ({"server": "10.0.0.9:5432"}, "no server that may be reached"),
        ({"database": "none such"}, "does not exist"),
        ({"database": "host=10.0.0.9 dbname=x"}, "does not exist"),
        ({"name": " "}, "A name is needed"),
        ({"name": "n" * 101}, "at most 100"),
        ({"user": "moth\x00"}, "cannot be opened"),
    ],
)  # fmt: skip
def test_what_cannot_be_reached_is_said_in_a_sentence_and_the_form_stays(
    client: Client, server: str, settings: Any, changed: dict[str, str], sentence: str
) -> None:
    settings.ATTACH_SERVERS = [server]
    said = {"name": "depots", "server": server, "database": "postgres", "user": "moth", "secret": SECRET}
    answer = client.post(reverse("tables:add-database"), said | changed)
    shown = answer.content.decode()
    assert answer.status_code == 422 and sentence in shown and 'value="moth' in shown
    assert not Database.objects.exists()


def test_a_name_is_given_once(client: Client, reached: Database, server: str) -> None:
    said = {"name": "depots", "server": server, "database": "postgres", "user": "moth", "secret": SECRET}
    answer = client.post(reverse("tables:add-database"), said)
    assert answer.status_code == 422 and "called depots already" in answer.content.decode()
    assert Database.objects.count() == 1


def test_a_hostile_view_a_table_that_is_gone_and_rights_that_are_lacking(
    client: Client, owner: User, reached: Database, server: str
) -> None:
    table = attached(client, reached, HOSTILE)
    assert table.latest.height == sum(at % 4 == 0 and at % 9 != 0 for at in range(ROWS))
    assert "&quot;; DROP TABLE taps" in client.get(reverse("tables:survey", args=[table.pk])).content.decode()
    for name in ("none", 'taps"; DROP TABLE taps; --', "pg_authid"):
        client.post(reverse("tables:attach"), {"server": reached.pk, "path": "public", "table": name})
        arrival = Arrival.objects.latest("pk")
        assert arrival.state == Arrival.State.FAILED and "not there any more" in arrival.said
    said = {"name": "read", "server": server, "database": "postgres", "user": "reader", "secret": "reads"}
    shown = client.post(reverse("tables:add-database"), said, follow=True).content.decode()
    assert "may read no table here" in shown and "public.taps" not in shown


TYPES = """
CREATE TABLE types AS SELECT md5(i::text)::uuid AS uid, ('10.0.0.' || i % 9)::inet AS net, (i % 7)::numeric / 3 AS exact,
  'NaN'::numeric AS nothing, (i % 9)::text::money AS paid, point(i, i) AS at, int4range(i, i + 2) AS span, array[i, 2] AS both,
  ('{"a": 1}')::jsonb AS js, decode('ff', 'hex') AS raw, i * interval '1 min' AS waited, time '10:00' + i * interval '1 s' AS hour,
  CASE WHEN i % 5 = 0 THEN 'NaN'::float8 WHEN i % 7 = 0 THEN 'Infinity'::float8 ELSE i * 1.5 END AS wild,
  CASE WHEN i % 4 = 0 THEN 'infinity'::timestamp ELSE timestamp '2024-01-01' + i * interval '1 h' END AS moment,
  CASE WHEN i % 4 = 0 THEN date '4713-01-01 BC' ELSE date '9999-12-31' END AS day,
  timestamptz '2024-03-31 00:30+02' + i * interval '13 min' AS zoned, 9223372036854775807 - i AS huge
FROM generate_series(1, 3000) i
"""


def test_what_only_databases_have_is_told_in_kinds_that_tables_have(
    client: Client, owner: User, reached: Database, server: str
) -> None:
    with _opened(int(server.rpartition(":")[2])) as base:
        base.execute(TYPES)
    table = attached(client, reached, "types")
    kinds = {c.name: str(c.kind) for c in table.latest.column_list()}
    assert kinds["exact"] == "number" and kinds["moment"] == "date and time" and kinds["day"] == "date"
    assert {kinds[n] for n in ("uid", "at", "span")} <= {"identifier", "text"} and kinds[
        "waited"
    ] == "duration"
    for name in kinds:
        shown = page(client, take_turn(start_trail(owner, table), SeeColumn(name)))
        assert "all 3,000 rows, as of" in shown or "from a part:" in shown, name
        assert "could not read it" not in shown, name
    step = desk(owner, table, "sum of exact by net")
    assert "all 3,000 rows, as of" in page(client, step)
    found = Desk(step.trail.version, step.scene_value()).answer(step.scene_value().main)
    assert sum(g.value for g in found.groups) == pytest.approx(sum(i % 7 / 3 for i in range(1, 3_001)))


def test_nothing_can_be_written_and_rows_that_are_more_by_now_are_not_counted(
    client: Client, owner: User, reached: Database, server: str
) -> None:
    table = attached(client, reached)
    port = int(server.rpartition(":")[2])
    with _opened(port) as base:
        base.execute("INSERT INTO taps SELECT * FROM taps LIMIT 5")
        try:
            for words in ("sum of fare by line", "sum of fare by wet where fare is above 3"):
                shown = page(client, desk(owner, table, words))
                assert (
                    "rows could not be counted" in shown and "others than those that were attached" in shown
                )
            assert not RolledUp.objects.exists()
            with (
                opened(Where("depots", "public", "taps", reached.pk)) as engine,
                pytest.raises(Exception) as no,
            ):
                engine._hand.submit(engine._connection.raw_sql, "DELETE FROM taps").result()
            assert "read-only" in str(no.value)
        finally:
            base.execute("DELETE FROM taps WHERE ctid IN (SELECT ctid FROM taps ORDER BY ctid DESC LIMIT 5)")


def test_a_count_that_nobody_waits_for_is_broken_off_there(reached: Database, server: str) -> None:
    with opened(Where("depots", "public", "taps", reached.pk)) as engine:
        one, two, three = (engine.rows.select(**{name: engine.rows.fare}) for name in "abc")
        many = one.cross_join(two).cross_join(three).count()
        with pytest.raises(Stopped):
            engine.run(many, lambda: False)
    with _opened(int(server.rpartition(":")[2])) as base:
        asked = "SELECT count(*) FROM pg_stat_activity WHERE application_name = 'night-trail' AND state = 'active'"
        for _ in range(50):
            if base.execute(asked).fetchone() == (0,):
                return
            time.sleep(0.1)
    pytest.fail("the server still works on it")


def test_a_database_that_was_forgotten_or_is_away_leaves_what_was_told(
    client: Client, owner: User, reached: Database, settings: Any
) -> None:
    table = attached(client, reached)
    step = desk(owner, table, "sum of fare by line")
    page(client, step)
    assert RolledUp.objects.count() == 1
    own = settings.SECRET_KEY
    settings.SECRET_KEY = "another key"
    Database.objects.update(secret=seal(SECRET))
    settings.SECRET_KEY = own
    shown = page(client, desk(owner, table, "average of fare by wet"))
    assert "cannot be read with this server’s key" in shown
    settings.ATTACH_SERVERS = []
    shown = page(client, desk(owner, table, "sum of fare by tapped_at"))
    assert "may not be reached any more" in shown
    client.post(reverse("tables:forget-database", args=[reached.pk]))
    shown = page(client, desk(owner, table, "line with wet"))
    assert "depots was forgotten" in shown and "others than those" not in shown
    assert f"all {ROWS:,} rows, as of" in page(client, step)
