"""Overviews on pages: drafted, changed by hand, lit and narrowed by a reader as far as the writer allows."""

from __future__ import annotations

import html
import re

import pytest
from django.contrib.auth.models import User
from django.test import Client
from django.urls import reverse

from night_trail.core.conditions import OneOf
from night_trail.core.question import to_json
from night_trail.people.models import Role
from night_trail.tables.models import Table
from night_trail.tales.models import Link, Stop, Tale
from tests.web.conftest import client_of


@pytest.fixture
def stop(client: Client, table: Table) -> Stop:
    client.post(reverse("tales:overview-of", args=[table.pk]))
    found = Stop.objects.exclude(overview=None).get()
    assert found.heading == f"{table.name} at a glance"
    return found


def change(client: Client, stop: Stop, **form: str) -> Stop:
    answer = client.post(reverse("tales:tile", args=[stop.tale_id, stop.pk]), form)
    assert answer.status_code == 302, answer.content.decode()[-800:]
    return Stop.objects.get(pk=stop.pk)


def walked(client: Client, stop: Stop, query: str = "") -> str:
    return client.get(reverse("tales:own-walk", args=[stop.tale_id]) + query).content.decode()


def test_a_draft_is_shown_and_changed_by_hand(client: Client, stop: Stop) -> None:
    page = client.get(reverse("tales:stop", args=[stop.tale_id, stop.pk])).content.decode()
    tiles = stop.overview_value().tiles
    assert page.count("data-tile=") == len(tiles) >= 6 and "how it goes over time" in page
    first, last = tiles[0], tiles[-1]
    moved = change(client, stop, tile=first.id, move="right").overview_value()
    assert {t.id for t in moved.tiles} == {t.id for t in tiles}
    wider = change(client, stop, tile=last.id, move="to", w="12", h="4").overview_value()
    assert next(t for t in wider.tiles if t.id == last.id).w == 12
    change(client, stop, tile=last.id, move="heading", heading="The <b>week</b>")
    assert "The &lt;b&gt;week&lt;/b&gt;" in walked(client, stop)
    change(client, stop, tile=first.id, move="heading", heading="Rides", target="1,000,000")
    assert "below its target" in walked(client, stop)
    change(client, stop, tile=last.id, move="away")
    more = change(client, stop, words="late_min by depot as box plots").overview_value()
    assert len(more.tiles) == len(tiles) and more.tiles[-1].question.across == "depot"
    client.post(reverse("tales:undo", args=[stop.tale_id]))
    assert len(Stop.objects.get(pk=stop.pk).overview_value().tiles) == len(tiles) - 1


def test_what_does_not_fit_is_refused_and_nothing_changes(client: Client, stop: Stop) -> None:
    address = reverse("tales:tile", args=[stop.tale_id, stop.pk])
    for form in (
        {"tile": "zz", "move": "left"}, {"tile": "t1", "move": "fly"}, {"words": "qwertz"}, {"light": "{}"},
        {"only": "nonsense here"}, {"tile": "t1", "move": "heading", "target": "much"}, {"light": to_json(OneOf("nope", ("x",)))},
    ):  # fmt: skip
        assert client.post(address, form).status_code == 422, form
    assert Stop.objects.get(pk=stop.pk).overview == stop.overview


def test_one_lantern_lights_all_and_what_is_kept_stands_in_every_sentence(client: Client, stop: Stop) -> None:
    change(client, stop, only="festival is no")
    change(client, stop, light=to_json(OneOf("depot", ("Tallow Lane",))))
    page = walked(client, stop)
    assert page.count("only where festival is no") >= 4 and page.count("lit: depot is Tallow Lane") >= 4
    assert page.count('class="lit-figure"') >= 3
    out = walked(client, stop, "?out=1")
    assert "lit: depot" not in out and "As it was written" in out


def test_a_reader_narrows_by_what_is_allowed_and_by_nothing_else(client: Client, stop: Stop) -> None:
    _, token = Link.make(stop.tale)
    address, reader = reverse("tales:walk", args=[token]), Client()
    plain = reader.get(address).content.decode()
    assert 'name="narrow-0"' in plain and 'name="measure"' in plain
    year = reader.get(address + "?narrow-0=2022").content.decode()
    assert year.count("departed_at in 2022") >= 3 and "As it was written" in year
    assert 'data-chosen="narrow-0=2022"' in year
    other = reader.get(address + "?by=1").content.decode()
    assert other != plain and re.search(r'<option value="1" selected>', other)
    for bad in ("?narrow-0=1999", "?narrow-7=x", "?light=" + to_json(OneOf("crew", ("C01",))), "?now=forged"):
        assert reader.get(address + bad).status_code == 422, bad
    Tale.objects.filter(pk=stop.tale_id).update(least_lit=1_000_000)
    assert reader.get(address + "?narrow-0=2022").status_code == 422


def test_a_mark_of_any_picture_lights_in_all(client: Client, stop: Stop) -> None:
    page = walked(client, stop)
    lights = [html.unescape(a or b) for a, b in re.findall(r"""data-light=(?:"([^"]*)"|'([^']*)')""", page)]
    assert lights
    mark = lights[-1]
    lit = client.get(reverse("tales:own-walk", args=[stop.tale_id]), {"light": mark}).content.decode()
    assert lit.count("chip lantern") == 1 and lit.count(" lit: ") >= 4


def test_who_may_not_explore_the_table_neither_drafts_nor_changes(
    stop: Stop, table: Table, other: User
) -> None:
    theirs = client_of(other)
    assert theirs.post(reverse("tales:overview-of", args=[table.pk])).status_code == 404
    stop.tale.shares.create(person=other, role=Role.EXPLORE)
    refused = theirs.post(reverse("tales:tile", args=[stop.tale_id, stop.pk]), {"tile": "t1", "move": "away"})
    assert refused.status_code == 422 and "not ask other things" in refused.content.decode()
    assert theirs.post(reverse("tales:overview", args=[stop.tale_id]), {"table": table.pk}).status_code == 404
