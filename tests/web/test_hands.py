"""The hands on the desk: names for groups and measures, a search, conditions in words, rows, files to take along."""

from __future__ import annotations

import html
import io
import json
import re
from pathlib import Path

import numpy as np
import pytest
from django.contrib.auth.models import User
from django.test import Client
from django.urls import reverse

from night_trail.core.conditions import Between, Contains, Loop, Not, OneOf, Recent
from night_trail.core.measure import Measure
from night_trail.core.question import Scene, to_json
from night_trail.core.questions.compare.question import Compare, Rule
from night_trail.core.turns import Alike, Beside, BreakDown, Light, OnlyWords, Say, Zoom
from night_trail.tables.models import Table
from night_trail.tables.recipes import take_back
from night_trail.tables.services import core_table
from night_trail.trails.models import Step
from night_trail.trails.pictures import Desk
from night_trail.trails.rowlist import View, row_page
from night_trail.trails.services import start_trail, take_turn
from tests.web.conftest import client_of
from tests.web.test_looking import asked, get
from tests.web.test_remedies import table_from

pytestmark = pytest.mark.django_db
HX = {"HX-Request": "true"}
PIXEL = "data:image/png;base64,iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg=="


def post(client: Client, step: Step, where: str, /, **fields: object) -> object:
    address = reverse(f"trails:{where}", args=[step.trail_id, step.pk])
    return client.post(address, fields, headers=HX)


def newest(step: Step) -> Step:
    return Step.objects.filter(trail=step.trail_id).order_by("-pk")[0]


# ---- groups ----


def test_lit_rows_become_a_group_that_every_slot_offers(client: Client, owner: User, table: Table) -> None:
    step = asked(owner, table, "average late_min by depot")
    before = Desk(step.trail.version, step.scene_value())
    lit = before.rows.n_lit
    response = post(client, step, "group", name="wet nights")
    assert response.status_code == 200 and b"lit: wet nights is yes" in response.content
    after = newest(step)
    assert after.scene_value().lit == OneOf("wet nights", ("yes",))
    desk = Desk(after.trail.version, after.scene_value())
    assert desk.rows.n_lit == lit and "wet nights" in desk.table
    # the trail stands on the new version, and its earlier steps show the same figures
    earlier = Step.objects.get(pk=step.pk)
    assert earlier.trail.version_id == after.trail.version_id == Table.objects.get(pk=table.pk).latest.pk
    again = Desk(earlier.trail.version, earlier.scene_value())
    main = earlier.scene_value().main
    assert [g.value for g in again.answer(main).groups] == [g.value for g in before.answer(main).groups]
    assert b"across wet nights" in get(client, after, "slot", slot="across").content
    survey = client.get(reverse("tables:survey", args=[table.pk])).content.decode()
    assert "wet nights names a group of rows" in survey


@pytest.mark.parametrize(("name", "says"), [("", "no name"), ("late_min", "already"), ("  ", "no name")])
def test_a_group_needs_a_name_of_its_own(
    client: Client, owner: User, table: Table, name: str, says: str
) -> None:
    step = asked(owner, table, "late_min")
    response = post(client, step, "group", name=name)
    assert response.status_code == 422 and says in response.content.decode()
    assert Step.objects.filter(trail=step.trail_id).count() == 3


def test_a_group_is_refused_where_the_table_went_another_way(
    client: Client, owner: User, table: Table
) -> None:
    step = asked(owner, table, "late_min")
    assert post(client, step, "group", name="wet").status_code == 200
    other = take_turn(start_trail(owner, Table.objects.get(pk=table.pk)), OnlyWords("wet is yes", light=True))
    take_back(Table.objects.get(pk=table.pk), 0)
    response = post(client, Step.objects.get(pk=other.pk), "group", name="again")
    assert response.status_code == 422 and "has changed since this trail began" in response.content.decode()
    unlit = start_trail(owner, table, column="late_min")
    assert "Nothing is lit" in post(client, unlit, "group", name="x").content.decode()
    assert b"Nothing is lit" in get(client, unlit, "group").content


# ---- measures ----


def test_a_named_measure_is_offered_said_and_forgotten(client: Client, owner: User, table: Table) -> None:
    step = asked(owner, table, "average late_min by depot")
    response = post(
        client, step, "measure", name="late share", words="the share of trips where late_min above 5"
    )
    assert response.status_code == 200
    offers = get(client, step, "slot", slot="aggregate").content.decode()
    assert "late share" in offers
    turned = take_turn(Step.objects.get(pk=step.pk), Say("late share by line"))
    page = get(client, turned, "step").content.decode()
    assert ">late share<" in page
    measure = turned.scene_value().main.measure
    assert measure == Measure("share", where=Between("late_min", 5.0, None, low_open=True))
    form = get(client, turned, "measure").content.decode()
    assert "the share of trips where late_min above 5" in form and "Forget" in form
    assert post(client, turned, "measure-forget", name="late share").status_code == 200
    page = get(client, Step.objects.get(pk=turned.pk), "step").content.decode()
    assert "where late_min above 5" in page and ">late share<" not in page


@pytest.mark.parametrize(
    ("name", "words", "says"),
    [
        ("", "the average of late_min", "no name"),
        ("depot", "the average of late_min", "column already"),
        ("x", "the average of moon", "not a measure"),
        ("x", "the average of depot", "no mean"),
        ("x", "", "not a measure"),
    ],
)
def test_what_is_no_measure_is_said_in_one_sentence(
    client: Client, owner: User, table: Table, name: str, words: str, says: str
) -> None:
    step = asked(owner, table, "late_min")
    response = post(client, step, "measure", name=name, words=words)
    assert response.status_code == 422 and says in response.content.decode()
    assert Table.objects.get(pk=table.pk).measures == {}


# ---- conditions ----


def test_a_search_offers_conditions_with_their_counts(client: Client, owner: User, table: Table) -> None:
    step = start_trail(owner, table, column="late_min")
    address = reverse("trails:found", args=[step.trail_id, step.pk])
    page = client.get(address, {"q": "tallow"}).content.decode()
    assert "depot is Tallow Lane" in page
    posts = [html.unescape(p) for p in re.findall(r'name="change" value="([^"]+)"', page)]
    assert (
        client.post(
            reverse("trails:turn", args=[step.trail_id, step.pk]), {"change": posts[0]}, headers=HX
        ).status_code
        == 200
    )
    assert newest(step).scene_value().only == (OneOf("depot", ("Tallow Lane",)),)
    assert '"turn": "light"' in html.unescape(
        client.get(address, {"q": "tallow", "as": "light"}).content.decode()
    ).replace('":"', '": "')
    assert "No value contains" in client.get(address, {"q": "zzzz"}).content.decode()
    assert client.get(address, {"q": "<script>" * 40}).status_code == 200
    assert b"<script>" not in client.get(address, {"q": "<script>"}).content


@pytest.mark.parametrize(
    ("fields", "expected"),
    [
        ({"column": "late_min", "low": "2", "high": "5"}, Between("late_min", 2.0, 5.0, high_closed=True)),
        (
            {"column": "late_min", "low": "2", "not": "1"},
            Not(Between("late_min", 2.0, None, high_closed=True)),
        ),
        ({"column": "service_night", "recent": "3", "unit": "month"}, Recent("service_night", 3, "month")),
        (
            {"column": "depot", "value": ["Tallow Lane", "Northgate"], "not": "1"},
            Not(OneOf("depot", ("Tallow Lane", "Northgate"))),
        ),
        ({"column": "trip_id", "text": "T00"}, Contains("trip_id", "T00")),
        ({"phrase": "rain_mm above 2 or depot is Northgate"}, None),
    ],
)
def test_forms_state_conditions_of_every_kind(
    client: Client, owner: User, table: Table, fields: dict[str, object], expected: object
) -> None:
    step = start_trail(owner, table, column="late_min")
    assert post(client, step, "turn", **fields).status_code == 200
    only = newest(step).scene_value().only
    assert only == (expected,) if expected is not None else "or depot is Northgate" in newest(step).label


@pytest.mark.parametrize(
    "fields",
    [
        {"column": "service_night", "recent": "0", "unit": "month"},
        {"column": "service_night", "recent": "2.5", "unit": "month"},
        {"column": "service_night", "recent": "2", "unit": "moon"},
        {"column": "late_min", "low": "x"},
        {"reworded": "moon is full", "position": "0"},
        {"reworded": "rain_mm above 2", "position": "7"},
        {"reworded": "", "position": "0"},
    ],
)
def test_bad_conditions_are_one_sentence(
    client: Client, owner: User, table: Table, fields: dict[str, str]
) -> None:
    step = take_turn(start_trail(owner, table, column="late_min"), OnlyWords("rain_mm above 1"))
    response = post(client, step, "turn", **fields)
    assert response.status_code == 422 and newest(step).pk == step.pk


def test_a_condition_is_shown_in_words_with_what_lies_behind_it(
    client: Client, owner: User, table: Table
) -> None:
    step = take_turn(start_trail(owner, table, column="late_min"), OnlyWords("rain_mm above 1"))
    assert 'value="rain_mm above 1"' in get(client, step, "reword", position=0).content.decode()
    assert get(client, step, "reword", position=3).status_code == 422
    form = client.get(
        reverse("trails:condition", args=[step.trail_id, step.pk]), {"column": "late_min"}
    ).content.decode()
    assert "data-range" in form and "<svg" in form and 'name="low"' in form
    dates = client.get(
        reverse("trails:condition", args=[step.trail_id, step.pk]), {"column": "service_night"}
    ).content.decode()
    assert 'name="recent"' in dates and 'type="date"' in dates


# ---- down, loops, the same rows ----


def test_the_path_stands_in_the_sentence_and_leads_up_again(
    client: Client, owner: User, table: Table
) -> None:
    step = take_turn(start_trail(owner, table), Say("average late_min by depot"))
    step = take_turn(step, Light(OneOf("depot", ("Tallow Lane",))))
    offers = get(client, step, "slot", slot="breakdown").content.decode()
    assert "tells" in offers and "down to the rows" in offers and "by depot" not in offers
    below = take_turn(step, BreakDown("line"))
    page = get(client, below, "step").content.decode()
    assert ">Tallow Lane<" in page and "only depot is Tallow Lane" not in page
    up = get(client, below, "slot", slot="within").content.decode()
    change = html.unescape(re.findall(r'name="change" value="([^"]+)"', up)[0])
    assert post(client, below, "turn", change=change).status_code == 200
    assert Scene(main=step.scene_value().main, lit=step.scene_value().lit) == newest(below).scene_value() or (
        Step.objects.filter(trail=step.trail_id).count() >= 4
    )


def test_the_same_rows_are_named_in_the_pictures_beside(client: Client, owner: User, table: Table) -> None:
    step = take_turn(
        take_turn(start_trail(owner, table), Say("average late_min by depot")),
        Beside(Compare(Measure("count"), "line", "bars")),
    )
    address = reverse("trails:same-rows", args=[step.trail_id, step.pk])
    rows = to_json(OneOf("line", ("N1 Harbour Ring",)))
    marks = client.get(address, {"rows": rows, "from": "main"}).json()["marks"]
    assert len(marks) == 1 and marks[0].startswith("b0-m-")
    assert marks[0] in get(client, step, "step").content.decode()
    assert len(client.get(address, {"rows": rows, "from": "b0"}).json()["marks"]) >= 1
    assert client.get(address, {"rows": "{", "from": "main"}).status_code == 422
    assert client.get(address, {"rows": rows + " " * 5000, "from": "main"}).json() == {"marks": []}
    assert newest(step).pk == step.pk


def test_a_loop_lights_what_is_inside(client: Client, owner: User, table: Table) -> None:
    step = take_turn(start_trail(owner, table), Say("late_min vs rain_mm"))
    corners = ((2.0, 2.0), (12.0, 2.0), (12.0, 20.0), (2.0, 20.0))
    loop = Loop("rain_mm", "late_min", corners, (0.0, 25.0, -4.0, 23.0))
    assert post(client, step, "turn", change=to_json(Light(loop))).status_code == 200
    desk = Desk(step.trail.version, newest(step).scene_value())
    core = core_table(table.latest)
    rain, late = (np.array(core.series(n).cast(float).fill_null(np.nan)) for n in ("rain_mm", "late_min"))
    inside = (rain > 2) & (rain < 12) & (late > 2) & (late < 20)
    assert abs(desk.rows.n_lit - inside.sum()) <= (np.isin(rain, (2, 12)) | np.isin(late, (2, 20))).sum()
    zoomed = take_turn(newest(step), Zoom((1.0, 5.0, 0.0, 10.0)))
    assert b"zoomed into rain_mm 1 to 5" in get(client, zoomed, "step").content


def test_zooming_on_and_on_is_one_step_of_the_way(client: Client, owner: User, table: Table) -> None:
    step = asked(owner, table, "late_min vs rain_mm")
    closer, closest = Zoom((1.0, 9.0, 0.0, 10.0)), Zoom((2.0, 5.0, 0.0, 8.0))
    first = take_turn(step, closer)
    second = take_turn(first, closest)
    assert second.parent_id == first.parent_id == step.pk
    page = get(client, second, "step").content.decode()
    assert f'id="way-{second.pk}"' in page and f'id="way-{first.pk}"' not in page
    # it is still where the browser's history has it, and out again is where it began
    assert f'id="way-{first.pk}"' in get(client, first, "step").content.decode()
    assert take_turn(second, Zoom(None)) == step
    # what something grew from, or a cairn marks, stays on the way
    lit = take_turn(take_turn(step, closer), OnlyWords("rain_mm above 7", light=True))
    assert f'id="way-{first.pk}"' in get(client, lit, "step").content.decode()
    third = take_turn(first, closest)
    assert third.parent_id == first.pk


def test_the_word_box_suggests_what_this_table_understands(
    client: Client, owner: User, table: Table, tmp_path: Path
) -> None:
    page = get(client, asked(owner, table, "late_min"), "step").content.decode()
    (words,) = re.findall(r'placeholder="Say it in words: ([^"]+)"', page)
    first = take_turn(start_trail(owner, table), Say(html.unescape(words)))
    assert first.scene_value().main is not None
    odd = table_from(owner, tmp_path, '"<b>moths",trap\n1,a\n2,b\n3,a\n4,b\n')
    page = client.get(reverse("tables:survey", args=[odd.pk])).content.decode()
    assert "Say it in words: &lt;b&gt;moths by trap" in page


# ---- rows ----


def test_rows_are_arranged_sorted_by_several_summed_and_marked(
    client: Client, owner: User, table: Table
) -> None:
    step = asked(owner, table, "late_min by depot")
    desk = Desk(step.trail.version, step.scene_value())
    view = View(
        columns=("line", "late_min", "depot"),
        sorts=(("line", False), ("late_min", True)),
        mark="late_min above 10",
    )
    page = row_page(desk, view)
    assert [h.column.name for h in page.heads] == ["line", "late_min", "depot"]
    assert page.sort_words == "line ↑, then late_min ↓"
    values = [
        (line.cells[0].text, -float(line.cells[1].text.replace("−", "-")))
        for line in page.lines
        if not line.cells[1].missing
    ]
    assert values == sorted(values)
    assert all(
        line.marked == (float(line.cells[1].text.replace("−", "-")) > 10)
        for line in page.lines
        if not line.cells[1].missing
    )
    grouped = row_page(desk, View(group="depot"))
    first = grouped.lines[0].summary
    core, lit = desk.table, desk.rows.lit
    depots = np.array(core.series("depot").cast(str).to_list())
    name = first.partition(":")[0]
    assert f"{int((lit & (depots == name)).sum()):,} trips" in first
    late = core.series("late_min").to_numpy()[lit & (depots == name)]
    assert f"average of late_min {np.nanmean(late.astype(float)):.4g}" in first
    address = reverse("trails:rows", args=[step.trail_id, step.pk])
    shown = client.get(f"{address}?{view.address(page=2)}").content.decode()
    assert ('aria-sort="ascending"' in shown and 'class="marked"' in shown) or "marked" not in shown
    for query in ("?sort=-", "?col=moon&group=moon", "?sort=--late_min", "?page=0"):
        assert client.get(address + query).status_code == 200
    assert client.get(address + "?mark=moon+is+full").status_code == 422


def test_from_a_row_to_itself_and_to_rows_like_it(client: Client, owner: User, table: Table) -> None:
    step = asked(owner, table, "late_min by depot")
    assert post(client, step, "row", at="5", **{"as": "this"}).status_code == 200
    one = newest(step)
    assert Desk(one.trail.version, one.scene_value()).rows.n_lit == 1
    assert post(client, step, "row", at="5", **{"as": "like"}).status_code == 200
    like = newest(step)
    assert Desk(like.trail.version, like.scene_value()).rows.n_lit >= 1
    for at in ("x", "-1", "99999999999"):
        assert post(client, step, "row", at=at).status_code == 422


def test_pictures_inside_a_table_are_shown_and_nothing_else_that_looks_like_one(
    client: Client, owner: User, tmp_path: Path
) -> None:
    evil = "data:image/svg+xml;base64,PHN2Zz4="
    lines = "".join(f'{i},"{PIXEL if i % 2 else evil}"\n' for i in range(12))
    table = table_from(owner, tmp_path, f"n,picture\n{lines}")
    step = start_trail(owner, table, column="n")
    page = get(client, step, "rows").content.decode()
    assert page.count('<img class="cell-picture"') == 6 and 'src="data:image/svg' not in page


# ---- to take along, side by side ----


def test_a_picture_is_taken_along_as_svg_and_png(client: Client, owner: User, table: Table) -> None:
    step = asked(owner, table, "average late_min by depot")
    response = get(client, step, "figure-png")
    assert response["Content-Type"] == "image/png" and response.content[:4] == b"\x89PNG"
    assert response["Content-Disposition"].endswith('.png"')
    tag = {"If-None-Match": response["ETag"]}
    assert (
        client.get(reverse("trails:figure-png", args=[step.trail_id, step.pk]), headers=tag).status_code
        == 304
    )
    assert get(client, step, "figure")["ETag"] != response["ETag"]
    # what things are called is written in the picture: it is another once they are called otherwise
    for changed in (
        {"name": "night lines"},
        {"noun_many": "journeys"},
        {"measures": {"m": {"aggregate": "count"}}},
    ):
        Table.objects.filter(pk=table.pk).update(**changed)
        now = client.get(reverse("trails:figure-png", args=[step.trail_id, step.pk]), headers=tag)
        assert now.status_code == 200 and now["ETag"] != tag["If-None-Match"], changed
        tag = {"If-None-Match": now["ETag"]}
    empty = start_trail(owner, table)
    assert get(client, empty, "figure-png").status_code == 404


def test_two_steps_stand_side_by_side(client: Client, owner: User, other: User, table: Table) -> None:
    first = take_turn(start_trail(owner, table), Say("average late_min by depot"))
    second = take_turn(first, Say("late_min vs rain_mm"))
    listed = get(client, second, "others").content.decode()
    assert first.label in listed
    page = get(client, second, "side-by-side", other=first.pk).content.decode()
    assert page.count("<svg") >= 2 and "How does late_min move with rain_mm" in page
    ids = re.findall(r' id="([^"]+)"', page)
    assert len(ids) == len(set(ids))
    address = reverse("trails:side-by-side", args=[second.trail_id, second.pk, first.pk])
    assert client_of(other).get(address).status_code == 404
    theirs = start_trail(other, table_of_other(other, table))
    assert (
        client.get(reverse("trails:side-by-side", args=[second.trail_id, second.pk, theirs.pk])).status_code
        == 404
    )


def table_of_other(other: User, table: Table) -> Table:
    copy = Table.objects.create(owner=other, name="theirs", current=table.latest)
    return copy


def test_cautions_carry_a_way_on_that_works(client: Client, owner: User, table: Table) -> None:
    step = take_turn(start_trail(owner, table), Say("late_min vs rain_mm on log scales"))
    page = get(client, step, "step").content.decode()
    ways = [html.unescape(p) for p in re.findall(r'class="way-on" name="change" value="([^"]+)"', page)]
    assert ways
    for way in ways:
        assert json.loads(way)["turn"]
        assert post(client, step, "turn", change=way).status_code == 200
    buffer = io.StringIO(get(client, step, "numbers-csv").content.decode())
    assert buffer.readline().startswith("rain_mm from")


# ---- scales and rules ----


def test_pictures_beside_take_the_same_scales_on_request(client: Client, owner: User, table: Table) -> None:
    step = take_turn(
        asked(owner, table, "late_min as a density curve"),
        Beside(Compare(Measure("mean", "late_min"), "depot")),
    )
    page = client.get(reverse("trails:step", args=[step.trail_id, step.pk])).content.decode()
    assert "on the same scales" in page
    post(client, step, "turn", change=to_json(Alike(True)))
    after = newest(step)
    assert after.scene_value().alike and after.label == "on the same scales"
    page = client.get(reverse("trails:step", args=[after.trail_id, after.pk])).content.decode()
    assert "each on its own scale" in page


def test_figures_of_a_table_are_marked_above_a_typed_figure(
    client: Client, owner: User, table: Table
) -> None:
    step = asked(owner, table, "average late_min by depot as a table")
    address = reverse("trails:slot", args=[step.trail_id, step.pk, "rule"])
    assert b'name="side"' in client.get(address).content
    post(client, step, "turn", set="rule", side="below", at="4.5")
    assert newest(step).scene_value().main.rule == Rule("below", 4.5)
    refused = post(client, step, "turn", set="rule", side="above", at="many")
    assert refused.status_code == 422 and "many" in refused.content.decode()
