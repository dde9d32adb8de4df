"""The word box on its pages: who may ask, what is kept, what is escaped, what is refused."""

from __future__ import annotations

import html
import re

import pytest
from django.contrib.auth.models import User
from django.test import Client

from night_trail.tables.calling import MOST_FAVOURITES
from night_trail.tables.models import Favourite, Table
from night_trail.trails.models import Step
from tests.web.conftest import client_of

pytestmark = pytest.mark.django_db


def words_at(table: Table) -> str:
    return f"/tables/{table.pk}/words/"


def told(client: Client, table: Table, words: str, **more: object) -> str:
    answer = client.get(words_at(table), {"words": words, **more})
    assert answer.status_code == 200
    return html.unescape(answer.content.decode())


def started(client: Client, table: Table, words: str) -> Step:
    answer = client.post(f"/tables/{table.pk}/trail/", {"words": words})
    assert answer.status_code in (302, 200), answer.content
    return Step.objects.latest("pk")


def test_what_is_typed_is_listed_with_what_it_is_taken_as(client: Client, table: Table) -> None:
    page = told(client, table, "average lateness by depot")
    assert "lateness is taken as late_min" in page
    assert "nothing was left over" in page
    assert 'role="option"' in page and 'aria-selected="true"' in page
    assert "reading" in re.search(r'data-said="([^"]+)"', page)[1]  # type: ignore[index]


def test_a_reading_that_is_chosen_is_the_one_that_is_shown(client: Client, table: Table) -> None:
    page = told(client, table, "best line for lateness")
    keys = re.findall(r'data-reading="([^"]+)"', page)
    assert len(keys) >= 2
    scenes = []
    for key in keys[:2]:
        client.post(f"/tables/{table.pk}/trail/", {"words": "best line for lateness", "reading": key})
        scenes.append(Step.objects.latest("pk").scene["main"])
    assert scenes[0] != scenes[1]


def test_words_turn_the_picture_of_the_step_they_are_typed_at(client: Client, table: Table) -> None:
    step = started(client, table, "average late_min by depot")
    page = told(client, table, "only Quayside", step=step.pk)
    assert "a turn of this picture" in page
    client.post(f"/trails/{step.trail_id}/steps/{step.pk}/turn/", {"words": "only Quayside"})
    after = Step.objects.latest("pk")
    assert after.parent_id == step.pk and after.label == "only district is Quayside"
    back = client.post(f"/trails/{after.trail_id}/steps/{after.pk}/turn/", {"words": "back"})
    assert back.headers["Location"].endswith(f"/steps/{step.pk}/")
    assert Step.objects.latest("pk") == after
    root = step.parent
    assert root is not None and root.parent is None


def test_what_is_left_over_is_refused_with_the_way_on_and_nothing_is_made(
    client: Client, table: Table
) -> None:
    before = Step.objects.count()
    answer = client.post(f"/tables/{table.pk}/trail/", {"words": "bikeshop by line"})
    assert answer.status_code == 422
    said = html.unescape(answer.content.decode())
    assert "“bikeshop” is not in this table" in said and "Without it:" in said
    assert Step.objects.count() == before


def test_names_and_words_from_outside_are_escaped(client: Client, table: Table) -> None:
    for words in ("<script>alert(1)</script>", '"><img src=x>', "late_min in “<b>”"):
        raw = client.get(words_at(table), {"words": words}).content.decode()
        assert (
            "<script>" not in raw
            and "<img src" not in raw
            and "<b>" not in raw.replace("<b >", "").replace('<b class="guessed">', "")
        )


def test_words_of_ones_own_are_kept_with_the_table_and_forgotten(client: Client, table: Table) -> None:
    where = words_at(table) + "means/"
    assert client.post(where, {"phrase": "Wet  Nights", "means": "rain_mm above 2"}).status_code == 302
    table.refresh_from_db()
    assert table.called == {"means": {"wet nights": "rain_mm above 2"}}
    assert "wet nights is rain_mm above 2, as you said" in told(
        client, table, "average lateness on wet nights"
    )
    assert "“wet nights” is rain_mm above 2" in html.unescape(
        client.get(f"/tables/{table.pk}/").content.decode()
    )
    client.post(where, {"column": "late_min", "good": "high"})
    client.post(where, {"phrase": "wet nights", "forget": "1"})
    table.refresh_from_db()
    assert table.called == {"good": {"late_min": "high"}}
    client.post(where, {"column": "late_min", "good": ""})
    table.refresh_from_db()
    assert table.called == {}


@pytest.mark.parametrize(
    ("posted", "says"),
    [
        ({"phrase": "", "means": "late_min"}, "between 1 and 100 letters"),
        ({"phrase": "!!", "means": "late_min"}, "between 1 and 100 letters"),
        ({"phrase": "x" * 101, "means": "late_min"}, "between 1 and 100 letters"),
        ({"phrase": "wet", "means": ""}, "is not said"),
        ({"phrase": "wet", "means": "no such thing above"}, "does not begin with a column"),
        ({"good": "high", "column": "nothing"}, "There is no column “nothing”"),
    ],
)
def test_words_that_mean_nothing_are_refused(
    client: Client, table: Table, posted: dict[str, str], says: str
) -> None:
    answer = client.post(words_at(table) + "means/", posted)
    assert answer.status_code == 422 and says in html.unescape(answer.content.decode())
    table.refresh_from_db()
    assert table.called == {}


def test_a_vocabulary_that_cannot_be_read_any_more_stops_nothing(client: Client, table: Table) -> None:
    table.called = {"means": 3}
    table.save(update_fields=["called"])
    assert "late_min" in told(client, table, "late_min by depot")


def test_favourites_are_ones_own_and_let_go_again(client: Client, other: User, table: Table) -> None:
    where = words_at(table) + "favourite/"
    assert client.post(where, {"words": " average  lateness by depot"}).status_code == 204
    assert "average lateness by depot" in told(client, table, "")
    assert client_of(other).post(where, {"words": "late_min"}).status_code == 404
    client.post(where, {"words": "average lateness by depot"})
    assert not Favourite.objects.exists()
    assert client.post(where, {"words": "  "}).status_code == 422
    for i in range(MOST_FAVOURITES):
        client.post(where, {"words": f"late_min {i}"})
    assert client.post(where, {"words": "one more"}).status_code == 422
    assert Favourite.objects.count() == MOST_FAVOURITES


def test_strangers_learn_nothing_and_change_nothing(other: User, table: Table) -> None:
    for path in ("", "ask/", "picture/"):
        assert client_of(other).get(words_at(table) + path, {"words": "late_min"}).status_code == 404
        assert client_of(None).get(words_at(table) + path, {"words": "late_min"}).status_code in (302, 404)
    assert (
        client_of(other).post(words_at(table) + "means/", {"phrase": "a", "means": "late_min"}).status_code
        == 404
    )


def test_a_step_of_anothers_trail_or_of_another_table_is_not_read(
    client: Client, other: User, table: Table
) -> None:
    step = started(client, table, "late_min")
    assert client_of(other).get(words_at(table), {"words": "by depot", "step": step.pk}).status_code == 404
    assert client.get(words_at(table), {"words": "by depot", "step": 10**9}).status_code == 404
    assert client.get(words_at(table), {"words": "late_min", "step": "x"}).status_code == 200


def test_small_pictures_and_six_things_to_ask(client: Client, table: Table) -> None:
    drawn = client.get(words_at(table) + "picture/", {"words": "average lateness by depot"})
    assert drawn.content.startswith(b"<svg")
    assert client.get(words_at(table) + "picture/", {"words": "asdf"}).content == b""
    assert client.get(words_at(table) + "picture/").content == b""
    page = client.get(words_at(table) + "ask/").content.decode()
    assert page.count('name="words"') == 6


def test_conditions_are_written_in_the_same_words(client: Client, table: Table) -> None:
    step = started(client, table, "late_min by depot")
    where = f"/trails/{step.trail_id}/steps/{step.pk}/turn/"
    client.post(where, {"phrase": "Quayside and Foundry"})
    assert Step.objects.latest("pk").scene["only"][0]["values"] == ["Quayside", "Foundry"]
    client.post(where, {"phrase": "more than 5 min late", "as": "light"})
    assert Step.objects.latest("pk").scene["lit"]["low"] == 5.0
    refused = client.post(where, {"phrase": "the blorp ones"})
    assert refused.status_code == 422
