"""Which shapes fit what is asked, with reasons that hold; slopes and names that are moved apart."""

from __future__ import annotations

import re
from dataclasses import dataclass
from itertools import pairwise
from typing import Any, get_args
from xml.etree import ElementTree as ET

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from night_trail.core.guide import RULES, guide, judged
from night_trail.core.measure import Measure
from night_trail.core.question import Scene
from night_trail.core.questions.compare.question import Baseline, Compare, CompareShape
from night_trail.core.questions.flow.question import FlowShape
from night_trail.core.questions.make_up.question import MakeUpShape
from night_trail.core.questions.over_time.question import TimeShape
from night_trail.core.questions.place.question import PlaceShape
from night_trail.core.questions.registry import answer
from night_trail.core.questions.spread.question import Shape, Spread
from night_trail.core.rows import Rows
from night_trail.core.sentence import read
from night_trail.core.table import Table
from night_trail.core.turns import turn
from night_trail.draw import draw
from night_trail.draw.shapes.slope import apart
from tests.core.tables import table_of
from tests.core.test_compare import typed
from tests.core.test_kinds import ASKED
from tests.golden import table_of as golden

SUM = Measure("sum", "v")


@dataclass
class Look:
    """A scene on its table, as a page would hold it."""

    table: Table
    scene: Scene
    rows: Rows

    def answer(self, question: Any) -> Any:
        return answer(question, self.rows)


def looked(table: Table, question: Any) -> Look:
    return Look(table, Scene(main=question), Rows(table, ()))


def groups(k: int, low: float = 1.0) -> Table:
    made = table_of(g=[f"g{i % k}" for i in range(k * 3)], v=[low + i for i in range(k * 3)])
    return typed(made, v={"additive": True})


def test_every_shape_is_judged() -> None:
    for tag, shapes in (
        ("spread", Shape), ("compare", CompareShape), ("over time", TimeShape), ("make-up", MakeUpShape),
        ("flow", FlowShape), ("place", PlaceShape),
    ):  # fmt: skip
        assert {(tag, shape) for shape in get_args(shapes)} <= RULES.keys()


@pytest.mark.parametrize(
    ("k", "low", "misleads"), [(4, 1.0, ""), (14, 1.0, "of 14 parts"), (4, -5.0, "below 0")]
)
def test_a_ring_of_few_parts_does_not_mislead_and_one_of_many_or_below_nothing_does(
    k: int, low: float, misleads: str
) -> None:
    table = groups(k, low)
    found = judged(Compare(SUM, "g", "ring"), looked(table, Compare(SUM, "g")))
    assert misleads in found.misleads and bool(found.misleads) == bool(misleads)


def test_what_misleads_comes_last_and_the_best_for_the_figure_first() -> None:
    table = groups(14)
    look = looked(table, Compare(SUM, "g", "bars"))
    found = guide(look.scene, look)
    assert found[0].words == "bars" and found[0].present
    misleading = [bool(one.judged.misleads) for one in found]
    assert misleading == sorted(misleading) and any(misleading)
    means = guide(
        Scene(main=Compare(Measure("mean", "v"), "g")), looked(table, Compare(Measure("mean", "v"), "g"))
    )
    assert means[0].words == "dots with intervals"


def test_a_curve_of_few_rows_and_a_strip_of_many_are_warned_of() -> None:
    few, many = table_of(v=np.arange(12.0)), table_of(v=np.arange(5_000.0))
    assert "12 rows promises more" in judged(Spread("v", shape="density"), looked(few, Spread("v"))).misleads
    assert judged(Spread("v", shape="density"), looked(many, Spread("v"))).misleads == ""
    assert "5,000 points" in judged(Spread("v", shape="strip"), looked(many, Spread("v"))).misleads
    assert judged(Spread("v", shape="strip"), looked(few, Spread("v"))).misleads == ""


@pytest.mark.parametrize(
    "name",
    [n for n in ASKED if n in ("dots", "months", "place", "flow", "make-up rings", "histogram", "week")],
)
def test_every_suggestion_can_be_turned_to_and_speaks_of_the_same(name: str) -> None:
    table = golden("buses")
    question, only = read(ASKED[name], table)
    look = Look(table, Scene(main=question, only=only), Rows(table, only))
    found = guide(look.scene, look)
    assert len(found) > 4 and sum(one.present for one in found) == 1
    for one in found:
        after, _ = turn(look.scene, one.change, table)
        assert after.main is not None and set(after.main.mentions) & set(question.mentions) - {None}
        assert one.judged.why


# ---- slopes ----


@settings(max_examples=50, deadline=None)
@given(st.lists(st.floats(0, 300), min_size=1, max_size=15))
def test_names_are_moved_apart_in_order_and_stay_in_sight(places: list[float]) -> None:
    places = sorted(places)
    found = apart(places, 14.0, 0.0, 300.0)
    assert all(b - a >= 14.0 - 1e-6 for a, b in pairwise(found))
    assert found[0] >= -1e-6 and found[-1] <= 300 + 1e-6
    alone = [
        i
        for i in range(len(places))
        if all(abs(places[i] - p) >= 14 * len(places) for k, p in enumerate(places) if k != i)
    ]
    for i in alone:
        if 14 * len(places) < places[i] < 300 - 14 * len(places):
            assert found[i] == pytest.approx(places[i])


def test_a_slope_goes_from_before_to_now_and_names_lie_on_no_other() -> None:
    table = table_of(
        g=["a", "b", "c"] * 4, p=[2021.0] * 6 + [2022.0] * 6, v=[1.0, 5, 3, 1, 5, 3, 4, 4, 3, 4, 4, 3]
    )
    question = Compare(SUM, "g", "slope", baseline=Baseline(column="p"))
    svg = draw(answer(question, Rows(table, ())), table)
    root = ET.fromstring(svg)
    tones = {
        path.get("class", "").split()[-1]
        for path in root.iter("path")
        if path.get("class", "").startswith("slope ")
    }
    assert tones <= {"rises", "falls", "stays"}
    labels = [t for t in root.iter("text") if t.get("class") == "lane-label"]
    assert len(labels) == 6
    for anchor in ("start", "end"):
        ys = sorted(
            float(re.findall(r"[-\d.]+", t.get("transform", ""))[1])
            for t in labels
            if t.get("text-anchor") == anchor
        )
        assert all(b - a >= 13.99 for a, b in pairwise(ys))
