"""Columns in order, rows under a filter and a lantern, and what of them is remembered."""

from __future__ import annotations

import datetime as dt
import gc
import threading

import numpy as np
import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from night_trail.core import rows as rows_module
from night_trail.core.conditions import Between, Missing, Not, OneOf
from night_trail.core.questions.shared.basis import grouping, measured, members_of, together
from night_trail.core.rows import Rows
from night_trail.core.stats.quantiles import middle_of_part, quantiles
from night_trail.core.table import Axis, Coded, Kind, Ordered, as_text, noun_from, on_axis, plural
from tests.core.tables import table_of

cells = st.lists(
    st.one_of(st.none(), st.floats(-100, 100), st.integers(-5, 5).map(float)), min_size=1, max_size=60
)


@given(cells)
def test_a_column_in_order_is_the_column_sorted(values: list[float | None]) -> None:
    ordered = Ordered.of(Axis.of(pl.Series(values, dtype=pl.Float64)).values)
    present = sorted(v for v in values if v is not None)
    assert ordered.values.tolist() == present
    assert [values[i] for i in ordered.order] == present


def test_nan_counts_as_missing() -> None:
    axis = Axis.of(pl.Series([2.0, float("nan"), None, 1.0]))
    assert not axis.whole and Ordered.of(axis.values).values.tolist() == [1.0, 2.0]


def test_everybody_shares_a_column_on_its_axis_and_nobody_can_write_to_it() -> None:
    table = table_of(number=pl.Series([3, 1, 2]), day=pl.Series([dt.date(1970, 1, 2)] * 3))
    for name, first in (("number", 3.0), ("day", 86_400.0)):
        axis = table.axis(name)
        assert axis is table.axis(name) and axis.whole and axis.values[0] == first
        with pytest.raises(ValueError, match="read-only"):
            axis.values[0] = 1.0


def test_dates_lie_on_an_axis_of_seconds() -> None:
    days = pl.Series([dt.date(1970, 1, 2), None])
    moments = pl.Series([dt.datetime(1970, 1, 1, 0, 0, 1, 500_000)])
    assert on_axis(days)[0] == 86_400 and np.isnan(on_axis(days)[1])
    assert on_axis(moments)[0] == 1.5


@pytest.mark.parametrize(
    ("series", "labels", "codes"),
    [
        (pl.Series(["b", None, "a", "b"]), ["a", "b"], [1, -1, 0, 1]),
        (pl.Series([10, 9, None]), ["9", "10"], [1, 0, -1]),
        (pl.Series([True, None, False]), ["no", "yes"], [1, -1, 0]),
        (pl.Series(["x", None], dtype=pl.Enum(["w", "x"])), ["w", "x"], [1, -1]),
        (pl.Series([None, None], dtype=pl.String), [], [-1, -1]),
    ],
)
def test_codes_follow_the_columns_own_order(series: pl.Series, labels: list[str], codes: list[int]) -> None:
    coded = Coded.of(series)
    assert coded.labels == labels and coded.codes.tolist() == codes


@given(cells, st.floats(-50, 50), st.lists(st.sampled_from("xyz"), min_size=60, max_size=60))
def test_filter_lantern_and_groups_against_plain_python(
    values: list[float | None], cut: float, names: list[str]
) -> None:
    n = len(values)
    table = table_of(v=pl.Series(values, dtype=pl.Float64), g=names[:n], w=np.arange(n, dtype=float))
    keep = [i for i in range(n) if i % 3]
    only = (Not(OneOf("w", tuple(f"{float(i)}" for i in range(0, n, 3)))),)
    rows = Rows(table, only, Between("v", cut))
    assert rows.n == len(keep)
    lit = [i for i in keep if values[i] is not None and values[i] >= cut]
    assert rows.n_lit == len(lit)
    groups = grouping(rows, "g", 10)
    found = measured(rows, "v", groups)
    for member in members_of(found, len(groups.groups)):
        mine = [i for i in keep if values[i] is not None and names[i] == groups.groups[member.position].key]
        assert member.values.tolist() == sorted(values[i] for i in mine)
        assert int(member.lit.sum()) == len(set(mine) & set(lit))
    assert together(rows, "v", found).values.tolist() == sorted(
        values[i] for i in keep if values[i] is not None
    )


def test_rows_without_a_group_are_left_out_of_groups_and_of_the_whole() -> None:
    rows = Rows(table_of(v=[3.0, 1.0, 2.0, 9.0], g=["a", "b", "a", None]))
    groups = grouping(rows, "g", 10)
    found = measured(rows, "v", groups)
    assert found.values.tolist() == [2.0, 3.0, 1.0]
    assert together(rows, "v", found).values.tolist() == [1.0, 2.0, 3.0]
    assert rows.present("v") == 4


def test_the_smallest_groups_are_gathered_and_named() -> None:
    names = [f"n{i}" for i in range(12) for _ in range(12 - i)]
    rows = Rows(table_of(v=np.arange(len(names), dtype=float), g=names), (Not(Missing("g")),))
    groups = grouping(rows, "g", 5)
    assert [g.label for g in groups.groups] == ["n0", "n1", "n2", "n3", "8 others"]
    assert groups.condition(0) == OneOf("g", ("n0",))
    gathered = Rows(rows.table, (groups.condition(4),))
    assert gathered.n == sum(12 - i for i in range(4, 12))


@given(st.lists(st.tuples(st.floats(-9, 9), st.booleans()), min_size=1, max_size=50))
def test_the_middle_of_a_part_is_its_median(pairs: list[tuple[float, bool]]) -> None:
    pairs.sort()
    values = np.array([v for v, _ in pairs])
    part = np.array([p for _, p in pairs])
    expected = float(quantiles(values[part], (0.5,))[0]) if part.any() else None
    assert middle_of_part(values, part) == (
        expected if expected is None else pytest.approx(expected, abs=1e-12)
    )


def test_another_lantern_shares_what_the_filter_made(monkeypatch: pytest.MonkeyPatch) -> None:
    calls = []
    real = rows_module.mask
    monkeypatch.setattr(rows_module, "mask", lambda c, t: calls.append(c) or real(c, t))
    rows = Rows(table_of(v=[1.0, 2.0, 3.0]), (Between("v", 2.0),))
    lit = rows.relit(Between("v", 3.0))
    assert (rows.n, lit.n, lit.n_lit) == (2, 2, 1)
    assert lit.measured("v").lit.tolist() == [False, True]
    assert calls.count(Between("v", 2.0)) == 1


def test_memory_of_all_rows_is_bounded_together_and_threads_agree(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(rows_module, "_room", [rows_module._Room(4_000)])
    memories = [rows_module._Memory() for _ in range(3)]
    threads = [
        threading.Thread(
            target=lambda k=k: [memories[i % 3].get(i % 7, lambda: np.zeros(100)) for i in range(k, k + 200)]
        )
        for k in range(4)
    ]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert 0 < rows_module._room[0].kept.currsize <= 4_000
    # what is larger than all the room is made, and not kept
    assert memories[0].get("large", lambda: np.zeros(10_000)).nbytes == 80_000
    assert not any(key == "large" for _, key in rows_module._room[0].kept)
    # the same key of other rows is another thing, and what is gone leaves
    assert memories[0].get("k", lambda: np.ones(1)) != memories[1].get("k", lambda: np.zeros(1))
    memories.clear()
    gc.collect()
    rows_module._Memory().get("k", lambda: np.zeros(1))
    assert rows_module._room[0].kept.currsize < 50


def test_a_property_is_made_once_and_no_thread_waits_for_that_of_another_object() -> None:
    slow, fast = threading.Event(), threading.Event()

    class Thing:
        def __init__(self, waits: bool) -> None:
            self.waits, self.made = waits, 0

        @rows_module.once
        def value(self) -> int:
            self.made += 1
            if self.waits:
                slow.set()
                assert fast.wait(10)
            return 7

    one, other = Thing(True), Thing(False)
    thread = threading.Thread(target=lambda: one.value)
    thread.start()
    assert slow.wait(10) and other.value == 7
    fast.set()
    thread.join()
    assert one.value == other.value == 7 and one.made == other.made == 1


def test_words_for_rows() -> None:
    assert noun_from("trip_id") == ("trip", "trips") and noun_from("id") == ("row", "rows")
    assert noun_from("Light trap no") == ("light trap", "light traps")
    assert [plural(w) for w in ("bus", "box", "entry", "moth", "branch")] == [
        "buses", "boxes", "entries", "moths", "branches",
    ]  # fmt: skip
    assert as_text(pl.Series([True, None])).to_list() == ["yes", None]
    assert Kind.DATE.temporal and Kind.WHOLE.numeric and Kind.YES_NO.grouping and not Kind.TEXT.measured
