"""All groups of a picture that draws only some: ranked, searched, in pages, lit, taken along."""

from __future__ import annotations

import csv
import io
from pathlib import Path

import pytest
from django.contrib.auth.models import User
from django.test import Client
from django.urls import reverse

from night_trail.core.conditions import OneOf
from night_trail.core.turns import Only, Say, Slot
from night_trail.tables.models import Table
from night_trail.trails.models import Step
from night_trail.trails.services import start_trail, take_turn
from tests.web.test_remedies import table_from

pytestmark = pytest.mark.django_db
HOSTILE = '<script>alert("x")</script>'


@pytest.fixture
def stops(owner: User, tmp_path: Path) -> Table:
    """230 stops of 3 to 5 rows; the figure rises with the number, but for one of a hostile name."""
    lines = ["stop,riders"]
    for i in range(230):
        name = '"<script>alert(""x"")</script>"' if i == 100 else f"stop {i:03d}"
        lines += [f"{name},{i + 0.5}"] * (3 + i % 3)
    return table_from(owner, tmp_path, "\n".join(lines))


def asked(owner: User, table: Table, words: str) -> Step:
    return take_turn(start_trail(owner, table), Say(words))


def page(client: Client, step: Step, name: str = "groups", **query: object) -> str:
    address = reverse(f"trails:{name}", args=[step.trail_id, step.pk])
    response = client.get(address, query)
    assert response.status_code == 200
    return response.content.decode()


def test_all_groups_in_pages_by_rank(client: Client, owner: User, stops: Table) -> None:
    step = asked(owner, stops, "average of riders by stop")
    desk = client.get(reverse("trails:step", args=[step.trail_id, step.pk])).content.decode()
    assert "All 230 groups" in desk
    first = page(client, step)
    assert "230 groups of stop" in first and "stop 229" in first and "stop 180" in first
    assert "stop 179" not in first and "page 1 of 5" in first
    assert "stop 179" in page(client, step, page=2) and "page 5 of 5" in page(client, step, page="99")
    assert "page 1 of 5" in page(client, step, page="-3")


def test_a_group_is_found_by_a_part_of_its_name_and_keeps_its_rank(
    client: Client, owner: User, stops: Table
) -> None:
    step = asked(owner, stops, "average of riders by stop")
    found = page(client, step, find="SCRIPT")
    assert "&lt;script&gt;" in found and HOSTILE not in found and ">130<" in found
    assert "No group's name holds “moon”" in page(client, step, find="moon").replace("&#x27;", "'")
    assert ">1<" in page(client, step, find="stop 229")


def test_a_group_is_lit_from_the_list_and_all_are_taken_along(
    client: Client, owner: User, stops: Table
) -> None:
    step = asked(owner, stops, "average of riders by stop")
    rows = list(csv.reader(io.StringIO(page(client, step, "groups-csv"))))
    assert len(rows) == 231 and rows[1] == ["1", "stop 229", "229.5", "4"]
    change = '{"turn":"light"'
    listed = page(client, step, find="stop 007")
    assert change in listed.replace("&quot;", '"')
    few = take_turn(step, Slot("least", "5"))
    listed = page(client, few)
    assert "76 groups of stop" in listed and "154 with fewer than 5 rows are not ranked" in listed


def test_a_picture_that_draws_all_its_groups_offers_no_list(
    client: Client, owner: User, stops: Table
) -> None:
    step = take_turn(
        asked(owner, stops, "average of riders by stop"), Only(OneOf("stop", ("stop 001", "stop 002")))
    )
    desk = client.get(reverse("trails:step", args=[step.trail_id, step.pk])).content.decode()
    assert "groups-toggle" not in desk
    spread = asked(owner, stops, "riders")
    response = client.get(reverse("trails:groups", args=[spread.trail_id, spread.pk]))
    assert response.status_code == 422 and "no groups that are ranked" in response.content.decode()
