"""A short form of what `make attack` plays, against the demo that is running for the browser's tests."""

from __future__ import annotations

from pathlib import Path
from urllib.parse import urlsplit

import pytest

from attack import attacks
from attack.house import House
from attack.person import Person
from tests.browser.conftest import PASSWORD


class Running(House):
    """The demo that is running already."""

    def analyst(self) -> Person:
        return Person(self.port).sign_in("analyst", PASSWORD[-1])


@pytest.fixture
def house(base: str, tmp_path: Path) -> Running:
    running = Running(tmp_path)
    running.port = urlsplit(base).port or 0
    return running


def test_slow_clients_leave_the_others_their_answers(house: Running) -> None:
    found = attacks.slow_clients(house, count=40, looks=6)
    assert (found.tried, found.errors, found.refused) == (6, 0, 0)


def test_a_link_tells_nothing_but_its_pictures(house: Running) -> None:
    found = attacks.oracle(house, 40)
    assert found.tried == 40 and found.refused > 10 and found.leaked == found.errors == 0


def test_readers_and_analysts_at_once_are_answered(house: Running) -> None:
    reading, turning = attacks.load(house, readers=8, analysts=2, seconds=5)
    assert reading.tried >= 8 and turning.tried >= 2
    assert reading.errors == turning.errors == reading.refused == turning.refused == 0
