"""What a ranked picture holds, one by one: put aside, mended, kept as cairns; only by whoever may."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from django.contrib.auth.models import User
from django.test import Client
from django.urls import reverse

from night_trail.core.conditions import Between, OneOf
from night_trail.core.questions.differ.question import Differ
from night_trail.core.questions.spread.question import Spread
from night_trail.core.questions.stands.question import Stands
from night_trail.core.turns import See
from night_trail.people.models import Role
from night_trail.trails.models import Cairn, Step, TrailShare
from night_trail.trails.services import start_trail, take_turn
from tests.web.conftest import bring, client_of

EVIL = "<script>alert(1)</script>"


@pytest.fixture
def step(owner: User, tmp_path: Path) -> Step:
    rng = np.random.default_rng(4)
    lux, warm = np.round(rng.normal(50, 8, 600), 1), np.round(rng.normal(9, 3, 600), 1)
    lux[[5, 70, 200]] = 999
    place = rng.choice(["Quayside", "Foundry", EVIL], 600).astype("U40")
    place[8] = "Quaysde"
    cells = (f"{a},{b},{c}" for a, b, c in zip(lux, warm, place, strict=True))
    (path := tmp_path / "lamps.csv").write_text("\n".join(["lux,warm,place", *cells]))
    table = bring(owner, path).table
    assert table is not None
    return take_turn(start_trail(owner, table), See(Stands()))


def address(step: Step, name: str = "trails:one-by-one") -> str:
    return reverse(name, args=[step.trail_id, step.pk])


def test_a_finding_is_seen_lit_and_put_aside_and_its_table_mended(client: Client, step: Step) -> None:
    page = client.get(reverse("trails:step", args=[step.trail_id, step.pk])).content.decode()
    assert address(step) in page and "lux: typed for want of a value" in page
    found = client.get(address(step)).content.decode()
    assert "count 999 as missing" in found and "spell Quaysde as Quayside" in found
    aside = client.post(
        reverse("trails:turn", args=[step.trail_id, step.pk]),
        {"change": '{"turn":"slot","slot":"aside","value":"typed\\u001flux"}'},
        follow=True,
    ).content.decode()
    assert "Put aside on this trail: lux: typed for want of a value." in aside
    mended = client.post(
        reverse("tables:step", args=[step.trail.version.table_id]),
        {"step": '{"step":"to missing","column":"lux","values":[999.0]}'},
    )
    assert mended.status_code == 302
    # a trail on the version before is not offered to mend the newest
    assert "count 999 as missing" not in client.get(address(step)).content.decode()


def test_ticked_ones_become_cairns_with_one_note(client: Client, step: Step) -> None:
    kept = client.post(
        address(step, "trails:keep-several"),
        {"item": ["typed\x1flux", "rare\x1fplace"], "note": "ask the lamp keeper"},
    )
    assert kept.status_code == 302
    cairns = list(Cairn.objects.order_by("title"))
    assert [c.title for c in cairns] == ["lux: typed for want of a value", "place: hardly ever"]
    assert {c.note for c in cairns} == {"ask the lamp keeper"}
    scenes = [c.step.scene_value() for c in cairns]
    assert scenes[0].main == Spread("lux") and scenes[0].lit == Between("lux", 999.0, None)
    assert scenes[1].lit == OneOf("place", ("Quaysde",))
    # kept again nothing is written over
    client.post(address(step, "trails:keep-several"), {"item": ["typed\x1flux"], "note": "other"})
    assert {c.note for c in Cairn.objects.all()} == {"ask the lamp keeper"}


def test_nothing_or_too_many_ticked_is_refused_in_words(client: Client, step: Step) -> None:
    refused = client.post(address(step, "trails:keep-several"), {"item": ["far\x1fmoon"]})
    assert refused.status_code == 422 and "Nothing was ticked" in refused.content.decode()
    assert not Cairn.objects.exists()


def test_how_rows_differ_is_kept_one_by_one_and_names_are_escaped(client: Client, step: Step) -> None:
    differ = take_turn(step, See(Differ(Between("lux", 55, None))))
    rows = client.get(address(differ)).content.decode()
    assert "There is nothing here to go through" in rows or "put aside" in rows
    assert EVIL not in rows
    spread = take_turn(step, See(Spread("warm")))
    assert "nothing here to go through" in client.get(address(spread)).content.decode()


def test_a_reader_sees_the_list_and_can_do_nothing_a_stranger_nothing(step: Step) -> None:
    reader = User.objects.create_user("reader", password="a long enough secret")
    assert client_of(reader).get(address(step)).status_code == 404
    TrailShare.objects.create(thing=step.trail, person=reader, role=Role.READ)
    found = client_of(reader).get(address(step)).content.decode()
    assert "typed for want of a value" in found and "<form" not in found
    asked = client_of(reader).post(address(step, "trails:keep-several"), {"item": ["typed\x1flux"]})
    assert asked.status_code in (403, 422) and not Cairn.objects.exists()
    assert client_of(None).get(address(step)).status_code == 302
