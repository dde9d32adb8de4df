"""Strangers: what they send is bounded, what they claim is not believed, guessing is slow, inviting is safe."""

from __future__ import annotations

import re
import threading
from datetime import timedelta
from pathlib import Path
from typing import Any

import pytest
from axes.models import AccessAttempt
from django.contrib.auth.models import User
from django.contrib.sessions.models import Session
from django.http import HttpRequest, HttpResponse
from django.test import Client, RequestFactory
from django.urls import reverse
from django.utils import timezone

from night_trail.people import slowing
from night_trail.people.models import Invitation
from night_trail.site.bodies import STRANGERS_MOST, Places
from night_trail.site.proxies import Proxies
from night_trail.tables import quota
from night_trail.tables.models import Table
from night_trail.tales.models import Link, Tale
from tests.web.conftest import client_of

SECRET = "a long enough secret"
SIGN_IN = "/sign-in/"


class Unread:
    """A body that must not be read."""

    def read(self, *_: object) -> bytes:
        raise AssertionError("a byte of it was read")

    readline = read


def sends(client: Client, address: str, length: object, **more: object) -> HttpResponse:
    body = {"wsgi.input": Unread(), "CONTENT_LENGTH": str(length), "CONTENT_TYPE": "text/plain"}
    return client.generic("POST", address, **{**body, **more})


# ---- bodies ----


def test_long_bodies_are_refused_before_a_byte_is_read(client: Client, table: Table, settings: Any) -> None:
    stranger = Client()
    for address in (SIGN_IN, "/tables/bring/", "/nowhere/"):
        refused = sends(stranger, address, STRANGERS_MOST + 1)
        assert refused.status_code == 413 and "Sign in before" in refused.content.decode()
    settings.UPLOAD_LIMIT = 5_000_000
    assert sends(client, "/tables/bring/", 11_000_001).status_code == 413
    assert sends(client, f"/tables/{table.pk}/step/", 1_000_001).status_code == 413
    assert sends(client, "/tables/bring/", "9" * 5_000).status_code == 413
    for told in ({"CONTENT_LENGTH": "²"}, {"CONTENT_LENGTH": "-1"}, {"HTTP_TRANSFER_ENCODING": "chunked"}):
        assert sends(client, "/tables/bring/", 5, **told).status_code == 411


def test_places_for_slow_bodies_leave_others_theirs() -> None:
    places = Places(most=3, each=2, patience=0.01)
    with places.place("a") as one, places.place("a") as two:
        assert one and two
        with places.place("a") as three, places.place("b") as of_another:
            assert not three and of_another
            with places.place("c") as fourth:
                assert not fourth
        with places.place("c") as now:
            assert now
    assert not places._taken


def test_a_place_that_comes_free_in_time_is_taken() -> None:
    places = Places(most=1, each=1, patience=5.0)
    held, go = threading.Event(), threading.Event()

    def hold() -> None:
        with places.place("a"):
            held.set()
            go.wait(5)

    slow = threading.Thread(target=hold)
    slow.start()
    held.wait(5)
    threading.Timer(0.05, go.set).start()
    with places.place("b") as got:
        assert got
    slow.join()


# ---- proxies ----


@pytest.mark.parametrize(
    ("came", "claims", "address", "believed"),
    [
        ("203.0.113.9", "198.51.100.1", "203.0.113.9", False),
        ("127.0.0.1", "198.51.100.1", "198.51.100.1", True),
        ("127.0.0.1", "1.1.1.1, 198.51.100.1", "198.51.100.1", True),
        ("127.0.0.1", "1.1.1.1, 198.51.100.1, 10.1.2.3", "198.51.100.1", True),
        ("127.0.0.1", "", "127.0.0.1", True),
        ("127.0.0.1", "<script>", "<script>", True),
    ],
)
def test_only_trusted_proxies_are_believed(
    settings: Any, rf: RequestFactory, came: str, claims: str, address: str, believed: bool
) -> None:
    settings.TRUSTED_PROXIES = ["127.0.0.1", "10.0.0.0/8"]
    seen: list[HttpRequest] = []
    request = rf.get("/", REMOTE_ADDR=came, headers={"X-Forwarded-For": claims, "X-Forwarded-Proto": "https"})
    Proxies(lambda r: seen.append(r) or HttpResponse())(request)
    assert slowing.address(seen[0]) == address
    assert ("HTTP_X_FORWARDED_PROTO" in seen[0].META) == believed


# ---- guessing ----


def failed(name: str, address: str, times: int) -> None:
    AccessAttempt.objects.create(
        username=name, ip_address=address, failures_since_start=times, attempt_time=timezone.now(),
        user_agent="x", get_data="", post_data="", http_accept="", path_info="",
    )  # fmt: skip


def sign_in(client: Client, name: str = "owner", password: str = SECRET, address: str = "203.0.113.1") -> int:
    return client.post(SIGN_IN, {"username": name, "password": password}, REMOTE_ADDR=address).status_code


def test_an_address_that_failed_with_many_names_waits(owner: User) -> None:
    for i in range(slowing.FREE_OF_ADDRESS + 5):
        failed(f"name{i}", "203.0.113.1", 1)
    refused = Client().post(SIGN_IN, {"username": "owner", "password": SECRET}, REMOTE_ADDR="203.0.113.1")
    assert refused.status_code == 429 and re.search(r"in 3[0-2] s", refused.content.decode())
    assert 30 <= int(refused["Retry-After"]) <= 32
    assert sign_in(Client(), address="203.0.113.2") == 302
    AccessAttempt.objects.update(attempt_time=timezone.now() - timedelta(seconds=40))
    assert sign_in(Client()) == 302, "once the wait is over the address is let in"


def test_nobody_locks_another_out_by_name(owner: User) -> None:
    home = Client()
    assert sign_in(home, address="203.0.113.7") == 302
    home.post("/sign-out/")
    for i in range(200):
        failed("owner", f"198.51.100.{i}", 4)
    assert sign_in(home, address="203.0.113.7") == 302, "a browser that is known does not wait"
    assert sign_in(Client(), address="203.0.113.8") == 429, "others do, a few seconds"
    AccessAttempt.objects.update(attempt_time=timezone.now() - timedelta(seconds=16))
    assert sign_in(Client(), address="203.0.113.8") == 302
    forged = Client()
    forged.cookies["known"] = home.cookies["known"].value + "x"
    failed("owner", "198.51.100.255", slowing.FREE_OF_NAME + 4)
    assert sign_in(forged, address="203.0.113.9") == 429


# ---- accounts ----


@pytest.fixture
def keeper(owner: User) -> Client:
    """Somebody who may invite."""
    owner.is_staff = True
    owner.save()
    return client_of(owner)


def invitation(keeper: Client) -> str:
    shown = keeper.post(reverse("people:invite"))
    found = re.search(r"/invited/[\w-]+/", shown.content.decode())
    assert found and found[0] not in keeper.get(reverse("people:account")).content.decode()
    return found[0]


def test_an_invitation_makes_one_account(keeper: Client) -> None:
    address, guest = invitation(keeper), Client()
    assert not any(address.split("/")[2] in str(vars(i)) for i in Invitation.objects.all())
    asked = guest.get(address)
    assert asked.status_code == 200 and asked["Referrer-Policy"] == "same-origin"
    for name, password, words in (
        ("guest", "guest", "too short"),
        ("guest", "password", "too common"),
        ("owner", SECRET, "called “owner” already"),
        ("<script>", SECRET, "valid username"),
        ("", SECRET, "cannot be blank"),
    ):
        refused = guest.post(address, {"username": name, "password": password})
        said = refused.content.decode()
        assert refused.status_code == 422 and words in said and "<script>" not in said
    assert guest.post(address, {"username": "guest", "password": SECRET}).status_code == 302
    assert guest.get("/").status_code == 200
    assert Client().get(address).status_code == 404, "it works once"
    assert "guest came" in keeper.get(reverse("people:account")).content.decode()


def test_an_invitation_ends_and_can_be_withdrawn(keeper: Client, other: User) -> None:
    first, second = invitation(keeper), invitation(keeper)
    newest, oldest = Invitation.objects.all()
    Invitation.objects.filter(pk=oldest.pk).update(ends=timezone.now() - timedelta(seconds=1))
    assert Client().get(first).status_code == 404
    withdraw = reverse("people:withdraw", args=[newest.pk])
    assert client_of(other).post(withdraw).status_code == 404 and Client().get(second).status_code == 200
    assert keeper.post(withdraw).status_code == 302 and Client().get(second).status_code == 404
    assert client_of(other).post(reverse("people:invite")).status_code == 404


def test_signing_out_everywhere_ends_every_session_of_one_person(owner: User, other: User) -> None:
    here, there, theirs = client_of(owner), client_of(owner), client_of(other)
    assert here.post(reverse("people:sign-out-everywhere")).status_code == 302
    assert [c.get("/").status_code for c in (here, there, theirs)] == [302, 302, 200]


def test_a_changed_password_ends_other_sessions(owner: User) -> None:
    here, there = client_of(owner), client_of(owner)
    fresh = "another long secret"
    form = {"old_password": SECRET, "new_password1": fresh, "new_password2": fresh}
    assert here.post(reverse("people:password"), form).status_code == 302
    assert here.get("/").status_code == 200 and there.get("/").status_code == 302


# ---- what is kept, and how much ----


def test_a_read_link_is_kept_nowhere_but_as_a_hash(client: Client, tale: Tale) -> None:
    shown = client.post(reverse("tales:link", args=[tale.pk]), {"stop": tale.stops.last().pk})
    token = re.search(r"/walk/([\w-]{20,})/", shown.content.decode())
    assert token and Client().get(f"/walk/{token[1]}/").status_code == 200
    kept = [str(s.get_decoded()) for s in Session.objects.all()] + [str(vars(k)) for k in Link.objects.all()]
    assert not any(token[1] in text for text in kept)


def test_a_quota_is_shown_and_kept(
    client: Client, owner: User, table: Table, settings: Any, few_buses_csv: Path
) -> None:
    used = quota.used_by(owner)
    assert used > few_buses_csv.stat().st_size, "the file as it arrived, and its columns"
    assert f"Your tables and images take {quota.in_words(used)} of 20 GB" in client.get("/").content.decode()
    settings.USER_QUOTA = used + 1_000
    with few_buses_csv.open("rb") as file:
        refused = client.post(reverse("tables:bring"), {"file": file})
    assert refused.status_code == 422 and "may take 1 kB more" in refused.content.decode()
    table.delete()
    assert quota.used_by(owner) < used
