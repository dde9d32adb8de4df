"""Files that arrive: decided on in a preview, read, cancelled, killed in the middle, delivered anew."""

from __future__ import annotations

import datetime as dt
import html
import os
import re
import signal
import sqlite3
import subprocess
import sys
import time
from pathlib import Path

import msgspec
import pytest
from django.conf import settings
from django.contrib.auth.models import User
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import connection
from django.test import Client
from django.urls import reverse
from django.utils import timezone

from attack.bombs import hidden_corner
from night_trail.core.reading.aside import Aside
from night_trail.tables import upkeep
from night_trail.tables.arrivals import add_to_bundle
from night_trail.tables.models import Arrival, Bundle, ColumnPart, SourceFile, Table, Version
from night_trail.tables.services import core_table

pytestmark = pytest.mark.django_db
HX = {"HX-Request": "true"}
ROOT = Path(__file__).resolve().parents[2]
MESSY = b"Light traps;;\n\nnight;lux;moths\n" + b"".join(
    f"{d:02d}/04/2024;{d},5;{d}\n".encode() for d in range(1, 13)
)


def bring(client: Client, *files: tuple[str, bytes], into: Table | None = None) -> Bundle:
    """Bring files as the page does and stay at their preview."""
    address = reverse("tables:deliver", args=[into.pk]) if into else reverse("tables:bring")
    response = client.post(address, {"file": [SimpleUploadedFile(n, c) for n, c in files]})
    assert response.status_code == 302, response.content[:400]
    return Bundle.objects.latest("pk")


def page(client: Client, bundle: Bundle, **asked: str) -> str:
    return client.get(reverse("tables:bundle", args=[bundle.pk]), asked).content.decode()


def decide(client: Client, arrival: Arrival, **posted: object) -> str:
    kept = {"header": "auto"} | posted
    return client.post(reverse("tables:decide", args=[arrival.pk]), kept, headers=HX).content.decode()


def read_all(client: Client, bundle: Bundle, *wanted: Arrival) -> None:
    client.post(reverse("tables:read", args=[bundle.pk]), {"table": [a.pk for a in wanted]})


def test_decisions_show_at_once_are_kept_and_read(client: Client) -> None:
    bundle = bring(client, ("traps.csv", MESSY))
    shown = page(client, bundle)
    for words in ("Windows-1252", "semicolons", "row 3", "a comma", "1.5", "2024-04-01"):
        assert words in shown, words
    assert "look like day/month/year" in page(client, bundle, column="0")
    arrival = bundle.arrivals.get()
    shown = decide(client, arrival, date_order="month", missing="1.5, none")
    assert "2024-01-04" in shown and "As guessed at first" in shown
    column = {"position": "2", "kind": "text", "name": "caught", "wanted": "on"}
    assert "caught" in decide(client, arrival, **column)
    # only one of the shown columns stays ticked
    decide(client, arrival, date_order="month", missing="1.5", shown=["0", "1", "2"], wanted=["1", "2"])
    read_all(client, bundle)
    table = Table.objects.get()
    core = core_table(table.latest)
    assert [c.name for c in core.columns] == ["lux", "caught"] and str(core.column("caught").kind) == "text"
    assert core.series("lux").to_list()[:2] == [None, 2.5]
    assert any("as chosen by hand" in note for note in table.latest.notes)
    assert client.get(reverse("tables:bundle", args=[bundle.pk])).url == reverse(
        "tables:survey", args=[table.pk]
    )


def test_remedies_ticked_in_the_preview_are_the_first_steps_of_the_recipe(client: Client) -> None:
    rows = "".join(f"{i},{i % 5 + 1} of 5,{9999 if i < 3 else i}\n" for i in range(60))
    bundle = bring(client, ("ratings.csv", f"n,rating,moths\n{rows}".encode()))
    shown = page(client, bundle)
    assert "rating is read as a number from 1 to 5" in shown and "in moths 9,999 counts as missing" in shown
    offers = [html.unescape(o) for o in re.findall(r'name="remedy" value="([^"]+)"', shown)]
    arrival = bundle.arrivals.get()
    shown = decide(client, arrival, remedies="1", remedy=offers)
    assert len(re.findall(r'name="remedy"[^>]*checked', shown)) == len(offers) == 2
    wrong = client.post(reverse("tables:decide", args=[arrival.pk]), {"remedies": "1", "remedy": ["{}"]})
    assert wrong.status_code == 422 and len(Arrival.objects.get().remedies) == 2
    read_all(client, bundle)
    table = Table.objects.get()
    core = core_table(table.latest)
    assert core.column("rating").top == 5 and core.series("moths").null_count() == 3
    client.post(reverse("tables:take-back", args=[table.pk, 0]))
    table.refresh_from_db()
    assert len(table.latest.steps()) == 1


def test_two_tabs_of_a_preview_decide_side_by_side(client: Client) -> None:
    rows = "".join(f"{i},{i % 5 + 1} of 5,{9999 if i < 3 else i}\n" for i in range(60))
    bundle = bring(client, ("ratings.csv", f"n,rating,moths\n{rows}".encode()))
    arrival = bundle.arrivals.get()
    shown = page(client, bundle)
    saw = html.unescape(re.findall(r'name="saw" value="([^"]+)"', shown)[0])
    # both pages were loaded before either decided
    decide(client, arrival, saw=saw, missing="17")
    decide(client, arrival, saw=saw, footer="2")
    decide(client, arrival, saw=saw, position="2", name="caught", kind="", wanted="on")
    decide(client, arrival, saw=saw, position="0", name="night", kind="", wanted="on")
    kept = Arrival.objects.get().settings_value()
    assert (kept.missing, kept.footer) == (("17",), 2)
    assert {name: c.name for name, c in kept.columns.items()} == {"moths": "caught", "n": "night"}
    # a field that both changed is as the later one wants it; what is no settings is refused
    decide(client, arrival, saw=saw, footer="3")
    assert Arrival.objects.get().settings_value().footer == 3
    assert 'role="alert"' in decide(client, arrival, saw='{"footer": "x"}', footer="4")
    assert Arrival.objects.get().settings_value().footer == 3

    offers = [html.unescape(o) for o in re.findall(r'name="remedy" value="([^"]+)"', shown)]
    assert len(offers) == 2
    decide(client, arrival, remedies="1", remedy=offers[:1])
    decide(client, arrival, remedies="1", remedy=offers[1:])
    assert len(Arrival.objects.get().remedies) == 2
    had = [html.unescape(o) for o in re.findall(r'name="had" value="([^"]+)"', page(client, bundle))]
    assert had == offers
    decide(client, arrival, remedies="1", had=had, remedy=offers[:1])
    decide(client, arrival, remedies="1", had=had, remedy=offers)
    assert len(Arrival.objects.get().remedies) == 1, "what one took out, the other left alone"


@pytest.mark.parametrize(
    ("posted", "says"),
    [
        ({"encoding": "utf-16"}, "UTF-16"),
        ({"position": "0", "name": "lux", "wanted": "on"}, "Another column is called “lux”"),
        ({"position": "77"}, "There is no such column"),
        ({"shown": ["0", "1", "2"], "wanted": []}, "No column is wanted"),
        ({"header": "900"}, ""),
    ],
)
def test_a_decision_that_cannot_be_is_said_and_those_before_stay(
    client: Client, posted: dict[str, object], says: str
) -> None:
    bundle = bring(client, ("traps.csv", MESSY))
    arrival = bundle.arrivals.get()
    decide(client, arrival, date_order="month")
    kept = Arrival.objects.get().settings
    shown = decide(client, arrival, **posted)
    assert 'role="alert"' in shown and says in shown
    assert Arrival.objects.get().settings == kept
    # without scripts the same is said on a whole page
    whole = client.post(reverse("tables:decide", args=[arrival.pk]), {"header": "auto"} | posted)
    assert b"<!doctype html>" in whole.content and says.encode() in whole.content
    assert "start-over" in page(client, bundle)
    decide(client, arrival, **{"start-over": "1"})
    assert Arrival.objects.get().settings == {}


def test_several_files_become_tables_of_one_bundle_those_not_wanted_do_not(client: Client) -> None:
    rows = "".join(f"S{i},{i}\n" for i in range(30))
    bundle = bring(
        client,
        ("jan.csv", f"stop,riders\n{rows}".encode()),
        ("feb.csv", f"stop,riders\n{rows}".encode()),
        ("stops.csv", b"stop,valley\n" + b"".join(b"S%d,up\n" % i for i in range(30))),
        ("notes.pdf", b"%PDF-1.4"),
    )
    made = {a.title: a for a in bundle.arrivals.all()}
    shown = page(client, bundle, table=str(made["stops"].pk))
    assert "a PDF document" in shown and "Read <b>stops</b>" in shown
    decide(client, made["jan"], want="on", table=[made["jan"].pk, made["stops"].pk])
    assert [a.title for a in bundle.arrivals.filter(wanted=True).order_by("pk")] == ["jan", "stops"]
    assert client.post(reverse("tables:read", args=[bundle.pk])).status_code == 422
    read_all(client, bundle, made["jan"], made["stops"], made["feb"])
    assert sorted(Table.objects.values_list("name", flat=True)) == ["feb", "jan", "stops"]
    shown = page(client, bundle)
    assert "3 tables arrived together" in shown and "jan and feb have nearly the same columns" in shown
    assert "jan and stops by <b>stop</b>" in shown
    assert not any(Path(a.path).exists() for a in bundle.arrivals.all())


def test_sheets_share_their_file_which_is_kept_once(client: Client, tmp_path: Path) -> None:
    base = tmp_path / "t.sqlite"
    with sqlite3.connect(base) as made:
        made.executescript("CREATE TABLE a (x INT); CREATE TABLE b (y INT); INSERT INTO b VALUES (3)")
    bundle = bring(client, ("t.sqlite", base.read_bytes()))
    read_all(client, bundle, *bundle.arrivals.all())
    assert {t.name for t in Table.objects.all()} == {"t · a", "t · b"} and SourceFile.objects.count() == 1
    for table in Table.objects.all():
        client.post(reverse("tables:delete", args=[table.pk]))
    assert not Table.objects.exists() and not ColumnPart.objects.exists()


def test_a_preview_given_up_leaves_nothing(client: Client) -> None:
    bundle = bring(client, ("traps.csv", MESSY))
    path = Path(bundle.arrivals.get().path)
    assert path.exists() and "traps" in client.get("/").content.decode()
    assert client.post(reverse("tables:cancel", args=[bundle.pk])).url == reverse("tables:home")
    assert not path.exists() and not Version.objects.exists() and not SourceFile.objects.exists()
    assert bundle.arrivals.get().state == Arrival.State.CANCELLED


def test_a_fresh_delivery_is_read_and_treated_like_the_rows_before(client: Client) -> None:
    bundle = bring(client, ("traps.csv", MESSY))
    decide(client, bundle.arrivals.get(), date_order="month")
    read_all(client, bundle)
    table = Table.objects.get()
    for step in (
        {"step": "to missing", "column": "moths", "values": [3]},
        {"step": "cut", "column": "lux", "name": "band", "edges": [5]},
    ):
        client.post(reverse("tables:step", args=[table.pk]), {"step": msgspec.json.encode(step).decode()})
    trail_version = Table.objects.get().latest
    fresh = MESSY.replace(b"lux", b"light") + b"05/04/2024;3,5;3\n"
    client.post(reverse("tables:read", args=[bring(client, ("traps 2.csv", fresh), into=table).pk]))
    table.refresh_from_db()
    now = table.latest
    assert now.height == 13 and now.pk != trail_version.pk and len(now.steps()) == 2
    core = core_table(now)
    assert core.series("moths").null_count() == 2
    assert core.series("night")[-1] == dt.date(2024, 5, 4), "the order of dates decided before is kept"
    said = " ".join(now.complaints)
    assert "Columns that are gone: lux." in said and "Columns that were not there before: light." in said
    assert "Not done: band cuts lux at 5. There is no column “lux”" in said
    assert said.split(". ")[0][:20] in client.get(reverse("tables:survey", args=[table.pk])).content.decode()
    # the rows before stay where trails stand on them
    assert core_table(trail_version).height == 12 and "band" in core_table(trail_version)


def test_a_file_is_read_again_otherwise_into_the_same_table(client: Client) -> None:
    bundle = bring(client, ("traps.csv", MESSY))
    read_all(client, bundle)
    table = Table.objects.get()
    response = client.post(reverse("tables:again", args=[table.pk]))
    again = Bundle.objects.latest("pk")
    assert response.url == reverse("tables:bundle", args=[again.pk])
    decide(client, again.arrivals.get(), footer="2")
    read_all(client, again)
    table.refresh_from_db()
    assert (Table.objects.count(), table.latest.height, table.versions.count()) == (1, 10, 2)
    SourceFile.objects.all().delete()
    gone = client.post(reverse("tables:again", args=[table.pk]))
    assert gone.status_code == 422 and b"was not kept" in gone.content


def test_hostile_names_stay_words_on_every_page_of_an_arrival(client: Client) -> None:
    hostile = '<script>alert("x")</script>'
    bundle = bring(
        client, (f"{hostile}.csv", f'"{hostile.replace(chr(34), chr(34) * 2)}",b\n{hostile},2\n'.encode())
    )
    shown = page(client, bundle) + page(client, bundle, column="0", sought=hostile)
    read_all(client, bundle)
    table = Table.objects.get()
    for name in ("survey", "calculate", "join", "stack", "survey-page"):
        shown += client.get(reverse(f"tables:{name}", args=[table.pk])).content.decode()
    shown += client.get(reverse("tables:column", args=[table.pk, 0])).content.decode()
    assert "<script>alert" not in shown and "&lt;script&gt;alert" in shown


def test_a_file_with_500_columns_is_decided_on_and_found_by_name(client: Client) -> None:
    names = ",".join(f"trap {i}" for i in range(500))
    bundle = bring(client, ("wide.csv", f"{names}\n{','.join(['1'] * 500)}\n".encode() * 1))
    shown = page(client, bundle)
    assert "460 more columns" in shown and len(shown) < 200_000
    assert "trap 499" in page(client, bundle, sought="trap 499")
    read_all(client, bundle)
    pk = Table.objects.get().pk
    found = client.get(
        reverse("tables:survey", args=[pk]), {"sought": "trap 49"}, headers=HX
    ).content.decode()
    assert found.count("survey-line") == 11 and "trap 48<" not in found
    none = client.get(reverse("tables:survey", args=[pk]), {"kind": "date"}).content.decode()
    assert "No column is like that" in none


KILLED = """
import os, sys, django
django.setup()
from night_trail.tables import arrivals, cache
from night_trail.tables.models import Arrival
kept = cache.keep
def slow(version, position, cells):
    kept(version, position, cells)
    print("kept", position, flush=True)
    if position == 3:
        sys.stdin.read()  # hold on, until killed
cache.keep = slow
arrivals.read_arrival(Arrival.objects.get())
"""


def managed(command: list[str], environment: dict[str, str], **more: object) -> subprocess.Popen[str]:
    return subprocess.Popen(
        [sys.executable, *command],
        cwd=ROOT,
        env=os.environ | environment,
        text=True,
        stdout=subprocess.PIPE,
        stdin=subprocess.PIPE,
        start_new_session=True,
    )


def test_a_worker_killed_while_it_reads_leaves_no_half_table_and_the_next_says_so(
    db: None, tmp_path: Path, few_buses_csv: Path
) -> None:
    environment = {
        "NIGHT_TRAIL_VAR": str(tmp_path),
        "DJANGO_SETTINGS_MODULE": "night_trail.site.settings.demo",
    }
    base = tmp_path / "night_trail.sqlite3"

    def run(code: str) -> str:
        process = managed(["-c", code], environment)
        out, _ = process.communicate(timeout=60)
        assert process.returncode == 0
        return out

    with sqlite3.connect(connection.settings_dict["NAME"]) as made, sqlite3.connect(base) as own:
        made.backup(own)  # its tables, and nothing in them
    run(
        "import django; django.setup()\n"
        "import shutil\nfrom pathlib import Path\nfrom django.conf import settings\n"
        "from django.contrib.auth.models import User\n"
        "from night_trail.tables.arrivals import add_to_bundle\nfrom night_trail.tables.models import Bundle\n"
        "owner = User.objects.create_user('owner')\nsettings.INCOMING.mkdir(parents=True, exist_ok=True)\n"
        f"kept = settings.INCOMING / 'trips'\nshutil.copy({str(few_buses_csv)!r}, kept)\n"
        "bundle = Bundle.objects.create(owner=owner, name='trips.csv')\n"
        "add_to_bundle(bundle, Path(kept), 'trips.csv')\n"
    )
    reading = managed(["-c", KILLED], environment)
    assert reading.stdout is not None
    for line in reading.stdout:
        if line.startswith("kept 3"):
            break
    os.killpg(reading.pid, signal.SIGKILL)
    reading.wait(timeout=10)
    with sqlite3.connect(base) as seen:
        assert seen.execute("SELECT count(*) FROM tables_columnpart").fetchone()[0] >= 4
        assert seen.execute("SELECT state FROM tables_arrival").fetchone()[0] == "reading"
        assert seen.execute("SELECT count(*) FROM tables_table").fetchone()[0] == 0
    worker = managed(["manage.py", "work"], environment)
    deadline = time.monotonic() + 30
    state = ""
    while state != "preview" and time.monotonic() < deadline:
        with sqlite3.connect(base, timeout=10) as seen:
            state, said = seen.execute("SELECT state, said FROM tables_arrival").fetchone()
        time.sleep(0.1)
    os.killpg(worker.pid, signal.SIGKILL)
    worker.wait(timeout=10)
    assert said == "Reading trips.csv was interrupted, and nothing was kept. Read it again."
    with sqlite3.connect(base) as seen:
        for name in (
            "tables_version",
            "tables_columnpart",
            "tables_sourcefile",
            "tables_sourcepart",
            "tables_table",
        ):
            assert seen.execute(f"SELECT count(*) FROM {name}").fetchone()[0] == 0, name
    read = "import django; django.setup()\nfrom night_trail.tables import arrivals\nfrom night_trail.tables.models import Arrival\narrival = Arrival.objects.get()\narrivals.read_arrival(arrival)\nprint(arrival.state, arrival.said)"
    assert run(read).startswith("done 2,623 rows and 20 columns.")


def test_interrupted_without_its_file_asks_for_it_again(owner: User, few_buses_csv: Path) -> None:
    bundle = Bundle.objects.create(owner=owner, name="x")
    Arrival.objects.create(
        owner=owner,
        bundle=bundle,
        file_name="x.csv",
        path="/nowhere/x",
        state=Arrival.State.READING,
        version=Version.objects.create(),
    )
    Version.objects.create(created=timezone.now() - upkeep.ABANDONED)
    being_made = Version.objects.create()  # by a page, at this moment
    assert upkeep.clear_interrupted() == 1 and list(Version.objects.all()) == [being_made]
    assert Arrival.objects.get().said.endswith("Bring the file again.")


def test_a_file_that_breaks_its_reader_is_one_sentence_and_is_not_read_again(
    client: Client, owner: User, monkeypatch: pytest.MonkeyPatch
) -> None:
    bundle = Bundle.objects.create(owner=owner, name="corner.xlsx")
    path = settings.INCOMING / "corner.xlsx"
    path.write_bytes(hidden_corner())
    add_to_bundle(bundle, path, "corner.xlsx")
    address = reverse("tables:bundle", args=[bundle.pk])
    shown = client.get(address, follow=True)
    assert shown.status_code < 500 and "the file cannot be read" in shown.content.decode()
    monkeypatch.setattr(Aside, "preview", lambda *_: pytest.fail("read again"))
    assert "the file cannot be read" in client.get(address, follow=True).content.decode()
