"""Every address, walked by everybody who was given a role for one thing: that thing opens, as far as the role goes."""

from __future__ import annotations

import re
from typing import Any

import pytest
from django.contrib.auth.models import User
from django.test import Client
from django.urls import reverse

from night_trail.core.turns import Beside, KeepLit
from night_trail.people.models import Role
from night_trail.tables.models import Table, TableShare
from night_trail.tales.models import Link, Tale
from night_trail.tales.services import add_stop
from night_trail.trails.models import Step, Trail
from night_trail.trails.services import cairn_at, start_trail, take_turn
from tests.web.conftest import client_of
from tests.web.test_rights import ALL, EVERYONES, OPEN, a_worker_that_beats, address, everything

__all__ = ["a_worker_that_beats", "address"]  # fixtures of the walk by strangers

LOOKS_AT_A_TABLE = {
    *("tables:survey", "tables:column", "tables:export", "tables:survey-page", "tables:recipe"),
}
ASKS = {
    *("trails:start", "trails:words", "trails:words-ask", "trails:words-picture", "trails:words-mean"),
    "trails:words-favourite",
    "trails:begin",
    "trails:begin-taste",
    "trails:begin-with",
    "trails:table-in-short",
    "tales:draft-table",
    "tales:overview-of",
    "tales:overview-from",
    *("trails:begin-at", "trails:forget-point"),
}
LOOKS_AT_A_TRAIL = {
    *("trails:latest", "trails:step", "trails:slot", "trails:condition", "trails:found", "trails:picture"),
    *("trails:figure", "trails:figure-png", "trails:numbers", "trails:numbers-csv", "trails:figures"),
    *(
        "trails:figures-csv",
        "trails:rows",
        "trails:row",
        "trails:rows-csv",
        "trails:others",
        "trails:preview",
        "trails:played",
        "trails:panels",
        "trails:shapes",
        "trails:shape",
        "trails:own-areas",
        "trails:own-plans",
    ),
    *(
        "trails:side-by-side",
        "trails:reword",
        "trails:same-rows",
        "trails:signposts",
        "trails:signpost",
        "trails:one-by-one",
        "trails:at-hand",
        "trails:in-short",
        "trails:groups",
        "trails:groups-csv",
        "trails:claim",
        "trails:cairns",
    ),
}
GOES_ON = {
    "trails:placing",
    *("trails:turn", "trails:condition", "trails:reword", "trails:cairn", "trails:cairn-edit"),
    *(
        "trails:cairn-take",
        "trails:annotate",
        "trails:work",
        "trails:keep-several",
        "trails:taste",
        "trails:claim",
    ),
    *("trails:in-short-see", "tales:draft", "trails:walk-again", "trails:keep-point"),
}
WALKS = {"tales:own-walk", "tales:own-walk-stop", "tales:before", "tales:before-stop", "tales:comment"} | {
    "tales:image"
}
WRITES = {
    *("tales:write", "tales:stop", "tales:picture", "tales:rename", "tales:collect", "tales:order"),
    *("tales:edit", "tales:annotate", "tales:remove", "tales:thumb", "tales:twice", "tales:claim"),
    *("tales:beat-add", "tales:beat-edit", "tales:beat-move", "tales:bind", "tales:agree"),
    *("tales:propose", "tales:ways", "tales:undo", "tales:redo", "tales:take", "tales:comments"),
    *("tales:present", "tales:present-stop", "tales:image-keep"),
}

MAY: dict[tuple[str, Role], set[str]] = {
    ("table", Role.READ): LOOKS_AT_A_TABLE,
    ("table", Role.EXPLORE): LOOKS_AT_A_TABLE | ASKS,
    ("trail", Role.READ): LOOKS_AT_A_TRAIL,
    ("trail", Role.EXPLORE): LOOKS_AT_A_TRAIL | GOES_ON,
    ("tale", Role.READ): WALKS,
    ("tale", Role.EXPLORE): WALKS | WRITES,
}
"""What each role opens; all else is as if there were nothing."""

REFUSALS = (
    "may read this trail, not go on",
    "Only the owner of the table",
    "You may write here, not ask other things",
)


def give(thing: Any, person: User, role: Role) -> None:
    thing.shares.create(person=person, role=role)


@pytest.mark.parametrize(("kind", "role"), MAY)
def test_a_role_opens_its_thing_and_nothing_else(
    address: dict[str, str], other: User, table: Table, step: Step, tale: Tale, kind: str, role: Role
) -> None:
    cairn_at(step)
    give({"table": table, "trail": step.trail, "tale": tale}[kind], other, role)
    client, before, open_to = client_of(other), everything(), set()
    names = [n for n in ALL if n not in OPEN | EVERYONES and n != "tales:remove"]
    for name in [*names, "tales:remove"]:
        for method in ("get", "post"):
            response = getattr(client, method)(address[name])
            said = "" if response.streaming else response.content.decode(errors="replace")
            assert response.status_code < 500, (name, method)
            closed = response.status_code in (404, 405) or any(words in said for words in REFUSALS)
            if not closed:
                open_to.add(name)
            if name not in MAY[kind, role]:
                assert closed, (name, method, response.status_code)
    # these want a value in the address, or a state that is not there
    wanting = {
        "trails:row",
        "trails:side-by-side",
        "trails:reword",
        "trails:same-rows",
        "trails:groups",
        "trails:groups-csv",
        "trails:claim",
        "trails:played",
        "trails:panels",
        "trails:shape",
        "trails:placing",
    }
    assert MAY[kind, role] - wanting <= open_to
    if role is Role.READ:
        assert everything() == before, "who may read changes nothing"


def test_a_role_is_given_by_the_owner_alone_and_ends_when_it_is_taken(
    client: Client, owner: User, other: User, table: Table
) -> None:
    share, survey = reverse("share", args=["table", table.pk]), reverse("tables:survey", args=[table.pk])
    theirs = client_of(other)
    assert theirs.get(survey).status_code == 404 and theirs.post(share, {"name": "other"}).status_code == 404
    for form, words in (
        ({"name": "nobody", "role": "read"}, "Nobody here is called"),
        ({"name": "<script>", "role": "read"}, "&lt;script&gt;"),
        ({"name": "owner", "role": "read"}, "yours already"),
        ({"name": "other", "role": "rule"}, "No role is chosen"),
    ):
        refused = client.post(share, form)
        assert refused.status_code == 422 and words in refused.content.decode()
    assert client.post(share, {"name": "other", "role": "read"}).status_code == 302
    page = theirs.get(survey).content.decode()
    assert "Start a trail" not in page and "Share it" not in page and "owner’s table" in page
    assert f"of {owner.username}" in theirs.get("/").content.decode()
    assert client.post(share, {"name": "other", "role": "explore"}).status_code == 302
    assert "Start a trail" in theirs.get(survey).content.decode()
    assert TableShare.objects.count() == 1, "a second role takes the place of the first"
    client.post(share, {"remove": "other"})
    assert theirs.get(survey).status_code == 404


def test_who_may_only_look_finds_all_words_and_no_control_that_is_refused(
    client: Client, other: User, step: Step
) -> None:
    step = take_turn(take_turn(step, Beside(step.scene_value().main)), KeepLit())
    give(step.trail, other, Role.READ)
    address = reverse("trails:step", args=[step.trail_id, step.pk])
    mine, theirs = (c.get(address).content.decode() for c in (client, client_of(other)))
    # the page itself knows where turns go, for clicks on marks; these are answered with a sentence
    desk = theirs.partition('data-turn="')[2].partition('"')[2]
    for control in ("data-slot=", "/turn/", "/slot/", "data-opens"):
        assert control in mine and control not in desk, control
    said = re.sub(r"\s+", " ", re.sub(r"<[^>]+>", "", theirs))
    for words in ("only rain_mm", "How is late_min spread"):
        assert words in said, words


def test_a_trail_and_a_tale_are_closed_with_the_table_they_show(
    owner: User, other: User, table: Table
) -> None:
    third = User.objects.create_user("third")
    give(table, other, Role.EXPLORE)
    step = start_trail(other, table, column="late_min")
    give(step.trail, third, Role.READ)
    tale = Tale.objects.create(owner=other, title="theirs")
    add_stop(tale, cairn_at(step))
    link = reverse("tales:walk", args=[Link.make(tale)[1]])
    address = reverse("trails:step", args=[step.trail_id, step.pk])
    assert client_of(other).get(address).status_code == client_of(third).get(address).status_code == 200
    assert client_of(owner).get(address).status_code == 404, "it is not the owner's of the table"
    assert "<svg" in Client().get(link).content.decode()
    TableShare.objects.all().delete()
    assert client_of(other).get(address).status_code == client_of(third).get(address).status_code == 404
    walked = Client().get(link)
    assert walked.status_code == 200 and "cannot be drawn any more" in walked.content.decode()
    assert "late_min" not in walked.content.decode().replace(tale.stops.get().heading, "")
    assert not Trail.objects.visible_to(other).exists()


def test_who_explores_somebody_elses_table_adds_nothing_to_it(other: User, table: Table) -> None:
    give(table, other, Role.EXPLORE)
    step = start_trail(other, table, column="late_min")
    client, base = client_of(other), reverse("trails:step", args=[step.trail_id, step.pk])
    for path, form in (
        ("group/", {"name": "mine"}),
        ("measure/", {"name": "m", "words": "mean of late_min"}),
        ("part/", {"name": "p", "part": "trend"}),
        ("measure/forget/", {"name": "m"}),
    ):
        refused = client.post(base + path, form)
        assert refused.status_code == 422 and "Only the owner of the table" in refused.content.decode(), (
            refused.content.decode().partition("<h1>")[2][:200]
        )
    assert Table.objects.get(pk=table.pk).measures == {}
    assert (
        client.post(base + "turn/", {"change": '{"turn": "slot", "slot": "bins", "value": "2"}'}).status_code
        == 302
    )
