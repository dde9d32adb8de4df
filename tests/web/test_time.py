"""Time on the desk: every slot opens and turns, forms are forgiving, groups are forecast in the background."""

from __future__ import annotations

import html
import json
import os
import re
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
from django.contrib.auth.models import User
from django.test import Client
from django.urls import reverse
from django.utils import timezone

from night_trail.cli import main
from night_trail.core.conditions import OneOf
from night_trail.core.measure import Measure
from night_trail.core.question import to_json
from night_trail.core.questions.decomposition.question import Decomposition
from night_trail.core.questions.forecast.question import Forecast
from night_trail.core.questions.over_time.question import Event, Level, OverTime
from night_trail.core.questions.registry import sentence
from night_trail.core.turns import Beside, BreakDown, ClearAll, Light, Say, Slot, Zoom
from night_trail.jobs import work as jobs
from night_trail.jobs.models import Job
from night_trail.tables.models import Table
from night_trail.tables.services import core_table
from night_trail.tales.models import Link, Tale
from night_trail.tales.services import add_stop
from night_trail.trails import pictures
from night_trail.trails.models import Step
from night_trail.trails.pictures import Desk
from night_trail.trails.services import cairn_at, start_trail, take_turn
from tests.web.conftest import bring, client_of
from tests.web.test_hands import HX, newest, post
from tests.web.test_looking import asked

pytestmark = pytest.mark.django_db

WORDS = [
    "boardings by month against the year before",
    "boardings by month for each depot as stacked areas",
    "late_min through the week",
    "boardings taken apart, month by month",
    "boardings ahead, month by month",
]


@pytest.mark.parametrize("words", WORDS[::2])
def test_every_slot_opens_and_what_it_offers_can_be_taken(
    client: Client, owner: User, table: Table, words: str
) -> None:
    step = asked(owner, table, words)
    desk = Desk(step.trail.version, step.scene_value())
    said = sentence(desk.scene.main, desk.table, desk.answer(desk.scene.main))
    slots = dict.fromkeys(p.slot for p in (*said.parts, *said.addable) if p.slot)
    for slot in slots:
        response = client.get(reverse("trails:slot", args=[step.trail_id, step.pk, slot]))
        assert response.status_code == 200, slot
        page = response.content.decode()
        assert 'class="choice' in page or "<form" in page, slot
    for slot, value in (("aggregate", "mean"), ("grain", "quarter")):
        if slot in slots:
            after = take_turn(step, Slot(slot, value))
            assert client.get(reverse("trails:step", args=[after.trail_id, after.pk])).status_code == 200


def test_numbers_and_files_of_a_forecast_can_be_taken_along(
    client: Client, owner: User, table: Table
) -> None:
    step = asked(owner, table, "boardings ahead, month by month over the next 6 months")
    for name, holds in (("numbers", b"forecast"), ("numbers-csv", b"95 % from"), ("figure", b"band-80")):
        response = client.get(reverse(f"trails:{name}", args=[step.trail_id, step.pk]))
        content = b"".join(response.streaming_content) if response.streaming else response.content
        assert response.status_code == 200 and holds in content, name


def test_small_forms_set_levels_events_horizon_and_clock(client: Client, owner: User, table: Table) -> None:
    step = asked(owner, table, "boardings by month")
    post(client, step, "turn", set="levels", target="2000")
    assert newest(step).scene_value().main.levels == (Level("target", 2000.0),)
    post(client, step, "turn", set="levels", percentile="90")
    assert newest(step).scene_value().main.levels == (Level("percentile", 90.0),)
    post(client, step, "turn", set="events", name="Lantern <Week>", first="2023-05-01", last="")
    assert newest(step).scene_value().main.events == (Event("Lantern <Week>", "2023-05-01", "2023-05-01"),)
    post(client, step, "turn", set="zone", zone="Europe/Lisbon")
    assert newest(step).scene_value().main.zone == "Europe/Lisbon"
    ahead = asked(owner, table, "boardings ahead, month by month")
    post(client, ahead, "turn", set="horizon", steps="5")
    assert newest(ahead).scene_value().main.horizon == 5


@pytest.mark.parametrize(
    ("fields", "says"),
    [
        ({"set": "levels"}, "No level is given"),
        ({"set": "levels", "percentile": "140"}, "between 0 and 100"),
        ({"set": "events", "name": "x", "first": "yesterday"}, "are no dates"),
        ({"set": "zone", "zone": "Atlantis/Town"}, "is no time zone"),
        ({"set": "elsewhere"}, "There is no form"),
        ({"words": "boardings by month for each moon"}, "“moon” is not in this table"),
        ({"words": "boardings ahead, over the next 900 months"}, "too many"),
        ({"words": "boardings by month as a spiral"}, "“spiral” is not in this table"),
    ],
)
def test_bad_input_gets_one_plain_sentence(
    client: Client, owner: User, table: Table, fields: dict[str, str], says: str
) -> None:
    step = asked(owner, table, "boardings by month")
    response = post(client, step, "turn", **fields)
    assert response.status_code == 422 and says in response.content.decode()
    assert newest(step).pk == step.pk


def test_a_part_becomes_a_column_of_the_table(client: Client, owner: User, table: Table) -> None:
    step = asked(owner, table, "boardings taken apart, month by month")
    assert (
        b"Use a part as a column"
        in client.get(reverse("trails:slot", args=[step.trail_id, step.pk, "column-of"])).content
    )
    response = post(client, step, "part", part="trend", name="boardings trend")
    assert response.status_code == 200
    core = core_table(Table.objects.get(pk=table.pk).latest)
    assert "boardings trend" in core and core.column("boardings trend").kind.numeric
    values = core.series("boardings trend").drop_nulls().to_numpy()
    parts = Desk(step.trail.version, step.scene_value()).answer(step.scene_value().main).parts
    assert set(np.round(values, 6)) <= set(np.round(parts.trend, 6))
    for fields, says in (
        ({"part": "soul", "name": "x"}, "no part"),
        ({"part": "trend", "name": " "}, "name"),
    ):
        refused = post(client, step, "part", **fields)
        assert refused.status_code == 422 and says in refused.content.decode()


def test_groups_are_forecast_in_the_background_and_agree(client: Client, owner: User, table: Table) -> None:
    step = asked(owner, table, "boardings ahead, month by month over the next 6 months")
    response = post(client, step, "turn", change=to_json(Slot("split", "depot")))
    assert response.status_code == 200 and b'id="pending"' not in response.content
    work = Job.objects.get()
    assert work.done == work.of == 3
    found = Desk(step.trail.version, newest(step).scene_value()).answer(newest(step).scene_value().main)
    np.testing.assert_allclose(np.sum([g.mean for g in found.groups], axis=0), found.forecast.mean)
    # other bands are drawn over the same forecasts
    post(client, newest(step), "turn", change=to_json(Slot("bands", "50 80")))
    assert Job.objects.count() == 1


def test_reading_a_tale_begins_no_work(client: Client, owner: User, table: Table) -> None:
    step = asked(owner, table, "boardings ahead, month by month over the next 6 months")
    post(client, step, "turn", change=to_json(Slot("split", "depot")))
    tale = Tale.objects.create(owner=owner, title="Ahead")
    add_stop(tale, cairn_at(newest(step)))
    walk = reverse("tales:walk", args=[Link.make(tale)[1]])
    assert "<svg" in Client().get(walk, follow=True).content.decode()
    Job.objects.all().delete()
    pictures.forget()
    shown = Client().get(walk, follow=True)
    assert shown.status_code == 200 and "<svg" in shown.content.decode()
    assert not Job.objects.exists()
    # whoever writes it sees it made again
    client.get(reverse("tales:write", args=[tale.pk]))
    assert Job.objects.get().done == 3


def test_lists_show_what_models_would_give_when_it_is_drawn(
    client: Client, owner: User, table: Table
) -> None:
    step = asked(owner, table, "boardings by month")
    where = [step.trail_id, step.pk]
    page = client.get(reverse("trails:slot", args=[*where, "way"]), headers=HX).content.decode()
    later = [html.unescape(a) for a in re.findall(r'class="later" hx-get="([^"]+)"', page)]
    assert len(later) == 2 and "apart" in later[0] and "ahead" in later[1]
    before = Step.objects.count()
    for address in later:
        small = client.get(address).content.decode()
        assert small.startswith("<svg") and 'aria-hidden="true"' in small
    assert Step.objects.count() == before
    # work that goes on in the background is not begun by looking at a list
    preview = reverse("trails:preview", args=where)
    asked_for = to_json(Say("boardings ahead, month by month, for each depot"))
    assert client.get(preview, {"change": asked_for}).content == b"" and not Job.objects.exists()
    assert client.get(preview, {"change": to_json(Slot("shape", "soul"))}).content == b""
    assert client.get(preview, {"change": "{"}).status_code == 422


def test_a_page_shows_how_far_the_work_is_and_takes_it_up_again(
    client: Client, owner: User, table: Table, monkeypatch: pytest.MonkeyPatch
) -> None:
    started: list[int] = []
    monkeypatch.setattr("night_trail.jobs.work.do", lambda work: started.append(work.pk))
    step = asked(owner, table, "boardings ahead, month by month over the next 6 months for each depot")
    address = reverse("trails:step", args=[step.trail_id, step.pk])
    page = client.get(address).content.decode()
    assert 'id="pending"' in page and "0 of 3 are done" in page
    work = Job.objects.get()
    assert started == [work.pk]
    # what is drawn meanwhile is not kept by a browser
    figure = reverse("trails:figure", args=[step.trail_id, step.pk])
    assert "ETag" not in client.get(figure).headers
    # asking again does not begin it a second time, but after a worker was killed it goes on
    pictures.forget()
    client.get(address)
    assert started == [work.pk]
    Job.objects.update(moved=timezone.now() - 2 * jobs.STALLED)
    client.get(address)
    assert started == [work.pk] * 2
    monkeypatch.undo()
    jobs.do(work)
    assert 'id="pending"' not in client.get(address).content.decode()
    tag = client.get(figure).headers["ETag"]
    assert client.get(figure, headers={"If-None-Match": tag}).status_code == 304


def test_the_worker_knows_who_does_the_work_though_it_loads_no_page() -> None:
    script = "import django, sys; django.setup(); from night_trail.jobs import work; print(sorted(work._doers), 'night_trail.trails.views' in sys.modules)"
    told = subprocess.run(
        [sys.executable, "-c", script],
        capture_output=True,
        text=True,
        check=True,
        env=os.environ | {"DJANGO_SETTINGS_MODULE": "night_trail.site.settings.test"},
    )
    assert (
        told.stdout.strip()
        == "['attached: cells', 'proposed: picture', 'proposed: search', 'question: ahead', 'question: drives'] False"
    )


def test_work_is_stopped_and_taken_up_again_by_hand(
    client: Client, owner: User, table: Table, monkeypatch: pytest.MonkeyPatch
) -> None:
    made: list[str] = []
    groups = iter(range(9))

    def pieces(job: Job) -> Iterator[object]:
        for name in ("a", "b", "c"):
            made.append(name)
            if next(groups) == 1:
                jobs.stop(job)  # as another tab would, while the second piece is being made
            yield name

    monkeypatch.setitem(jobs._doers, "question: ahead", pieces)
    step = asked(owner, table, "boardings ahead, month by month over the next 6 months for each depot")
    address = reverse("trails:step", args=[step.trail_id, step.pk])
    page = client.get(address).content.decode()
    work = Job.objects.get()
    assert made == ["a", "b"] and work.stopped and work.done == 1
    assert "was stopped, 1 of 3 are done" in page and "Go on" in page and "every 1s" not in page
    monkeypatch.undo()
    assert 'id="pending"' not in post(client, step, "work", go="on").content.decode()
    assert Job.objects.get().finished
    # of another edition of the method nothing is kept, and what has no work says so
    Job.objects.update(algorithm=0, made=["old"])
    pictures.forget()
    assert 'id="pending"' not in client.get(address).content.decode()
    assert Job.objects.get().made != ["old"]
    refused = post(client, asked(owner, table, "boardings by month"), "work")
    assert refused.status_code == 422 and "No work goes on" in refused.content.decode()


def test_strangers_see_nothing(owner: User, other: User, table: Table) -> None:
    step = asked(owner, table, "boardings taken apart, month by month")
    for user in (other, None):
        response = client_of(user).post(
            reverse("trails:part", args=[step.trail_id, step.pk]), {"part": "trend", "name": "x"}
        )
        assert response.status_code in (302, 404)
    assert "x" not in core_table(Table.objects.get(pk=table.pk).latest)


def test_words_of_time_start_a_step(owner: User, table: Table) -> None:
    step = asked(owner, table, "boardings by month")
    assert isinstance(step.scene_value().main, OverTime)
    assert isinstance(take_turn(step, Say("boardings taken apart")).scene_value().main, Decomposition)
    assert isinstance(take_turn(step, Slot("way", "ahead")).scene_value().main, Forecast)
    assert isinstance(take_turn(step, Slot("way", "over time")).scene_value().main, OverTime)


@pytest.mark.parametrize(
    "words",
    ["boardings taken apart, month by month", "boardings ahead, month by month over the next 6 months"],
)
def test_the_command_answers_as_json(
    few_buses_csv: object, words: str, capsys: pytest.CaptureFixture[str]
) -> None:
    assert main(["answer", str(few_buses_csv), "--question", words, "--json"]) == 0
    found = json.loads(capsys.readouterr().out)
    if "ahead" in words:
        made = found["answer"]["forecast"]
        assert (
            len(made["mean"]) == 6
            and len(made["low"]) == 3
            and {"name", "mase"} <= set(made["candidates"][0])
        )
        assert "paths" not in made
    else:
        assert len(found["answer"]["parts"]["trend"]) == len(found["answer"]["parts"]["rest"]) > 40


def test_what_cannot_be_drawn_is_refused_before_it_becomes_a_step(
    client: Client, owner: User, tmp_path: Path
) -> None:
    path = tmp_path / "old.csv"
    path.write_text(
        "at,x\n" + "\n".join(f"{year}-05-01 10:{i:02d},{i}" for year in (1900, 2020) for i in range(30))
    )
    table = bring(owner, path).table
    step = take_turn(start_trail(owner, table), Say("x by year"))
    for words in ("x hour by hour", "x taken apart, hour by hour", "x ahead, hour by hour"):
        response = post(client, step, "turn", words=words)
        assert response.status_code == 422 and "too many to draw" in response.content.decode(), words
    assert newest(step).pk == step.pk


def test_a_picture_of_time_is_kept_told_and_walked(client: Client, owner: User, table: Table) -> None:
    step = asked(owner, table, "boardings by month for each depot as stacked areas")
    cairn = cairn_at(step)
    assert cairn.title.startswith("It was highest in")
    tale = Tale.objects.create(owner=owner, title="A year of nights")
    add_stop(tale, cairn)
    page = client.get(f"/tales/{tale.pk}/walk/1/")
    assert page.status_code == 200 and "curve hue-" in page.content.decode()


def test_a_month_is_lit_kept_named_and_broken_down(client: Client, owner: User, table: Table) -> None:
    step = take_turn(asked(owner, table, "boardings by month"), ClearAll())
    found = Desk(step.trail.version, step.scene_value()).answer(step.scene_value().main)
    month = found.condition(found.together, 3)
    lit = take_turn(step, Light(month))
    assert "departed_at in April 2021" in lit.label
    page = client.get(reverse("trails:step", args=[lit.trail_id, lit.pk])).content.decode()
    assert "keep only these" in page and "lit-point" in page
    down = take_turn(lit, BreakDown("depot"))
    scene = down.scene_value()
    assert scene.main.split == "depot" and scene.only == (month,)
    post(client, lit, "group", name="April nights")
    assert newest(lit).scene_value().lit == OneOf("April nights", ("yes",))


def test_the_same_rows_are_outlined_in_a_picture_of_time_beside(
    client: Client, owner: User, table: Table
) -> None:
    step = take_turn(
        asked(owner, table, "late_min by depot"),
        Beside(OverTime(Measure("count"), "departed_at", "month", shape="columns")),
    )
    address = reverse("trails:same-rows", args=[step.trail_id, step.pk])
    march = {"type": "between", "column": "departed_at", "low": "2021-03-01", "high": "2021-04-01"}
    # a month pointed at beside touches boxes of the main picture, and is no mark of its own
    response = client.get(address, {"rows": json.dumps(march), "from": "b0"})
    marks = response.json()["marks"]
    assert response.status_code == 200 and marks and all(name.startswith("main-") for name in marks)
    back = client.get(address, {"rows": to_json(OneOf("depot", ("Tallow Lane",))), "from": "main"})
    assert {name.partition("-")[0] for name in back.json()["marks"]} == {"b0"}


@pytest.mark.parametrize("width", [390, 1280])
def test_a_picture_of_time_fits_the_room_a_page_has(
    client: Client, owner: User, table: Table, width: int
) -> None:
    step = asked(owner, table, "boardings by month against the year before")
    client.cookies["picture"] = f"{width - 40}x300"
    page = client.get(reverse("trails:step", args=[step.trail_id, step.pk])).content.decode()
    assert f'viewBox="0 0 {max(width - 40, 260)} 300"' in page


def test_zooming_is_a_turn_and_its_picture_shows_the_whole_below(
    client: Client, owner: User, table: Table
) -> None:
    step = asked(owner, table, "boardings by week")
    edges = Desk(step.trail.version, step.scene_value()).answer(step.scene_value().main).calendar.edges
    window = (float(edges[10]), float(edges[40]), 0.0, 1.0)
    response = post(client, step, "turn", change=to_json(Zoom(window)))
    assert response.status_code == 200 and b'class="overview"' in response.content
    out = post(client, newest(step), "turn", change=to_json(Zoom(None)))
    assert b'class="overview"' not in out.content


def test_a_forecast_of_too_little_says_so_on_the_page(client: Client, owner: User, tmp_path: Path) -> None:
    path = tmp_path / "few.csv"
    path.write_text("night,moths\n" + "\n".join(f"2024-0{m}-01,{10 * m}" for m in range(1, 7)))
    table = bring(owner, path).table
    step = take_turn(start_trail(owner, table), Say("moths ahead, month by month"))
    page = client.get(reverse("trails:step", args=[step.trail_id, step.pk])).content.decode()
    assert "No forecast: there are only 6 whole periods" in page
    parts = take_turn(step, Say("moths taken apart, month by month"))
    page = client.get(reverse("trails:step", args=[parts.trail_id, parts.pk])).content.decode()
    assert "cannot be taken apart" in page
    refused = post(client, parts, "part", part="trend", name="trend of moths")
    assert refused.status_code == 422 and "cannot be taken apart" in refused.content.decode()
    none = tmp_path / "none.csv"
    none.write_text("trap,moths\na,1\nb,2\n")
    bare = take_turn(start_trail(owner, bring(owner, none).table), Say("moths"))
    refused = post(client, bare, "turn", change=to_json(Slot("way", "over time")))
    assert refused.status_code == 422 and "no column of dates" in refused.content.decode()
