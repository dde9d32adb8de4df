"""Make-ups and flows are full citizens: on the desk, beside, as a table, in cairns, tales, files, by the command."""

from __future__ import annotations

import csv
import html
import io
import json
import re
import subprocess
import sys
from pathlib import Path

import pandas
import pytest
from django.contrib.auth.models import User
from django.test import Client
from django.urls import reverse

from night_trail.core.conditions import OneOf
from night_trail.core.measure import Measure
from night_trail.core.question import to_json
from night_trail.core.questions.flow.question import Flow
from night_trail.core.questions.kin.question import Kin
from night_trail.core.questions.make_up.question import MakeUp
from night_trail.core.turns import Beside, Light, Say, See, Slot
from night_trail.demo.crews import write_crews
from night_trail.tables.models import Table
from night_trail.tales.models import Tale
from night_trail.tales.services import add_stop
from night_trail.trails.models import Step
from night_trail.trails.services import cairn_at, start_trail, take_turn
from tests.web.conftest import bring

ASKED_IN_WORDS = "what makes up boardings by depot › line"
ASKED = MakeUp(Measure("sum", "boardings"), ("depot", "line"))


@pytest.fixture
def made(owner: User, table: Table) -> Step:
    return take_turn(start_trail(owner, table), Say(ASKED_IN_WORDS, ""))


def at(step: Step, name: str = "step", **query: str) -> str:
    return reverse(f"trails:{name}", args=[step.trail_id, step.pk])


def test_it_is_drilled_by_its_marks_and_comes_back_by_its_path(client: Client, made: Step) -> None:
    page = client.get(at(made)).content.decode()
    assert made.scene_value().main == ASKED
    ways = [json.loads(found.replace("&quot;", '"')) for found in re.findall(r"data-turn='([^']*)'", page)]
    inward = next(w for w in ways if w["turn"] == "see" and w["question"]["path"] == ["Tallow Lane"])
    client.post(reverse("trails:turn", args=[made.trail_id, made.pk]), {"change": json.dumps(inward)})
    inside = made.children.get()
    assert inside.scene_value().main.path == ("Tallow Lane",)
    page = client.get(at(inside)).content.decode()
    assert "within" in page and 'data-slot="within0"' in page and re.search("Within <[^>]+>Tallow Lane", page)
    out = take_turn(inside, Slot("within0", None))
    assert out.scene_value().main == ASKED


def test_every_part_lights_its_rows_and_is_lit_beside_another(client: Client, made: Step) -> None:
    lit = take_turn(made, Light(OneOf("depot", ("Tallow Lane",))))
    lit = take_turn(lit, Beside(MakeUp(Measure("count"), ("district",), "rings")))
    page = client.get(at(lit)).content.decode()
    assert page.count('class="lit"') > 3 and "picture as-beside" in page
    for slot in ("across", "also", "third", "shape", "aggregate", "column", "shade", "way"):
        offered = client.get(reverse("trails:slot", args=[made.trail_id, made.pk, slot]))
        assert offered.status_code == 200, slot
    named = client.get(reverse("trails:slot", args=[made.trail_id, made.pk, "also"])).content.decode()
    assert "leave this level out" in named and "line before depot" in named


def test_its_numbers_go_along_and_it_is_told(
    client: Client, made: Step, owner: User, tmp_path: Path, few_buses_csv: Path
) -> None:
    kept = cairn_at(take_turn(made, Light(OneOf("depot", ("Tallow Lane",)))))
    tale = Tale.objects.create(owner=owner, title="Parts")
    add_stop(tale, kept)
    walk = client.get(reverse("tales:own-walk", args=[tale.pk])).content.decode()
    assert "What makes up" in walk and "picture as-full" in walk
    for form in ("html", "pptx", "package"):
        assert client.get(reverse("tales:take", args=[tale.pk, form])).status_code == 200, form
    said = subprocess.run(
        [
            sys.executable,
            "-m",
            "night_trail.cli",
            "answer",
            str(few_buses_csv),
            "--json",
            "--question",
            ASKED_IN_WORDS,
        ],
        capture_output=True,
        text=True,
        check=True,
    )
    found = json.loads(said.stdout)
    assert found["scene"]["main"] == json.loads(to_json(ASKED))
    rows = list(csv.DictReader(io.StringIO(few_buses_csv.read_text())))
    whole = sum(float(r["boardings"]) for r in rows if r["boardings"])
    parts = found["answer"]["parts"]
    assert sum(p["figure"] for p in parts if p["parent"] == -1) == pytest.approx(whole)


def test_what_cannot_be_made_up_is_said_and_nothing_changes(client: Client, made: Step) -> None:
    turn = reverse("trails:turn", args=[made.trail_id, made.pk])
    for bad in (
        See(MakeUp(Measure("mean", "late_min"), ("depot",))),
        See(MakeUp(Measure("count"), ("depot", "depot"))),
        See(MakeUp(Measure("count"), ("depot", "line"), path=("Atlantis",))),
        Slot("within3", None),
    ):
        response = client.post(turn, {"change": to_json(bad)}, headers={"HX-Request": "true"})
        assert response.status_code == 422, bad
    assert not made.children.exists()


def test_a_flow_is_a_full_citizen(client: Client, owner: User, table: Table, few_buses_csv: Path) -> None:
    words = "where does boardings flow from district to depot to line"
    step = take_turn(start_trail(owner, table), Say(words, ""))
    asked = Flow(Measure("sum", "boardings"), ("district", "depot", "line"))
    assert step.scene_value().main == asked
    lit = take_turn(step, Light(OneOf("depot", ("Tallow Lane",))))
    page = client.get(at(lit)).content.decode()
    # what is lit at one station is lit through all of them
    assert page.count('class="lit flowing"') > 6 and 'id="main-desc"' in page
    for slot in ("across", "third", "fourth", "shape", "aggregate", "column", "shade", "way"):
        offered = client.get(reverse("trails:slot", args=[step.trail_id, step.pk, slot]))
        assert offered.status_code == 200, slot
    by_chance = take_turn(take_turn(step, Slot("third", None)), Slot("shade", "chance"))
    for one in (by_chance, take_turn(by_chance, Slot("shape", "matrix"))):
        shown = client.get(at(one)).content.decode()
        assert "standard errors" in shown and "cell above" in shown
    tale = Tale.objects.create(owner=owner, title="Flows")
    add_stop(tale, cairn_at(lit))
    assert "flow" in client.get(reverse("tales:own-walk", args=[tale.pk])).content.decode()
    for form in ("pdf", "notebook", "package"):
        assert client.get(reverse("tales:take", args=[tale.pk, form])).status_code == 200, form
    rows = pandas.read_csv(few_buses_csv)
    sums = rows.groupby(["district", "depot"])["boardings"].sum()
    told = client.get(at(step, "numbers-csv")).content.decode("utf-8-sig")
    found = [r for r in csv.DictReader(io.StringIO(told)) if r["from"] == "district"]
    assert len(found) == len(sums)
    for line in found:
        assert float(line["sum of boardings"]) == sums[line["group"], line["group there"]]
    turn = reverse("trails:turn", args=[step.trail_id, step.pk])
    for bad in (
        See(Flow(Measure("mean", "late_min"), ("district", "depot"))),
        See(Flow(Measure("sum", "late_min"), ("district", "depot"))),
        Slot("shape", "matrix"),
    ):
        response = client.post(turn, {"change": to_json(bad)}, headers={"HX-Request": "true"})
        assert response.status_code in (200, 422) and b"Traceback" not in response.content


def test_a_tree_is_opened_lit_searched_and_told(client: Client, owner: User, tmp_path: Path) -> None:
    count = write_crews(tmp_path / "crews.csv")
    table = bring(owner, tmp_path / "crews.csv").table
    assert table is not None and table.latest.height == count
    step = take_turn(start_trail(owner, table), Say("who belongs to whom with the sum of cost_month", ""))
    asked = Kin("unit", "belongs_to", Measure("sum", "cost_month"))
    assert step.scene_value().main == asked
    page = client.get(at(step)).content.decode()
    assert "Gull Quay is named in belongs_to and not in unit" in page
    ways = [json.loads(html.unescape(found)) for found in re.findall(r"data-turn='([^']*)'", page)]
    opened = next(w for w in ways if w["question"].get("opened"))
    client.post(reverse("trails:turn", args=[step.trail_id, step.pk]), {"change": json.dumps(opened)})
    inside = step.children.get()
    assert len(inside.scene_value().main.opened) == 1
    lit = take_turn(step, Light(OneOf("unit", ("C01",))))
    assert client.get(at(lit)).content.decode().count('class="lit"') >= 3, "who is above is lit in part too"
    for slot in ("unit", "above", "top", "depth", "aggregate", "column", "way"):
        assert client.get(reverse("trails:slot", args=[step.trail_id, step.pk, slot])).status_code == 200, (
            slot
        )
    below = take_turn(step, Slot("top", "Tallow Lane"))
    assert "begin at Night office" in client.get(at(below)).content.decode()
    tale = Tale.objects.create(owner=owner, title="Crews")
    add_stop(tale, cairn_at(below))
    assert "Who belongs to whom" in client.get(reverse("tales:own-walk", args=[tale.pk])).content.decode()
    for form in ("html", "markdown", "package"):
        assert client.get(reverse("tales:take", args=[tale.pk, form])).status_code == 200, form
    turn = reverse("trails:turn", args=[step.trail_id, step.pk])
    for bad in (See(Kin("unit", "unit", Measure("count"))), Slot("top", "<script>"), Slot("depth", "99")):
        assert client.post(turn, {"change": to_json(bad)}, headers={"HX-Request": "true"}).status_code == 422
