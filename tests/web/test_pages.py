"""What pages do: states, errors, and that nothing is lost."""

from __future__ import annotations

import html
import json
import os
import re
import subprocess
import sys
from pathlib import Path

import pytest
from django.contrib.auth.models import User
from django.core.files.uploadedfile import SimpleUploadedFile
from django.core.management import call_command
from django.test import Client
from django.urls import reverse

from night_trail.core.conditions import Between
from night_trail.core.question import Scene
from night_trail.core.questions.spread.question import Spread
from night_trail.core.turns import Beside, Light, See, SeeColumn, Slot
from night_trail.tables import arrivals, upkeep
from night_trail.tables.models import Arrival, Bundle, ColumnPart, SourcePart, Table, Version
from night_trail.tales.models import Stop, Tale
from night_trail.tales.prose import prose
from night_trail.trails.models import Cairn, Step
from night_trail.trails.pictures import Desk
from night_trail.trails.rowlist import View, row_page
from night_trail.trails.services import start_trail, take_turn
from tests.web.conftest import bring

HX = {"HX-Request": "true"}
HOSTILE = '"><script>alert(1)</script>'


def url(step: Step, name: str = "step", **more: object) -> str:
    return reverse(f"trails:{name}", kwargs={"trail": step.trail_id, "step": step.pk, **more})


# ---- bringing a table ----


def upload(client: Client, content: bytes, name: str = "trips.csv", read: bool = True) -> object:
    """Bring a file and, unless only its preview is wanted, read it; return the last answer."""
    response = client.post(reverse("tables:bring"), {"file": SimpleUploadedFile(name, content)})
    if read and response.status_code == 302:
        bundle = Bundle.objects.latest("pk")
        client.post(reverse("tables:read", args=[bundle.pk]))
        return client.get(reverse("tables:bundle", args=[bundle.pk]))
    return response


def test_a_file_becomes_a_table_kept_in_parts_with_its_source(client: Client, owner: User) -> None:
    response = upload(client, b"trip_id,late_min\nT1,2.5\nT2,\n", "my trips.csv")
    arrival = Arrival.objects.get(owner=owner)
    assert response.status_code == 302 and arrival.state == Arrival.State.DONE
    version = arrival.table.latest
    assert (arrival.table.name, version.height) == ("my trips", 2)
    assert ColumnPart.objects.filter(version=version).count() == 2
    assert (
        b"".join(bytes(p.data) for p in version.source_file.parts.all()) == b"trip_id,late_min\nT1,2.5\nT2,\n"
    )
    page = client.get(reverse("tables:bundle", args=[arrival.bundle_id]), headers=HX)
    assert page["HX-Redirect"] == reverse("tables:survey", args=[arrival.table.pk])
    assert not Path(arrival.path).exists()
    upload(client, b"a,b\n1,2\n", "my trips.csv")
    assert Table.objects.filter(name="my trips (2)").exists()


@pytest.mark.parametrize(
    ("content", "says"),
    [(b"%PDF-1.4", "a PDF document"), (b"\x00\x01\x02", "not text"), (b'a,b\n1,"2\n', "never closed")],
)
def test_a_file_that_cannot_be_read_says_why_and_leaves_nothing(
    client: Client, owner: User, content: bytes, says: str
) -> None:
    response = upload(client, content)
    arrival = Arrival.objects.get(owner=owner)
    assert arrival.state == Arrival.State.FAILED and says in arrival.said
    assert says in response.content.decode() and not Path(arrival.path).exists()
    assert (
        not Version.objects.exists() and not ColumnPart.objects.exists() and not SourcePart.objects.exists()
    )


def test_a_file_that_is_too_large_is_not_taken(client: Client, settings: object) -> None:
    settings.UPLOAD_LIMIT = 1_000
    response = upload(client, b"a,b\n" + b"1,2\n" * 1_000)
    assert response.status_code == 422 and b"larger than" in response.content
    assert not Arrival.objects.exists()
    assert client.post(reverse("tables:bring")).status_code == 422


def test_cancelling_and_interruption_leave_nothing(
    owner: User, few_buses_csv: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    said = arrivals._say

    def cancel_in_the_middle(arrival: Arrival, progress: float, words: str) -> None:
        if progress > 0.5:
            Arrival.objects.filter(pk=arrival.pk).update(cancelled=True)
        said(arrival, progress, words)

    monkeypatch.setattr(arrivals, "_say", cancel_in_the_middle)
    arrival = bring(owner, few_buses_csv)
    assert arrival.state == Arrival.State.CANCELLED
    # a worker that was killed left its arrival reading and its version without a table
    killed = Arrival.objects.create(
        owner=owner, file_name="t.csv", path="/nowhere", state="reading", version=Version.objects.create()
    )
    assert upkeep.clear_interrupted() == 1
    killed.refresh_from_db()
    assert killed.state == Arrival.State.FAILED and "interrupted" in killed.said
    assert not Version.objects.exists() and not ColumnPart.objects.exists() and not Table.objects.exists()


def test_an_unforeseen_failure_is_one_sentence_too(
    owner: User, few_buses_csv: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(arrivals, "Surveyor", lambda *_: 1 / 0)
    arrival = bring(owner, few_buses_csv)
    assert arrival.state == Arrival.State.FAILED and "could not be read" in arrival.said
    assert not Version.objects.exists()


# ---- survey ----


def test_the_survey_orders_its_lines_and_takes_a_name(client: Client, table: Table) -> None:
    address = reverse("tables:survey", args=[table.pk])
    by_position = client.get(address + "?order=position").content.decode()
    assert by_position.index("trip_id") < by_position.index("rain_mm")
    assert 'title="Say what one row is">one trip</a>' in by_position
    client.post(reverse("tables:rename", args=[table.pk]), {"name": "buses", "noun": "ride"})
    table.refresh_from_db()
    assert (table.name, table.noun_many) == ("buses", "rides")
    assert client.post(reverse("tables:rename", args=[table.pk]), {"name": " "}).status_code == 422


@pytest.mark.parametrize("content", [b"a,b\n", b"a,b\n1,x\n", b"a,b\n,\n,\n"])
def test_tables_with_next_to_nothing_have_a_survey_and_a_desk(
    client: Client, owner: User, content: bytes
) -> None:
    upload(client, content)
    table = Table.objects.get()
    assert client.get(reverse("tables:survey", args=[table.pk])).status_code == 200
    step = start_trail(owner, table, column="a")
    for name in ("step", "rows", "rows-csv", "figure", "picture"):
        assert client.get(url(step, name)).status_code == 200


def test_hostile_names_are_shown_and_not_obeyed(client: Client, owner: User) -> None:
    header = '"' + HOSTILE.replace('"', '""') + '",g'
    rows = "\n".join(f"{i},{HOSTILE.replace(chr(34), '')}" for i in range(40))
    upload(client, f"{header}\n{rows}\n".encode(), "<b>t</b>.csv")
    table = Table.objects.get()
    step = take_turn(start_trail(owner, table, column=HOSTILE), Slot("across", "g"))
    step = take_turn(step, Light(Between(HOSTILE, 5.0)))
    pages = [
        reverse("tables:survey", args=[table.pk]),
        "/",
        url(step),
        url(step, "rows"),
        url(step, "condition"),
    ]
    pages += [url(step, "slot", slot=s) for s in ("column", "across", "shape", "bins", "beside")]
    for address in pages:
        response = client.get(address)
        assert response.status_code == 200 and b"<script>alert" not in response.content
    figure = client.get(url(step, "figure"))
    assert b"<script" not in figure.content and "script" not in figure["Content-Disposition"].split(".")[-1]


def test_five_hundred_columns(client: Client, owner: User) -> None:
    names = ",".join(f"c{i}" for i in range(500))
    upload(client, (names + "\n" + "\n".join([",".join(["1.5"] * 500)] * 20)).encode())
    table = Table.objects.get()
    assert client.get(reverse("tables:survey", args=[table.pk])).content.count(b'class="survey-line"') == 500
    step = start_trail(owner, table, column="c7")
    assert b"460 more columns" in client.get(url(step, "rows")).content


# ---- turns ----


def test_a_turn_is_a_step_and_the_same_turn_is_the_same_step(client: Client, step: Step) -> None:
    change = json.dumps({"turn": "slot", "slot": "height", "value": "share"})
    first = client.post(url(step, "turn"), {"change": change}, headers=HX)
    again = client.post(url(step, "turn"), {"change": change}, headers=HX)
    assert first.status_code == 200 and first["HX-Push-Url"] == again["HX-Push-Url"]
    assert step.children.count() == 1
    step.refresh_from_db()
    assert step.scene_value().main.height == "count"


def test_two_tabs_turning_from_one_step_make_two_forks(client: Client, step: Step) -> None:
    for height in ("share", "density"):
        change = json.dumps({"turn": "slot", "slot": "height", "value": height})
        client.post(url(step, "turn"), {"change": change}, headers=HX)
    forks = list(step.children.all())
    assert [f.scene_value().main.height for f in forks] == ["share", "density"]
    page = client.get(url(forks[0])).content.decode()
    assert all(f'id="way-{s.pk}"' in page for s in (step, *forks))


def test_a_turn_that_changes_nothing_makes_no_step(client: Client, step: Step) -> None:
    change = json.dumps({"turn": "slot", "slot": "height", "value": "count"})
    response = client.post(url(step, "turn"), {"change": change}, headers=HX)
    assert response["HX-Push-Url"] == url(step) and step.children.count() == 0


@pytest.mark.parametrize(
    ("post", "label"),
    [
        ({"words": "boardings by depot  as box plots"}, "boardings by depot as box plots"),
        ({"set": "bins", "width": "2.5"}, "bins of 2.5\u00a0min"),
        ({"set": "bins", "count": "12", "start": "0"}, "12 bins from 0"),
        (
            {"column": "depot", "value": ["Northgate", "Tallow Lane"]},
            "only depot is Northgate or Tallow Lane",
        ),
        ({"column": "rain_mm", "low": "1", "high": "5"}, "only rain_mm from 1 to 5"),
        ({"column": "service_night", "low": "2023-01-01"}, "only service_night from 2023-01-01"),
        ({"column": "crew", "text": "C1"}, "only crew contains “C1”"),
        ({"column": "late_min", "missing": "1", "as": "light"}, "lit: late_min is missing"),
        ({"phrase": "late_min above 9", "as": "light"}, "lit: late_min above 9"),
    ],
)
def test_forms_become_turns(client: Client, step: Step, post: dict[str, object], label: str) -> None:
    assert client.post(url(step, "turn"), post, headers=HX).status_code == 200
    assert step.children.get().label == label


@pytest.mark.parametrize(
    "post",
    [
        {},
        {"change": "{"},
        {"change": '{"turn":"fly"}'},
        {"change": '{"turn":"slot","slot":"column","value":"moon"}'},
        {"change": "[" * 50_000},
        {"change": "x" * 70_000},
        {"words": "moon"},
        {"set": "bins", "width": "-3"},
        {"set": "bins", "width": "nan"},
        {"set": "bins", "count": "2.5"},
        {"column": "late_min"},
        {"column": "late_min", "low": "9", "high": "1"},
        {"column": "service_night", "low": "yesterday"},
        {"column": "moon", "low": "1"},
    ],
)
def test_bad_input_is_one_sentence_and_changes_nothing(
    client: Client, step: Step, post: dict[str, str]
) -> None:
    response = client.post(url(step, "turn"), post, headers=HX)
    assert response.status_code == 422 and response["HX-Retarget"] == "#notice"
    assert response.content.count(b"<p>") == 1 and b"Traceback" not in response.content
    assert step.children.count() == 0


def test_the_whole_page_and_the_swap_differ_and_say_so(client: Client, step: Step) -> None:
    whole, swap = client.get(url(step)), client.get(url(step), headers=HX)
    assert b"<!doctype html>" in whole.content and b"<!doctype html>" not in swap.content
    assert "HX-Request" in whole["Vary"]
    back = client.get(url(step), headers={**HX, "HX-History-Restore-Request": "true"})
    assert b"<!doctype html>" in back.content


def test_small_pictures_are_kept_by_the_browser_until_the_theme_turns(client: Client, step: Step) -> None:
    address = url(step, "figure") + "?small=1"
    first = client.get(address)
    assert first["Content-Type"].startswith("image/svg+xml")
    assert client.get(address, headers={"If-None-Match": first["ETag"]}).status_code == 304
    client.post(reverse("people:theme"), {"theme": "day", "back": "/"})
    assert client.get(address, headers={"If-None-Match": first["ETag"]}).status_code == 200


def test_a_picture_of_any_size_is_within_bounds(client: Client, step: Step) -> None:
    for size in ("400x300", "1x1", "99999x99999", "x", "-5x7", "1e9x2"):
        response = client.get(url(step, "picture") + f"?size={size}")
        assert response.status_code == 200 and response.content.startswith(b"<svg")


# ---- rows ----


def test_rows_are_the_lit_ones_sorted_and_paged(client: Client, step: Step) -> None:
    desk = Desk(step.trail.version, step.scene_value())
    page = row_page(desk, View(sorts=(("rain_mm", True),)))
    assert page.total == desk.rows.n_lit and page.heads[0].column.name == "late_min"
    at = [h.column.name for h in page.heads].index("rain_mm")
    rain = [float(line.cells[at].text) for line in page.lines]
    assert rain == sorted(rain, reverse=True) and min(rain) > 2
    last = row_page(desk, View(page=10_000))
    assert last.view.page == last.pages
    for query in ("?page=x", "?page=-1", "?page=99999999999999", "?sort=moon", "?page=²"):
        assert client.get(url(step, "rows") + query).status_code == 200


def test_cells_that_could_be_formulas_are_neutralised(client: Client, owner: User) -> None:
    cells = ["=1+1", "+cmd", "-2+3", "@sum", "\t=1", "plain", "-5"]
    upload(client, "\n".join(["=name,n", *(f'"{c}",{i}' for i, c in enumerate(cells * 3))]).encode())
    step = start_trail(owner, Table.objects.get(), column="n")
    lines = b"".join(client.get(url(step, "rows-csv")).streaming_content).decode().splitlines()
    assert lines[0].startswith("'=name")
    assert [line.split(",")[0] for line in lines[1:8]] == [
        "'=1+1", "'+cmd", "'-2+3", "'@sum", "'=1", "plain", "'-5",
    ]  # fmt: skip


# ---- cairns, annotations, tales ----


def test_a_cairn_is_left_written_annotated_and_taken_away(client: Client, step: Step) -> None:
    client.post(url(step, "cairn"), headers=HX)
    cairn = Cairn.objects.get(step=step)
    assert cairn.title.startswith("Half of the")
    client.post(url(step, "cairn-edit"), {"title": "Two humps", "note": "n" * 9_000}, headers=HX)
    assert client.post(url(step, "cairn-edit"), {"title": "  "}, headers=HX).status_code == 422
    cairn.refresh_from_db()
    assert cairn.title == "Two humps" and len(cairn.note) == 4_000
    good = json.dumps([{"mark": "note", "id": "a1", "x": 3.5, "y": ["Tallow", 0.5], "text": HOSTILE}])
    page = client.post(url(step, "annotate"), {"annotations": good}, headers=HX)
    assert page.status_code == 200 and b"<script>alert" not in page.content
    for bad in (
        "",
        "{",
        '[{"mark":"note","id":"A!","x":1,"y":1}]',
        '[{"mark":"range","id":"a","low":5,"high":1}]',
    ):
        assert client.post(url(step, "annotate"), {"annotations": bad}, headers=HX).status_code == 422
    cairn.refresh_from_db()
    assert len(cairn.annotations) == 1
    client.post(url(step, "cairn-take"), headers=HX)
    assert not Cairn.objects.exists() and Step.objects.filter(pk=step.pk).exists()


def test_stops_are_reordered_and_nothing_is_lost_to_an_old_page(client: Client, tale: Tale) -> None:
    first, second = tale.stops.all()
    third = Stop.objects.create(tale=tale, position=9, heading="third")
    order = reverse("tales:order", args=[tale.pk])

    def now() -> list[int]:
        return list(tale.stops.values_list("pk", flat=True))

    client.post(order, {"move": second.pk, "behind": ""}, headers=HX)
    assert now() == [second.pk, first.pk, third.pk]
    client.post(order, {"move": third.pk, "way": "up"})
    assert now() == [second.pk, third.pk, first.pk]
    # a page that was loaded before both moves its first stop behind its second: the others stay moved
    client.post(order, {"move": first.pk, "behind": second.pk}, headers=HX)
    assert now() == [second.pk, first.pk, third.pk]
    # what was taken out elsewhere moves nothing, and nothing goes behind it
    client.post(order, {"move": 999_999, "behind": first.pk}, headers=HX)
    assert now() == [second.pk, first.pk, third.pk]
    answer = client.post(order, {"move": third.pk, "behind": 999_999, "here": first.pk}, headers=HX)
    assert now() == [third.pk, second.pk, first.pk]
    # the list comes back as it now stands, at the stop that is written on, with the move to be taken back
    listed = re.findall(r'class="stop-item (here)?"[^>]* data-stop="(\d+)"', answer.content.decode())
    assert listed == [("here" if pk == first.pk else "", str(pk)) for pk in now()]
    assert "Undo: moved a stop" in answer.content.decode()


def test_a_stop_keeps_its_annotations_when_the_cairn_goes(client: Client, tale: Tale, step: Step) -> None:
    stop = tale.stops.last()
    annotations = json.dumps([{"mark": "arrow", "id": "z", "x": 1.0, "y": 5.0, "to_x": 2.0, "to_y": 6.0}])
    address = reverse("tales:annotate", args=[tale.pk, stop.pk])
    assert client.post(address, {"annotations": annotations}, headers=HX).status_code == 200
    client.post(url(step, "cairn-take"))
    assert b"arrow-shaft" in client.get(reverse("tales:own-walk-stop", args=[tale.pk, 2])).content


@pytest.mark.parametrize(
    "text",
    [
        "<script>alert(1)</script>",
        "[x](javascript:alert(1))",
        "![x](http://elsewhere/pixel.png)",
        '<img src=x onerror="alert(1)">',
        "[x](data:text/html,<script>)",
    ],
)
def test_prose_is_safe(text: str) -> None:
    made = prose(text)
    assert (
        "<script" not in made
        and "<img" not in made
        and 'href="javascript' not in made
        and 'href="data' not in made
    )


def test_prose_is_prose() -> None:
    made = prose("# Big\n\n**bold** and [a link](https://example.org)\n\n- one\n- two")
    assert "<h3>Big</h3>" in made and "<strong>bold</strong>" in made and made.count("<li>") == 2
    assert 'rel="noopener noreferrer"' in made


def test_a_readers_lantern_is_recorded_nowhere_and_can_be_put_back(client: Client, tale: Tale) -> None:
    address = reverse("tales:own-walk-stop", args=[tale.pk, 2])
    steps = Step.objects.count()
    written = client.get(address).content.decode()
    assert "lit: rain_mm above 2" in written and "As it was written" not in written
    lit = html.unescape(re.findall(r"""data-light='([^']*)'""", written)[4])
    changed = client.get(address, {"light": lit}).content.decode()
    assert "lit: late_min " in changed and "As it was written" in changed
    assert (
        "lit:" not in client.get(address, {"out": "1"}).content.decode().split("data-lit")[1].split("</p>")[0]
    )
    assert Step.objects.count() == steps
    for bad in ("{", lit.replace("late_min", "moon"), "x" * 5_000):
        assert client.get(address, {"light": bad}).status_code == 422
    assert client.get(reverse("tales:own-walk-stop", args=[tale.pk, 9])).status_code == 404


def test_deleting_asks_first(client: Client, table: Table, tale: Tale, step: Step) -> None:
    for name, pk, model in (("tales", tale.pk, Tale), ("tables", table.pk, Table)):
        address = reverse(f"{name}:delete", args=[pk])
        assert b"cannot be undone" in client.get(address).content and model.objects.exists()
        client.post(address)
        assert not model.objects.exists()
    assert not Step.objects.exists() and not ColumnPart.objects.exists()


def test_empty_pages_teach(client: Client) -> None:
    for name, words in (
        ("tables:home", b"Bring a table"),
        ("trails:index", b"No trail"),
        ("tales:index", b"No tale"),
    ):
        assert words in client.get(reverse(name)).content


# ---- headers and settings ----


def test_every_page_has_a_strict_policy(client: Client, step: Step) -> None:
    response = client.get(url(step))
    policy = response["Content-Security-Policy"]
    assert "default-src 'none'" in policy and "unsafe" not in policy
    assert response["X-Frame-Options"] == "DENY" and response["X-Content-Type-Options"] == "nosniff"
    assert response["Referrer-Policy"] == "same-origin"
    assert response["Cache-Control"] == "private, no-cache"
    page = response.content.decode()
    assert " style=" not in page and " onclick" not in page and "<style" not in page
    assert all("src=" in tag for tag in page.split("<script")[1:])


def test_the_theme_is_remembered_and_leads_nowhere_else(client: Client) -> None:
    response = client.post(reverse("people:theme"), {"theme": "day", "back": "https://elsewhere.example/x"})
    assert response["Location"] == "/" and client.cookies["theme"].value == "day"
    assert 'data-theme="day"' in client.get("/").content.decode()
    for back in (
        "http://testserver//evil.example",
        "//evil.example",
        "null",
        "9" * 5_000,
        "a b",
        "http://testserver/\\evil.example",
        "/\\evil",
    ):
        assert client.post(reverse("people:theme"), {"theme": "day", "back": back})["Location"] == "/"
    kept = client.post(reverse("people:theme"), {"theme": "day", "back": "http://testserver/trails/?x=1"})
    assert kept["Location"] == "/trails/?x=1"


def test_settings_for_production_pass_djangos_own_check(tmp_path: Path) -> None:
    environment = os.environ | {
        "DJANGO_SETTINGS_MODULE": "night_trail.site.settings.production",
        "NIGHT_TRAIL_VAR": str(tmp_path),
        "NIGHT_TRAIL_HOSTS": "trail.example",
    }
    del environment["DJANGO_ALLOW_ASYNC_UNSAFE"]  # set for the browser's tests only
    done = subprocess.run(
        [sys.executable, "manage.py", "check", "--deploy", "--fail-level", "WARNING"],
        cwd=Path(__file__).parents[2],
        env=environment,
        capture_output=True,
        text=True,
    )
    assert done.returncode == 0, done.stderr
    assert (tmp_path / "secret_key").stat().st_mode & 0o077 == 0


def test_no_migration_is_missing(db: None) -> None:
    call_command("makemigrations", check=True, dry_run=True, verbosity=0)


def test_pictures_beside_are_drawn_from_the_same_rows(client: Client, step: Step) -> None:
    beside = take_turn(
        take_turn(step, Beside(Spread("late_min", "depot", "boxes"))), See(Spread("boardings"))
    )
    page = client.get(url(beside)).content.decode()
    assert page.count('<svg class="picture') == 2 and 'id="b0-picture"' in page
    assert beside.scene_value() == Scene(
        Spread("boardings"), (Spread("late_min", "depot", "boxes"),), lit=step.scene_value().lit
    )


def test_a_trail_starts_from_words_and_refuses_what_it_cannot_read(client: Client, table: Table) -> None:
    address = reverse("trails:start", args=[table.pk])
    assert client.post(address, {"words": "boardings by depot"}).status_code == 302
    before = Step.objects.count()
    assert client.post(address, {"words": "moon"}).status_code == 422
    assert client.post(address, {"column": "moon"}).status_code == 422
    assert Step.objects.count() == before
    root = start_trail(table.owner, table)
    assert b"Choose a column" in client.get(url(root)).content
    assert take_turn(root, SeeColumn("depot")).scene_value().main.shape == "bars"
