"""Every address, walked as nobody, as a stranger, as a link holder and as the owner."""

from __future__ import annotations

import os
import re
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import msgspec
import pytest
from django.contrib.auth.models import User
from django.http import HttpResponse
from django.test import Client
from django.urls import URLPattern, URLResolver, get_resolver, reverse
from django.utils import timezone

from night_trail.core.places.plan import PlanPicture
from night_trail.tables.arrivals import add_to_bundle
from night_trail.tables.models import Arrival, Bundle, Database, OwnPlan, Table, Version
from night_trail.tables.worker import beat_file
from night_trail.tales.deeds import FIELDS
from night_trail.tales.models import Comment, Edition, Image, Link, Tale
from night_trail.trails import proposed
from night_trail.trails.models import StartingPoint, Step
from tests.web.conftest import client_of

OPEN = {"health", "people:present", "people:sign-in", "people:theme"} | {
    *("people:enter", "people:invited", "tales:walk", "tales:walk-stop", "tales:enter"),
    "tales:walk-before",
    "tales:comment-by-link",
    "tales:image-by-link",
}
"""What needs no sign-in; the latter ask for an unguessable key instead."""

EVERYONES = {
    *("people:sign-out", "people:sign-out-everywhere", "people:password", "people:account", "people:outbox"),
    *("tables:home", "tables:bring", "tables:attach", "tables:add-database"),
    *("trails:index", "tales:index", "tales:new", "tales:open", "tales:draft-cairns"),
}
"""What any signed-in person may use for themselves."""


def patterns(resolver: URLResolver | None = None, space: str = "") -> Iterator[tuple[str, URLPattern]]:
    for item in (resolver or get_resolver()).url_patterns:
        if isinstance(item, URLResolver):
            yield from patterns(item, f"{item.namespace}:" if item.namespace else space)
        else:
            yield space + item.name, item


Fits = Callable[[str, HttpResponse], bool]
ALL = sorted(name for name, _ in patterns())


@pytest.fixture(autouse=True)
def a_worker_that_beats() -> None:
    beat_file().touch()
    an_hour_on = time.time() + 3_600  # the walk takes its time on a busy machine
    os.utime(beat_file(), (an_hour_on, an_hour_on))


PLAN = msgspec.json.encode(PlanPicture("plan", 2, 1, "data:image/png;base64,", "data:image/png;base64,"))


@pytest.fixture
def address(owner: User, table: Table, step: Step, tale: Tale, few_buses_csv: Path) -> dict[str, str]:
    """An address of the owner's things for every pattern."""
    link, token = Link.make(tale)
    stop = tale.stops.last()
    image = Image.objects.create(tale=tale, data=b"x", kind="image/png", width=1, height=1)
    tale.stops.filter(pk=stop.pk).update(image=image, image_alt="A dot")
    Edition.objects.create(tale=tale, number=1, said="", stops=list(tale.stops.values("id", *FIELDS)))
    known = {
        "pk": table.pk,
        "table": table.pk,
        "trail": step.trail_id,
        "step": step.pk,
        "slot": "bins",
        "position": 0,
        "other": step.pk,
        "tale": tale.pk,
        "stop": stop.pk,
        "link": link.pk,
        "number": 1,
        "token": token,
        "key": "guess",
        "invitation": 0,
        "kind": "table",
        "at": 0,
        "action": "leave",
        "form": "csv",
        "beat": 1,
        "edition": 1,
        "point": StartingPoint.objects.create(table=table, person=owner, name="p", scene=step.scene).pk,
        "image": image.pk,
        "plan": OwnPlan.objects.get_or_create(table=table, key="plan", defaults={"data": PLAN})[0].key,
        "picture": proposed.picture(step.trail.version, step.scene_value())[0],
        "comment": Comment.objects.create(stop=stop, name="Reader", text="Why?").pk,
    }
    arrival = Arrival.objects.get(table=table)
    waiting = Bundle.objects.create(owner=owner, name="waiting.csv")
    add_to_bundle(waiting, few_buses_csv, "waiting.csv")
    found = {}
    for name, pattern in patterns():
        values = {k: known[k] for k in pattern.pattern.converters}
        if name in ("tables:bundle", "tables:cancel", "tables:read"):
            values["pk"] = waiting.pk if name == "tables:bundle" else arrival.bundle_id
        if name in ("tables:database", "tables:forget-database"):
            values["pk"] = Database.objects.get_or_create(owner=owner, name="depots")[0].pk
        if name == "tales:take":
            values["form"] = "html"
        if name == "tables:decide":
            values["pk"] = waiting.arrivals.get().pk
        found[name] = reverse(name, kwargs=values)
    return found


def everything() -> dict[str, int]:
    return {model.__name__: model.objects.count() for model in (Table, Version, Step, Tale, Link, User)}


def walked(
    clients: dict[str, Client], address: dict[str, str], names: list[str], fits: Fits
) -> dict[str, int]:
    """Ask for every address by GET and POST, whole and as a swap, and return what did not fit."""
    wrong = {}
    for who, client in clients.items():
        for name in names:
            for method in ("get", "post"):
                for headers in ({}, {"HX-Request": "true"}):
                    response = getattr(client, method)(address[name], headers=headers)
                    if not fits(name, response):
                        wrong[f"{who} {method} {name} {headers}"] = response.status_code
    return wrong


def to_the_sign_in(name: str, response: HttpResponse) -> bool:
    return response.status_code == 302 and response["Location"].startswith("/sign-in/")


def test_nobody_is_sent_to_the_sign_in(address: dict[str, str]) -> None:
    before = everything()
    closed = [n for n in ALL if n not in OPEN]
    assert len(closed) > 35
    assert walked({"nobody": client_of(None)}, address, closed, to_the_sign_in) == {}
    opened = {n: client_of(None).get(address[n]).status_code for n in OPEN}
    assert opened == {
        "people:sign-in": 200,
        "people:theme": 405,
        "people:enter": 404,
        "people:invited": 404,
        "health": 200,
        "people:present": 401,
        "tales:walk": 200,
        "tales:walk-stop": 200,
        "tales:enter": 405,
        "tales:walk-before": 200,
        "tales:comment-by-link": 405,
        "tales:image-by-link": 200,
    }
    assert everything() == before


def test_a_stranger_finds_nothing_of_somebody_elses(address: dict[str, str], other: User) -> None:
    before = everything()

    def nothing(name: str, response: HttpResponse) -> bool:
        return response.status_code in (404, 405) and b"late_min" not in response.content

    theirs = [n for n in ALL if n not in OPEN | EVERYONES]
    assert walked({"stranger": client_of(other)}, address, theirs, nothing) == {}
    assert everything() == before


def test_a_link_opens_the_walk_and_nothing_else(address: dict[str, str]) -> None:
    reader = client_of(None)
    for name in ("tales:walk", "tales:walk-stop"):
        page = reader.get(address[name])
        assert page.status_code == 200 and reader.post(address[name]).status_code == 405
        # the page itself leads nowhere a reader must not go
        inside = set(re.findall(r'(?:href|action|data-[a-z]+)="(/[^"]*)"', page.content.decode()))
        assert {p for p in inside if not p.startswith(("/walk/", "/static/", "/theme/"))} == set()
    closed = [n for n in ALL if n not in OPEN]
    assert walked({"reader": reader}, address, closed, to_the_sign_in) == {}


def test_the_owner_meets_no_server_error(address: dict[str, str], client: Client) -> None:
    def fine(name: str, response: HttpResponse) -> bool:
        # what was deleted on the way is gone
        return response.status_code in (200, 204, 302, 404, 405, 422)

    last = [
        n
        for n in ALL
        if n.endswith(("delete", "remove", "change", "take", "revoke", "sign-out", "everywhere"))
    ]
    first = [n for n in ALL if n not in last]
    assert walked({"owner": client}, address, first, fine) == {}
    # these want a value in the address, a condition that is there, a mark, groups, or a server
    wanting = ("people:enter", "people:invited", "tables:finding", "trails:same-rows", "trails:reword")
    wanting += ("trails:groups", "trails:groups-csv", "trails:at-hand", "trails:walk-again", "trails:claim")
    wanting += ("trails:rewalked", "tales:claim", "trails:played", "trails:panels", "trails:shape")
    wanting += ("trails:placing", "tables:database")
    seen = {n: client.get(address[n]).status_code for n in first if n not in wanting}
    assert set(seen.values()) <= {200, 204, 302, 405}, seen
    assert walked({"owner": client}, address, last, fine) == {}


def test_a_revoked_link_and_a_guessed_token_open_nothing(tale: Tale) -> None:
    link, token = Link.make(tale)
    assert token not in str(vars(link)) and len(token) >= 32
    reader = client_of(None)
    opened = reader.get(reverse("tales:walk", args=[token]))
    assert opened.status_code == 200 and opened["Referrer-Policy"] == "same-origin"
    assert "no-store" in opened["Cache-Control"]
    assert (
        reader.get(reverse("tales:walk", args=[token[:-1] + ("y" if token[-1] == "x" else "x")])).status_code
        == 404
    )
    link.revoked = timezone.now()
    link.save()
    assert reader.get(reverse("tales:walk", args=[token])).status_code == 404
    assert reader.get(reverse("tales:walk-stop", args=[token, 2])).status_code == 404


def test_a_cairn_of_somebody_else_cannot_be_collected(tale: Tale, step: Step, other: User) -> None:
    theirs = Tale.objects.create(owner=other, title="mine now")
    address = reverse("tales:collect", args=[theirs.pk])
    response = client_of(other).post(address, {"cairn": step.cairn.pk})
    assert response.status_code == 404 and theirs.stops.count() == 0


def test_sign_in_is_throttled_and_sign_out_works(owner: User) -> None:
    client = Client()
    address = reverse("people:sign-in")
    assert client.post(address, {"username": "owner", "password": "a long enough secret"}).status_code == 302
    assert client.get("/").status_code == 200
    assert client.post(reverse("people:sign-out")).status_code == 302
    assert client.get("/").status_code == 302
    for _ in range(5):
        last = client.post(address, {"username": "owner", "password": "wrong"})
    assert last.status_code == 429 and b"Too many" in last.content
    assert client.post(address, {"username": "owner", "password": "a long enough secret"}).status_code == 429


def test_the_demo_door_opens_once_by_a_click_and_never_without_its_key(
    owner: User, settings: Any, tmp_path: Path
) -> None:
    User.objects.create_user("analyst")
    assert Client().get("/enter//").status_code == 404
    settings.DEMO_KEY = "open sesame"
    assert Client().get("/enter/wrong/").status_code == 404
    settings.VAR = tmp_path
    first, second = Client(), Client()
    door = "/enter/open%20sesame/"
    assert "Come in" in first.get(door).content.decode() and "_auth_user_id" not in first.session
    assert first.post(door).status_code == 302 and "_auth_user_id" in first.session
    assert first.get(door).status_code == 302, "whoever is in already is let through"
    again = second.post(door)
    assert "has let somebody in already" in again.content.decode() and "_auth_user_id" not in second.session
