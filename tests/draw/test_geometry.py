"""Scales, ticks, boxes, bars, footpaths: geometry that can be worked out by hand."""

from __future__ import annotations

import datetime as dt
import json
import re
import xml.etree.ElementTree as ET

import numpy as np
import polars as pl
import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from night_trail.core.annotations import Annotations, Arrow, Note, Range
from night_trail.core.conditions import OneOf
from night_trail.core.errors import BadQuestion
from night_trail.core.question import decode
from night_trail.core.questions.registry import answer
from night_trail.core.questions.spread.question import Bins, Spread
from night_trail.core.rows import Rows
from night_trail.core.table import Kind
from night_trail.draw import Size, draw
from night_trail.draw.frame.scales import Lanes, Linear, Tick, date_ticks, thinned, tick_labels, ticks
from night_trail.draw.frame.svg import el, group, num, safe_id, text
from night_trail.draw.small.footpath import STEP, Node, footpath, lane_of
from tests.core.tables import table_of

SIZE = Size(700, 400)


def drawn(question: Spread, table: object, lit: object = None, marks: tuple = ()) -> ET.Element:
    return ET.fromstring(draw(answer(question, Rows(table, lit=lit)), table, SIZE, "p", marks))


def of_class(root: ET.Element, name: str) -> list[ET.Element]:
    return [e for e in root.iter() if name in (e.get("class") or "").split()]


@given(st.floats(-1e6, 1e6), st.floats(0.001, 1e6), st.floats(0, 1))
def test_a_linear_scale_maps_ends_to_ends_and_keeps_anchors_inside(
    low: float, span: float, share: float
) -> None:
    scale = Linear(low, low + span, 50.0, 650.0)
    assert scale(low) == pytest.approx(50) and scale(low + span) == pytest.approx(650)
    assert scale(low + share * span) == pytest.approx(50 + 600 * share, abs=1e-3)
    assert scale.place(low - span) == 50 and scale.place(low + 9 * span) == 650
    assert scale.place(("group", 0.5)) == 350


def test_lanes_share_the_height_and_forgive_a_group_that_is_gone() -> None:
    lanes = Lanes(("a", "b"), 10.0, 110.0)
    assert lanes.step == 50 and lanes.top(1) == 60
    assert lanes.place(("b", 0.5)) == 85 and lanes.place(("c", 0.5)) == 60 and lanes.place(3.0) == 60


@given(st.floats(-1e9, 1e9), st.floats(1e-6, 1e9), st.integers(2, 12))
def test_ticks_lie_inside_ascend_and_are_labelled_apart(low: float, span: float, wanted: int) -> None:
    assume(span > 1e-6 * abs(low))  # doubles tell no ticks apart in less
    found = ticks(low, low + span, wanted)
    places = [t.at for t in found]
    assert places == sorted(set(places)) and len(found) <= 3 * wanted + 3
    assert all(low - 1e-6 * span <= p <= low + span * (1 + 1e-6) for p in places)
    assert len({t.label for t in found}) == len(found)


def test_tick_labels_have_the_decimals_their_step_needs() -> None:
    assert tick_labels([0.0, 2.5, 5.0]) == ["0.0", "2.5", "5.0"]
    assert tick_labels([-1000.0, 0.0, 1000.0]) == ["−1,000", "0", "1,000"]
    assert tick_labels([2.5985, 2.5995]) == ["2.5985", "2.5995"]  # more than their step needs
    assert ticks(3.0, 3.0, 4) == [Tick(3.0, "3")]


@pytest.mark.parametrize(
    ("low", "high", "first"),
    [
        ("2021-01-01", "2024-12-31", "Jan 2021"),
        ("2000-01-01", "2024-12-31", "2000"),
        ("2024-02-01", "2024-02-20", "5 Feb"),
        ("2024-02-01T00:00:00", "2024-02-01T12:00:00", "00:00"),
    ],
)
def test_date_ticks_are_labelled_as_finely_as_they_lie(low: str, high: str, first: str) -> None:
    ends = [(dt.datetime.fromisoformat(x) - dt.datetime(1970, 1, 1)).total_seconds() for x in (low, high)]
    labels = [t.label for t in date_ticks(*ends, 6, Kind.DATETIME)]
    assert labels[0] == first and len(labels) == len(set(labels))


def test_crowded_ticks_are_thinned_evenly() -> None:
    found = [Tick(i, str(i)) for i in range(9)]
    kept = thinned(found, [30.0] * 9, [20.0 * i for i in range(9)], gap=5)
    assert [t.at for t in kept] == [0, 2, 4, 6, 8]
    assert thinned(found, [900.0] * 9, [20.0 * i for i in range(9)], gap=5) == found[:1]


def test_a_box_is_drawn_where_its_figures_are() -> None:
    root = drawn(Spread("v", shape="boxes"), table_of(v=np.arange(1.0, 101.0)))
    axis = json.loads(root.get("data-axes"))["x"]
    x = Linear(*axis["domain"], *axis["range"])
    body = of_class(root, "box-body")[0].get("d")
    numbers = [float(n) for n in re.findall(r"[-\d.]+", body)]
    assert min(numbers[::2]) == pytest.approx(x(25.75), abs=0.02)
    assert max(numbers[::2]) == pytest.approx(x(75.25), abs=0.02)
    median = [float(n) for n in re.findall(r"[-\d.]+", of_class(root, "box-median")[0].get("d"))]
    assert median[0] == pytest.approx(x(50.5), abs=0.02)
    assert body.count("L") == 9  # always the same commands, or it could not move


def test_a_lit_group_fills_its_box_and_a_lit_part_is_drawn_inside() -> None:
    table = table_of(v=np.arange(80.0), g=["a", "b"] * 40)
    root = drawn(Spread("v", "g", "boxes"), table, OneOf("g", ("a",)))
    marks = {m.get("aria-label").split(",")[0]: m for m in of_class(root, "mark")}
    assert marks["a"].get("aria-pressed") == "true" and marks["b"].get("aria-pressed") == "false"
    assert len(of_class(marks["a"], "lit-box")) == 1 and not of_class(marks["b"], "lit-box")


def test_bars_start_at_zero_and_are_as_long_as_their_counts() -> None:
    root = drawn(Spread("g", shape="bars"), table_of(g=["a"] * 40 + ["b"] * 10), OneOf("g", ("b",)))
    (first, second) = of_class(root, "bar")
    assert first.get("x") == second.get("x")
    assert float(first.get("width")) == pytest.approx(4 * float(second.get("width")), abs=0.1)
    assert float(of_class(root, "lit")[0].get("width")) == pytest.approx(float(second.get("width")), abs=0.01)
    assert [t.text for t in of_class(root, "bar-value")] == ["40", "10"]


def test_end_bins_stand_apart_with_their_count_and_their_edge() -> None:
    values = np.append(np.random.default_rng(1).normal(0, 1, 3_000), [400.0, 500.0])
    root = drawn(Spread("v", bins=Bins(1.0)), table_of(v=values))
    assert len([b for b in of_class(root, "bar") if "end" in b.get("class")]) == 1
    assert [t.text for t in of_class(root, "end-count")] == ["2"]
    assert of_class(root, "end-label")[0].text.endswith("+")


def test_panels_share_one_scale() -> None:
    table = table_of(v=[0.0] * 30 + [0.0] * 10, g=["a"] * 30 + ["b"] * 10)
    heights = [float(b.get("height")) for b in of_class(drawn(Spread("v", "g"), table), "bar")]
    assert heights[0] == pytest.approx(3 * heights[1], rel=0.02)


def test_one_stop_for_tab_and_a_name_for_every_mark() -> None:
    root = drawn(Spread("v", bins=Bins(1.0)), table_of(v=np.arange(20.0)))
    marks = of_class(root, "mark")
    assert [m.get("tabindex") for m in marks] == ["0"] + ["-1"] * (len(marks) - 1)
    assert all(m.get("aria-label") and m.get("role") == "button" for m in marks)
    names = {e.get("id"): e for e in root.iter()}
    assert names[root.get("aria-labelledby")].text.startswith("How is v spread")
    assert "Half of the 20 rows" in names[root.get("aria-describedby")].text


def test_a_picture_without_rows_is_still_a_picture() -> None:
    empty = table_of(v=pl.Series([], dtype=pl.Float64), g=pl.Series([], dtype=pl.Boolean))
    for question in (Spread("v"), Spread("v", "g"), Spread("v", "g", "boxes"), Spread("g", shape="bars")):
        assert not of_class(drawn(question, empty), "mark")


def test_every_annotation_has_handles_and_a_name() -> None:
    marks = (Note("n", 5.0, 2.0, "look"), Arrow("a", 5.0, 2.0, 9.0, 1.0), Range("r", 3.0, 6.0, "here"))
    root = drawn(Spread("v", bins=Bins(1.0)), table_of(v=np.arange(20.0)), marks=marks)
    shown = {a.get("data-annotation"): a for a in of_class(root, "annotation")}
    assert set(shown) == {"n", "a", "r"} and shown["n"].get("aria-label") == "Note: look"
    handles = {k: {e.get("data-handle") for e in a.iter() if e.get("data-handle")} for k, a in shown.items()}
    assert handles == {"n": {"move"}, "a": {"move", "from", "to"}, "r": {"move", "low", "high"}}


@pytest.mark.parametrize(
    "bad",
    [
        '[{"mark":"note","id":"a","x":1e305,"y":1}]',
        '[{"mark":"note","id":"a","x":["g",7],"y":1}]',
        '[{"mark":"note","id":"a","x":1,"y":1,"text":"' + "x" * 300 + '"}]',
        '[{"mark":"star","id":"a","x":1,"y":1}]',
        "[" + ",".join(f'{{"mark":"note","id":"a{i}","x":1,"y":1}}' for i in range(41)) + "]",
    ],
)
def test_annotations_outside_all_bounds_are_refused(bad: str) -> None:
    with pytest.raises(BadQuestion):
        decode(bad, Annotations, "annotation")


def test_the_footpath_joins_every_step_to_its_parent() -> None:
    nodes = [Node(-1, 0), Node(0, 1, cairn=True), Node(0, 0), Node(2, 9, here=True)]
    root = ET.fromstring(footpath(nodes))
    assert float(root.get("height")) == 4 * STEP
    assert (
        len(of_class(root, "way")) == 3
        and len(of_class(root, "stone")) == 3
        and len(of_class(root, "glow")) == 1
    )
    assert lane_of(nodes[3]) == lane_of(Node(-1, 3))  # the margin is narrow: far forks share a lane


def test_markup_is_escaped_once_and_numbers_are_short() -> None:
    assert el("a", "<b>", title='"&') == "<a title='\"&amp;'>&lt;b&gt;</a>"
    assert el("a", title="it's <") == '<a title="it&#x27;s &lt;"/>'
    assert group("", None) == "" and text("\x00a") == "a" and num(1e-9) == "0"
    assert safe_id("p", "plain") == "p-plain"
    assert safe_id("p", "a b") != safe_id("p", "a c") and re.fullmatch(r"p-h\w+", safe_id("p", "<"))
