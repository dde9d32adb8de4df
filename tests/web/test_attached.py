"""Attached tables in pages: what may be attached, the part and the whole, rows that change, nothing that leaks."""

from __future__ import annotations

import io
import os
import sqlite3
import time
import zipfile
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

import duckdb
import numpy as np
import polars as pl
import pytest
from django.conf import settings as house
from django.contrib.auth.models import User
from django.test import Client
from django.urls import reverse
from django.utils import timezone

from night_trail.core.conditions import OneOf
from night_trail.core.errors import Beyond, NightTrailError
from night_trail.core.measure import Measure
from night_trail.core.questions.compare.question import Compare
from night_trail.core.recipe.steps import Calculate, LeaveRepeats
from night_trail.core.turns import Beside, Light, Say, SeeColumn
from night_trail.jobs import work as jobs
from night_trail.jobs.models import Job
from night_trail.tables import quota, recipes, upkeep
from night_trail.tables.attached import drawing, opened, telling
from night_trail.tables.attached import engine as engines
from night_trail.tables.attached.where import Where, fingerprint, listed, parts_of
from night_trail.tables.models import Arrival, RolledUp, Table, Version
from night_trail.tales.models import Link, Tale
from night_trail.tales.services import add_stop
from night_trail.trails import pictures
from night_trail.trails.models import Step
from night_trail.trails.pictures import Desk
from night_trail.trails.services import cairn_at, start_trail, take_turn
from tests.web.conftest import client_of

ROWS = 4_000


def taps(n: int = ROWS, seed: int = 3) -> pl.DataFrame:
    rng = np.random.default_rng(seed)
    return pl.DataFrame(
        {
            "line": rng.choice(["N1", "N2", "N3", "N4"], n),
            "fare": np.round(rng.gamma(2, 1.5, n), 2),
            "tapped_at": pl.datetime_range(
                pl.datetime(2024, 1, 1), pl.datetime(2024, 6, 30), eager=True, interval="1h"
            ).sample(n, with_replacement=True, seed=seed),
        }
    )


@pytest.fixture
def root(tmp_path: Path, settings: Any, monkeypatch: pytest.MonkeyPatch) -> Path:
    """A folder that may be attached, with a folder of three parts; a part of 1,000 rows is drawn."""
    found = tmp_path / "depot"
    (found / "taps").mkdir(parents=True)
    for i, part in enumerate(taps().iter_slices(1_500)):
        part.write_parquet(found / "taps" / f"{i}.parquet")
    settings.ATTACH_ROOTS = [str(found)]
    monkeypatch.setattr(drawing, "PART_ROWS", 1_000)
    telling.forget()
    return found


def attached(client: Client, path: str = "taps", table: str = "") -> Table:
    client.post(reverse("tables:attach"), {"root": "depot", "path": path, "table": table})
    arrival = Arrival.objects.latest("pk")
    assert arrival.state == Arrival.State.DONE, arrival.said
    return Table.objects.get(pk=arrival.table_id)


def desk(owner: User, table: Table, words: str) -> Step:
    return take_turn(start_trail(owner, table), Say(words))


def page(client: Client, step: Step) -> str:
    return client.get(reverse("trails:step", args=[step.trail_id, step.pk])).content.decode()


def test_a_folder_is_attached_seen_in_part_and_counted_whole(client: Client, owner: User, root: Path) -> None:
    assert "taps" in client.get(reverse("tables:attach")).content.decode()
    table = attached(client)
    version = table.latest
    assert 800 < version.height < 1_200 and version.attached["rows"] == ROWS
    assert version.source_file is None and not list(house.INCOMING.glob("*-part-*"))
    survey = client.get(reverse("tables:survey", args=[table.pk])).content.decode()
    assert "4,000 rows stay where they are" in survey and "3 files at depot/taps" in survey
    step = desk(owner, table, "sum of fare by line")
    shown = page(client, step)
    assert "all 4,000 rows, as of" in shown and "drawn at random" not in shown
    assert "In 95 of 100" not in shown
    found = Desk(step.trail.version, step.scene_value()).answer(step.scene_value().main)
    truth = taps().group_by("line").agg(pl.col("fare").sum())
    assert {g.label: pytest.approx(g.value) for g in found.groups} == dict(truth.iter_rows())
    # what was told is kept: nothing is asked of an engine again
    assert RolledUp.objects.count() == 1 and Job.objects.get().finished


def test_what_was_told_is_kept_though_the_rows_are_gone(client: Client, owner: User, root: Path) -> None:
    table = attached(client)
    step = desk(owner, table, "sum of fare by line")
    page(client, step)
    for part in (root / "taps").iterdir():
        part.unlink()
    pictures.forget()
    telling.forget()
    assert "all 4,000 rows" in page(client, step)
    lit = take_turn(step, Light(OneOf("line", ("N2",))))
    assert "all 4,000 rows" in page(client, lit), "a mark that is drawn asks nothing"
    other = desk(owner, table, "average fare by month")
    shown = page(client, other)
    assert "all rows could not be counted" in shown and "holds no files" in shown
    assert "<svg" in shown
    assert (
        "others by now, or cannot be reached"
        in client.get(reverse("tables:survey", args=[table.pk])).content.decode()
    )


def test_rows_that_changed_are_looked_at_again_as_a_new_version(
    client: Client, owner: User, root: Path
) -> None:
    table = attached(client)
    step = desk(owner, table, "number of rows by line")
    before = page(client, step)
    taps(500, seed=9).with_columns(line=pl.lit("N9")).write_parquet(root / "taps" / "9.parquet")
    client.post(reverse("tables:look-again", args=[table.pk]))
    assert table.versions.count() == 2 and Table.objects.count() == 1
    assert Table.objects.get().latest.attached["rows"] == 4_500
    # the trail stays on the rows it was walked on
    assert "all 4,000 rows" in page(client, step) and ">N9<" not in page(client, step)
    assert before.count("<rect") == page(client, step).count("<rect")
    fresh = page(client, desk(owner, Table.objects.get(), "number of rows by line"))
    assert "all 4,500 rows" in fresh and ">N9<" in fresh


def test_a_value_the_part_has_not_seen_is_counted(client: Client, owner: User, root: Path) -> None:
    rare = taps(3, seed=1).with_columns(line=pl.lit("N0 <script>alert(1)</script>"))
    pl.concat([taps(), rare]).write_parquet(root / "rare.parquet")
    table = attached(client, "rare.parquet")
    step = desk(owner, table, "number of rows by line")
    shown = page(client, step)
    found = Desk(step.trail.version, step.scene_value()).answer(step.scene_value().main)
    assert {g.label: g.n for g in found.groups}["N0 <script>alert(1)</script>"] == 3
    assert "<script>alert" not in shown


@pytest.mark.parametrize(
    ("path", "says"),
    [
        ("../secret.parquet", "outside"),
        ("link.parquet", "outside"),
        ("linked/secret.parquet", "outside"),
        ("/etc/passwd", "outside"),
        ("nowhere.parquet", "not there any more"),
        ("notes.txt", "no file that can be attached"),
        ("empty", "holds no files"),
        ("mixed", "several kinds"),
        ("\x00", "not there any more"),
    ],
)
def test_nothing_outside_the_roots_is_attached(client: Client, root: Path, path: str, says: str) -> None:
    taps(20).write_parquet(root.parent / "secret.parquet")
    (root / "link.parquet").symlink_to(root.parent / "secret.parquet")
    (root / "linked").symlink_to(root.parent)
    (root / "notes.txt").write_text("hello")
    (root / "empty").mkdir()
    (root / "mixed").mkdir()
    taps(5).write_parquet(root / "mixed" / "a.parquet")
    taps(5).write_csv(root / "mixed" / "b.csv")
    seen = [one.where.path for one in listed()]
    assert "link.parquet" not in seen and not any("linked" in one for one in seen)
    refused = client.post(reverse("tables:attach"), {"root": "depot", "path": path})
    assert refused.status_code == 422 and says in refused.content.decode()
    assert not Arrival.objects.exists()


def test_a_part_that_leads_out_of_the_root_is_refused(client: Client, root: Path) -> None:
    taps(20).write_parquet(root.parent / "secret.parquet")
    (root / "taps" / "x.parquet").symlink_to(root.parent / "secret.parquet")
    # links are no parts: what they lead to is neither read nor told of
    assert len(parts_of(Where("depot", "taps"))[1]) == 3
    with pytest.raises(NightTrailError, match="no folder that may be attached"):
        parts_of(Where("elsewhere", "taps"))


def test_without_roots_nothing_is_offered(client: Client, settings: Any) -> None:
    settings.ATTACH_ROOTS = []
    assert "Attach rows" not in client.get(reverse("tables:home")).content.decode()
    assert "NIGHT_TRAIL_ATTACH" in client.get(reverse("tables:attach")).content.decode()


def test_whoever_may_not_change_a_table_does_not_look_again(client: Client, other: User, root: Path) -> None:
    table = attached(client)
    assert client_of(other).post(reverse("tables:look-again", args=[table.pk])).status_code == 404
    assert table.versions.count() == 1


def test_readers_of_a_tale_ask_nothing_of_an_engine(client: Client, owner: User, root: Path) -> None:
    step = desk(owner, attached(client), "average fare by line")
    tale = Tale.objects.create(owner=owner, title="Fares")
    add_stop(tale, cairn_at(step))
    walk = reverse("tales:walk", args=[Link.make(tale)[1]])
    RolledUp.objects.all().delete()
    Job.objects.all().delete()
    pictures.forget()
    shown = Client().get(walk, follow=True).content.decode()
    assert "<svg" in shown and "drawn at random" in shown and not Job.objects.exists()
    page(client, step)
    pictures.forget()
    assert "drawn at random" not in Client().get(walk, follow=True).content.decode()


def test_counting_is_stopped_and_taken_up_again(
    client: Client, owner: User, root: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    table = attached(client)
    step = desk(owner, table, "average fare by line")
    monkeypatch.setattr("night_trail.jobs.work.do", lambda job: None)
    assert 'id="pending"' in page(client, step)
    work = reverse("trails:work", args=[step.trail_id, step.pk])
    client.post(work)
    assert Job.objects.get().stopped and "counting all of them was stopped" in page(client, step)
    monkeypatch.undo()
    monkeypatch.setattr(drawing, "PART_ROWS", 1_000)
    client.post(work, {"go": "on"})
    assert "all 4,000 rows" in page(client, step)


def test_a_count_that_takes_long_says_that_it_goes_on(
    client: Client, owner: User, root: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    step = desk(owner, attached(client), "average fare by line")
    beats = []

    def long(
        version: object, attachment: object, part: object, roll: object, waits: Callable[[], bool]
    ) -> Any:
        Job.objects.update(moved=timezone.now() - 2 * jobs.STALLED)
        beats.append(waits())
        beats.append(Job.objects.get().moved > timezone.now() - jobs.STALLED)
        Job.objects.update(stopped=True)
        beats.append(waits())
        raise engines.Stopped("It was stopped")

    monkeypatch.setattr("night_trail.trails.whole.ask", long)
    assert "counting all of them was stopped" in page(client, step)
    assert beats == [True, True, False] and not RolledUp.objects.exists()


def test_a_picture_beside_is_waited_for_too(
    client: Client, owner: User, root: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    table = attached(client)
    step = desk(owner, table, "average fare by line")
    page(client, step)
    monkeypatch.setattr("night_trail.jobs.work.do", lambda job: None)
    both = take_turn(step, Beside(desk(owner, table, "sum of fare by month").scene_value().main))
    shown = page(client, both)
    assert "all 4,000 rows" in shown and 'id="pending"' in shown and Job.objects.count() == 2
    client.post(reverse("trails:work", args=[both.trail_id, both.pk]))
    assert [job.stopped for job in Job.objects.order_by("pk")] == [False, True]


def test_one_owner_sets_no_more_counts_waiting_than_others_can_bear(
    client: Client, owner: User, root: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    table, other = attached(client), attached(client)
    monkeypatch.setattr("night_trail.jobs.work.do", lambda job: None)
    monkeypatch.setattr("night_trail.trails.whole.MOST_WAITING", 1)
    first = desk(owner, table, "average fare by line")
    assert 'id="pending"' in page(client, first)
    second = desk(owner, other, "sum of fare by line")
    shown = page(client, second)
    assert "As many counts wait already as may (1)" in shown and "<svg" in shown and Job.objects.count() == 1
    assert 'id="pending"' in page(client, first), "what waits already goes on"
    Job.objects.update(done=1)
    assert 'id="pending"' in page(client, second) and Job.objects.count() == 2


def test_cells_that_do_not_say_enough_leave_the_part(
    client: Client, owner: User, root: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    step = desk(owner, attached(client), "average fare by line")

    def not_enough(*anything: object) -> None:
        raise Beyond("Something is kept or lit that was not asked for")

    monkeypatch.setattr("night_trail.trails.whole.whole_answer", not_enough)
    shown = page(client, step)
    assert "from a part" in shown and "was not asked for" in shown and "<svg" in shown


def test_an_engine_is_broken_off_when_nobody_waits(root: Path, settings: Any) -> None:
    with opened.opened(Where("depot", "taps")) as engine:
        one = engine.rows.select(a=engine.rows.fare)
        many = one.cross_join(one.rename(b="a")).cross_join(one.rename(c="a"))
        asked = many.aggregate(n=(many.a * many.b + many.c).sum())
        began = time.monotonic()
        with pytest.raises(engines.Stopped):
            engine.run(asked, lambda: time.monotonic() < began + 0.5)
        settings.ATTACH_SECONDS = 0
        with pytest.raises(NightTrailError, match="longer than the 0 s"):
            engine.run(asked)
        settings.ATTACH_SECONDS = 60
        # the engine goes on answering
        assert engine.run(engine.rows.aggregate(n=engine.rows.count()))["n"][0] == ROWS
    assert time.monotonic() < began + 20


def test_a_broken_file_says_so_and_leaves_nothing(client: Client, root: Path) -> None:
    (root / "broken.parquet").write_bytes(b"PAR1 not really")
    before = Version.objects.count()
    client.post(reverse("tables:attach"), {"root": "depot", "path": "broken.parquet"})
    arrival = Arrival.objects.latest("pk")
    assert arrival.state == Arrival.State.FAILED and "could not read it" in arrival.said
    assert Version.objects.count() == before and not list(house.INCOMING.glob("*-part-*"))


def _sqlite(path: Path, frame: pl.DataFrame) -> None:
    with sqlite3.connect(path) as database:
        database.execute('CREATE TABLE "ta\'ps" (line TEXT, fare REAL)')
        database.executemany('INSERT INTO "ta\'ps" VALUES (?, ?)', frame.select("line", "fare").iter_rows())


def _duck(path: Path, frame: pl.DataFrame) -> None:
    frame.write_parquet(path.with_suffix(".moved"))
    with duckdb.connect(str(path)) as database:
        database.execute(
            f"CREATE TABLE \"ta'ps\" AS SELECT * FROM read_parquet('{path.with_suffix('.moved')}')"
        )


def _arrow(path: Path, frame: pl.DataFrame) -> None:
    frame.write_ipc(path)


def _csv(path: Path, frame: pl.DataFrame) -> None:
    frame.write_csv(path)


@pytest.mark.parametrize(
    ("name", "write", "inner"),
    [
        ("a.sqlite", _sqlite, "ta'ps"),
        ("a.duckdb", _duck, "ta'ps"),
        ("a.arrow", _arrow, ""),
        ("a.csv", _csv, ""),
    ],
)
def test_other_files_and_databases_tell_the_same(
    client: Client,
    owner: User,
    root: Path,
    name: str,
    write: Callable[[Path, pl.DataFrame], None],
    inner: str,
) -> None:
    write(root / name, taps())
    assert any(one.where == Where("depot", name, inner) for one in listed())
    table = attached(client, name, inner)
    step = desk(owner, table, "average fare by line")
    assert "all 4,000 rows" in page(client, step)
    found = Desk(step.trail.version, step.scene_value()).answer(step.scene_value().main)
    truth = taps().group_by("line").agg(pl.col("fare").mean())
    assert {g.label: pytest.approx(g.value) for g in found.groups} == dict(truth.iter_rows())
    if inner:
        gone = client.post(reverse("tables:attach"), {"root": "depot", "path": name, "table": "no such"})
        assert gone.status_code == 302 and "no table “no such”" in Arrival.objects.latest("pk").said


def test_few_rows_are_all_at_hand_and_no_engine_is_asked(client: Client, owner: User, root: Path) -> None:
    taps(300).write_parquet(root / "few.parquet")
    table = attached(client, "few.parquet")
    step = desk(owner, table, "median of fare by line")
    shown = page(client, step)
    assert "300 rows · exact" in shown and "drawn at random" not in shown and not Job.objects.exists()


def test_a_column_that_a_recipe_changed_is_told_from_the_part(
    client: Client, owner: User, root: Path
) -> None:
    table = attached(client)
    core = Table.objects.get(pk=table.pk)
    at = [c.name for c in core.latest.column_list()].index("fare")
    client.post(
        reverse("tables:column", args=[table.pk, at]) + "change/",
        {"kind": "category", "unit": "", "saw": core.latest.pk},
    )
    plain = page(client, desk(owner, Table.objects.get(pk=table.pk), "number of rows by line"))
    assert "all 4,000 rows" in plain


def test_rows_that_a_recipe_took_away_are_not_estimated_for_all(
    client: Client, owner: User, root: Path
) -> None:
    table = attached(client)
    recipes.take_step(table, LeaveRepeats())
    shown = page(client, desk(owner, Table.objects.get(pk=table.pk), "number of rows by line"))
    assert "that a recipe made of a part of 4,000" in shown and "estimates" not in shown
    assert "In 95 of 100" not in page(client, desk(owner, Table.objects.get(pk=table.pk), "fare"))
    assert "A step of the recipe changed which rows there are" in shown and not Job.objects.exists()


def test_nothing_is_put_behind_attached_rows(
    client: Client, owner: User, root: Path, few_buses_csv: Path
) -> None:
    table = attached(client)
    with few_buses_csv.open("rb") as file:
        refused = client.post(reverse("tables:deliver", args=[table.pk]), {"file": file})
    assert refused.status_code == 422 and "stay where they are" in refused.content.decode()
    assert 'id="deliver"' not in client.get(reverse("tables:survey", args=[table.pk])).content.decode()


def test_what_needs_the_rows_says_so_with_the_way_on(client: Client, owner: User, root: Path) -> None:
    step = desk(owner, attached(client), "fare by line as a density curve")
    shown = page(client, step)
    assert "drawn at random" in shown and "needs the rows themselves" in shown
    assert "In 95 of 100 such parts the mean of fare is within" in shown
    assert 'id="pending"' not in shown
    rows = client.get(reverse("trails:rows", args=[step.trail_id, step.pk])).content.decode()
    assert "of a part:" in rows


def test_a_fingerprint_follows_size_time_and_name(root: Path) -> None:
    parts = sorted((root / "taps").iterdir())
    first = fingerprint(parts)
    os.utime(parts[0], ns=(1, 1))
    second = fingerprint(parts)
    assert len({first, second, fingerprint(parts[:2])}) == 3
    parts[2].unlink()
    with pytest.raises(NightTrailError, match="not there any more"):
        fingerprint(parts)


def test_an_engine_that_does_not_hear_at_once_is_broken_off_again() -> None:
    class Deaf:
        asked = 0

        @property
        def con(self) -> Deaf:
            return self

        def interrupt(self) -> None:
            self.asked += 1

        def to_pyarrow(self, expression: Any) -> Any:
            while self.asked < 3:
                time.sleep(0.01)
            raise RuntimeError("interrupted")

    deaf = Deaf()
    with ThreadPoolExecutor(1) as hand, pytest.raises(engines.Stopped):
        opened.Engine(hand, deaf, None, Where("depot", "taps")).run(None, lambda: False)
    assert deaf.asked == 3


def test_a_count_that_nobody_waits_for_is_laid_down_and_taken_up_again(
    client: Client, owner: User, root: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    step = desk(owner, attached(client), "average fare by line")
    with monkeypatch.context() as still:
        still.setattr(jobs, "_set_going", lambda job: None)
        assert "All of them are being counted" in page(client, step)
    Job.objects.update(looked=timezone.now() - 2 * jobs.LEFT)
    waiting = Job.objects.get()
    jobs.do(waiting)
    waiting.refresh_from_db()
    assert not (waiting.finished or waiting.refused or waiting.stopped) and not RolledUp.objects.exists()
    # an engine at work is broken off as well
    looked = iter([False, True])
    monkeypatch.setattr("night_trail.trails.whole.is_left", lambda job: next(looked, True))
    monkeypatch.setattr(engines, "LOOKED", 0.0)
    jobs.do(waiting)
    assert not RolledUp.objects.exists() and not Job.objects.get().refused
    monkeypatch.undo()
    assert "all 4,000 rows" in page(client, step)
    assert Job.objects.get().finished


def test_two_who_ask_the_same_have_it_counted_once(client: Client, owner: User, root: Path) -> None:
    table = attached(client)
    first, second = (desk(owner, table, "average fare by line") for _ in range(2))
    page(client, first)
    assert "all 4,000 rows" in page(client, second)
    assert Job.objects.count() == 1 and RolledUp.objects.count() == 1


def test_what_is_taken_along_says_which_rows_it_is_of(client: Client, owner: User, root: Path) -> None:
    table = attached(client)
    tale = Tale.objects.create(owner=owner, title="Fares")
    for words in ("average fare by line", "fare by line as a density curve"):
        step = desk(owner, table, words)
        page(client, step)
        add_stop(tale, cairn_at(step))
    packed = client.get(reverse("tales:take", args=[tale.pk, "notebook"]))
    with zipfile.ZipFile(io.BytesIO(packed.content)) as found:
        script = found.read("tale.py").decode()
    assert "of all 4,000 attached rows, and the file holds a part of them" in script
    first, last = (
        client.get(reverse("tales:own-walk-stop", args=[tale.pk, at])).content.decode() for at in (1, 2)
    )
    assert "All 4,000 rows, as of" in first and "From a part: " in last
    written = client.get(reverse("tales:take", args=[tale.pk, "html"])).content.decode()
    assert written.count("drawn at random") == 1, "the counted picture needs no caution, the other has one"


def test_an_overview_and_the_digest_say_they_are_of_a_part(client: Client, owner: User, root: Path) -> None:
    table = attached(client)
    client.post(reverse("tales:overview-of", args=[table.pk]))
    tale = Tale.objects.get()
    walk = reverse("tales:walk", args=[Link.make(tale)[1]])
    assert "of the part at hand" in Client().get(walk, follow=True).content.decode()
    short = client.get(reverse("trails:table-in-short", args=[table.pk])).content.decode()
    assert "This is told from a part" in short and "of 4,000 rows, drawn at random" in short


def test_signposts_say_that_they_were_found_in_a_part(client: Client, root: Path) -> None:
    dear = pl.when(pl.col("line") == "N1").then(pl.col("fare") + 9).otherwise(pl.col("fare"))
    taps().with_columns(fare=dear).write_parquet(root / "dear.parquet")
    begin = reverse("trails:begin", args=[attached(client, "dear.parquet").pk])
    shown = client.get(begin).content.decode()
    assert 'class="signpost"' in shown and "Found in a part: " in shown and "of 4,000 rows" in shown
    taps(300).with_columns(fare=dear).write_parquet(root / "few.parquet")
    shown = client.get(reverse("trails:begin", args=[attached(client, "few.parquet").pk])).content.decode()
    assert 'class="signpost"' in shown and "Found in a part" not in shown


def test_cells_count_for_their_owner_and_go_with_the_table(client: Client, owner: User, root: Path) -> None:
    table = attached(client)
    before = quota.used_by(owner)
    page(client, desk(owner, table, "average fare by line"))
    assert quota.used_by(owner) > before
    client.post(reverse("tables:delete", args=[table.pk]), {"sure": "yes"})
    assert not Table.objects.filter(pk=table.pk).exists() and not RolledUp.objects.exists()
    # the rows themselves are nobody's to delete
    assert len(list((root / "taps").iterdir())) == 3


def test_attaching_that_was_interrupted_says_so_and_leaves_nothing(
    client: Client, owner: User, root: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("night_trail.tables.tasks.read_arrival", lambda arrival: None)
    client.post(reverse("tables:attach"), {"root": "depot", "path": "taps"})
    Arrival.objects.update(state=Arrival.State.READING, version=Version.objects.create())
    assert upkeep.clear_interrupted() == 1
    arrival = Arrival.objects.get()
    assert arrival.state == Arrival.State.FAILED and arrival.said.endswith("Attach it again.")
    assert not Version.objects.exists() and not list(house.INCOMING.glob("*-part-*"))


def test_a_column_the_recipe_left_alone_is_still_counted(client: Client, owner: User, root: Path) -> None:
    table = attached(client)
    recipes.take_step(table, Calculate("dear", "fare > 5"))
    now = Table.objects.get(pk=table.pk)
    assert "all 4,000 rows" in page(client, desk(owner, now, "average fare by line"))
    told = page(client, desk(owner, now, "number of rows by dear"))
    assert "“dear” was read otherwise than it is there" in told and "estimates from" in told


def test_names_that_look_like_commands_are_only_names(client: Client, owner: User, root: Path) -> None:
    hostile = {
        'a"; DROP TABLE x; --': ["n", "s", "e"] * 500,
        "<script>alert(1)</script>": [0.5, 1.5, 4.0] * 500,
    }
    frame = pl.DataFrame(hostile | {"y" * 200: ["1", "2", "3"] * 500, "🦋": [True, False, None] * 500})
    frame.write_parquet(root / 'it\'s "odd" <b>.parquet')
    table = attached(client, 'it\'s "odd" <b>.parquet')
    names = [c.name for c in table.latest.column_list()]
    step = take_turn(start_trail(owner, table), SeeColumn(names[1]))
    shown = page(client, step)
    assert "all 1,500 rows" in shown and "<script>alert" not in shown
    asked = Compare(Measure("mean", names[1]), names[0])
    shown = page(client, take_turn(step, Beside(asked)))
    assert "<script>alert" not in shown and "drawn at random" not in shown
    assert "<b>.parquet" not in client.get(reverse("tables:attach")).content.decode()
