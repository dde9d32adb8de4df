"""In short on the desk and the survey: sentences lead to their pictures and begin a tale; escaped, by rights."""

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
from night_trail.tales.models import Tale
from night_trail.trails.models import Step, TrailShare
from night_trail.trails.services import cairn_at, start_trail, take_turn
from tests.web.conftest import bring, client_of

EVIL = "<script>alert(1)</script>"


@pytest.fixture
def step(owner: User, tmp_path: Path) -> Step:
    rng = np.random.default_rng(4)
    x = rng.normal(size=400)
    cells = (f"{a + b:.3f},{a:.3f},{c:.3f}" for a, b, c in zip(x, *rng.normal(size=(2, 400)), strict=True))
    (path := tmp_path / "planted.csv").write_text("\n".join([f"y,{EVIL},z", *cells]))
    table = bring(owner, path).table
    assert table is not None
    return take_turn(start_trail(owner, table), See(Spread("y")))


def address(step: Step, name: str = "trails:in-short") -> str:
    return reverse(name, args=[step.trail_id, step.pk])


def test_sentences_of_the_picture_the_table_and_the_trail_lead_to_their_pictures(
    client: Client, step: Step
) -> None:
    assert address(step) in client.get(reverse("trails:step", args=[step.trail_id, step.pk])).content.decode()
    scene = client.get(f"{address(step)}?of=scene&length=page").content.decode()
    assert "The picture" in scene and "y rises strongly with" in scene and EVIL not in scene
    table = client.get(f"{address(step)}?of=table&length=sentence").content.decode()
    assert "400 rows, with 3 columns. y rises strongly" in table.replace("\n", " ")
    cairn = cairn_at(step)
    cairn.title = f"Half of {EVIL}"
    cairn.save()
    trail = client.get(f"{address(step)}?of=trail").content.decode()
    assert "Half of &lt;script&gt;alert(1)&lt;/script&gt;." in trail
    asked = {"of": "table", "length": "sentence", "at": "0"}
    gone = client.post(address(step, "trails:in-short-see"), asked, follow=True)
    shown = Step.objects.order_by("-pk")[0]
    assert shown.scene_value().main == Relate("y", EVIL) and gone.status_code == 200
    # the same sentence leads to the same step
    client.post(address(step, "trails:in-short-see"), asked)
    assert Step.objects.order_by("-pk")[0] == shown
    assert client.post(address(step, "trails:in-short-see"), asked | {"at": "99"}).status_code == 422


def test_one_click_begins_a_tale_of_a_trail_or_of_a_table(client: Client, step: Step, owner: User) -> None:
    client.post(reverse("tales:draft", args=[step.trail_id, step.pk]), {"of": "scene", "length": "paragraph"})
    tale = Tale.objects.get()
    stops = list(tale.stops.all())
    assert tale.owner == owner and len(stops) >= 2
    assert all(s.step is not None and s.step.trail_id == step.trail_id for s in stops)
    assert any("rises strongly" in s.text for s in stops)
    table = step.trail.version.table
    assert table is not None
    assert (
        "Looking through the table" in client.get(reverse("tables:survey", args=[table.pk])).content.decode()
    )
    page = client.get(reverse("trails:table-in-short", args=[table.pk])).content.decode()
    assert "rises strongly" in page and EVIL not in page
    drafted = client.post(reverse("tales:draft-table", args=[table.pk]), {"length": "page"}, follow=True)
    assert drafted.status_code == 200 and Tale.objects.count() == 2
    empty = take_turn(start_trail(owner, table), See(Spread("z")))
    root = empty.parent
    assert root is not None
    nothing = client.post(
        reverse("tales:draft", args=[root.trail_id, root.pk]), {"of": "trail", "length": "page"}
    )
    assert nothing.status_code in (302, 422)


def test_who_may_only_read_sees_the_words_and_can_do_nothing(step: Step) -> None:
    reader = User.objects.create_user("reader", password="a long enough secret")
    assert client_of(reader).get(address(step)).status_code == 404
    TrailShare.objects.create(thing=step.trail, person=reader, role=Role.READ)
    found = client_of(reader).get(address(step)).content.decode()
    assert "Half lie" in found or "Half of" in found
    assert "<form" not in found
    assert client_of(reader).post(reverse("tales:draft", args=[step.trail_id, step.pk])).status_code == 422
    assert (
        client_of(reader)
        .get(reverse("trails:table-in-short", args=[step.trail.version.table_id]))
        .status_code
        == 404
    )
    assert not Tale.objects.exists()
