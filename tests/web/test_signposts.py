"""Signposts on the desk: for whoever may go on, escaped, in words of the pictures themselves."""

from __future__ import annotations

import re
from pathlib import Path

import numpy as np
import pytest
from django.contrib.auth.models import User
from django.test import Client
from django.urls import reverse

from night_trail.core.measure import Measure
from night_trail.core.question import Scene, to_json
from night_trail.core.questions.compare.question import Compare
from night_trail.core.questions.relate.question import Relate
from night_trail.core.questions.spread.question import Bins, Spread
from night_trail.core.questions.stands.question import Stands
from night_trail.core.turns import See
from night_trail.jobs import work
from night_trail.jobs.models import Job
from night_trail.people.models import Role
from night_trail.tables.models import TableShare
from night_trail.trails import proposed
from night_trail.trails.models import Step, Taste, TrailShare
from night_trail.trails.services import start_trail, take_turn
from night_trail.trails.tastes import likes, mark
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
    assert found.count("<svg") == found.count('class="signpost"') == found.count('class="reason"') > 0
    after = take_turn(step, See(Relate("y", EVIL)))
    assert "rises strongly" not in client.get(address(after)).content.decode()


def test_who_only_reads_a_trail_gets_none_and_strangers_nothing(client: Client, step: Step) -> None:
    reader = User.objects.create_user("reader", password="a long enough secret")
    assert client_of(reader).get(address(step)).status_code == 404
    TrailShare.objects.create(thing=step.trail, person=reader, role=Role.READ)
    assert client_of(reader).get(address(step)).content == b""
    assert client_of(None).get(address(step)).status_code == 302


def test_what_is_not_wanted_goes_for_this_analyst_alone_and_comes_back(client: Client, step: Step) -> None:
    marks = reverse("trails:taste", args=[step.trail_id, step.pk])
    relation = to_json(Relate("y", EVIL))
    client.post(marks, {"question": relation, "useful": "no"}, headers={"HX-Request": "true"})
    found = client.get(address(step)).content.decode()
    assert "rises strongly" not in found and "Not for you: y with &lt;script&gt;" in found
    other = User.objects.create_user("explorer", password="a long enough secret")
    TrailShare.objects.create(thing=step.trail, person=other, role=Role.EXPLORE)
    TableShare.objects.create(thing=step.trail.version.table, person=other, role=Role.EXPLORE)
    assert "rises strongly" in client_of(other).get(address(step)).content.decode()
    back = client.post(marks, {"question": relation, "useful": ""}, headers={"HX-Request": "true"})
    assert "rises strongly" in back.content.decode() and not Taste.objects.exists()
    refused = client.post(marks, {"question": "{", "useful": "no"})
    assert refused.status_code == 422 and not Taste.objects.exists()


def test_what_was_useful_moves_the_like_up_and_what_was_not_down(owner: User, step: Step) -> None:
    table = step.trail.version.table
    assert table is not None
    weight = likes(owner, table)
    assert weight(Relate("y", "a")) == weight(Compare(Measure("mean", "y"), "b")) == 1
    mark(owner, table, to_json(Relate("y", "a")), "yes")
    weight = likes(owner, table)
    assert (
        weight(Relate("z", "a")) > weight(Relate("y", "b")) > 1 == weight(Compare(Measure("mean", "y"), "b"))
    )
    mark(owner, table, to_json(Compare(Measure("mean", "y"), "b")), "no")
    weight = likes(owner, table)
    assert weight(Compare(Measure("mean", "y"), "b")) == 0 < weight(Compare(Measure("mean", "y"), "c")) < 1
    # said again otherwise, the later word holds
    mark(owner, table, to_json(Compare(Measure("mean", "y"), "b")), "yes")
    assert likes(owner, table)(Compare(Measure("mean", "y"), "b")) > 1


def test_a_table_is_begun_with_what_is_strongest_in_it(client: Client, step: Step) -> None:
    table = step.trail.version.table
    begun = reverse("trails:begin", args=[table.pk])
    assert begun in client.get(reverse("tables:survey", args=[table.pk])).content.decode()
    found = client.get(begun).content.decode()
    assert "Where to begin" in found and "rises strongly with" in found and EVIL not in found
    marks = reverse("trails:begin-taste", args=[table.pk])
    after = client.post(
        marks, {"question": to_json(Relate("y", EVIL)), "useful": "no"}, headers={"HX-Request": "true"}
    )
    assert "Not for you" in after.content.decode()
    stranger = User.objects.create_user("stranger", password="a long enough secret")
    assert client_of(stranger).get(begun).status_code == 404
    assert client_of(stranger).post(marks, {"question": "", "useful": "no"}).status_code == 404


def test_they_come_one_by_one_as_the_worker_makes_them(
    client: Client, step: Step, monkeypatch: pytest.MonkeyPatch
) -> None:
    waiting: list[Job] = []
    monkeypatch.setattr(work, "_set_going", waiting.append)
    at_first = client.get(address(step)).content.decode()
    assert "Looking…" in at_first and 'class="signpost"' not in at_first
    again = re.search(r'hx-get="([^"]+)"', at_first)
    assert again and "other work" not in at_first
    assert "other work goes first" in client.get(address(step), {"asked": 20}).content.decode()
    assert "hx-get" not in client.get(address(step), {"asked": 999}).content.decode()
    assert "Looking…" in client.get(address(step), {"asked": "-1e9"}).content.decode()

    (search,) = waiting
    work.do(search)
    found = client.get(again[1]).content.decode()
    assert "y with &lt;script&gt;" in found and "<svg" not in found and "rises" not in found
    slots = re.findall(r'hx-get="([^"]+)"', found)
    assert len(slots) == found.count('class="signpost"') == len(waiting) - 1
    assert "<svg" not in client.get(slots[0]).content.decode()
    work.do(waiting[1])
    drawn = client.get(slots[0]).content.decode()
    assert "<svg" in drawn and "rises strongly" in drawn and "hx-get" not in drawn and EVIL not in drawn
    # a list asked for anew has it at once, and nothing is made twice
    assert "rises strongly" in client.get(address(step)).content.decode() and len(waiting) == 1 + len(slots)


def test_who_leafs_through_many_steps_leaves_few_searches_behind(
    client: Client, step: Step, monkeypatch: pytest.MonkeyPatch
) -> None:
    waiting: list[Job] = []
    monkeypatch.setattr(work, "_set_going", waiting.append)
    steps = [take_turn(step, See(Spread("z", bins=Bins(0.1 * (i + 1))))) for i in range(16)]
    assert all("Looking…" in client.get(address(one)).content.decode() for one in steps)
    assert len(waiting) == proposed.MOST_WAITING
    for job in waiting[:]:
        work.do(job)
    assert "tried" in client.get(address(steps[0])).content.decode()
    assert "Looking…" in client.get(address(steps[-1])).content.decode()
    assert "z" in str(waiting[-1].asked) and len(waiting) > proposed.MOST_WAITING


def test_a_picture_that_says_nothing_after_all_takes_its_name_away(
    client: Client, step: Step, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(proposed, "_drawn", lambda *of: proposed.Shown())
    listed = client.get(address(step)).content.decode()
    assert 'class="signpost"' not in listed and "beyond chance" in listed
    name = proposed.picture(step.trail.version, Scene(main=Relate("y", EVIL)))[0]
    one = reverse("trails:signpost", args=[step.trail_id, step.pk, name])
    assert f'hx-get="{address(step)}"' in client.get(one).content.decode()
    stranger = User.objects.create_user("stranger", password="a long enough secret")
    assert client_of(stranger).get(one).status_code == 404
    # one of another version, as after a group was named: the list is asked for anew
    assert f'hx-get="{address(step)}"' in client.get(one[:-3] + "x/").content.decode()


def test_a_picture_of_no_column_is_followed_by_what_its_table_begins_with(client: Client, step: Step) -> None:
    odd = take_turn(step, See(Stands()))
    found = client.get(address(odd)).content.decode()
    assert "Where to look next" in found and "rises strongly with" in found
    seen = take_turn(odd, See(Relate("y", EVIL)))
    again = client.get(address(take_turn(seen, See(Stands())))).content.decode()
    assert "rises strongly with" not in again and "Nothing goes together beyond chance" in again
