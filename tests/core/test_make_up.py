"""What makes up a figure: parts sum to their parents, by hand and by other libraries, nothing lost or twice."""

from __future__ import annotations

import datetime as dt
import math
from itertools import pairwise
from typing import Any

import numpy as np
import polars as pl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from night_trail.core.conditions import Between, OneOf, mask
from night_trail.core.errors import BadQuestion
from night_trail.core.language.spans import plain
from night_trail.core.measure import Measure
from night_trail.core.question import Scene, to_json
from night_trail.core.questions.compare.question import Baseline
from night_trail.core.questions.make_up.answer import MakeUpAnswer, check, make_up
from night_trail.core.questions.make_up.kind import KIND, held
from night_trail.core.questions.make_up.question import MakeUp
from night_trail.core.questions.make_up.sentence import changed
from night_trail.core.questions.make_up.words import make_up_words
from night_trail.core.questions.registry import answer, figures_of
from night_trail.core.questions.shared.gist import Gist
from night_trail.core.questions.shared.nesting import belongs
from night_trail.core.rows import Rows
from night_trail.core.sentence import read, scene_in_words
from night_trail.core.table import Table
from night_trail.draw import draw
from night_trail.draw.frame.squarify import Box, squarified
from night_trail.draw.shapes.make_up import shared_out
from tests.core.tables import table_of
from tests.core.test_compare import typed

SUM, MEAN, COUNT = Measure("sum", "x"), Measure("mean", "x"), Measure("count")


def made(question: MakeUp, table: Table, **more: Any) -> MakeUpAnswer:
    return make_up(question, Rows(table, **more))


def said(found: MakeUpAnswer, table: Table) -> tuple[str, tuple[str, ...]]:
    words = make_up_words(found, table)
    return plain(words.headline).replace("\u2009", " "), words.cautions


def ragged(seed: int, n: int = 400) -> dict[str, Any]:
    """Three levels that nest in no order, with gaps at each and in the figure."""
    rng = np.random.default_rng(seed)

    def level(k: int, gaps: float) -> list[str | None]:
        found = rng.choice([f"v{i}" for i in range(k)], n).tolist()
        return [None if rng.random() < gaps else v for v in found]

    return {
        "a": level(4, 0.1),
        "b": level(7, 0.3),
        "c": level(30, 0.2),
        # whole numbers sum to the same in any order
        "x": [None if rng.random() < 0.1 else float(v) for v in rng.poisson(9, n)],
    }


@settings(max_examples=15, deadline=None)
@given(st.integers(0, 10_000), st.sampled_from([SUM, COUNT]), st.sampled_from(["treemap", "bars", "rings"]))
def test_parts_sum_to_their_parent_and_their_rows_are_apart(seed: int, measure: Measure, shape: str) -> None:
    table = table_of(**ragged(seed))
    found = made(MakeUp(measure, ("a", "b", "c"), shape), table)
    inside = [mask(part.condition, table) for part in found.parts]
    has = np.isfinite(table.axis("x").values) if measure is SUM else np.ones(table.height, dtype=bool)
    for at in (-1, *range(len(found.parts))):
        own = found.children(at)
        if not own:
            continue
        whole = found.total if at < 0 else found.parts[at].figure
        assert math.isclose(sum(found.parts[i].figure for i in own), whole, rel_tol=1e-9)
        # every row of the parent that has a value lies in exactly one of its parts
        rows = sum((inside[i] & has).astype(int) for i in own)
        assert (rows == (has if at < 0 else inside[at] & has).astype(int)).all()
    for part, rows in zip(found.parts, inside, strict=True):
        assert part.n == int((rows & has).sum())
        values = table.axis("x").values[rows & has]
        assert math.isclose(part.figure, values.sum() if measure is SUM else len(values), abs_tol=1e-9)
        assert math.isclose(part.of_all, part.figure / found.total)
    assert len({part.key for part in found.parts}) == len(found.parts)
    backwards = {name: values[::-1] for name, values in ragged(seed).items()}
    again = made(MakeUp(measure, ("a", "b", "c"), shape), table_of(**backwards))
    assert [(p.key, round(p.figure, 6)) for p in again.parts] == [
        (p.key, round(p.figure, 6)) for p in found.parts
    ]


def test_figures_of_every_level_are_those_of_polars() -> None:
    rows = ragged(5)
    table = table_of(**rows)
    frame = pl.DataFrame(rows)
    for measure, of in (
        (MEAN, pl.col("x").mean()),
        (Measure("median", "x"), pl.col("x").median()),
        (Measure("distinct", "c"), pl.col("c").n_unique()),
    ):
        found = made(MakeUp(measure, ("a", "b"), "bars"), table)
        kept = frame.filter(pl.col(measure.column).is_not_null())
        one = dict(kept.group_by("a").agg(of.alias("f")).iter_rows())
        two = {(a, b): v for a, b, v in kept.group_by("a", "b").agg(of.alias("f")).iter_rows()}
        looked = 0
        for part in found.parts:
            if part.others:
                continue
            names = tuple(name or None for name in part.names)
            theirs = one[names[0]] if part.depth == 1 else two[names]
            assert math.isclose(part.figure, theirs, rel_tol=1e-12) and part.of_all is None
            looked += 1
        assert looked > 25
        assert any("does not add up" in caution for caution in said(found, table)[1])


def test_what_lacks_a_level_is_a_part_of_its_own_and_no_level_below_is_made_up() -> None:
    table = table_of(a=["n", "n", "s", None], b=["p", None, None, None], x=[1.0, 2.0, 4.0, 8.0])
    found = made(MakeUp(SUM, ("a", "b")), table)
    assert [(p.label, p.depth, p.figure, p.missing) for p in found.parts] == [
        ("s", 1, 4.0, False),
        ("n", 1, 3.0, False),
        ("without a", 1, 8.0, True),
        ("p", 2, 1.0, False),
        ("without b", 2, 2.0, True),
    ]
    assert said(found, table)[1][:2] == (
        "1 row has no a: it is a part of its own.",
        "1 row has no b: it is a part of its own.",
    )


def test_going_in_keeps_the_shares_of_all_and_what_is_drawn_adds_up() -> None:
    table = table_of(**ragged(8))
    whole = made(MakeUp(SUM, ("a", "b", "c")), table)
    part = next(p for p in whole.parts if p.depth == 1 and not p.missing)
    inside = made(MakeUp(SUM, ("a", "b", "c"), path=(part.names[0],)), table)
    assert math.isclose(inside.total, part.figure) and inside.whole == whole.whole
    top = [p for p in inside.parts if p.parent < 0]
    assert math.isclose(sum(p.of_all for p in top), part.of_all) and math.isclose(
        sum(p.of_parent for p in top), 1
    )
    assert said(inside, table)[0].startswith(f"Within {part.label}: ")
    with pytest.raises(BadQuestion, match="There is no “nowhere”"):
        made(MakeUp(SUM, ("a", "b"), path=("nowhere",)), table)
    lit = made(MakeUp(SUM, ("a", "b", "c"), path=part.names), table, lit=OneOf("b", ("v1",)))
    for one in lit.parts:
        rows = (
            mask(one.condition, table)
            & mask(OneOf("b", ("v1",)), table)
            & np.isfinite(table.axis("x").values)
        )
        assert one.lit == int(rows.sum()) and math.isclose(one.lit_figure, table.axis("x").values[rows].sum())


def test_parts_below_nothing_are_drawn_as_bars_and_said() -> None:
    table = table_of(a=["n", "s", "s"], x=[5.0, -9.0, 1.0])
    found = made(MakeUp(SUM, ("a",)), table)
    headline, cautions = said(found, table)
    assert found.shape == "bars" and cautions[0] == "1 part lies below 0: drawn as bars, since no area is."
    assert headline == "n has the most, 5, and s the least, −8; all together −3."
    assert "%" not in headline, "there are no shares of less than nothing"


def test_the_words_are_true_of_ties_of_one_part_and_of_a_level_alone() -> None:
    even = table_of(a=["n", "s", "w", "e"], x=[2.0, 2.0, 2.0, 2.0])
    headline, _ = said(made(MakeUp(SUM, ("a",)), even), even)
    assert headline == "e and 3 others make up 25 % each of 8; the largest 2 of 4 (a) make up 50 %."
    one = table_of(a=["n", "n"], x=[2.0, 2.0])
    assert said(made(MakeUp(SUM, ("a",)), one), one)[0] == "It is all n, 4."
    leads = table_of(a=["n", "s", "w"], x=[8.0, 1.0, 1.0])
    assert said(made(MakeUp(SUM, ("a",)), leads), leads)[0] == "n makes up 80 % of 10."
    twins = table_of(a=["n", "n", "s"], b=["p", "q", "r"], x=[2.0, 2.0, 1.0])
    assert "The largest" not in said(made(MakeUp(SUM, ("a", "b")), twins), twins)[0]
    alike = table_of(a=["n", "s"], x=[3.0, 3.0])
    assert said(made(MakeUp(MEAN, ("a",), "bars"), alike), alike)[0] == "All 2 parts are alike: 3."
    nothing = table_of(a=["n", "s"], x=pl.Series([None, None], dtype=pl.Float64))
    assert "No row that is kept has a value" in said(made(MakeUp(SUM, ("a",)), nothing), nothing)[0]
    gaps = table_of(a=["n", "n", None, None, "s"], x=[1.0, 1.0, 5.0, 1.0, 1.0])
    assert said(made(MakeUp(SUM, ("a",)), gaps), gaps)[0] == "n makes up 22.2 % of 9.", (
        "what lacks it leads nothing"
    )
    kept = Rows(leads, (OneOf("a", ("none",)),))
    assert "No row" in plain(make_up_words(make_up(MakeUp(COUNT, ("a",)), kept), leads).headline)


def test_levels_that_do_not_nest_are_said_and_stand_twice() -> None:
    table = table_of(a=["n", "s"] * 10, b=["p", "p", "q", "r"] * 5, x=[1.0] * 20)
    found = made(MakeUp(SUM, ("a", "b")), table)
    assert found.unnested == (("b", 1, 3),)
    assert "1 of 3 (b) stands under more than one a, as a part of each." in said(found, table)[1]
    assert sorted(p.names for p in found.parts if p.label == "p") == [("n", "p"), ("s", "p")]
    nested = table_of(a=["n", "n", "s", "s"] * 6, b=["p", "q", "r", "t"] * 6, x=[1.0] * 24)
    assert made(MakeUp(SUM, ("a", "b")), nested).unnested == ()
    assert belongs(nested, "b", "a") and not belongs(nested, "a", "b") and not belongs(table, "b", "a")
    # what stands once belongs to anything, and nothing is said of it
    single = table_of(a=["n", "s"] * 10, b=[f"k{i}" for i in range(20)])
    assert not belongs(single, "b", "a")


def test_thousands_of_parts_are_gathered_and_none_is_lost() -> None:
    rng = np.random.default_rng(2)
    n = 60_000
    table = table_of(a=rng.choice(["n", "s"], n).tolist(), b=[f"k{i:05}" for i in rng.integers(0, 20_000, n)])
    found = made(MakeUp(COUNT, ("a", "b")), table)
    assert len(found.parts) < 1_000
    for at in found.children(-1):
        assert sum(found.parts[i].figure for i in found.children(at)) == found.parts[at].figure
    gathered = [p for p in found.parts if p.others]
    assert len(gathered) == 2 and all(f"{p.others:,} others" == p.label for p in gathered)
    assert "are gathered with others" in said(found, table)[1][-1]
    assert all(mask(p.condition, table).sum() == p.n for p in gathered)


def test_bands_and_dates_make_levels_too() -> None:
    days = [dt.date(2023, 1, 1) + dt.timedelta(days=int(i)) for i in range(0, 700, 7)]
    table = table_of(day=days, price=np.linspace(0, 300, 100), x=[1.0] * 100)
    found = made(MakeUp(SUM, ("day", "price")), table)
    assert found.total == 100 and sum(p.figure for p in found.parts if p.depth == 1) == 100
    for part in found.parts:
        assert mask(part.condition, table).sum() == part.n


def test_a_second_figure_shades_each_part_by_all_of_its_rows() -> None:
    rows = ragged(4)
    table = table_of(**rows, y=np.arange(400, dtype=float))
    found = made(MakeUp(SUM, ("a", "b"), shade=Measure("mean", "y")), table)
    for part in found.parts:
        inside = mask(part.condition, table)
        assert math.isclose(part.shade, table.axis("y").values[inside].mean())


@given(st.lists(st.floats(0.01, 1e6), min_size=1, max_size=60), st.floats(20, 2_000), st.floats(20, 2_000))
def test_areas_are_the_sizes_and_tile_their_box(sizes: list[float], wide: float, high: float) -> None:
    sizes = sorted(sizes, reverse=True)
    boxes = squarified(sizes, Box(3, 5, wide, high))
    assert len(boxes) == len(sizes)
    for size, box in zip(sizes, boxes, strict=True):
        assert math.isclose(
            box.width * box.height, size / sum(sizes) * wide * high, rel_tol=1e-6, abs_tol=1e-6
        )
        assert box.x >= 3 - 1e-6 and box.x + box.width <= 3 + wide + 1e-6
        assert box.y >= 5 - 1e-6 and box.y + box.height <= 5 + high + 1e-6
    for i, one in enumerate(boxes):
        for other in boxes[:i]:
            across = min(one.x + one.width, other.x + other.width) - max(one.x, other.x)
            down = min(one.y + one.height, other.y + other.height) - max(one.y, other.y)
            assert min(across, down) <= 1e-6


def test_nothing_to_lay_out_is_laid_out() -> None:
    assert squarified([], Box(0, 0, 10, 10)) == []
    assert [b.width for b in squarified([0.0, 0.0], Box(0, 0, 10, 10))] == [0.0, 0.0]
    # the example of the paper: 6, 6, 4, 3, 2, 2, 1 in 6 by 4
    found = squarified([6, 6, 4, 3, 2, 2, 1], Box(0, 0, 6, 4))
    assert [(round(b.width, 3), round(b.height, 3)) for b in found[:4]] == [
        (3, 2),
        (3, 2),
        (1.714, 2.333),
        (1.286, 2.333),
    ]


@given(st.lists(st.floats(0, 1e6), min_size=1, max_size=30))
def test_squares_are_shared_out_to_the_last(values: list[float]) -> None:
    found = shared_out(values, 100)
    assert sum(found) == (100 if sum(values) > 0 else 0)
    if sum(values) > 0:
        assert all(abs(n - 100 * v / sum(values)) < 1 for n, v in zip(found, values, strict=True))


TABLE = table_of(**ragged(1), day=[dt.date(2024, 1, 1)] * 400)


@pytest.mark.parametrize(
    "typed",
    [
        "what makes up the sum of x by a",
        "What makes up the sum of x by a › b › c, drawn as rings?",
        "what makes up x by a then b, as indented bars",
        "make-up of rows by a and b",
        "treemap of the sum of x by a, b, shaded by the average of x",
        "what makes up the sum of x by a › b › c, within v1 › v2, drawn as a treemap",
        "what makes up the average of x by a, drawn as indented bars",
    ],
)
def test_the_sentence_is_read_back(typed: str) -> None:
    question, _ = read(typed, TABLE)
    assert isinstance(question, MakeUp)
    assert read(scene_in_words(Scene(main=question), TABLE), TABLE)[0] == question


def test_levels_are_put_in_order_left_out_and_gone_into() -> None:
    asked = MakeUp(SUM, ("a", "b"))
    assert changed(asked, "third", "c", TABLE)[0].levels == ("a", "b", "c")
    assert changed(asked, "also", "up", TABLE)[0].levels == ("b", "a")
    assert changed(asked, "across", "b", TABLE)[0].levels == ("b", "a")
    assert changed(asked, "also", None, TABLE)[0].levels == ("a",)
    deep = MakeUp(SUM, ("a", "b", "c"), path=("v1", "v2"))
    assert changed(deep, "also", None, TABLE)[0].path == ("v1",)
    assert changed(deep, "within0", None, TABLE)[0].path == ()
    assert changed(deep, "within1", '["v3"]', TABLE)[0].path == ("v1", "v3")
    assert changed(deep, "aggregate", "mean", TABLE)[0].shape == "bars"
    for slot, value in (
        ("within9", None),
        ("within0", "no json"),
        ("within0", "[1]"),
        ("fifth", None),
        ("size", "x"),
    ):
        with pytest.raises(BadQuestion):
            changed(deep, slot, value, TABLE)
    for bad in (
        MakeUp(SUM, ("a", "a")),
        MakeUp(SUM, ("a", "x")),
        MakeUp(MEAN, ("a",)),
        MakeUp(SUM, ("a",), path=("v1",)),
        MakeUp(SUM, ("day",)),
        MakeUp(SUM, ("gone",)),
    ):
        with pytest.raises(BadQuestion):
            check(bad, TABLE)


def test_it_begins_with_levels_that_nest() -> None:
    nested = table_of(a=["n", "n", "s", "s"] * 6, b=["p", "q", "r", "t"] * 6, x=[1.0] * 24)
    begun = KIND.from_gist(Gist("x", SUM, ("a",)), nested)
    assert begun == MakeUp(SUM, ("a", "b"))
    assert KIND.from_gist(Gist("x", MEAN, ("a",)), nested).shape == "bars"
    figures = figures_of(answer(begun, Rows(nested)))
    assert figures.names == ("a", "b", "rows", "sum of x", "share of its parent", "share of all")
    assert [row[:3] for row in figures.rows][:3] == [("n", None, 12), ("s", None, 12), ("n", "p", 6)]
    assert all(a[3] >= b[3] for a, b in pairwise(figures.rows[:2]))
    assert scene_in_words(Scene(main=begun), nested).startswith("What makes up the sum of x by a › b")


# ---- held against a plan, or what was before ----


def two_years(seed: int = 5, n: int = 600) -> tuple[Table, pl.DataFrame]:
    rng = np.random.default_rng(seed)
    frame = pl.DataFrame(
        {
            "year": rng.choice([2021, 2022], n),
            "d": rng.choice(["a", "b", "c"], n),
            "l": rng.choice(["x", "y", "z"], n),
            "v": rng.integers(1, 30, n),
            "plan": rng.integers(1, 30, n),
        }
    ).filter(~((pl.col("d") == "c") & (pl.col("year") == 2022)))
    table = typed(table_of(**frame.to_dict(as_series=False)), v={"additive": True}, plan={"additive": True})
    return table, frame


NOW, BEFORE = (
    Between("year", 2022.0, 2022.0, high_closed=True),
    Between("year", 2021.0, 2021.0, high_closed=True),
)


@pytest.mark.parametrize("aggregate", ["sum", "mean"])
def test_parts_are_held_against_the_rows_before_and_what_is_gone_is_said(aggregate: Any) -> None:
    table, frame = two_years()
    against = Baseline(where=BEFORE, called="the year before")
    shape: Any = "treemap" if aggregate == "sum" else "bars"
    found = make_up(MakeUp(Measure(aggregate, "v"), ("d", "l"), shape, against=against), Rows(table, (NOW,)))
    for part in found.parts:
        of = frame
        for name, value in zip(("d", "l"), part.names, strict=False):
            of = of.filter(pl.col(name) == value)
        figures = [getattr(of.filter(pl.col("year") == year)["v"], aggregate)() for year in (2022, 2021)]
        assert (part.figure, part.base) == (pytest.approx(figures[0]), pytest.approx(figures[1]))
    before = frame.filter(pl.col("year") == 2021)
    assert found.total_base == pytest.approx(getattr(before["v"], aggregate)())
    words = make_up_words(found, table)
    if aggregate == "sum":
        gone = before.filter(pl.col("d") == "c")["v"].sum()
        assert found.gone == (("c", float(gone)),)
        assert any(
            "Only there before" in caution and f"c ({gone:,})" in caution for caution in words.cautions
        )
        by = found.total - (found.total_base or 0)
        assert f"{abs(by):,.0f}" in plain(words.headline) and ("less." in plain(words.headline)) == (by < 0)


def test_a_plan_is_another_column_and_gathered_parts_have_the_rest_of_it() -> None:
    rng = np.random.default_rng(6)
    n = 4_000
    made = table_of(
        g=[f"g{int(i)}" for i in rng.integers(0, 200, n)], v=rng.integers(1, 9, n), p=rng.integers(1, 9, n)
    )
    table = typed(made, v={"additive": True}, p={"additive": True})
    found = make_up(
        MakeUp(Measure("sum", "v"), ("g",), "treemap", against=Baseline(column="p")), Rows(table, ())
    )
    assert any(part.others for part in found.parts)
    assert sum(part.base or 0 for part in found.parts) == pytest.approx(float(table.axis("p").values.sum()))
    question = found.question
    assert read(str(KIND.said(question, table, None)), table)[0] == question
    with pytest.raises(BadQuestion, match="shaded by a figure, or by their change"):
        check(
            MakeUp(Measure("sum", "v"), ("g",), shade=Measure("count"), against=Baseline(column="p")), table
        )
    with pytest.raises(BadQuestion, match="another column of the same kind"):
        check(MakeUp(Measure("sum", "v"), ("g",), against=Baseline(column="v")), table)


def test_what_did_not_change_is_said_to_be_as_much_and_no_part_is_up_most() -> None:
    table = typed(table_of(g=["a", "b"], v=[3, 4], p=[3, 4]), v={"additive": True}, p={"additive": True})
    found = make_up(MakeUp(Measure("sum", "v"), ("g",), against=Baseline(column="p")), Rows(table, ()))
    said = plain(make_up_words(found, table).headline)
    assert "It is as much as p." in said and "most, by" not in said
    # two that rose alike: none rose most
    both = typed(
        table_of(g=["a", "b", "c"], v=[4, 5, 1], p=[3, 4, 1]), v={"additive": True}, p={"additive": True}
    )
    same = make_up(MakeUp(Measure("sum", "v"), ("g",), against=Baseline(column="p")), Rows(both, ()))
    assert "up most" not in plain(make_up_words(same, both).headline)


# ---- periods, what is gathered, the lit against the rest ----


def over_days(n: int = 4_000) -> Table:
    rng = np.random.default_rng(3)
    days = [dt.date(2023, 1, 1) + dt.timedelta(days=int(x)) for x in rng.integers(0, 700, n)]
    groups = [f"g{int(x):02}" for x in np.minimum(rng.gamma(2, 9, n), 99)]
    crews = [f"c{int(x)}" for x in rng.integers(0, 3, n)]
    return table_of(g=groups, crew=crews, v=rng.gamma(2, 3, n), day=days)


def test_the_parts_of_a_date_are_levels_whose_rows_are_those_of_their_periods() -> None:
    table = over_days()
    asked = MakeUp(Measure("sum", "v"), ("day", "day", "crew"), grains=("year", "quarter"))
    found = made(asked, table)
    frame = pl.DataFrame({"day": table.series("day"), "v": table.axis("v").values})
    years = frame.group_by(pl.col("day").dt.year()).agg(pl.col("v").sum()).sort("v", descending=True)
    top = [p for p in found.parts if p.depth == 1]
    assert [(p.label, round(p.figure, 6)) for p in top] == [
        (str(y), round(v, 6)) for y, v in years.iter_rows()
    ]
    for part in found.parts:
        assert int(mask(part.condition, table).sum()) == part.n
    words = scene_in_words(Scene(asked), table)
    assert words.startswith("What makes up the sum of v by year of day › quarter of day › crew")
    assert read(words, table)[0] == asked
    moved, label = changed(asked, "also", "up", table)
    assert (
        moved.names == ("quarter of day", "year of day", "crew")
        and label == "quarter of day before year of day"
    )
    gone, _ = changed(asked, "across", None, table)
    assert (gone.names, gone.grains) == (("quarter of day", "crew"), ("quarter",))
    hours, _ = changed(asked, "third", "month of day", table)
    assert hours.names[-1] == "month of day"
    far = table_of(d=[dt.date(2024, 1, 1), dt.date(9999, 12, 31)], v=[1.0, 2.0])
    ends = made(MakeUp(Measure("sum", "v"), ("d", "d"), grains=("year", "month")), far)
    assert [int(mask(p.condition, far).sum()) for p in ends.parts if p.depth == 1] == [1, 1]
    assert "9999" in said(ends, far)[0], "a date that stands for none yet"
    with pytest.raises(BadQuestion, match="has no hours"):
        check(MakeUp(Measure("count"), ("day",), grains=("hour",)), table)
    with pytest.raises(BadQuestion, match="has no years"):
        check(MakeUp(Measure("count"), ("g",), grains=("year",)), table)
    with pytest.raises(BadQuestion, match="there twice"):
        check(MakeUp(Measure("count"), ("day", "day"), grains=("year", "year")), table)


def test_what_is_gathered_is_parted_and_what_dwarfs_the_rest_is_cut() -> None:
    table = over_days()
    asked = MakeUp(Measure("sum", "v"), ("g",), "bars")
    gathered = made(asked, table)
    others = next(p for p in gathered.parts if p.others)
    named = [p.figure for p in gathered.parts if not p.others]
    assert others.figure > 2 * max(named) and "broken-off" in draw(gathered, table)
    parted = made(replace(asked, opened=("",)), table)
    assert not any(p.others for p in parted.parts) and len(parted.parts) == len(named) + others.others
    assert sum(p.figure for p in parted.parts) == pytest.approx(sum(named) + others.figure)
    assert f"part the {others.others} others" in draw(gathered, table)
    inside = made(MakeUp(Measure("sum", "v"), ("crew", "g"), "bars", opened=("c1",)), table)
    assert {p.names[0] for p in inside.parts if p.others} == {"c0", "c2"}, (
        "only that of the part that was opened"
    )


def test_the_lit_are_held_against_the_rest_made_as_large() -> None:
    table = over_days()
    lit = OneOf("crew", ("c1",))
    asked, label = changed(MakeUp(Measure("sum", "v"), ("g",), "bars"), "rest", to_json(lit), table)
    assert label == "crew is c1 against the rest" and asked.even
    check(asked, table)
    found = made(replace(asked, opened=("",)), table)
    frame = pl.DataFrame(
        {
            "g": table.coded("g").codes,
            "crew": table.series("crew").cast(pl.String),
            "v": table.axis("v").values,
        }
    )
    ours, theirs = frame.filter(pl.col("crew") == "c1"), frame.filter(pl.col("crew") != "c1")
    scale = ours["v"].sum() / theirs["v"].sum()
    labels = table.coded("g").labels
    for part in found.parts:
        code = labels.index(part.label)
        assert part.figure == pytest.approx(ours.filter(pl.col("g") == code)["v"].sum())
        assert part.base == pytest.approx(theirs.filter(pl.col("g") == code)["v"].sum() * scale)
    headline, _ = said(found, table)
    assert "Held against the rest, made as large:" in headline and found.basis.rows == len(ours)
    # halves that are made up alike have no part that is up or down
    even = table_of(g=["a", "b"] * 4, side=["x"] * 4 + ["y"] * 4, v=[1.0, 3.0] * 4)
    same, _ = changed(MakeUp(Measure("sum", "v"), ("g",)), "rest", to_json(OneOf("side", ("x",))), even)
    assert said(made(same, even), even)[0].endswith("It is made up as the rest.")
    kept = made(same, even, only=(OneOf("g", ("a",)),))
    assert [(p.label, p.figure, p.base) for p in kept.parts] == [("a", 2.0, 2.0)], "a filter holds for both"
    mean, _ = changed(
        MakeUp(Measure("mean", "v"), ("g",), "bars"), "rest", to_json(OneOf("side", ("x",))), even
    )
    assert "made as large" not in scene_in_words(Scene(mean), even)
    with pytest.raises(BadQuestion, match="made as large"):
        check(MakeUp(Measure("sum", "v"), ("g",), against=Baseline(column="v"), even=True), even)


def test_parts_keep_their_places_while_a_picture_plays() -> None:
    table = over_days()
    asked = MakeUp(Measure("sum", "v"), ("crew", "g"))
    every = [
        made(asked, table, only=(Between("day", f"2023-{m:02}-01", f"2023-{m + 1:02}-01"),))
        for m in range(1, 7)
    ]
    for one in every:
        placed = held(one, every)
        assert {p.key: p.figure for p in placed.parts} == {p.key: p.figure for p in one.parts}
        for at, part in enumerate(placed.parts):
            assert part.parent < at and (part.parent < 0 or placed.parts[part.parent].depth == part.depth - 1)
    first = [[p.label for p in held(one, every).parts if p.depth == 1] for one in every]
    assert len({tuple(order) for order in first}) == 1
    assert len({tuple(p.label for p in one.parts if p.depth == 1) for one in every}) > 1, (
        "by themselves they differ"
    )
