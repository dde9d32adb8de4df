"""Overviews: tidy whatever is moved, drafted from any table, their figures right, choices bounded."""

from __future__ import annotations

import datetime as dt

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from night_trail.core.conditions import Between, OneOf
from night_trail.core.errors import BadQuestion
from night_trail.core.measure import Measure
from night_trail.core.overview import (
    WIDE,
    Chosen,
    Overview,
    Tile,
    changed,
    choices_of,
    draft,
    large_of,
    narrowed,
    tidy,
    turned,
)
from night_trail.core.questions.compare.question import Compare
from night_trail.core.questions.over_time.question import OverTime
from night_trail.core.questions.registry import answer
from night_trail.core.questions.spread.question import Spread
from night_trail.core.rows import Rows
from night_trail.core.table import Table
from tests.core.tables import table_of

COUNT = Compare(Measure("count"), "g")


def cells(tiles: tuple[Tile, ...]) -> list[tuple[int, int]]:
    return [(t.x + i, t.y + j) for t in tiles for i in range(t.w) for j in range(t.h)]


@settings(max_examples=30, deadline=None)
@given(
    st.lists(st.tuples(*[st.integers(0, 11), st.integers(0, 20), st.integers(2, 12), st.integers(2, 8)]), max_size=7),
    st.integers(0, 6), st.tuples(*[st.integers(-3, 15)] * 4),
)  # fmt: skip
def test_tiles_never_overlap_nor_leave_the_grid(
    placed: list[tuple[int, int, int, int]], which: int, to: tuple[int, int, int, int]
) -> None:
    tiles = tidy(Tile(f"t{i}", COUNT, x=x, y=y, w=w, h=h) for i, (x, y, w, h) in enumerate(placed))
    made = changed(tiles, f"t{which}", **dict(zip("xywh", to, strict=True)))
    for some in (tiles, made):
        taken = cells(some)
        assert len(taken) == len(set(taken)) and all(0 <= x < WIDE for x, _ in taken)
        assert len(some) == len(placed)
        # nothing hangs with an empty row above all of it
        assert all(t.y == 0 or any((t.x + i, t.y - 1) in set(taken) for i in range(t.w)) for t in some)


def test_a_moved_tile_takes_its_place_and_the_other_gives_way() -> None:
    tiles = tidy([Tile("a", COUNT, x=0, w=6), Tile("b", COUNT, x=6, w=6)])
    made = {t.id: t for t in changed(tiles, "b", x=0)}
    assert made["b"].y == 0 and made["b"].x == 0 and made["a"].y == made["b"].h


def years(*sums: float, first: int = 2020) -> Table:
    days = [
        dt.date(first + at, month, day)
        for at in range(len(sums))
        for month in range(1, 13)
        for day in (1, 31 if month == 12 else 15)
    ]
    return table_of(on=days, y=[value / 24 for value in sums for _ in range(24)])


def test_a_large_figure_is_of_the_last_whole_year_against_the_one_before() -> None:
    table = years(100.0, 150.0, 120.0)
    shown = large_of(Tile("t", OverTime(Measure("sum", "y"), "on"), large=True), Rows(table))
    assert (shown.text, shown.label, shown.change) == ("120", "sum of y, 2022", "−20\u2009% on 2021")
    lit = large_of(
        Tile("t", OverTime(Measure("sum", "y"), "on")), Rows(table, (), Between("on", "2022-07-01", None))
    )
    assert lit.lit == "60"
    target = large_of(Tile("t", OverTime(Measure("sum", "y"), "on"), target=100.0), Rows(table))
    assert target.change == "20 above its target"


def test_a_year_that_is_not_over_is_not_the_last() -> None:
    table = years(100.0, 150.0)
    cut = Rows(table, (Between("on", None, "2021-06-30"),))
    shown = large_of(Tile("t", OverTime(Measure("sum", "y"), "on"), large=True), cut)
    assert shown.label == "sum of y, 2020" and shown.change == ""


def test_a_figure_without_time_is_of_all_rows_and_none_of_no_rows() -> None:
    table = table_of(y=[1.0, 3.0], g=["a", "b"])
    assert large_of(Tile("t", Compare(Measure("mean", "y"), "g")), Rows(table)).text == "2"
    assert (
        large_of(Tile("t", Compare(Measure("mean", "y"), "g")), Rows(table, (OneOf("g", ("z",)),))).text
        == "—"
    )


def test_a_draft_answers_on_tables_of_every_make(buses: Table) -> None:
    rng = np.random.default_rng(1)
    plain = table_of(y=rng.normal(size=50), g=["a", "b"] * 25)
    words = table_of(g=["a", "b"] * 25, h=["x"] * 25 + ["y"] * 25)
    for table in (buses, plain, words, years(1.0, 2.0)):
        made = draft(Rows(table))
        assert 1 <= len(made.tiles) <= 9 and all(tile.reason for tile in made.tiles)
        for tile in made.tiles:
            answer(tile.question, Rows(table))
    of_late = draft(Rows(buses), "late_min")
    assert of_late.tiles[0].question.measure == Measure("mean", "late_min")
    with pytest.raises(BadQuestion):
        draft(Rows(table_of(t=[dt.date(2020, 1, 1)])), "nope")


def test_what_a_reader_chooses_is_among_what_is_offered(buses: Table) -> None:
    made = draft(Rows(buses))
    assert made.chips[0] == "departed_at" and choices_of(buses.column("departed_at"), buses) == [
        "2021", "2022", "2023", "2024", *(["2025"] if "2025" in choices_of(buses.column("departed_at"), buses) else [])
    ]  # fmt: skip
    assert narrowed(made, Chosen({0: "2022"}), buses) == (Between("departed_at", "2022-01-01", "2023-01-01"),)
    for bad in ({0: "1999"}, {0: "2022' OR 1"}, {9: "x"}, {1: "no such place"}):
        with pytest.raises(BadQuestion):
            narrowed(made, Chosen(bad), buses)


def test_measure_and_grouping_are_changed_where_they_are_shown_and_fit() -> None:
    table = table_of(y=[1.0, 2.0], z=[3.0, 4.0], g=["a", "b"], h=["u", "v"])
    overview = Overview(measures=(Measure("sum", "y"), Measure("mean", "z")), groups=("g", "h"))
    chosen = Chosen({}, measure=1, group=1)
    assert turned(Compare(Measure("sum", "y"), "g"), overview, chosen, table) == Compare(
        Measure("mean", "z"), "h"
    )
    assert turned(Compare(Measure("count"), "g"), overview, chosen, table) == Compare(Measure("count"), "h")
    assert turned(Spread("y"), overview, chosen, table) == Spread("y")
    assert turned(COUNT, overview, Chosen({}, 7, 7), table) == COUNT
