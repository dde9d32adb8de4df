"""Comparisons and relations drawn: a length is its figure, a place its value, nothing leaves the picture."""

from __future__ import annotations

import itertools
import json
import xml.etree.ElementTree as ET
from dataclasses import replace

import msgspec
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from night_trail.core.conditions import OneOf
from night_trail.core.measure import Measure
from night_trail.core.question import Question
from night_trail.core.questions.compare.question import Baseline, Compare
from night_trail.core.questions.registry import answer, words_of
from night_trail.core.questions.relate.question import Relate
from night_trail.core.questions.spread.question import Spread
from night_trail.core.rows import Rows
from night_trail.core.table import Table
from night_trail.draw import BESIDE, MAIN, THUMB, Size, draw, shared_spans, standalone
from night_trail.draw.frame.text import width
from tests.core.tables import table_of
from tests.draw.test_geometry import of_class


def drawn(question: Question, table: Table, size: Size = MAIN, lit: object = None) -> ET.Element:
    return ET.fromstring(draw(answer(question, Rows(table, lit=lit)), table, size, "p"))


def place(element: ET.Element) -> tuple[float, float]:
    x, y = element.get("transform").removeprefix("translate(").rstrip(")").split()
    return float(x), float(y)


@given(st.lists(st.integers(-50, 900), min_size=2, max_size=30))
def test_a_bar_is_as_long_as_its_figure_from_zero(values: list[int]) -> None:
    names = [f"g{i:02d}" for i in range(len(values))]
    table = table_of(g=names, x=[float(v) for v in values])
    root = drawn(Compare(Measure("sum", "x"), "g", "bars"), table)
    bars = of_class(root, "bar")
    ordered = sorted(values, reverse=True)
    span = max(*values, 0) - min(*values, 0) or 1.0
    most = max(float(b.get("width")) for b in bars)
    scale = most / max(abs(v) for v in values) if any(values) else 0.0
    for bar, value in zip(bars, ordered, strict=True):
        assert float(bar.get("width")) == pytest.approx(
            max(abs(value) * scale, 0.5), abs=0.02 * most + 0.5 + 1 / span
        )


def test_dots_stand_at_their_value_inside_their_interval_and_the_lit_beside() -> None:
    rng = np.random.default_rng(1)
    table = table_of(
        g=np.repeat(["a", "b", "c"], 60).tolist(),
        x=rng.normal(np.repeat([2, 5, 9], 60), 1),
        w=["p", "q"] * 90,
    )
    root = drawn(Compare(Measure("mean", "x"), "g"), table, lit=OneOf("w", ("p",)))
    dots, intervals = of_class(root, "dot"), of_class(root, "interval")
    assert len(dots) == len(intervals) == len(of_class(root, "lit-point")) == 3
    xs = [place(d)[0] for d in dots]
    found = answer(Compare(Measure("mean", "x"), "g"), Rows(table))
    values = [g.value for g in found.groups]
    assert np.allclose(np.polyval(np.polyfit(values, xs, 1), values), xs, atol=0.02)
    for dot, interval in zip(xs, intervals, strict=True):
        start, end = (float(p.split()[0]) for p in interval.get("d")[1:].split("L"))
        assert start < dot < end


@given(
    st.lists(
        st.text(st.characters(codec="utf-8", exclude_categories=["Cs", "Cc"]), min_size=1, max_size=60),
        min_size=1,
        max_size=45,
        unique=True,
    )
)
def test_any_names_are_drawn_inside_and_never_on_each_other(names: list[str]) -> None:
    rng = np.random.default_rng(2)
    table = table_of(g=names * 3, x=rng.normal(0, 1, 3 * len(names)))
    for shape in ("dots", "bars"):
        root = drawn(Compare(Measure("mean", "x"), "g", shape), table)
        labels = of_class(root, "lane-label")
        ys = [place(label)[1] for label in labels]
        # every group has its name: a picture of many is as tall as they need
        assert len(labels) == len(of_class(root, "bar-value"))
        assert all(b - a >= 11 for a, b in itertools.pairwise(ys))
        height = float(root.get("height"))
        assert height >= MAIN.height and ("tall" in root.get("class")) == (height > MAIN.height)
        for text in [*labels, *of_class(root, "bar-value")]:
            x, y = place(text)
            left = x - width(text.text or "") if text.get("text-anchor") == "end" else x
            assert left >= -1 and 0 <= y <= height
            assert left + width(text.text or "") <= MAIN.width + 1
        for mark in of_class(root, "dot"):
            assert 0 <= place(mark)[0] <= MAIN.width


@pytest.mark.parametrize("n", [300, 9_000])
@pytest.mark.parametrize("size", [MAIN, BESIDE, THUMB, Size(350, 240)])
def test_a_relation_stays_in_its_picture_at_every_size(n: int, size: Size) -> None:
    rng = np.random.default_rng(3)
    x = rng.gamma(1, 4, n)
    x[0] = 5_000.0
    table = table_of(x=x, y=x * 2 + rng.normal(0, 1, n), g=rng.choice(list("abcdefghij"), n).tolist())
    for fit in ("line", "robust", "curve", "none"):
        root = drawn(Relate("y", "x", "g", fit), table, size, lit=OneOf("g", ("a",)))
        for point in [*of_class(root, "point"), *of_class(root, "lit-point")]:
            left, top = place(point)
            assert -1 <= left <= size.width + 1 and -1 <= top <= size.height + 1
        for cell in of_class(root, "cell"):
            assert float(cell.get("x")) >= 0 and float(cell.get("y")) >= 0
            assert float(cell.get("x")) + float(cell.get("width")) <= size.width
        assert len(of_class(root, "fit")) == (fit != "none")
        assert bool(of_class(root, "cell")) == (n > 1_200)


def test_hostile_names_are_words_and_a_figure_stands_alone() -> None:
    hostile = '<script>alert("x")</script>'
    table = table_of(
        **{
            hostile: [hostile, "b"] * 20,
            "{x}": [float(i) for i in range(40)],
            "y": [float(i % 7) for i in range(40)],
        }
    )
    for question in (
        Compare(Measure("mean", "y"), hostile),
        Relate("y", "{x}", hostile),
        Spread("{x}", across=hostile, shape="boxes"),
        Spread("{x}"),
    ):
        found = answer(question, Rows(table))
        for svg in (draw(found, table), standalone(found, table, hostile)):
            assert "<script" not in svg and ET.fromstring(svg) is not None
        assert "var(--" not in standalone(found, table, "x")


def test_bars_asked_not_to_begin_at_0_are_cut_and_say_so() -> None:
    table = table_of(g=["a", "b", "c"] * 4, x=[100.0, 101.0, 102.0] * 4)
    whole = Compare(Measure("mean", "x"), "g", "bars")
    cut = msgspec.structs.replace(whole, axis="cut")
    lengths = [sorted(float(b.get("width")) for b in of_class(drawn(q, table), "bar")) for q in (whole, cut)]
    assert lengths[0][0] / lengths[0][2] == pytest.approx(100 / 102, abs=1e-3)
    assert lengths[1][0] / lengths[1][2] < 0.2
    said = words_of(answer(cut, Rows(table)), table).cautions
    assert any("do not begin at 0" in c for c in said)
    assert not any("do not begin at 0" in c for c in words_of(answer(whole, Rows(table)), table).cautions)


def test_a_figure_held_against_a_group_stands_beside_the_line_to_it() -> None:
    table = table_of(g=["a"] * 40 + ["b"] * 40, x=[*np.linspace(0, 2, 40), *np.linspace(6, 8, 40)])
    question = Compare(Measure("mean", "x"), "g", "dots", baseline=Baseline(group="b"))
    root = drawn(question, table)
    (base,) = {place(point)[0] for point in of_class(root, "base-point")}
    assert len(of_class(root, "bar-value")) == 2
    for text in of_class(root, "bar-value"):
        assert place(text)[0] > base


def test_panels_say_where_they_are_and_which_rows_they_hold() -> None:
    rng = np.random.default_rng(4)
    table = table_of(g=["a", "b <i>", "c"] * 40, x=rng.normal(0, 1, 120), y=rng.normal(0, 1, 120))
    root = drawn(Relate("y", "x", panels="g"), table)
    axes = json.loads(root.get("data-axes"))
    assert axes["x"] is None and (axes["column"], axes["y_column"], axes["zoom"]) == ("x", "y", "")
    assert [field["rows"]["values"] for field in axes["fields"]] == [["a"], ["b <i>"], ["c"]]
    for one, other in itertools.combinations([field["plot"] for field in axes["fields"]], 2):
        assert one[2] <= other[0] or other[2] <= one[0] or one[3] <= other[1] or other[3] <= one[1]
    for field in axes["fields"]:
        assert field["x"]["range"] == pytest.approx([field["plot"][0], field["plot"][2]], abs=0.01)
    single = json.loads(drawn(Relate("y", "x"), table).get("data-axes"))
    assert single["fields"] == [] and single["zoom"] == "xy"


def test_pictures_of_one_column_can_stand_on_one_scale() -> None:
    table = table_of(
        g=["a"] * 50 + ["b"] * 50, x=[float(i) for i in range(100)], y=[float(i) for i in range(100)]
    )
    asked = [Relate("y", "x", fit="none"), Spread("x", shape="density"), Compare(Measure("mean", "x"), "g")]
    answers = [answer(q, Rows(table)) for q in asked]
    spans = shared_spans(answers, table, MAIN)
    low = min(a for name, a, _ in spans if name == "x")
    high = max(b for name, _, b in spans if name == "x")
    for found in answers[:2]:
        axes = json.loads(ET.fromstring(draw(found, table, replace(MAIN, spans=spans), "p")).get("data-axes"))
        start, end = axes["x"]["domain"]
        # points keep a little room around the shared ends
        assert low - 0.04 * (high - low) <= start <= low and high <= end <= high + 0.04 * (high - low)
