"""How far each gets: counts by hand and by another library, orders, times, and what the words claim."""

from __future__ import annotations

import datetime as dt
from typing import Any

import numpy as np
import polars as pl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from night_trail.core.conditions import OneOf, mask
from night_trail.core.errors import BadQuestion
from night_trail.core.language.numbers import percent
from night_trail.core.language.spans import plain
from night_trail.core.question import Scene
from night_trail.core.questions.registry import figures_of
from night_trail.core.questions.shared.gist import Gist
from night_trail.core.questions.stages.answer import StagesAnswer, check, stages
from night_trail.core.questions.stages.kind import KIND
from night_trail.core.questions.stages.question import Stages
from night_trail.core.questions.stages.sentence import changed
from night_trail.core.questions.stages.words import stages_words
from night_trail.core.rows import Rows
from night_trail.core.sentence import read, scene_in_words
from night_trail.core.table import Kind, Table
from night_trail.core.words_in.readings import meant
from night_trail.draw import draw
from tests.core.tables import table_of
from tests.core.test_compare import typed

ASKED = Stages("bag", "stage", "at")
START = dt.datetime(2024, 1, 1)


def told(rows: list[tuple[Any, ...]], *more: str) -> Table:
    """A table of who was at which stage at which hour; None where that is missing."""
    names = ("bag", "stage", "at", *more)
    found = dict(zip(names, map(list, zip(*rows, strict=True)), strict=True))
    found["at"] = [None if h is None else START + dt.timedelta(hours=h) for h in found["at"]]
    return table_of(**found)


LOST_BAGS = [
    ("a", "found", 0), ("a", "named", 2), ("a", "back", 10),
    ("b", "found", 0), ("b", "named", 4),
    ("c", "found", 1), ("c", "back", 9),
    ("d", "found", 5),
    ("e", "named", 1), ("e", "found", 3), ("e", "back", 30),
    (None, "found", 3), ("f", None, 3), ("d", "back", None),
]  # fmt: skip


def said(found: StagesAnswer, table: Table) -> tuple[str, tuple[str, ...]]:
    words = stages_words(found, table)
    return plain(words.headline).replace("\u2009", " "), tuple(map(str, words.cautions))


def test_counts_times_and_losses_by_hand() -> None:
    table = told(LOST_BAGS)
    found = stages(ASKED, Rows(table, (), OneOf("bag", ("a", "d"))))
    assert [(s.label, s.reached, s.own, s.lit) for s in found.stages] == [
        ("found", 5, 5, 2), ("named", 4, 3, 1), ("back", 3, 3, 1),
    ]  # fmt: skip
    assert (found.units, found.skipped, found.basis.missing, found.basis.groupless) == (5, 1, 2, 1)
    assert [found.lost(at) for at in (0, 1)] == [1, 1]
    assert [s.back for s in found.stages] == [0, 1, 0] and [s.timed for s in found.stages] == [0, 2, 2]
    assert [None if s.stopped is None else s.stopped.values for s in found.stages[:2]] == [("d",), ("b",)]  # type: ignore[union-attr]
    headline, cautions = said(found, table)
    assert headline == (
        "Of 5 (bag) 3 get as far as back, 60 %. 2 stages lose as many, 1 each; found is one of them. "
        "Of the 2 with lit rows 1 do."
    )
    assert any(c.startswith("2 rows have no bag or stage and are left out") for c in cautions)
    assert "1 row has no at and is left out." in cautions
    assert any("1 of 5 lacks a row of a stage gone beyond" in c for c in cautions)
    for stage in found.stages:
        assert int(mask(stage.condition, table).sum()) >= stage.own
    names, rows = (figures_of(found).names, figures_of(found).rows)
    assert names[:5] == (
        "stage",
        "different bag",
        "share of all",
        "share of the stage before",
        "got no further",
    )
    assert [row[:5] for row in rows] == [
        ("found", 5, 1.0, 1.0, 1), ("named", 4, 0.8, 0.8, 1), ("back", 3, 0.6, 0.75, None),
    ]  # fmt: skip


def many(n: int = 1_500, seed: int = 3) -> Table:
    rng, rows = np.random.default_rng(seed), []
    for i in range(n):
        at, way = float(rng.uniform(0, 2_000)), str(rng.choice(["web", "desk"]))
        for stage, goes, long in (("asked", 1, 0), ("paid", 0.9, 5), ("sent", 0.7, 40), ("there", 0.9, 20)):
            if rng.random() > goes:
                break
            at += float(rng.exponential(long)) if long else 0.0
            rows.append((f"o{i}", stage, at, way))
    return told(rows, "way")


def test_figures_are_those_of_another_library_in_all_and_in_groups() -> None:
    table = many()
    found = stages(Stages("bag", "stage", "at", "way"), Rows(table))
    assert [s.label for s in found.stages] == ["asked", "paid", "sent", "there"] and found.order == "time"
    frame = pl.DataFrame({name: table.series(name) for name in ("bag", "stage", "at", "way")}).with_columns(
        pl.col("bag", "stage", "way").cast(pl.String)
    )
    wide = frame.pivot(on="stage", index=["bag", "way"], values="at")
    assert [s.reached for s in found.stages] == [wide[s.label].count() for s in found.stages]
    for before, here in zip(found.stages, found.stages[1:], strict=False):
        long = (wide[here.label] - wide[before.label]).drop_nulls().dt.total_microseconds().to_numpy() / 1e6
        assert here.seconds == pytest.approx(tuple(np.quantile(long, (0.25, 0.5, 0.75))))
    for group in found.groups:
        own = wide.filter(pl.col("way") == group.label)
        assert group.units == len(own) and list(group.reached) == [own[s.label].count() for s in found.stages]
    headline, _ = said(found, table)
    assert (
        "More stop at paid than anywhere else" in headline and "From paid to sent takes longest" in headline
    )
    drawn = draw(found, table)
    assert drawn.count('class="lost"') == 3 and drawn.count('class="bar hue-') == 8


@settings(max_examples=25, deadline=None)
@given(st.lists(st.tuples(st.sampled_from("abcdef"), st.sampled_from("123"), st.integers(0, 9)), min_size=2))
def test_nobody_is_lost_twice_or_counted_beyond_the_stage_before(rows: list[tuple[str, str, int]]) -> None:
    table = told(rows)
    found = stages(Stages("bag", "stage", "at", "stage"), Rows(table))
    reached = [s.reached for s in found.stages]
    assert reached == sorted(reached, reverse=True) and reached[0] == found.units == len({r[0] for r in rows})
    assert reached[-1] + sum(found.lost(at) for at in range(len(reached) - 1)) == found.units
    assert sum(g.units for g in found.groups) == found.units
    assert all(s.own <= s.reached for s in found.stages)


def test_in_noise_no_order_is_steady_and_that_is_said() -> None:
    rng = np.random.default_rng(4)
    n = 3_000
    rows = list(zip([f"u{x}" for x in rng.integers(0, 500, n)], [f"s{x}" for x in rng.integers(0, 5, n)],
                    rng.uniform(0, 999, n).tolist(), strict=True))  # fmt: skip
    table = told(rows)
    assert any("no steady order" in c for c in said(stages(ASKED, Rows(table)), table)[1])
    steady = many()
    assert not any("no steady order" in c for c in said(stages(ASKED, Rows(steady)), steady)[1])


def test_where_all_get_through_or_only_one_stage_is_there() -> None:
    through = told([(u, s, h) for u in "abcdefgh" for h, s in enumerate(("1 in", "2 out"))])
    found = stages(ASKED, Rows(through))
    assert said(found, through)[0] == "Of 8 (bag) 8 get as far as 2 out, 100 %. None is lost on the way."
    one = stages(ASKED, Rows(through, (OneOf("stage", ("1 in",)),)))
    assert said(one, through)[0] == "All 8 (bag) are at 1 in."
    none = stages(ASKED, Rows(through, (OneOf("stage", ("gone",)),)))
    assert said(none, through)[0] == "No row that is kept says who is at which stage." and "<svg" in draw(
        none, through
    )


def test_stages_stand_as_the_column_has_them_or_by_how_many() -> None:
    table = many(200)
    plain_ = Stages("bag", "stage")
    by_number = stages(plain_, Rows(table))
    assert by_number.order == "many" and [s.label for s in by_number.stages] == [
        "asked",
        "paid",
        "sent",
        "there",
    ]
    assert by_number.stages[1].seconds is None and any("no time says" in c for c in said(by_number, table)[1])
    ordered = typed(table, stage={"kind": Kind.ORDERED})
    assert stages(Stages("bag", "stage", "at"), Rows(ordered)).order == "column"
    with pytest.raises(BadQuestion, match="no order of its own"):
        check(Stages("bag", "stage", "at", order="column"), table)
    for wrong, why in (
        (Stages("stage", "stage"), "by itself"), (Stages("at", "stage"), "tells nobody apart"),
        (Stages("bag", "at"), "has no stages"), (Stages("bag", "stage", "way"), "no time"),
        (Stages("bag", "stage", order="time"), "nothing comes first"),
    ):  # fmt: skip
        with pytest.raises(BadQuestion, match=why):
            check(wrong, table)
    with pytest.raises(BadQuestion, match="more than stages anyone goes through"):
        stages(Stages("stage", "bag", "at"), Rows(table))


def test_what_stopped_late_may_still_go_on() -> None:
    rows = [(f"o{i}", s, 100.0 * i + h) for i in range(40) for s, h in (("in", 0), ("out", 48))]
    early = told([*rows, ("late", "in", 3_940.0), ("old", "in", 10.0)])
    found = stages(ASKED, Rows(early))
    assert found.fresh == 1 and any("1 of the 2 that stopped" in c for c in said(found, early)[1])


def test_it_is_said_read_and_changed() -> None:
    table = many(100)
    asked = Stages("bag", "stage", "at", "way")
    words = scene_in_words(Scene(asked), table)
    assert words == "How far does each bag get through stage by at, stages as they come, across way?"
    assert read(words, table)[0] == asked
    assert changed(asked, "unit", "stage", table)[0] == Stages("stage", "bag", "at", "way")
    assert changed(asked, "across", None, table)[0].across is None
    assert changed(Stages("bag", "stage", "at", order="time"), "time", None, table)[0] == Stages(
        "bag", "stage"
    )
    with pytest.raises(BadQuestion, match="does not name who"):
        read("how far does each bag get", table)


def test_it_is_offered_where_units_go_through_stages_and_nowhere_else() -> None:
    table = many(300)
    gist = Gist("way", named=False)
    assert KIND.from_gist(gist, table) == Stages("bag", "stage", "at")
    rng = np.random.default_rng(2)
    trips = table_of(
        line=[f"l{x}" for x in rng.integers(0, 14, 900)], depot=[f"d{x}" for x in rng.integers(0, 3, 900)]
    )
    with pytest.raises(BadQuestion, match="Nobody goes through stages"):
        KIND.from_gist(Gist("line", named=False), trips)
    assert KIND.from_gist(Gist("line", groups=("depot",)), trips) == Stages("line", "depot"), (
        "both were named"
    )


def by_door(seed: int, shares: dict[str, float]) -> Table:
    rng = np.random.default_rng(seed)
    rows: list[tuple[Any, ...]] = []
    for number in range(600):
        door = list(shares)[number % len(shares)]
        rows.append((number, "asked", 10.0 * number, door))
        if rng.random() < shares[door]:
            rows.append((number, "paid", 10.0 * number + 1 + rng.random(), door))
    return told(rows, "door")


def test_of_which_group_most_get_there_is_said_and_of_noise_that_it_may_be_chance() -> None:
    table = by_door(1, {"shop": 0.6, "web": 0.3, "post": 0.45})
    found = stages(Stages("bag", "stage", "at", "door"), Rows(table))
    reached = {group.label: group.reached[-1] / group.units for group in found.groups}
    words = said(found, table)[0]
    shop, web = (percent(reached[name], 3).replace("\u2009", " ") for name in ("shop", "web"))
    assert words.endswith(f" Of shop {shop} get there, of web {web}.")
    sure = 0
    for seed in range(40):
        noise = by_door(seed, dict.fromkeys(("shop", "web", "post"), 0.5))
        noisy = stages(Stages("bag", "stage", "at", "door"), Rows(noise))
        sure += "may be chance (chi-square" not in said(noisy, noise)[0]
    assert sure <= 5
    with pytest.raises(BadQuestion, match="there already"):
        check(Stages("bag", "stage", across="stage"), table)


@pytest.mark.parametrize(
    ("words", "across"),
    [
        ("conversion of bag through stage by at", None),
        ("how far does each bag get by stage over at", None),
        ("funnel of bag", None),
        ("conversion by door", "door"),
        ("drop out by door", "door"),
    ],
)
def test_stages_are_found_where_units_are_called_by_numbers(words: str, across: str | None) -> None:
    table = by_door(2, {"shop": 0.6, "web": 0.3})
    assert not table.column("bag").code
    assert meant(words, table, Scene()).scene.main == Stages("bag", "stage", "at", across)
