"""A make-up is a full citizen: on the desk, beside, as a table, in cairns, tales, files and answers from the command."""

from __future__ import annotations

import csv
import io
import json
import re
import subprocess
import sys
from pathlib import Path

import pytest
from django.contrib.auth.models import User
from django.test import Client
from django.urls import reverse

from night_trail.core.conditions import OneOf
from night_trail.core.measure import Measure
from night_trail.core.question import to_json
from night_trail.core.questions.make_up.question import MakeUp
from night_trail.core.turns import Beside, Light, Say, See, Slot
from night_trail.tables.models import Table
from night_trail.tales.models import Tale
from night_trail.tales.services import add_stop
from night_trail.trails.models import Step
from night_trail.trails.services import cairn_at, start_trail, take_turn

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
    for form in ("html", "pptx", "pdf", "docx", "markdown", "package"):
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
