"""Signposts on the desk: for whoever may go on, escaped, in words of the pictures themselves."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from django.contrib.auth.models import User
from django.test import Client
from django.urls import reverse

from night_trail.core.questions.relate.question import Relate
from night_trail.core.questions.spread.question import Spread
from night_trail.core.turns import See
from night_trail.people.models import Role
from night_trail.trails.models import Step, TrailShare
from night_trail.trails.services import start_trail, take_turn
from tests.web.conftest import bring, client_of

EVIL = "<script>alert(1)</script>"


@pytest.fixture
def step(owner: User, tmp_path: Path) -> Step:
    rng = np.random.default_rng(4)
    x = rng.normal(size=400)
    beside, noise = rng.normal(size=(2, 400))
    cells = (f"{a + b:.3f},{a:.3f},{c:.3f}" for a, b, c in zip(x, beside, noise, strict=True))
    (path := tmp_path / "planted.csv").write_text("\n".join([f"y,{EVIL},z", *cells]))
    table = bring(owner, path).table
    assert table is not None
    return take_turn(start_trail(owner, table), See(Spread("y")))


def address(step: Step) -> str:
    return reverse("trails:signposts", args=[step.trail_id, step.pk])


def test_a_relation_is_proposed_in_the_words_of_its_picture_and_escaped(client: Client, step: Step) -> None:
    page = client.get(reverse("trails:step", args=[step.trail_id, step.pk])).content.decode()
    assert f'hx-get="{address(step)}"' in page
    found = client.get(address(step)).content.decode()
    assert "Where to look next" in found and "y rises strongly with" in found
    assert EVIL not in found and "&lt;script&gt;" in found
    after = take_turn(step, See(Relate("y", EVIL)))
    assert "rises strongly" not in client.get(address(after)).content.decode()


def test_who_only_reads_a_trail_gets_none_and_strangers_nothing(client: Client, step: Step) -> None:
    reader = User.objects.create_user("reader", password="a long enough secret")
    assert client_of(reader).get(address(step)).status_code == 404
    TrailShare.objects.create(thing=step.trail, person=reader, role=Role.READ)
    assert client_of(reader).get(address(step)).content == b""
    assert client_of(None).get(address(step)).status_code == 302
