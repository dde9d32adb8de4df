"""Tables of Spark: counted there by the expressions that other engines run, with the same figures."""

from __future__ import annotations

import contextlib
import time
from collections.abc import Iterator
from typing import Any

import ibis
import polars as pl
import pytest
from django.contrib.auth.models import User
from django.test import Client
from django.urls import reverse

from bench.spark import NoSpark, running, session, through_a_door
from night_trail.core.attached.engine import Attached
from night_trail.core.conditions import Between, Contains, OneOf
from night_trail.core.errors import NightTrailError
from night_trail.core.turns import Light, SeeColumn
from night_trail.tables.attached import drawing, reaching, spark, telling
from night_trail.tables.attached.engine import Stopped
from night_trail.tables.attached.opened import opened
from night_trail.tables.attached.where import Where
from night_trail.tables.models import Arrival, Database, RolledUp, Table
from night_trail.trails.pictures import Desk
from night_trail.trails.services import start_trail, take_turn
from tests.core.test_attached import FROM_THE_PART, Kept, must_be_alike, native
from tests.golden import PICTURES, table_of
from tests.web.test_attached import ROWS, desk, page, taps


@contextlib.contextmanager
def _running() -> Iterator[str]:
    try:
        with running() as address:
            yield address
    except NoSpark as lacking:
        pytest.skip(str(lacking))


@pytest.fixture(scope="module")
def server(tmp_path_factory: pytest.TempPathFactory) -> Iterator[str]:
    """A Spark with tables of taps, of every type it has, and of nothing."""
    folder = tmp_path_factory.mktemp("spark")
    # a tap is wet, dry or not known
    wet = pl.when(pl.int_range(ROWS) % 9 != 0).then(pl.int_range(ROWS) % 4 == 0)
    taps().with_columns(wet=wet).write_parquet(folder / "taps.parquet")
    with _running() as address:
        with session(address) as made:
            made.sql(f"CREATE TABLE taps USING parquet LOCATION '{folder / 'taps.parquet'}'")
            made.sql("CREATE DATABASE sheds")
            made.sql(TYPES)
            made.sql("CREATE VIEW sheds.long AS SELECT id % 7 AS k FROM range(60000000)")
            made.sql("CREATE TABLE sheds.empty AS SELECT line, fare FROM taps WHERE fare < 0")
        yield address


TYPES = """
CREATE TABLE sheds.types AS SELECT CAST(id % 7 AS DECIMAL(20, 4)) / 3 AS exact, array(id, 2) AS both, map('a', id) AS told,
  named_struct('x', id, 'y', 'z') AS at, CAST('moth' AS BINARY) AS raw, id * INTERVAL '1' MINUTE AS waited,
  CASE WHEN id % 5 = 0 THEN double('NaN') WHEN id % 7 = 0 THEN double('Infinity') ELSE id * 1.5D END AS wild,
  timestamp_ntz'2024-03-31 00:30:00' + make_dt_interval(0, 0, CAST(id * 13 AS INT)) AS local,
  timestamp'2024-03-31 00:30:00 Europe/Lisbon' + make_dt_interval(0, CAST(id AS INT)) AS zoned,
  CASE WHEN id % 4 = 0 THEN date'0001-01-01' ELSE date'9999-12-31' END AS day, 9223372036854775807 - id AS huge,
  CONCAT('s', id % 9) AS `late``; DROP TABLE taps; --` FROM range(3000)
"""


@pytest.fixture
def reached(
    server: str, client: Client, owner: User, settings: Any, monkeypatch: pytest.MonkeyPatch
) -> Database:
    """Spark as the owner has said how it is reached."""
    settings.ATTACH_SERVERS = [server]
    monkeypatch.setattr(drawing, "PART_ROWS", 1_000)
    telling.forget()
    answer = client.post(reverse("tables:add-database"), {"name": "depots", "server": server}, follow=True)
    assert "default.taps" in answer.content.decode() and "sheds.empty" in answer.content.decode()
    return Database.objects.get(owner=owner)


def attached(client: Client, reached: Database, path: str, table: str) -> Table:
    client.post(reverse("tables:attach"), {"server": reached.pk, "path": path, "table": table})
    arrival = Arrival.objects.latest("pk")
    assert arrival.state == Arrival.State.DONE, arrival.said
    return Table.objects.get(pk=arrival.table_id)


@pytest.fixture(scope="module")
def buses(server: str, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Kept]:
    """All trips, in the memory, a part of them at hand, and all of them in Spark."""
    folder = tmp_path_factory.mktemp("buses")
    kept = Kept(folder, native(table_of("buses")))
    with session(server) as made:
        made.sql(f"CREATE TABLE buses USING parquet LOCATION '{folder / 'whole.parquet'}'")
        connection = ibis.pyspark.connect(made)
        engine = spark.Spark(
            None, connection, connection.table("buses"), Where("depots", "default", "buses", 1)
        )  # type: ignore[arg-type]
        kept.attached = Attached(engine.rows, kept.part, kept.fields)
        kept.fetch = lambda expression: pl.from_arrow(engine._brought(expression))  # type: ignore[assignment, method-assign]
        yield kept


@pytest.mark.parametrize(
    "name", [n for n, (table, *_) in PICTURES.items() if table == "buses" and n not in FROM_THE_PART]
)
def test_every_picture_through_spark_is_that_of_the_rows(buses: Kept, name: str) -> None:
    must_be_alike(buses, name)


def test_a_table_is_seen_in_part_and_counted_where_it_is(
    client: Client, owner: User, reached: Database
) -> None:
    table = attached(client, reached, "default", "taps")
    assert 800 < table.latest.height < 1_200 and table.latest.attached["rows"] == ROWS
    survey = client.get(reverse("tables:survey", args=[table.pk])).content.decode()
    assert "the database depots, table default.taps, as of" in survey and "are not noticed" in survey
    every = taps().with_columns(wet=pl.int_range(ROWS) % 4 == 0)
    every = every.with_columns(wet=pl.when(pl.int_range(ROWS) % 9 != 0).then("wet"))
    for words, lit, truth in (
        ("sum of fare by line", OneOf("line", ("N1", "N2")), pl.col("line").is_in(["N1", "N2"])),
        ("average of fare by tapped_at", Between("fare", 2.0, 5.0), pl.col("fare").is_between(2, 5, closed="left")),
        ("line with wet", OneOf("wet", ("yes",)), pl.col("wet")),
        ("median of fare by line", Contains("line", "3"), pl.col("line").str.contains("3")),
    ):  # fmt: skip
        step = take_turn(desk(owner, table, words), Light(lit))
        assert f"all {ROWS:,} rows, as of" in page(client, step), words
        answer = Desk(step.trail.version, step.scene_value()).answer(step.scene_value().main)
        assert answer.basis.lit == every.filter(truth).height


def test_what_only_spark_has_is_told_in_kinds_that_tables_have(
    client: Client, owner: User, reached: Database
) -> None:
    table = attached(client, reached, "sheds", "types")
    kinds = {c.name: str(c.kind) for c in table.latest.column_list()}
    assert kinds["exact"] == kinds["wild"] == "number" and kinds["local"] == kinds["zoned"] == "date and time"
    assert kinds["day"] == "date" and {kinds[n] for n in ("both", "told", "at")} <= {
        "identifier",
        "text",
        "category",
    }
    for name in kinds:
        shown = page(client, take_turn(start_trail(owner, table), SeeColumn(name)))
        assert "all 3,000 rows, as of" in shown or "from a part:" in shown, name
        assert "could not" not in shown, name
    step = desk(owner, table, "sum of exact by late`; DROP TABLE taps; --")
    assert "all 3,000 rows, as of" in page(client, step)
    found = Desk(step.trail.version, step.scene_value()).answer(step.scene_value().main)
    assert sum(g.value for g in found.groups) == pytest.approx(sum(i % 7 / 3 for i in range(3_000)))
    assert attached(client, reached, "sheds", "empty").latest.height == 0


def test_what_is_not_there_is_said_and_more_rows_are_not_counted(
    client: Client, owner: User, reached: Database, server: str
) -> None:
    for path, name in (("default", "none"), ("none", "taps"), ("default", "taps`; DROP TABLE taps; --")):
        client.post(reverse("tables:attach"), {"server": reached.pk, "path": path, "table": name})
        arrival = Arrival.objects.latest("pk")
        assert arrival.state == Arrival.State.FAILED and "not there any more" in arrival.said, name
    with session(server) as made:
        made.sql("CREATE TABLE grows AS SELECT line, fare FROM taps")
        table = attached(client, reached, "default", "grows")
        made.sql("INSERT INTO grows SELECT line, fare FROM taps LIMIT 5")
    shown = page(client, desk(owner, table, "sum of fare by line"))
    assert "rows could not be counted" in shown and "others than those that were attached" in shown
    assert not RolledUp.objects.exists()


def test_a_count_that_nobody_waits_for_is_broken_off(reached: Database) -> None:
    with opened(Where("depots", "sheds", "long", reached.pk)) as engine:
        began = time.monotonic()
        with pytest.raises(Stopped):
            engine.run(engine.rows.aggregate(s=engine.rows.k.sum()), lambda: time.monotonic() < began + 1)
        # the hand is free again, and the session answers
        assert engine.run(engine.rows.limit(3).aggregate(n=engine.rows.limit(3).count()))["n"][0] == 3


def test_a_token_is_in_nothing_that_is_said_and_what_cannot_be_reached_is_a_sentence(
    client: Client, settings: Any, server: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(reaching, "PATIENCE", 1)
    nobody = "sc://127.0.0.1:1"
    settings.ATTACH_SERVERS = [server, nobody]
    token = "moth's token; 7 %"
    for changed, sentence in (
        ({"server": nobody}, "cannot be opened (Connection refused)"),
        ({"server": "sc://10.0.0.9:15002"}, "no server that may be reached"),
        ({"server": server + "/;use_ssl=true"}, "no server that may be reached"),
        ({"database": "none such"}, "cannot be opened"),
        ({"secret": token}, "cannot be opened (failed to connect"),
        ({"name": ""}, "A name is needed"),
    ):
        said = {"name": "depots", "server": server, "user": "moth"} | changed
        answer = client.post(reverse("tables:add-database"), said)
        assert answer.status_code == 422 and sentence in answer.content.decode(), changed
        assert token not in answer.content.decode() and "moth&#x27;s token" not in answer.content.decode()
    assert not Database.objects.exists()


def test_a_spark_that_dies_in_the_middle_leaves_what_was_told(
    client: Client, owner: User, settings: Any, server: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(drawing, "PART_ROWS", 1_000)
    telling.forget()
    with through_a_door(server) as (address, shut):
        settings.ATTACH_SERVERS = [address]
        client.post(reverse("tables:add-database"), {"name": "depots", "server": address})
        kept = Database.objects.get()
        table = attached(client, kept, "default", "taps")
        step = desk(owner, table, "sum of fare by line")
        assert f"all {ROWS:,} rows, as of" in page(client, step)
        began = time.monotonic()

        def waits() -> bool:
            if time.monotonic() > began + 1:
                shut()
            return True

        with (
            opened(Where("depots", "sheds", "long", kept.pk)) as engine,
            pytest.raises(NightTrailError) as dies,
        ):
            engine.run(engine.rows.aggregate(s=engine.rows.k.sum()), waits)
        assert "The engine could not read it" in str(dies.value) and time.monotonic() < began + 30
    shown = page(client, desk(owner, table, "average of fare by line where fare is above 3"))
    assert "rows could not be counted" in shown and "cannot be opened" in shown
    assert f"all {ROWS:,} rows, as of" in page(client, step)
