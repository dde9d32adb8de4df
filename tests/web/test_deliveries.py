"""Newer rows that come behind those that are there, by a command, and by a folder that is looked into."""

from __future__ import annotations

import io
import os
import time
from pathlib import Path

import polars as pl
import pytest
from django.conf import settings
from django.contrib.auth.models import User
from django.core.management import CommandError, call_command
from django.test import Client
from django.urls import reverse

from night_trail.people.models import Letter
from night_trail.tables import arrivals, deliveries
from night_trail.tables.arrivals import add_to_bundle, read_arrival
from night_trail.tables.deliveries import look_into_folders
from night_trail.tables.models import Arrival, Bundle, Table, Version
from night_trail.tables.services import core_table
from night_trail.tables.tasks import read_file
from tests.web.conftest import bring

FIRST = "day,line,riders\n2024-01-01,A,10\n2024-01-01,B,\n2024-01-02,A,12\n"
SECOND = "line,riders,day,note\nA,12,2024-01-02,old\nB,9,2024-01-03,wet\nB,9,2024-01-03,wet\n"


@pytest.fixture
def counts(owner: User, tmp_path: Path) -> Table:
    (tmp_path / "counts.csv").write_text(FIRST)
    table = bring(owner, tmp_path / "counts.csv").table
    assert table is not None
    return table


def deliver(table: Table, text: str, behind: str, tmp_path: Path) -> Arrival:
    path = tmp_path / f"next-{time.time_ns()}.csv"
    path.write_text(text)
    bundle = Bundle.objects.create(owner=table.owner, name=path.name)
    add_to_bundle(bundle, path, path.name, table)
    bundle.arrivals.update(behind=behind)
    arrival = bundle.arrivals.get()
    read_arrival(arrival)
    arrival.refresh_from_db()
    return arrival


def rows(table: Table) -> pl.DataFrame:
    table.refresh_from_db()
    found = core_table(table.latest)
    return pl.DataFrame({c.name: found.series(c.name).cast(pl.String) for c in found.columns})


def test_rows_come_behind_with_columns_matched_by_name(counts: Table, tmp_path: Path) -> None:
    done = deliver(counts, SECOND, "all", tmp_path)
    assert done.state == Arrival.State.DONE and done.said.startswith("6 rows")
    found = rows(counts)
    assert [day[-2:] for day in found["day"]] == ["01", "01", "02", "02", "03", "03"]
    assert found["line"].to_list() == ["A", "B", "A", "A", "B", "B"]
    assert [None if v is None else float(v) for v in found["riders"]] == [10, None, 12, 12, 9, 9]
    assert found["note"].to_list() == [None, None, None, "old", "wet", "wet"]
    assert "3 rows of next-" in counts.latest.notes[-1] and "behind the 3" in counts.latest.notes[-1]
    assert counts.versions.count() == 2 and not Version.objects.filter(table=None).exists()


def test_rows_that_are_there_already_are_left_out_when_asked(counts: Table, tmp_path: Path) -> None:
    same = FIRST + "2024-01-02,B,7\n2024-01-02,B,7\n"
    deliver(counts, same, "new", tmp_path)
    # repeats within a delivery are what it says; those of before are not counted twice
    assert rows(counts).height == 5
    assert "3 that were there already were left out" in counts.latest.notes[-1]
    before = counts.latest.pk
    refused = deliver(counts, FIRST, "new", tmp_path)
    assert refused.state == Arrival.State.FAILED and "are in counts already" in refused.said
    counts.refresh_from_db()
    assert counts.latest.pk == before and not Version.objects.filter(table=None).exists()


def test_two_deliveries_at_once_both_come(
    counts: Table, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    real = arrivals.appended
    asked = []

    def while_another_comes(arrival: Arrival, delivered: Version) -> tuple[Version, Version]:
        made = real(arrival, delivered)
        if not asked:
            asked.append(1)
            deliver(counts, "day,line,riders\n2024-02-01,C,1\n", "all", tmp_path)
        return made

    monkeypatch.setattr(arrivals, "appended", while_another_comes)
    deliver(counts, "day,line,riders\n2024-03-01,D,2\n", "all", tmp_path)
    assert rows(counts)["line"].to_list() == ["A", "B", "A", "C", "D"]
    assert not Version.objects.filter(table=None).exists()


def test_the_preview_asks_where_the_rows_are_put(client: Client, counts: Table, tmp_path: Path) -> None:
    with (tmp_path / "counts.csv").open("rb") as file:
        bundle = client.post(reverse("tables:deliver", args=[counts.pk]), {"file": file})["Location"]
    arrival = Arrival.objects.latest("pk")
    page = client.post(
        reverse("tables:decide", args=[arrival.pk]), {"placed": "all"}, headers={"HX-Request": "true"}
    )
    assert b'value="all" selected' in page.content
    client.post(reverse("tables:decide", args=[arrival.pk]), {"placed": "sideways"})
    arrival.refresh_from_db()
    assert arrival.behind == "all" and client.get(bundle).status_code == 200


def test_the_command_delivers_and_says_why_it_cannot(counts: Table, tmp_path: Path) -> None:
    path = tmp_path / "more.csv"
    path.write_text("day,line,riders\n2024-04-01,E,5\n")
    said = io.StringIO()
    call_command("deliver", "owner", "counts", str(path), "--behind", stdout=said)
    assert said.getvalue().startswith("counts: 4 rows") and rows(counts)["line"][-1] == "E"
    assert path.exists(), "the file stays where it is"
    call_command("deliver", "owner", str(counts.pk), str(path), stdout=said)
    assert rows(counts).height == 1
    with pytest.raises(CommandError, match="has no table nothing"):
        call_command("deliver", "owner", "nothing", str(path))
    with pytest.raises(CommandError, match="are in counts already"):
        call_command("deliver", "owner", "counts", str(path), "--new")
    path.write_bytes(b"\x00\x01\x02")
    with pytest.raises(CommandError):
        call_command("deliver", "owner", "counts", str(path))
    assert rows(counts).height == 1


def test_a_folder_is_looked_into_and_its_owner_is_told(
    counts: Table, other: User, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    root = tmp_path / "deliveries"
    monkeypatch.setattr(settings, "DELIVERIES", root)
    assert look_into_folders() == []
    behind = root / "owner" / "counts" / "behind"
    behind.mkdir(parents=True)
    (root / "other" / "counts").mkdir(parents=True)

    def lay(path: Path, text: str, age: float = 60) -> None:
        path.write_text(text)
        os.utime(path, (time.time() - age,) * 2)

    lay(behind / "february.csv", "day,line,riders\n2024-02-01,C,1\n")
    lay(behind / "still coming.csv", "day,line\n", age=0)
    lay(behind / "half.csv.part", "day,line\n")
    lay(root / "other" / "counts" / "a.csv", "x\n1\n")
    (behind / "link.csv").symlink_to("/etc/hosts")
    taken = look_into_folders()
    assert [a.file_name for a in taken] == ["february.csv"] and not (behind / "february.csv").exists()
    read_file.func(taken[0].pk)
    assert rows(counts)["line"].to_list() == ["A", "B", "A", "C"]
    letter = Letter.objects.get(to=counts.owner)
    assert letter.subject == "Newer rows in counts" and "february.csv: 4 rows" in letter.text
    lay(root / "owner" / "counts" / "bad.csv", "")
    (root / "owner" / "counts" / "bad.csv").write_bytes(b"\x00" * 400)
    os.utime(root / "owner" / "counts" / "bad.csv", (1, 1))
    for arrival in look_into_folders():
        read_file.func(arrival.pk)
    assert "refused" in Letter.objects.filter(to=counts.owner).first().subject
    assert rows(counts).height == 4
    monkeypatch.setattr(settings, "UPLOAD_LIMIT", 3)
    lay(root / "owner" / "counts" / "large.csv", "a,b,c\n1,2,3\n")
    assert look_into_folders() == []
    assert (root / "owner" / "counts" / "refused" / "large.csv").exists()
    assert "larger than" in Letter.objects.filter(to=counts.owner).first().text
    assert deliveries.table_of("other", "counts") is None
