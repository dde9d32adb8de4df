"""Holding a mark: its small picture and what can be asked, escaped, only for whoever may."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from django.contrib.auth.models import User
from django.test import Client
from django.urls import reverse

from night_trail.core.conditions import OneOf
from night_trail.core.measure import Measure
from night_trail.core.question import to_json
from night_trail.core.questions.compare.question import Compare
from night_trail.core.turns import See
from night_trail.people.models import Role
from night_trail.trails.models import Step, TrailShare
from night_trail.trails.services import start_trail, take_turn
from tests.web.conftest import bring, client_of

EVIL = "<script>alert(1)</script>"


@pytest.fixture
def step(owner: User, tmp_path: Path) -> Step:
    rng = np.random.default_rng(4)
    shift = rng.choice(["night", "early", EVIL], 600)
    crew = np.where(shift == "night", "ada", rng.choice(["bo", "cy"], 600))
    lines = (f"{s},{c},{y:.2f}" for s, c, y in zip(shift, crew, rng.gamma(2, 3, 600), strict=True))
    (path := tmp_path / "shifts.csv").write_text("\n".join(["shift,crew,y", *lines]))
    table = bring(owner, path).table
    assert table is not None
    return take_turn(start_trail(owner, table), See(Compare(Measure("sum", "y"), "shift")))


def address(step: Step, rows: str, part: str = "all") -> str:
    asked = reverse("trails:at-hand", args=[step.trail_id, step.pk])
    return f"{asked}?part={part}&rows={rows}"


def test_a_mark_shows_what_makes_it_up_and_leads_on(client: Client, step: Step) -> None:
    night = to_json(OneOf("shift", ("night",)))
    found = client.get(address(step, night)).content.decode()
    assert "why this?" in found and "compare with the rest" in found and "crew: ada: 100" in found
    assert EVIL not in found and "compare with &lt;script&gt;" in found
    card = client.get(address(step, night, "card")).content.decode()
    assert "made up by crew" in card and "<form" not in card


def test_what_names_no_rows_is_refused_in_a_sentence(client: Client, step: Step) -> None:
    for rows in ("{", to_json(OneOf("moon", ("x",))), "x" * 9_000):
        refused = client.get(address(step, rows))
        assert refused.status_code == 422 and "Traceback" not in refused.content.decode()


def test_a_reader_sees_the_picture_and_no_way_on_a_stranger_nothing(step: Step) -> None:
    night = to_json(OneOf("shift", ("night",)))
    reader = User.objects.create_user("reader", password="a long enough secret")
    assert client_of(reader).get(address(step, night)).status_code == 404
    TrailShare.objects.create(thing=step.trail, person=reader, role=Role.READ)
    found = client_of(reader).get(address(step, night)).content.decode()
    assert "crew: ada" in found and "<form" not in found
