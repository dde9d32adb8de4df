"""Joins and stacks against pandas; likely keys; what a join would do, said before it is done."""

from __future__ import annotations

import datetime as dt
from typing import Any, get_args

import msgspec
import numpy as np
import pandas as pd
import polars as pl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from night_trail.core.errors import BadQuestion
from night_trail.core.recipe import apply
from night_trail.core.recipe.bundles import together
from night_trail.core.recipe.joining import gathered, join_facts, likely_keys
from night_trail.core.recipe.stacking import stack_facts
from night_trail.core.recipe.steps import Join, JoinHow, Stack, ToMissing
from night_trail.core.table import Kind, Table
from tests.core.tables import table_of


def named(name: str, table: Table, **said: dict[str, Any]) -> Table:
    """A table under a name, with what is said of columns replaced."""
    columns = [msgspec.structs.replace(c, **said.get(c.name, {})) for c in table.columns]
    return Table(key=f"test:{name}", name=name, columns=columns, height=table.height, source=table._source)


def joined(left: Table, right: Table, step: Join) -> Table:
    return apply([step], left, lambda _: right).table()


def frame(table: Table, keys: list[str]) -> list[tuple[Any, ...]]:
    """Rows as a sorted list, missing cells last."""
    cells = [table.series(c.name) for c in table.columns if c.name in keys]
    plain = [s.cast(pl.String) if isinstance(s.dtype, pl.Enum) else s for s in cells]
    rows = pl.DataFrame([s.alias(f"c{i}") for i, s in enumerate(plain)]).rows()
    return sorted(rows, key=repr)


keys_ = st.lists(st.one_of(st.none(), st.sampled_from(["a", "b", "c", "d"])), min_size=1, max_size=12)


@settings(max_examples=30, deadline=None)
@given(ours=keys_, theirs=keys_, how=st.sampled_from(get_args(JoinHow)))
def test_joins_are_those_of_pandas(ours: list[str | None], theirs: list[str | None], how: JoinHow) -> None:
    left = table_of(k=pl.Series(ours, dtype=pl.String), x=list(range(len(ours))))
    right = table_of(k=pl.Series(theirs, dtype=pl.String), y=list(range(100, 100 + len(theirs))))
    facts = join_facts(left, right, (("k", "k"),))
    # SQL and Night Trail match no missing keys, pandas does: give each its own
    ours_ = [k if k is not None else f"left {i}" for i, k in enumerate(ours)]
    theirs_ = [k if k is not None else f"right {i}" for i, k in enumerate(theirs)]
    merged = pd.DataFrame({"k": ours_, "x": range(len(ours))}).merge(
        pd.DataFrame({"k": theirs_, "y": range(100, 100 + len(theirs))}),
        on="k",
        how={"full": "outer"}.get(how, how),
    )
    assert facts.heights[how] == len(merged)
    after = joined(left, right, Join("r", "right", (("k", "k"),), how))
    assert after.height == len(merged)
    expected = [
        (
            None if k.startswith(("left", "right")) else k,
            None if pd.isna(x) else int(x),
            None if pd.isna(y) else int(y),
        )
        for k, x, y in merged.itertuples(index=False)
    ]
    assert frame(after, ["k", "x", "y"]) == sorted(expected, key=repr)
    if how == "left":
        assert [v for v in after.series("x").to_list() if v is not None] == sorted(
            after.series("x").to_list()
        )


@settings(max_examples=25, deadline=None)
@given(ours=keys_, theirs=keys_, how=st.sampled_from(get_args(JoinHow)))
def test_made_one_row_a_key_first_nothing_is_counted_twice(
    ours: list[str | None], theirs: list[str | None], how: JoinHow
) -> None:
    left = table_of(k=pl.Series(ours, dtype=pl.String), x=[1] * len(ours))
    right = named(
        "right", table_of(k=pl.Series(theirs, dtype=pl.String), y=[2] * len(theirs)), y={"additive": True}
    )
    facts = join_facts(left, right, (("k", "k"),))
    after = joined(left, right, Join("r", "right", (("k", "k"),), how, gather=True))
    assert after.height == facts.gathered_heights[how]
    assert (after.series("x").sum() or 0) == (len(ours) if how != "inner" else len(ours) - facts.left_without)
    sums = pd.DataFrame({"k": theirs, "y": 2}).groupby("k")["y"].sum().to_dict()
    got = dict(zip(after.series("k").cast(pl.String), after.series("y"), strict=True))
    assert {k: y for k, y in got.items() if y is not None and k is not None} == {
        k: y for k, y in sums.items() if k in got and k is not None
    }


def test_gathering_sums_what_can_be_summed_averages_numbers_and_keeps_what_is_one() -> None:
    trips = named(
        "trips",
        table_of(
            stop=["a", "a", "b", "b", None],
            riders=[3, 4, 5, None, 9],
            temp=[1.0, 2.0, None, None, 7.0],
            valley=["up", "up", "low", "far", "up"],
        ),
        riders={"additive": True},
    )
    made = gathered(trips, ("stop",))
    assert made.height == 2 and made.row_noun == trips.row_noun
    assert made.series("riders").to_list() == [7, 5]
    assert made.series("temp").to_list() == [1.5, None]
    assert made.series("valley").to_list() == ["up", None]
    assert made.series("rows in trips").to_list() == [2, 2] and made.column("rows in trips").additive


def test_what_a_join_would_do_is_counted_before() -> None:
    left = named(
        "trips", table_of(stop=["a", "a", "b", "z", None], riders=[1, 2, 3, 4, 5]), riders={"additive": True}
    )
    right = named(
        "stops",
        table_of(name=["a", "b", "b", "c"], people=[10, 20, 30, 40]),
        people={"additive": True},
    )
    facts = join_facts(left, right, (("stop", "name"),))
    assert (facts.left_once, facts.left_many, facts.left_without) == (2, 1, 2)
    assert (facts.right_with, facts.right_without, facts.most) == (3, 1, 2)
    assert facts.heights == {"left": 6, "inner": 4, "full": 7}
    assert facts.gathered_heights == {"left": 5, "inner": 3, "full": 6}
    assert facts.multiplies() and facts.doubled == ("riders",) and facts.repeated == ("people",)
    assert (facts.left_examples, facts.right_examples) == (("z",), ("c",))
    after = joined(left, right, Join("r", "stops", (("stop", "name"),)))
    # a stop's people stand beside each of its trips: their sum would mean nothing
    assert not after.column("people").additive and "stand several times" in after.column("people").reason
    once = joined(right, left, Join("r", "trips", (("name", "stop"),), gather=True))
    assert once.series("riders").to_list() == [3, 3, 3, None]
    assert not once.column("riders").additive and once.column("people").additive


def test_joined_columns_are_not_copied_and_names_do_not_collide() -> None:
    left = table_of(k=["a", "b"], x=[1, 2])
    right = named("other", table_of(k=["b", "a"], x=[20, 10]))
    draft = apply([Join("r", "other", (("k", "k"),))], left, lambda _: right)
    assert [p.column.name for p in draft.places] == ["k", "x", "x (other)"]
    assert not isinstance(draft.places[2].origin, pl.Series), "the cells stay where they are until asked for"
    assert draft.table().series("x (other)").to_list() == [10, 20]
    again = apply([Join("r", "other", (("k", "k"),)), ToMissing("x (other)", (10.0,))], left, lambda _: right)
    assert again.table().series("x (other)").to_list() == [None, 20]


def test_keys_of_two_columns_numbers_dates_and_texts_that_do_not_match() -> None:
    days = [dt.date(2024, 1, 1), dt.date(2024, 1, 2)] * 2
    left = table_of(day=days, line=[1, 1, 2, 2], x=[1, 2, 3, 4])
    moments = [dt.datetime(2024, 1, 1), dt.datetime(2024, 1, 2)]
    right = table_of(day=moments, line=[1.0, 2.0], y=["p", "q"])
    after = joined(left, right, Join("r", "r", (("day", "day"), ("line", "line"))))
    assert after.series("y").to_list() == ["p", None, None, "q"]
    # columns of different kinds are compared as they are written
    assert join_facts(left, right, (("day", "y"),)).left_without == 4
    with pytest.raises(BadQuestion, match="No key is chosen"):
        join_facts(left, right, ())


def test_a_join_that_would_be_too_large_is_refused_before_it_is_made() -> None:
    many = table_of(k=["a"] * 20_000)
    with pytest.raises(BadQuestion, match="400,000,000 rows"):
        joined(many, many, Join("r", "r", (("k", "k"),)))


def test_likely_keys_by_name_kind_and_overlap() -> None:
    rng = np.random.default_rng(3)
    stops = [f"S{i:03d}" for i in range(50)]
    trips = named(
        "trips",
        table_of(
            trip=[f"T{i}" for i in range(400)],
            from_stop=rng.choice(stops, 400).tolist(),
            weather=rng.choice(["wet", "dry"], 400).tolist(),
            late=rng.normal(5, 2, 400).tolist(),
        ),
    )
    places = named(
        "stops", table_of(stop=stops, weather=["wet", "dry"] * 25, height=rng.normal(0, 1, 50).tolist())
    )
    best = likely_keys(trips, places)[0]
    assert best.on == (("from_stop", "stop"),) and best.right_unique and best.overlap == 1.0
    assert best.words() == "from_stop is stop"
    assert likely_keys(trips, table_of(late=rng.normal(5, 2, 30).tolist())) == []
    # neither day nor line names a row of the timetable, both together do
    days = [dt.date(2024, 1, 1) + dt.timedelta(days=i) for i in range(30)]
    table = table_of(day=[d for d in days for _ in range(6)], line=[f"L{i}" for i in range(6)] * 30)
    taken = table_of(
        day=rng.choice(days, 300).tolist(), line=rng.choice([f"L{i}" for i in range(6)], 300).tolist()
    )
    assert set(likely_keys(taken, table)[0].on) == {("day", "day"), ("line", "line")}


def test_tables_that_arrive_together_are_told_apart() -> None:
    months = [
        named(f"m{i}", table_of(stop=["a", "b", "c"] * 9, riders=list(range(27)), late=[1.5] * 27))
        for i in range(3)
    ]
    stops = named("stops", table_of(stop=["a", "b", "c"], valley=["up", "low", "up"]))
    found = together([months[0], stops, *months[1:]])
    assert found.stacks == ((0, 2, 3),)
    assert [(j.left, j.right, j.key.words()) for j in found.joins] == [(0, 1, "stop")]
    assert together([]) == together([stops]) and not together([stops]).stacks


def test_stacks_are_those_of_pandas_and_differences_are_said() -> None:
    a = named("jan", table_of(night=[dt.date(2024, 1, 1)], riders=[3], stop=["x"], wet=[True]))
    b = named(
        "feb",
        table_of(Night=[dt.date(2024, 2, 1), None], riders=[2.5, None], stop=["y", "x"], note=["n", None]),
    )
    facts = stack_facts([a, b])
    assert facts.heights == (1, 2) and facts.alike() == pytest.approx(3 / 5)
    assert facts.differences() == [
        ("riders", ("whole number", "number")),
        ("wet", ("yes/no", "")),
        ("note", ("", "category")),
    ]
    after = apply([Stack(("feb",), ("feb",), "month")], a, lambda _: b).table()
    theirs = pd.concat(
        [
            pd.DataFrame({"riders": [3.0], "stop": ["x"]}),
            pd.DataFrame({"riders": [2.5, None], "stop": ["y", "x"]}),
        ]
    )
    assert after.series("riders").to_list() == [None if pd.isna(v) else v for v in theirs["riders"]]
    assert after.series("stop").to_list() == theirs["stop"].tolist()
    assert after.series("night").to_list() == [dt.date(2024, 1, 1), dt.date(2024, 2, 1), None]
    assert after.series("wet").to_list() == [True, None, None]
    assert after.series("month").to_list() == ["test" if a.name == "test" else "jan", "feb", "feb"]
    assert after.column("riders").kind == Kind.NUMBER and after.column("note").missing == 2


def test_stacking_columns_of_different_kinds_keeps_the_cells_as_text() -> None:
    a, b = table_of(x=[1, 2]), table_of(x=["one", "2"])
    after = apply([Stack(("b",), ("b",))], a, lambda _: b).table()
    assert after.series("x").cast(pl.String).to_list() == ["1", "2", "one", "2"]
    assert not after.column("x").kind.numeric
    empty = table_of(x=pl.Series([], dtype=pl.Int64))
    assert apply([Stack(("b",), ("b",))], empty, lambda _: a).table().series("x").to_list() == [1, 2]
