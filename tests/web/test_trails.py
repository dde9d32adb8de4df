"""Slots, the way here, the small forms, caches, and two people turning at once."""

from __future__ import annotations

import re
import threading
from pathlib import Path

import numpy as np
import polars as pl
import pytest
from django.contrib.auth.models import User
from django.db import connection
from django.test import Client
from django.urls import reverse

from night_trail.core.conditions import OneOf
from night_trail.core.errors import BadQuestion
from night_trail.core.question import Scene, decode
from night_trail.core.questions.spread.question import Bins, Spread
from night_trail.core.table import Axis, Ordered
from night_trail.core.turns import Change, Light, PutOut, SeeColumn, Slot, turn
from night_trail.tables import cache
from night_trail.tables.models import ColumnPart, Table
from night_trail.tables.services import core_table
from night_trail.trails import pictures
from night_trail.trails.choices import choices
from night_trail.trails.models import Step
from night_trail.trails.pictures import Desk, size_from
from night_trail.trails.services import start_trail, take_turn
from night_trail.trails.way import way_to
from tests.web.conftest import bring, client_of

HX = {"HX-Request": "true"}


def desk_of(step: Step) -> Desk:
    return Desk(step.trail.version, step.scene_value())


# ---- slots ----


@pytest.mark.parametrize("slot", ["column", "across", "shape", "bins", "height", "ends", "beside"])
def test_every_choice_of_every_slot_can_be_taken_and_is_shown(step: Step, slot: str) -> None:
    desk = desk_of(step)
    found = choices(slot, desk, step.trail.version.survey_value())
    assert len(found) >= 2 and sum(c.chosen for c in found) <= 1
    for choice in found:
        scene, label = turn(desk.scene, decode(choice.post, Change, "turn"), desk.table)
        assert label and (scene != desk.scene or choice.chosen)
        # taking it leads to a picture that can be drawn
        after = Desk(step.trail.version, scene)
        assert after.answer(scene.main).basis.used > 0
    assert all(c.picture for c in found[:8])


def test_the_present_choice_is_marked(step: Step) -> None:
    turned = take_turn(take_turn(step, Slot("bins", Bins(1.0))), Slot("across", "depot"))
    desk, survey = desk_of(turned), turned.trail.version.survey_value()
    chosen = {
        s: next(c.text for c in choices(s, desk, survey) if c.chosen) for s in ("column", "across", "bins")
    }
    assert chosen == {"column": "late_min", "across": "across depot", "bins": "bins of 1\u00a0min"}
    boxes = desk_of(take_turn(turned, Slot("shape", "boxes")))
    assert [c.chosen for c in choices("order", boxes, survey)] == [True, False]
    with pytest.raises(BadQuestion, match="no slot"):
        choices("depth", desk, survey)


def test_dates_are_offered_calendar_bins_and_words_are_offered_bars(owner: User, table: Table) -> None:
    dates = start_trail(owner, table, column="service_night")
    survey = dates.trail.version.survey_value()
    texts = [c.text for c in choices("bins", desk_of(dates), survey)]
    assert "bins of a month" in texts and "bins of a hour" not in texts and "bins of a minute" not in texts
    words = start_trail(owner, table, column="depot")
    assert [c.text for c in choices("shape", desk_of(words), survey)] == ["bars"]
    assert [c.text for c in choices("height", desk_of(words), survey)] == ["by count", "by share"]


def test_the_condition_form_fits_the_kind_of_its_column(client: Client, step: Step) -> None:
    address = reverse("trails:condition", args=[step.trail_id, step.pk])
    first = client.get(address).content.decode()
    assert first.count('class="choice plain"') == 20
    expected = {
        "late_min": ('name="low"', 'name="missing"'),
        "service_night": ('type="date"',),
        "depot": ('value="Northgate"', 'type="checkbox"'),
        "trip_id": ('name="text"',),
    }
    for column, parts in expected.items():
        form = client.get(address, {"column": column}).content.decode()
        assert all(part in form for part in parts), column
    assert client.get(address, {"column": "moon"}, headers=HX).status_code == 422
    counts = [
        int(n.replace(",", ""))
        for n in re.findall(r'class="n">([\d,]+)<', client.get(address, {"column": "depot"}).content.decode())
    ]
    assert sum(counts) == step.trail.version.height and counts == sorted(counts, reverse=True)


# ---- the way here ----


def test_forks_stand_to_the_right_of_the_line_one_walks(owner: User, table: Table) -> None:
    root = start_trail(owner, table)
    first = take_turn(root, SeeColumn("late_min"))
    fork = take_turn(first, SeeColumn("boardings"))
    end_of_fork = take_turn(fork, Slot("height", "share"))
    line = take_turn(first, SeeColumn("depot"))
    end = take_turn(line, Slot("height", "share"))
    way = way_to(root.trail, end)
    assert [m.pk for m in way.marks] == [s.pk for s in (root, first, fork, end_of_fork, line, end)]
    assert [m.indent for m in way.marks] == [32, 32, 58, 58, 32, 32]
    assert (way.back, way.on) == (line.pk, None)
    seen_from_the_fork = way_to(root.trail, fork)
    assert [m.indent for m in seen_from_the_fork.marks] == [32, 32, 58, 58, 32, 32]
    assert seen_from_the_fork.on == end_of_fork.pk and seen_from_the_fork.back == first.pk
    assert [m.pk for m in seen_from_the_fork.marks][2] == line.pk


def test_a_long_trail_is_drawn_without_running_out_of_stack(owner: User, table: Table) -> None:
    step = start_trail(owner, table, column="late_min")
    made = [
        Step(trail=step.trail, scene=step.scene, scene_key=str(i), label=f"step {i}", parent=step)
        for i in range(1_500)
    ]
    for i, one in enumerate(made):
        one.parent = made[i - 1] if i else step
        one.pk = step.pk + 1 + i
    Step.objects.bulk_create(made)
    way = way_to(step.trail, made[-1])
    assert way.total == 1_502 and [m.pk for m in way.marks] == [s.pk for s in made[-121:]]
    assert way.earlier == 1_381 and way.edges[0].endswith(f"/{made[-122].pk}/") and not way.later
    middle = way_to(step.trail, made[700])
    assert [m.pk for m in middle.marks if m.here] == [made[700].pk] and len(middle.marks) == 161
    assert middle.earlier + len(middle.marks) + middle.later == middle.total


def test_labels_say_the_change(step: Step) -> None:
    labels = [take_turn(step, change).label for change in (
        Slot("across", "district"), Slot("bins", Bins(1.0)), Slot("ends", "open"), PutOut(),
        Light(OneOf("depot", ("Northgate",)), add=True),
    )]  # fmt: skip
    assert labels == [
        "across district", "bins of 1\u00a0min", "open ends", "lantern out",
        "lit: rain_mm above 2 or depot is Northgate",
    ]  # fmt: skip


# ---- what is kept in memory ----


def test_columns_are_read_only_when_asked_for(step: Step, django_assert_num_queries: object) -> None:
    table = core_table(step.trail.version)
    cache.forget()
    with django_assert_num_queries(1):
        table.series("boardings")
    with django_assert_num_queries(0):
        table.series("boardings")
        table.ordered("boardings")
        core_table(step.trail.version).ordered("boardings")


def test_parts_hold_at_most_a_quarter_million_cells_and_come_back_whole(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.setattr(cache, "PART_ROWS", 10)
    for series in (
        pl.Series(range(25)),
        pl.Series(["a", None, "b"] * 7, dtype=pl.Enum(["a", "b"])),
        pl.Series([], dtype=pl.Float64),
    ):
        parts = cache.encode(series)
        assert len(parts) == max(1, -(-len(series) // 10))
        import io

        back = pl.concat([pl.read_ipc(io.BytesIO(p)) for p in parts]).to_series()
        assert back.to_list() == series.to_list() and back.dtype == series.dtype


def test_the_cache_is_bounded_in_bytes(monkeypatch: pytest.MonkeyPatch) -> None:
    made = []

    def view(i: int) -> Ordered:
        def make() -> Ordered:
            made.append(i)
            return Ordered.of(np.full(1_000, float(i)))

        return cache.view((99, i, None, None), Ordered, make)

    limited = type(cache._columns)(30_000, getsizeof=cache._size)
    monkeypatch.setattr(cache, "_columns", limited)
    for i in (0, 1, 0, 2, 3, 0):
        assert view(i).values[0] == i
    assert limited.currsize <= 30_000 and made == [0, 1, 2, 3, 0]


def test_cells_that_a_view_stands_for_are_let_go_first(monkeypatch: pytest.MonkeyPatch) -> None:
    limited = type(cache._columns)(30_000, getsizeof=cache._size)
    monkeypatch.setattr(cache, "_columns", limited)
    numbers = pl.Series([1.0] * 1_000)
    places = [(99, i, None, None) for i in range(3)]
    for place in places[:2]:
        cache.view(place, pl.Series, lambda: numbers)
    cache.view(places[1], Axis, lambda: Axis.of(numbers))
    cache.view(places[1], pl.Series, lambda: numbers)  # used last, and yet the first to go
    cache.view(places[2], Axis, lambda: Axis.of(numbers))
    kept = {(place[1], kind) for place, kind in limited}
    assert kept == {(0, pl.Series), (1, Axis), (2, Axis)}


@pytest.mark.parametrize(
    ("asked", "size"),
    [
        ("500x300", (500, 300)),
        ("1x1", (260, 180)),
        ("9999x9999", (2400, 1600)),
        ("axb", (738, 388)),
        ("", (738, 388)),
    ],
)
def test_sizes_are_kept_within_bounds(asked: str, size: tuple[int, int], rf: object) -> None:
    found = size_from(rf.get("/", {"size": asked}))
    assert (found.width, found.height) == size


# ---- two at once ----


@pytest.mark.django_db(transaction=True)
def test_the_same_turn_taken_by_many_at_once_is_one_step_and_different_ones_are_many(
    few_buses_csv: Path,
) -> None:
    owner = User.objects.create_user("owner")
    step = start_trail(owner, bring(owner, few_buses_csv).table, column="late_min")
    failures: list[Exception] = []

    def turns(k: int) -> None:
        try:
            client = client_of(owner)
            for change in ({"set": "bins", "width": "2"}, {"set": "bins", "width": str(3 + k)}):
                address = reverse("trails:turn", args=[step.trail_id, step.pk])
                assert client.post(address, change, headers=HX).status_code == 200
        except Exception as error:
            failures.append(error)
        finally:
            connection.close()

    threads = [threading.Thread(target=turns, args=(k,)) for k in range(6)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert failures == []
    widths = sorted(s.scene_value().main.bins.width for s in step.children.all())
    assert widths == [2.0, 3.0, 4.0, 5.0, 6.0, 7.0, 8.0]
    assert step.scene_value() == Scene(Spread("late_min"))


def test_a_filter_that_keeps_nothing_still_has_a_page(client: Client, step: Step) -> None:
    address = reverse("trails:turn", args=[step.trail_id, step.pk])
    response = client.post(address, {"column": "late_min", "low": "5000"}, headers=HX)
    page = response.content.decode()
    assert "the filter keeps none" in page and "trips, kept by the filter · exact" in page
    empty = step.children.get()
    rows = client.get(reverse("trails:rows", args=[empty.trail_id, empty.pk])).content.decode()
    assert "No rows here" in rows
    for slot in ("column", "across", "shape", "bins"):
        assert client.get(reverse("trails:slot", args=[empty.trail_id, empty.pk, slot])).status_code == 200


def test_two_tables_with_the_same_cells_keep_their_answers_apart(owner: User, few_buses_csv: Path) -> None:
    one, two = bring(owner, few_buses_csv).table, bring(owner, few_buses_csv).table
    ColumnPart.objects.filter(version=two.latest, position=11).update(
        data=cache.encode(pl.Series([1.0] * two.latest.height))[0]
    )
    cache.forget()
    first = desk_of(start_trail(owner, one, column="late_min"))
    second = desk_of(start_trail(owner, two, column="late_min"))
    assert first.answer(Spread("late_min")).overall.high > 1
    assert second.answer(Spread("late_min")).overall.high == 1
    assert first.scene == second.scene


def test_hovering_fills_no_cache_and_what_is_looked_at_stays(client: Client, step: Step) -> None:
    pictures.forget()
    small = reverse("trails:figure", args=[step.trail_id, step.pk]) + "?small=1"
    first = client.get(small)
    assert first.status_code == 200 and not len(pictures._answers) and not len(pictures._rows)
    client.get(reverse("trails:step", args=[step.trail_id, step.pk]))
    kept = set(pictures._answers)
    assert kept and client.get(small).content == first.content and set(pictures._answers) == kept
