"""Who belongs to whom: everyone stands in the tree once, roots, gaps and circles are named, figures sum up."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import polars as pl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from night_trail.core.conditions import OneOf, mask
from night_trail.core.errors import BadQuestion
from night_trail.core.kinship import all_below, children_of, tree_of
from night_trail.core.language.spans import plain
from night_trail.core.measure import Measure
from night_trail.core.question import Scene
from night_trail.core.questions.kin.answer import KinAnswer, check, kin
from night_trail.core.questions.kin.kind import KIND
from night_trail.core.questions.kin.question import Kin
from night_trail.core.questions.kin.sentence import changed, turned
from night_trail.core.questions.kin.words import kin_words
from night_trail.core.questions.registry import answer, figures_of
from night_trail.core.questions.shared.gist import Gist
from night_trail.core.rows import Rows
from night_trail.core.sentence import read, scene_in_words
from night_trail.core.table import Table
from tests.core.tables import table_of

SUM, COUNT, MEAN = Measure("sum", "cost"), Measure("count"), Measure("mean", "cost")
OFFICE = {
    "unit": ["house", "north", "south", "n1", "n2", "s1", "lone"],
    "above": [None, "house", "house", "north", "north", "south", None],
    "cost": [5.0, 10.0, 20.0, 1.0, 2.0, 4.0, 100.0],
}


def asked(measure: Measure = SUM, **more: Any) -> Kin:
    return Kin("unit", "above", measure, **more)


def said(found: KinAnswer, table: Table) -> tuple[str, tuple[str, ...]]:
    words = kin_words(found, table)
    return plain(words.headline).replace("\u2009", " "), words.cautions


def grown(seed: int, n: int = 120, circles: int = 2) -> dict[str, list[Any]]:
    """Rows of units in random trees, with orphans, circles, several above, and units in several rows."""
    rng = np.random.default_rng(seed)
    names = [f"u{i}" for i in range(n)]
    above: list[str | None] = [None if i < 3 else names[int(rng.integers(0, i))] for i in range(n)]
    for i in rng.choice(np.arange(3, n), 5, replace=False):
        above[i] = f"nobody{i % 2}"
    for _ in range(circles):
        one, two = (int(x) for x in rng.choice(np.arange(3, n), 2, replace=False))
        above[one], above[two] = names[two], names[one]
    rows = list(rng.permutation(n)) + list(rng.integers(0, n, 40))
    return {
        "unit": [names[i] for i in rows],
        "above": [above[i] if rng.random() < 0.9 else names[int(rng.integers(0, n))] for i in rows],
        "cost": [float(v) for v in rng.gamma(2, 5, len(rows)).round(2)],
    }


@settings(max_examples=15, deadline=None)
@given(st.integers(0, 10_000), st.integers(5, 120), st.integers(0, 3))
def test_everyone_stands_in_the_tree_once_and_nothing_is_lost_or_counted_twice(
    seed: int, n: int, circles: int
) -> None:
    rows = grown(seed, max(n, 12), circles)
    table = table_of(**rows)
    tree = tree_of(table, "unit", "above")
    named = set(rows["unit"]) | {a for a in rows["above"] if a}
    assert set(tree.labels) == named and len(tree.labels) == len(named)
    children = children_of(tree)
    reached = [one for root in children[-1] for one in all_below(children, root)]
    assert sorted(reached) == list(range(len(named))), "each is reached from one root, once"
    for at, parent in enumerate(tree.parent):
        assert tree.level[at] == (0 if parent < 0 else tree.level[parent] + 1)
        if parent >= 0:
            pairs = [a for u, a in zip(rows["unit"], rows["above"], strict=True) if u == tree.labels[at]]
            assert tree.labels[parent] in pairs
    found = kin(asked(depth=20), Rows(table))
    tops = [u for u in found.shown if u.parent < 0]
    assert math.isclose(sum(u.below for u in tops), sum(rows["cost"]), rel_tol=1e-9) and math.isclose(
        found.total, sum(rows["cost"])
    )
    for at, unit in enumerate(found.shown):
        own = [u for u in found.shown if u.parent == at]
        if own:
            alone = 0.0 if math.isnan(unit.own) else unit.own
            assert math.isclose(unit.below, alone + sum(u.below for u in own), rel_tol=1e-9, abs_tol=1e-9)
        if not unit.others:
            inside = mask(unit.condition, table)
            assert math.isclose(unit.below, table.axis("cost").values[inside].sum(), abs_tol=1e-6)
            assert unit.n_below == inside.sum()


def test_figures_by_hand_alone_and_with_all_below() -> None:
    table = table_of(**OFFICE)
    found = kin(asked(depth=3), Rows(table, (), OneOf("unit", ("n1", "lone"))))
    by = {u.label: u for u in found.shown}
    assert {k: (u.own, u.below, u.children, u.under, u.lit) for k, u in by.items()} == {
        "lone": (100, 100, 0, 0, 1),
        "house": (5, 42, 2, 5, 1),
        "south": (20, 24, 1, 1, 0),
        "north": (10, 13, 2, 2, 1),
        "s1": (4, 4, 0, 0, 0),
        "n2": (2, 2, 0, 0, 0),
        "n1": (1, 1, 0, 0, 1),
    }
    headline, cautions = said(found, table)
    assert (
        headline
        == "5 units under 2 roots, 3 levels. lone has the most with all below: 100, 70.4 % of what these have together."
    )
    assert cautions == ("There are 2 roots: units with nobody above them.",)
    inside = kin(asked(top="house"), Rows(table))
    assert inside.path == () and [u.label for u in inside.shown][:1] == ["house"]
    assert said(inside, table)[0].endswith(
        "Below house: south has the most with all below: 24, 64.9 % of what these have together."
    )
    deeper = kin(asked(top="n1"), Rows(table))
    assert deeper.path == ("house", "north")
    figures = figures_of(answer(asked(depth=3), Rows(table)))
    assert figures.names[:3] == ("unit", "above", "rows") and len(figures.rows) == 7
    levels = {row[0]: row[6:9] for row in figures.rows}
    assert figures.names[6:9] == ("level 1", "level 2", "level 3")
    assert levels["n1"] == ("house", "north", "n1") and levels["lone"] == ("lone", None, None)
    closed = figures_of(answer(asked(depth=1), Rows(table)))
    assert [row[:6] for row in closed.rows] == [row[:6] for row in figures.rows], "also of what is not opened"
    kept = kin(asked(depth=3), Rows(table, (OneOf("unit", ("n1", "s1")),)))
    assert {u.label: u.below for u in kept.shown}["house"] == 5.0, "a filter takes rows away, not the tree"


def test_averages_and_ratios_are_of_all_rows_below() -> None:
    rows = grown(4, 60, 0)
    table = table_of(**rows)
    tree = tree_of(table, "unit", "above")
    frame, children = pl.DataFrame(rows), children_of(tree)
    for unit in kin(asked(MEAN, depth=20), Rows(table)).shown:
        if unit.others:
            continue
        below = [tree.labels[i] for i in all_below(children, tree.labels.index(unit.label))]
        mean = frame.filter(pl.col("unit").is_in(below))["cost"].mean()
        assert math.isnan(unit.below) if mean is None else math.isclose(unit.below, mean)


def test_circles_strangers_and_several_above_are_named() -> None:
    table = table_of(
        unit=["a", "b", "c", "d", "d", "d", "e", "self"],
        above=["b", "c", "a", "a", "a", "b", "gone", "self"],
        cost=[1.0] * 8,
    )
    found = kin(asked(depth=9), Rows(table))
    assert (found.circle, found.unknown, found.several) == (("a",), ("gone",), ("d",))
    by = {u.label: u for u in found.shown}
    assert by["a"].odd and by["gone"].odd and by["d"].parent == found.shown.index(by["a"])
    assert (
        by["self"].parent < 0
        and by["gone"].below == 1.0
        and math.isclose(sum(u.below for u in found.shown if u.parent < 0), 8)
    )
    cautions = said(found, table)[1]
    assert cautions[0] == "1 circle is cut open, at a: who is above is below too."
    assert cautions[1] == "gone is named in above and not in unit: kept, with no rows of their own."
    assert cautions[2] == "d has more than one above: each stands under the one most rows name."


def test_ties_and_one_branch_are_said_as_they_are() -> None:
    even = table_of(unit=["r", "a", "b"], above=[None, "r", "r"], cost=[1.0, 2.0, 2.0])
    assert said(kin(asked(top="r"), Rows(even)), even)[0].endswith("Below r: all 2 branches are alike: 2.")
    one = table_of(unit=["r", "a"], above=[None, "r"], cost=[1.0, 2.0])
    assert said(kin(asked(), Rows(one)), one)[0] == "1 unit under 1 root, 2 levels."
    two = table_of(unit=["r", "a", "b", "c"], above=[None, "r", "r", "r"], cost=[1.0, 2.0, 2.0, 1.0])
    assert "a and 1 other have the most" in said(kin(asked(top="r"), Rows(two)), two)[0]


def test_thousands_are_opened_piece_by_piece() -> None:
    n = 5_000
    table = table_of(
        unit=[f"u{i:04}" for i in range(n)],
        above=[None if i < 2 else f"u{(i - 2) // 40:04}" for i in range(n)],
        cost=[1.0] * n,
    )
    found = kin(asked(), Rows(table))
    assert len(found.shown) <= 320 and found.units == n
    others = [u for u in found.shown if u.others]
    assert others and all(f"{u.others:,} others" == u.label for u in others)
    assert math.isclose(sum(u.below for u in found.shown if u.parent < 0), n)
    long = table_of(
        unit=[f"u{i}" for i in range(3_000)],
        above=[None if i == 0 else f"u{i - 1}" for i in range(3_000)],
        cost=[1.0] * 3_000,
    )
    assert kin(asked(), Rows(long)).levels == 3_000, "a chain of thousands is followed to its end"


def test_a_unit_is_opened_and_closed_alone() -> None:
    table = table_of(**OFFICE)
    closed = kin(turned(asked(depth=3), "north", True), Rows(table))
    assert "n1" not in {u.label for u in closed.shown} and "s1" in {u.label for u in closed.shown}
    again = turned(closed.question, "north", False)
    assert "n1" in {u.label for u in kin(again, Rows(table)).shown}
    shallow = asked(depth=1)
    assert "n1" not in {u.label for u in kin(shallow, Rows(table)).shown}
    assert "n1" in {u.label for u in kin(turned(shallow, "north", False), Rows(table)).shown}


TABLE = table_of(**OFFICE)


@pytest.mark.parametrize(
    "typed",
    [
        "who belongs to whom, from unit and above",
        "Who belongs to whom, from unit and above, with the sum of cost, opened 3 levels down?",
        "who belongs to whom from unit and above with the average of cost, below north, opened one level down",
        "tree of unit under above with cost",
    ],
)
def test_the_sentence_is_read_back(typed: str) -> None:
    question, _ = read(typed, TABLE)
    assert isinstance(question, Kin)
    assert read(scene_in_words(Scene(main=question), TABLE), TABLE)[0] == question


def test_slots_change_it_and_nonsense_is_refused() -> None:
    assert changed(asked(), "unit", "above", TABLE)[0].unit == "above"
    assert changed(asked(), "top", "north", TABLE)[0].top == "north"
    assert changed(asked(top="north"), "top", None, TABLE)[0].top is None
    assert changed(asked(), "depth", "4", TABLE)[0].depth == 4
    assert changed(asked(), "aggregate", "count", TABLE)[0].measure == COUNT
    for slot, value in (("depth", "0"), ("depth", "many"), ("size", "1"), ("unit", "nobody")):
        with pytest.raises(BadQuestion):
            changed(asked(), slot, value, TABLE)
    for bad in (Kin("unit", "unit", COUNT), asked(Measure("median", "cost")), Kin("unit", "gone", COUNT)):
        with pytest.raises(BadQuestion):
            check(bad, TABLE)
    with pytest.raises(BadQuestion, match="There is no “nobody”"):
        kin(asked(top="nobody"), Rows(TABLE))
    assert KIND.from_gist(Gist("cost", SUM), TABLE) == asked()
    assert KIND.from_gist(Gist("unit"), TABLE) == asked(COUNT)
    plain_table = table_of(a=["x", "y"], b=["p", "q"])
    with pytest.raises(BadQuestion, match="No column names who is above"):
        KIND.from_gist(Gist("a"), plain_table)
