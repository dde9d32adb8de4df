"""Further shapes drawn: lengths are figures, parts fill their whole, nothing leaves the picture, names stay words."""

from __future__ import annotations

import io
import itertools
import math
import re
import xml.etree.ElementTree as ET
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image

import night_trail.draw as draw_package
from night_trail.core.conditions import Between, Not, OneOf
from night_trail.core.measure import Measure
from night_trail.core.question import Question
from night_trail.core.questions.compare.question import Baseline, Compare, Rule
from night_trail.core.questions.correlation.question import Correlations
from night_trail.core.questions.crosstab.question import Crosstab
from night_trail.core.questions.flow.question import Flow
from night_trail.core.questions.kin.question import Kin
from night_trail.core.questions.make_up.question import MakeUp
from night_trail.core.questions.registry import answer
from night_trail.core.questions.relate.question import Relate
from night_trail.core.questions.spread.question import Spread
from night_trail.core.questions.stages.question import Stages
from night_trail.core.rows import Rows
from night_trail.core.table import Table
from night_trail.draw import BESIDE, MAIN, THUMB, draw, standalone, touched
from night_trail.draw.frame.scales import Log, log_ticks
from night_trail.draw.frame.text import width
from night_trail.draw.png import png
from tests.core.tables import table_of
from tests.core.test_compare import typed
from tests.draw.test_comparing import drawn
from tests.draw.test_geometry import of_class

NASTY = ["<script>alert(1)</script>", "{braces}", 'quo"te', "it's", "emoji 🦉", "x" * 200, "&amp;", "a"]


def nasty_table(n: int = 320) -> Table:
    rng = np.random.default_rng(3)
    made = table_of(
        **{
            "g <b>": rng.choice(NASTY, n).tolist(),
            "h {x}": rng.choice(NASTY[:4], n).tolist(),
            "sum'd": rng.poisson(9, n),
            "plan": rng.poisson(8, n),
            "x & y": rng.gamma(2, 2, n),
            "z": rng.normal(0, 1, n),
        }
    )
    return typed(made, **{"sum'd": {"additive": True}, "plan": {"additive": True}})


MEAN, SUM = Measure("mean", "x & y"), Measure("sum", "sum'd")
EVERY: list[Question] = [
    *(Compare(MEAN, "g <b>", shape, also="h {x}") for shape in ("bars", "dots", "grid")),
    *(Compare(SUM, "g <b>", shape, also="h {x}") for shape in ("stacked", "shares")),
    *(Compare(SUM, "g <b>", shape) for shape in ("ring", "strip", "table", "figure")),
    *(
        Compare(SUM, "g <b>", shape, baseline=Baseline(column="plan"))
        for shape in ("bars", "dots", "slope", "stair", "table", "figure")
    ),
    *(Compare(MEAN, "g <b>", shape, more=(SUM, Measure("count"))) for shape in ("bars", "dots", "table")),
    Compare(MEAN, "g <b>", "table", rule=Rule("above")),
    Relate("x & y", "z", each="g <b>", sized="sum'd", coloured="h {x}"),
    Relate("x & y", "z", panels="h {x}", fit="curve"),
    Relate("x & y", "sum'd", scale="log", margins=True),
    Relate("x & y", "z", window=(-1.0, 1.0, 0.0, 9.0), fit="robust"),
    Correlations(),
    Crosstab("g <b>", "h {x}"),
    *(MakeUp(SUM, ("g <b>",), shape, against=Baseline(column="plan")) for shape in ("treemap", "bars")),
    *(MakeUp(SUM, ("g <b>", "h {x}"), shape) for shape in ("treemap", "rings", "bars", "squares", "stair")),
    MakeUp(SUM, ("g <b>", "h {x}"), shade=MEAN),
    MakeUp(MEAN, ("g <b>", "h {x}"), "bars"),
    Kin("g <b>", "h {x}", SUM),
    Stages("g <b>", "h {x}"),
    *(
        Flow(SUM, ("g <b>", "h {x}"), shape, shade)
        for shape in ("bands", "matrix")
        for shade in ("", "chance")
    ),
    *(Spread("x & y", "h {x}", shape) for shape in ("density", "running", "strip", "letters")),
    *(Spread("x & y", "h {x}", side=side) for side in ("own", "overlaid", "mirrored")),
    Spread("x & y", angles=True),
    *(Spread("x & y", shape=shape, scale="log") for shape in ("histogram", "boxes", "running", "strip")),
]


def numbers(text: str) -> list[float]:
    return [float(n) for n in re.findall(r"-?\d+(?:\.\d+)?", text)]


def extent(root: ET.Element) -> tuple[float, float, float, float]:
    """The box around all rectangles and circles that stand where they are."""
    xs, ys = [], []
    for element in root.iter("{*}rect"):
        if element.get("class") in ("ground", "axis-band") or element.get("width", "").endswith("%"):
            continue
        x, y, w, h = (float(element.get(k, 0)) for k in ("x", "y", "width", "height"))
        xs += [x, x + w]
        ys += [y, y + h]
    for element in root.iter("{*}circle"):
        if transform := element.get("transform"):
            x, y = numbers(transform)[:2]
            xs.append(x)
            ys.append(y)
    return (min(xs, default=0), max(xs, default=0), min(ys, default=0), max(ys, default=0))


@pytest.mark.parametrize("question", EVERY, ids=lambda q: f"{type(q).__name__}-{getattr(q, 'shape', '')}")
@pytest.mark.parametrize("lit", [None, Between("x & y", 4.0, None)], ids=["out", "lit"])
def test_every_shape_is_whole_at_every_size_whatever_things_are_called(
    question: Question, lit: object
) -> None:
    table = nasty_table()
    found = answer(question, Rows(table, (), lit))
    for size in (MAIN, BESIDE, THUMB):
        text = draw(found, table, size, "p")
        root = ET.fromstring(text)
        assert "<script>" not in text and "nan" not in text.replace('nan"', "").split("data-card")[0]
        ids = [e.get("id") for e in root.iter() if e.get("id")]
        assert len(ids) == len(set(ids)), [i for i in ids if ids.count(i) > 1][:3]
        if not isinstance(question, Spread) or not question.angles:
            low_x, high_x, low_y, high_y = extent(root)
            wide, high = numbers(root.get("viewBox"))[2:]
            assert low_x >= -3 and low_y >= -3 and high_x <= wide + 3 and high_y <= high + 3
    marks = of_class(ET.fromstring(draw(found, table, MAIN, "p")), "mark")
    assert marks and all(m.get("aria-label") for m in marks)
    assert all(m.get("data-light") or m.get("data-turn") for m in marks)
    alone = standalone(found, table, "A title", MAIN, "night")
    assert ET.fromstring(alone).tag.endswith("svg") and "var(--" not in alone


def test_stacked_parts_fill_their_bar_and_shares_fill_the_whole() -> None:
    table = typed(
        table_of(g=["a", "a", "b", "b"], h=["x", "y", "x", "y"], v=[3.0, 1.0, 2.0, 6.0]), v={"additive": True}
    )
    stacked = of_class(drawn(Compare(Measure("sum", "v"), "g", "stacked", "own", also="h"), table), "bar")
    wide = [float(b.get("width")) for b in stacked]
    assert np.array(wide) / wide[0] == pytest.approx(np.array([3, 1, 2, 6]) / 3, abs=0.01)
    assert float(stacked[1].get("x")) == pytest.approx(float(stacked[0].get("x")) + wide[0], abs=0.02)
    shares = of_class(drawn(Compare(Measure("sum", "v"), "g", "shares", "own", also="h"), table), "bar")
    wide = [float(b.get("width")) for b in shares]
    assert wide[0] + wide[1] == pytest.approx(wide[2] + wide[3], abs=0.05)
    assert wide[0] / (wide[0] + wide[1]) == pytest.approx(0.75, abs=0.002)


def test_arcs_of_a_ring_turn_by_their_share() -> None:
    table = typed(table_of(g=list("abc"), v=[5.0, 3.0, 2.0]), v={"additive": True})
    root = drawn(Compare(Measure("sum", "v"), "g", "ring"), table)
    turns = []
    for part in [p for p in of_class(root, "part") if p.tag.endswith("path")]:
        at = numbers(re.sub(r"A[\d. ]+? (\d) 1 ", " ", part.get("d").partition("L")[0]))
        x, y = MAIN.width / 4 + 10, MAIN.height / 2
        angles = [math.atan2(px - x, y - py) % (2 * math.pi) for px, py in (at[:2], at[-2:])]
        turns.append(((angles[1] - angles[0]) % (2 * math.pi)) / (2 * math.pi))
    assert turns == pytest.approx([0.5, 0.3, 0.2], abs=0.01)


def test_a_stair_leads_from_the_plan_to_what_came() -> None:
    table = typed(
        table_of(g=["a", "b", "c"], v=[50.0, 20.0, 30.0], plan=[30.0, 35.0, 30.0]),
        v={"additive": True},
        plan={"additive": True},
    )
    root = drawn(Compare(Measure("sum", "v"), "g", "stair", baseline=Baseline(column="plan")), table)
    steps = of_class(root, "stair-step")
    assert [s.get("class").split()[-1] for s in steps] == ["rise", "fall", "rise"]
    wide = [float(s.get("width")) for s in steps]
    assert wide[0] / wide[1] == pytest.approx(20 / 15, abs=0.01)
    first, last = of_class(root, "tone-5")
    ends = [float(s.get("x")) + float(s.get("width")) for s in (first, last)]
    assert float(steps[0].get("x")) == pytest.approx(ends[0], abs=0.05)
    assert ends[1] - ends[0] == pytest.approx(wide[0] - wide[1], abs=0.1)


def test_differences_lie_to_their_side_of_zero() -> None:
    table = typed(
        table_of(g=["a", "b"], v=[50.0, 20.0], plan=[30.0, 35.0]),
        v={"additive": True},
        plan={"additive": True},
    )
    root = drawn(Compare(Measure("sum", "v"), "g", "bars", baseline=Baseline(column="plan")), table)
    up, down = of_class(root, "stair-step")
    assert float(down.get("x")) + float(down.get("width")) == pytest.approx(float(up.get("x")), abs=0.05)
    assert "+20" in ET.tostring(root, encoding="unicode") and "−15" in ET.tostring(root, encoding="unicode")


@given(st.floats(1e-3, 10), st.floats(1.5, 1e6))
def test_a_log_scale_turns_ratios_into_lengths(low: float, ratio: float) -> None:
    scale = Log(low, low * ratio, 0.0, 100.0)
    assert scale(low) == pytest.approx(0) and scale(low * ratio) == pytest.approx(100)
    assert scale(low * ratio**0.5) == pytest.approx(50) and scale(-1.0) == 0.0
    found = log_ticks(low, low * ratio, 6)
    assert found and all(low * 0.999 <= t.at <= low * ratio * 1.001 for t in found)
    assert len({t.label for t in found}) == len(found)


@given(st.integers(0, 200))
@settings(max_examples=30)
def test_names_of_points_never_touch_each_other(seed: int) -> None:
    rng = np.random.default_rng(seed)
    names = [f"stop {rng.integers(0, 10 ** rng.integers(1, 9))} {i}" for i in range(40)]
    table = table_of(g=names * 2, x=np.repeat(rng.normal(0, 1, 40), 2), y=np.repeat(rng.normal(0, 1, 40), 2))
    root = drawn(Relate("y", "x", each="g"), table)
    boxes = []
    for text in of_class(root, "point-name"):
        x, y = numbers(text.get("transform"))[:2]
        boxes.append((x, y - 9, x + width(text.text), y + 3))
    for a, b in itertools.combinations(boxes, 2):
        assert a[2] <= b[0] or b[2] <= a[0] or a[3] <= b[1] or b[3] <= a[1]
    assert boxes


def test_a_value_keeps_its_colour_whatever_is_kept() -> None:
    names = ["big"] * 50 + ["mid"] * 30 + ["small"] * 20
    table = table_of(g=names, x=np.arange(100.0), y=np.arange(100.0))

    def hue_of(name: str, *only: object) -> set[str]:
        found = answer(Relate("y", "x", "g"), Rows(table, only))
        position = next(i for i, g in enumerate(found.grouping.groups) if g.label == name)
        return {found.hues[position]}

    assert hue_of("small") == hue_of("small", Not(OneOf("g", ("big",)))) == {2}
    assert hue_of("big") == hue_of("big", OneOf("g", ("big",))) == {0}


def test_the_same_rows_are_found_in_another_picture() -> None:
    table = table_of(g=list("abcab"), h=list("xxyyx"), x=[1.0, 2.0, 3.0, 4.0, 5.0])
    found = answer(Compare(Measure("count"), "g", "bars"), Rows(table, (), OneOf("h", ("y",))))
    picture = draw(found, table, BESIDE, "b0")
    ids = touched(found, table, BESIDE, "b0")
    assert len(ids) == 2 and all(f'id="{i}"' in picture for i in ids)


def test_a_picture_as_png_has_its_size_and_its_letters() -> None:
    table = nasty_table()
    found = answer(Compare(SUM, "g <b>", "bars"), Rows(table))
    svg = standalone(found, table, "How does the sum compare?", MAIN, "day")
    data = png(svg)
    assert data[:8] == b"\x89PNG\r\n\x1a\n"
    wide, high = (int.from_bytes(data[i : i + 4], "big") for i in (16, 20))
    assert wide == 2 * MAIN.width and high > 2 * MAIN.height
    # letters are drawn: without them the file is much smaller
    assert len(data) > 1.3 * len(png(re.sub(r"<text.*?</text>", "", svg)))


@settings(max_examples=25, deadline=None)
@given(
    st.lists(st.tuples(st.floats(-4, 9), st.floats(0.001, 0.9)), min_size=3, max_size=3),
    st.sampled_from(["dots", "bars"]),
)
def test_labels_of_neighbouring_plots_never_run_into_each_other(
    scales: list[tuple[float, float]], shape: str
) -> None:
    rng = np.random.default_rng(1)
    columns = {
        name: (10.0**power * (1 + spread * rng.random(60))).tolist()
        for name, (power, spread) in zip("abc", scales, strict=True)
    }
    table = table_of(**columns, g=[f"g{i % 4}" for i in range(60)])
    measures = [Measure("mean", name) for name in "abc"]
    for question in (
        Compare(measures[0], "g", shape, more=tuple(measures[1:])),
        Relate("a", "b", panels="g"),
    ):
        root = ET.fromstring(draw(answer(question, Rows(table)), table, MAIN))
        rows: dict[float, list[tuple[float, float]]] = {}
        for text in root.iter("text"):
            if (text.get("class") or "").startswith("axis-label") and text.get("text-anchor") == "middle":
                x, y = map(float, re.findall(r"[-\d.]+", text.get("transform")))
                rows.setdefault(y, []).append((x - width(text.text) / 2, x + width(text.text) / 2))
        lowest = sorted(rows[max(rows)])
        plots = 3 if isinstance(question, Compare) else 2
        assert len(lowest) >= plots and lowest[0][0] >= 0 and lowest[-1][1] <= MAIN.width
        assert all(a[1] < b[0] for a, b in itertools.pairwise(lowest))


def test_pictures_as_png_have_what_the_page_shows() -> None:
    # the renderer of files knows no attribute selectors, and would fill lines with the hue of their group
    assert not re.search(
        r"\[\w+\W?=", (Path(draw_package.__file__).parent / "style" / "picture.css").read_text()
    )
    table = table_of(v=np.arange(400.0), g=["a", "b"] * 200)
    running = standalone(answer(Spread("v", "g", "running"), Rows(table)), table, "running")
    image = Image.open(io.BytesIO(png(running))).convert("RGB")
    colours = image.getcolors(1 << 20)
    assert max(colours)[0] > 0.9 * image.width * image.height  # lines, and no ground filled under them


def test_a_lit_share_leaves_the_figure_of_its_cell_readable() -> None:
    table = nasty_table()
    question = Compare(MEAN, "g <b>", "grid", also="h {x}")
    root = ET.fromstring(draw(answer(question, Rows(table, lit=Between("z", 0.0, None))), table, MAIN))
    lit = [box for box in root.iter("rect") if box.get("class") == "lit"]
    figures = [text for text in root.iter("text") if text.get("class") == "cell-label"]
    assert lit and figures
    for text in figures:
        x, y = map(float, re.findall(r"[-\d.]+", text.get("transform")))
        assert not any(
            float(box.get("x")) <= x <= float(box.get("x")) + float(box.get("width"))
            and float(box.get("y")) <= y - 1 <= float(box.get("y")) + float(box.get("height"))
            for box in lit
        )
