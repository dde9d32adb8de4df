"""What nobody waits for pauses while others are answered, for a bounded time, and then goes on."""

from __future__ import annotations

import threading

import pytest
from django.http import HttpResponse
from django.test import RequestFactory

from night_trail.core.measure import Measure
from night_trail.core.question import Scene
from night_trail.core.questions.compare.question import Compare
from night_trail.core.rows import Rows
from night_trail.core.signposts import search
from night_trail.web import giving_way
from night_trail.web.giving_way import Waited, nobody_waits
from tests.core.tables import table_of

ASK = RequestFactory().get("/")


def test_a_search_pauses_until_others_are_answered_and_never_for_itself() -> None:
    searching, answered, on = threading.Event(), threading.Event(), threading.Event()

    def a_search(request: object) -> HttpResponse:
        with nobody_waits() as give_way:
            give_way()  # nobody else is there yet
            searching.set()
            assert answering.wait(10)
            give_way()
            on.set()
        return HttpResponse()

    def an_answer(request: object) -> HttpResponse:
        answering.set()
        assert not on.wait(0.2), "it went on beside a request that somebody waits for"
        answered.set()
        return HttpResponse()

    answering = threading.Event()
    thread = threading.Thread(target=Waited(a_search), args=(ASK,))
    thread.start()
    assert searching.wait(10)
    Waited(an_answer)(ASK)
    assert on.wait(10) and answered.is_set()
    thread.join()
    assert giving_way._waited.n == 0


def test_where_somebody_always_waits_it_goes_on_after_a_while(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(giving_way, "LONGEST", 0.05)

    def within(request: object) -> HttpResponse:
        with nobody_waits() as give_way:
            giving_way._waited.add(1)  # somebody who stays
            for _ in range(1_000):
                give_way()
            giving_way._waited.add(-1)
        return HttpResponse()

    Waited(within)(ASK)
    assert giving_way._waited.n == 0


def test_a_request_that_fails_is_no_longer_waited_for() -> None:
    def broken(request: object) -> HttpResponse:
        with nobody_waits():
            raise ValueError

    with pytest.raises(ValueError):
        Waited(broken)(ASK)
    assert giving_way._waited.n == 0


def test_a_search_may_pause_before_every_relation_it_tries() -> None:
    n = 400
    table = table_of(
        x=[i % 7 for i in range(n)], **{f"c{k}": ["ab"[(i + k) % 2] for i in range(n)] for k in range(5)}
    )
    pauses = []
    found = search(
        Scene(main=Compare(Measure("mean", "x"), "c0")), Rows(table), pause=lambda: pauses.append(1)
    )
    assert len(pauses) >= found.tried > 4
