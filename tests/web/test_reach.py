"""A reader of a tale lights what is drawn; an attacker at the same address learns nothing more."""

from __future__ import annotations

import html
import json
import re

import numpy as np
import pytest
from django.contrib.auth.models import User
from django.test import Client
from django.urls import reverse

from night_trail.core.conditions import AllOf, AnyOf, Between, Condition, Contains, Loop, Not, OneOf, mask
from night_trail.core.errors import BadQuestion
from night_trail.core.question import Scene, to_json
from night_trail.core.turns import LightRange, Say
from night_trail.draw import WALK
from night_trail.tables.models import Table
from night_trail.tables.services import core_table
from night_trail.tales.models import Link, Tale
from night_trail.tales.reach import Reach, opened, signed
from night_trail.tales.services import add_stop
from night_trail.trails.pictures import Desk
from night_trail.trails.services import cairn_at, start_trail, take_turn
from tests.web.conftest import client_of

pytestmark = pytest.mark.django_db


def reach_of(owner: User, table: Table, words: str) -> Reach:
    step = take_turn(start_trail(owner, table), Say(words))
    scene = step.scene_value()
    desk = Desk(step.trail.version, Scene(main=scene.main, only=scene.only))
    return Reach(str(desk.drawn(scene.main, WALK, "main").svg), desk.table)


def anything(rng: np.random.Generator, stops: list[str]) -> Condition:
    """Whatever comes to an attacker's mind."""
    low = float(rng.normal(3, 8))
    trip = OneOf("trip_id", (f"T{rng.integers(1, 90_000):06d}",))
    late = Between("late_min", low, low + float(rng.exponential(0.5)))
    rain = Between("rain_mm", None, float(rng.exponential(2)))
    return [
        late, rain, trip, Not(late), AllOf((trip, late)), AnyOf((trip, rain)), Contains("trip_id", "7"),
        OneOf("depot", (str(rng.choice(stops)), "Foundry")), AllOf((late, OneOf("district", ("Quayside",)))),
    ][rng.integers(9)]  # fmt: skip


@pytest.mark.parametrize(
    "words", ["late_min", "average late_min by depot", "boardings by month", "late_min vs rain_mm"]
)
def test_ten_thousand_tries_give_no_rows_but_those_of_drawn_marks(
    owner: User, table: Table, words: str
) -> None:
    reach, core = reach_of(owner, table, words), core_table(table.latest)
    assert reach.marks
    drawn = {mask(mark, core).tobytes() for mark in reach.marks.values()}
    rng = np.random.default_rng(1)
    stops = sorted(set(core.series("depot").drop_nulls().to_list()))
    answers = set()
    for _ in range(2_500):
        try:
            found = reach.lit(to_json(anything(rng, stops)))
        except BadQuestion as refusal:
            answers.add(str(refusal))
        else:
            assert mask(found, core).tobytes() in drawn
    # one refusal, whatever was asked, that names no column and no value
    assert len(answers) == 1 and not any(c.name in next(iter(answers)) for c in core.columns)


def test_a_range_ends_where_marks_do_and_halving_it_finds_nothing(owner: User, table: Table) -> None:
    reach = reach_of(owner, table, "late_min")
    edges = {end for mark in reach.marks.values() for end in (mark.low, mark.high)}
    low, high = 0.0, 5.0
    while high - low > 1e-6:
        found = reach.swept(to_json(LightRange("late_min", low, (low + high) / 2)))
        assert isinstance(found, Between) and found.low in edges and found.high in edges
        high = (low + high) / 2
    with pytest.raises(BadQuestion, match="only what is drawn"):
        reach.swept(to_json(LightRange("rain_mm", 0.0, 5.0)))
    with pytest.raises(BadQuestion, match="only what is drawn"):
        reach.swept('{"turn": "light range", "column": "late_min", "low": 1e999, "high": 2}')


def test_a_loop_lights_the_cells_or_rows_that_are_drawn(owner: User, table: Table) -> None:
    core = core_table(table.latest)
    everywhere = ((-99.0, -99.0), (999.0, -99.0), (999.0, 999.0), (-99.0, 999.0))
    loop = Loop("rain_mm", "late_min", everywhere, (0.0, 20.0, -5.0, 60.0))
    reach = reach_of(owner, table, "late_min vs rain_mm")
    drawn = [mask(mark, core) for mark in reach.marks.values()]
    small = Loop("rain_mm", "late_min", ((0.0, 0.0), (2.0, 0.0), (2.0, 6.0), (0.0, 6.0)), loop.ends)
    lit = mask(reach.lit(to_json(small)), core)
    assert lit.any()
    # every drawn mark is lit as a whole or not at all
    assert all(lit[rows].all() or not lit[rows].any() for rows in drawn)
    for other in (
        Loop("boardings", "late_min", everywhere, loop.ends),
        AllOf((small, OneOf("depot", ("Foundry",)))),
    ):
        with pytest.raises(BadQuestion, match="only what is drawn"):
            reach.lit(to_json(other))


def test_what_a_reader_carries_cannot_be_changed_or_carried_elsewhere() -> None:
    lit = OneOf("depot", ("Foundry",))
    token = signed(lit, 7)
    assert opened(token, 7) == lit and opened("", 7) is None and signed(None, 7) == ""
    for bad in (token[:-2] + "xx", to_json(lit), "x"):
        with pytest.raises(BadQuestion, match="only what is drawn"):
            opened(bad, 7)
    with pytest.raises(BadQuestion, match="only what is drawn"):
        opened(token, 8)


def test_a_stranger_with_a_link_lights_marks_and_nothing_else(owner: User, tale: Tale, table: Table) -> None:
    step = take_turn(start_trail(owner, table), Say("average late_min by depot"))
    add_stop(tale, cairn_at(step))
    _, token = Link.make(tale)
    stranger, address = client_of(None), reverse("tales:walk-stop", args=[token, 3])
    page = stranger.get(address).content.decode()
    marks = [html.unescape(a or b) for a, b in re.findall(r"""data-light=(?:"([^"]*)"|'([^']*)')""", page)]
    lit = stranger.get(address, {"light": marks[0]}).content.decode()
    carried = html.unescape(re.findall(r'data-lit="([^"]*)"', lit)[0])
    both = stranger.get(address, {"now": carried, "add": marks[1]}).content.decode()
    assert "lit:" in both and both != lit
    refusals = set()
    for query in (
        {"light": json.dumps({"type": "one of", "column": "trip_id", "values": ["T000001"]})},
        {"light": json.dumps({"type": "between", "column": "no such column", "low": 1})},
        {"now": json.dumps({"type": "between", "column": "late_min", "low": 1})},
        {"range": json.dumps({"turn": "light range", "column": "rain_mm", "low": 1, "high": 2})},
        {"add": "{"},
        {"light": "x" * 5_000},
    ):
        answer = stranger.get(address, query, headers={"HX-Request": "true"})
        assert answer.status_code == 422
        refusals.add(answer.content)
    assert len(refusals) == 1


def test_a_reader_lights_no_fewer_rows_than_the_writer_allows(client: Client, tale: Tale) -> None:
    token = Link.make(tale)[1]
    address, reader = reverse("tales:walk-stop", args=[token, 2]), Client()
    shown = reader.get(address).content.decode()
    marks = [html.unescape(a or b) for a, b in re.findall(r"""data-light=(?:"([^"]*)"|'([^']*)')""", shown)]
    assert marks

    def lights() -> list[int]:
        return [reader.get(address, {"light": mark}).status_code for mark in marks]

    assert set(lights()) == {200}
    setting = reverse("tales:readers", args=[tale.pk])
    assert client.post(setting, {"least": "50"}).status_code == 302
    some = lights()
    assert {200, 422} == set(some), "large marks may be lit, small ones not"
    small = marks[some.index(422)]
    refusal = reader.get(address, {"light": small}).content.decode()
    assert "The lantern reaches only what is drawn" in refusal and "late_min" not in refusal
    # a small mark beside a large one would be told apart by what it adds
    large = marks[some.index(200)]
    carried = re.findall(r'data-lit="([^"]*)"', reader.get(address, {"light": large}).content.decode())[0]
    asked = {"now": html.unescape(carried), "add": small}
    assert reader.get(address, asked).status_code == 422
    # and the writer is told that what is drawn can be read all the same
    writing = reverse("tales:stop", args=[tale.pk, tale.stops.all()[1].pk])
    told = f"{some.count(422)} of {len(some)} marks looked at stand for fewer than 50 rows"
    assert told in client.get(writing).content.decode()
    assert client.post(setting, {"least": "many"}).status_code == 422
    tale.refresh_from_db()
    assert tale.least_lit == 50
    assert client.post(setting, {"least": ""}).status_code == 302 and set(lights()) == {200}
    assert "marks looked at" not in client.get(writing).content.decode()
