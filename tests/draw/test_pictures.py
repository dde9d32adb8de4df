"""Pictures: true to their figures, safe whatever the data is called, stable from step to step."""

from __future__ import annotations

import json
import re
import xml.etree.ElementTree as ET
from itertools import pairwise

import numpy as np
import pytest

from night_trail.core.annotations import Arrow, Note, Range
from night_trail.core.conditions import Between, OneOf
from night_trail.core.questions.registry import answer
from night_trail.core.questions.relate.question import Relate
from night_trail.core.questions.spread.question import Bins, Spread
from night_trail.core.rows import Rows
from night_trail.core.survey import Silhouette
from night_trail.core.table import Table
from night_trail.draw import BESIDE, THUMB, Size, draw, standalone
from night_trail.draw.frame.text import shortened, width, wrapped
from night_trail.draw.frame.theme import TOKENS
from night_trail.draw.small.footpath import Node, WalkStop, footpath, walk_path
from night_trail.draw.small.silhouette import draw_silhouette
from tests.core.tables import table_of

HOSTILE = "<script>alert(\"1\")</script> & 'x' \x08 🚌 " + "long " * 40
SIZES = [Size(738, 388), Size(320, 260), Size(1900, 1000), BESIDE, THUMB]
SHAPES = [
    Spread("v"),
    Spread("v", "g"),
    Spread("v", "g", "boxes"),
    Spread("v", shape="boxes"),
    Spread("g", shape="bars"),
]


def parsed(svg: str) -> ET.Element:
    return ET.fromstring(svg)


def rects(svg: str, class_: str) -> list[ET.Element]:
    return [r for r in parsed(svg).iter("rect") if class_ in r.get("class", "").split()]


def picture(
    question: Spread, table: Table, lit: object = None, size: Size = SIZES[0], marks: tuple = ()
) -> str:
    return draw(answer(question, Rows(table, lit=lit)), table, size, "main", marks)


@pytest.fixture(scope="module")
def table() -> Table:
    rng = np.random.default_rng(2)
    names = np.array(["alpha", "beta", "gamma"])[rng.integers(0, 3, 600)]
    return table_of(v=np.append(rng.normal(10, 3, 599), 400.0), g=names)


@pytest.mark.parametrize("size", SIZES, ids=str)
@pytest.mark.parametrize("question", SHAPES, ids=str)
def test_every_picture_is_sound_at_every_size(table: Table, question: Spread, size: Size) -> None:
    svg = picture(question, table, Between("v", 12.0), size)
    ids = [e.get("id") for e in parsed(svg).iter() if e.get("id")]
    assert len(ids) == len(set(ids))
    assert "NaN" not in svg and "style=" not in svg
    for rect in parsed(svg).iter("rect"):
        assert float(rect.get("width", 0)) >= 0 and float(rect.get("height", 0)) >= 0


def test_bars_are_as_high_as_their_counts() -> None:
    svg = picture(
        Spread("v", bins=Bins(1.0)), table_of(v=[0.0] * 10 + [1.0] * 5 + [2.0] * 20), Between("v", 2.0)
    )
    heights = [float(r.get("height")) for r in rects(svg, "bar")]
    assert heights[0] / heights[2] == pytest.approx(0.5, abs=0.01)
    assert heights[1] / heights[2] == pytest.approx(0.25, abs=0.01)
    assert [float(r.get("height")) for r in rects(svg, "lit")] == [heights[2]]


def test_marks_keep_their_ids_when_rows_are_lit_or_heights_change(table: Table) -> None:
    def ids(svg: str) -> set[str]:
        return {r.get("id") for r in rects(svg, "bar")}

    plain = ids(picture(Spread("v"), table))
    assert plain == ids(picture(Spread("v"), table, Between("v", 12.0)))
    assert plain == ids(picture(Spread("v", height="share"), table))
    # doubling the width keeps the bars whose left edge stays
    wide = ids(picture(Spread("v", bins=Bins(1.0)), table)) & ids(picture(Spread("v", bins=Bins(2.0)), table))
    assert len(wide) > 5


@pytest.mark.parametrize("question", SHAPES, ids=str)
def test_names_from_data_are_escaped_everywhere(question: Spread) -> None:
    hostile = table_of(**{"v": np.arange(60.0), "g": [HOSTILE, "x"] * 30})
    named = Table(
        key="k",
        name=HOSTILE,
        columns=hostile.columns,
        height=60,
        source=hostile._source,
        row_noun=(HOSTILE, HOSTILE),
    )
    note = Note("a", 5.0, 5.0, HOSTILE)
    svg = draw(answer(question, Rows(named, lit=OneOf("g", (HOSTILE,)))), named, SIZES[0], "main", (note,))
    assert "<script" not in svg
    lights = [e.get("data-light") for e in parsed(svg).iter() if e.get("data-light")]
    assert lights and all(json.loads(light) for light in lights)
    alone = standalone(answer(question, Rows(named)), named, HOSTILE)
    assert "<script" not in alone and parsed(alone) is not None


def test_labels_of_an_axis_never_overlap(table: Table) -> None:
    for wide in (280, 420, 900):
        svg = picture(Spread("v", bins=Bins(0.25)), table, size=Size(wide, 300))
        labels = []
        for text in parsed(svg).iter("text"):
            if text.get("class", "").startswith("axis-label") and text.get("text-anchor") == "middle":
                x, y = map(float, re.findall(r"[-\d.]+", text.get("transform")))
                if y > 260:
                    half = width(text.text) / 2
                    labels.append((x - half, x + half))
        labels.sort()
        assert len(labels) >= 2
        assert all(a[1] < b[0] for a, b in pairwise(labels))


def test_annotations_stay_with_the_data_at_another_size(table: Table) -> None:
    arrow = Arrow("a", 12.0, 30.0, 10.0, 20.0)
    stretch = Range("r", 8.0, 12.0, "usual")
    for size in SIZES[:3]:
        root = parsed(picture(Spread("v"), table, size=size, marks=(arrow, stretch)))
        axis = json.loads(root.get("data-axes"))["x"]
        (low, high), (start, end) = axis["domain"], axis["range"]
        expected = start + (10.0 - low) / (high - low) * (end - start)
        shaft = next(p for p in root.iter("path") if p.get("class") == "arrow-shaft")
        assert float(re.findall(r"[-\d.]+", shaft.get("d"))[-2]) == pytest.approx(expected, abs=0.1)
        body = next(r for r in root.iter("rect") if r.get("class") == "range-body")
        assert float(body.get("width")) == pytest.approx(4 / (high - low) * (end - start), abs=0.1)


def test_an_anchor_whose_group_is_gone_is_drawn_inside_the_picture(table: Table) -> None:
    note = Note("a", 1e9, ("no such group", 0.5), "lost")
    svg = picture(Spread("v", "g", "boxes"), table, marks=(note,))
    x, y = map(
        float, re.findall(r"[-\d.]+", re.search(r'class="note-text" transform="translate\(([^)]*)', svg)[1])
    )
    assert 0 <= x <= 738 and 0 <= y <= 388


def test_a_figure_that_leaves_carries_its_colours_and_its_title(table: Table) -> None:
    found = answer(Spread("v"), Rows(table))
    for theme in ("night", "day"):
        svg = standalone(found, table, "How is v spread?", theme=theme)
        assert "var(" not in svg and TOKENS[theme]["moon"] in svg and "How is v spread?" in svg


def contrast(one: str, other: str) -> float:
    def light(colour: str) -> float:
        parts = [int(colour[i : i + 2], 16) / 255 for i in (1, 3, 5)]
        r, g, b = [p / 12.92 if p <= 0.04045 else ((p + 0.055) / 1.055) ** 2.4 for p in parts]
        return 0.2126 * r + 0.7152 * g + 0.0722 * b

    high, low = sorted((light(one), light(other)), reverse=True)
    return (high + 0.05) / (low + 0.05)


@pytest.mark.parametrize("theme", ["night", "day"])
def test_text_meets_its_contrast(theme: str) -> None:
    tokens = TOKENS[theme]
    for ground in ("ink", "panel", "raised"):
        for text in ("paper", "dim"):
            assert contrast(tokens[text], tokens[ground]) >= 4.5
        for mark in ("lamp", "moon", "moss", "ember"):
            assert contrast(tokens[mark], tokens[ground]) >= 3


def test_text_is_measured_cut_and_broken() -> None:
    assert width("wide", 20) == pytest.approx(2 * width("wide", 10))
    cut = shortened("a long label that has no room", 60)
    assert cut.endswith("…") and width(cut) <= 60
    lines = wrapped("one two three four five six", 60, 11.5, "Figtree-Regular")
    assert len(lines) > 1 and " ".join(lines) == "one two three four five six"


def test_silhouettes_and_paths_are_sound() -> None:
    for shape in (
        Silhouette("bars", (0.1, 1.0)),
        Silhouette("segments", (0.7, 0.3), (HOSTILE, "")),
        Silhouette("none"),
    ):
        assert "<script" not in draw_silhouette(shape) and parsed(draw_silhouette(shape)) is not None
    nodes = [Node(-1, 0), Node(0, 1, cairn=True), Node(0, 0, here=True)]
    assert len(list(parsed(footpath(nodes)).iter("path"))) == 2
    stops = [WalkStop(HOSTILE, f"/walk/{i}/") for i in range(4)]
    assert len(list(parsed(walk_path(stops, 2)).iter("a"))) == 4


def test_lit_cells_of_a_cloud_are_as_bright_as_they_are_crowded() -> None:
    rng = np.random.default_rng(8)
    table = table_of(x=rng.normal(0, 1, 20_000), y=rng.normal(0, 1, 20_000))
    found = answer(Relate("y", "x"), Rows(table, (), Between("x", 0.0, None)))
    lit = {c.lit for c in found.panels[0].cells if c.lit}
    shades = {int(s) for s in re.findall(r'class="lit shade-(\d)"', draw(found, table))}
    assert len(lit) > 20 and min(shades) == 3 and max(shades) == 6
