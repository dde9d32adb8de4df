"""Notes, arrows and ranges have their place on every picture there is, and stay where they point."""

from __future__ import annotations

import json
import math
import re
from collections.abc import Iterator
from contextlib import suppress
from typing import Any
from xml.etree import ElementTree as ET

import pytest

from night_trail.core.annotating import offered
from night_trail.core.annotations import Annotation, Annotations, Arrow, Bracket, Note, Range
from night_trail.core.conditions import Between
from night_trail.core.errors import BadQuestion
from night_trail.core.language.numbers import number
from night_trail.core.measure import Measure
from night_trail.core.question import Question, Scene, decode, to_json
from night_trail.core.questions.compare.question import Compare
from night_trail.core.questions.registry import answer, kind_of, sentence, words_of
from night_trail.core.rows import Rows
from night_trail.core.sentence import read
from night_trail.core.table import Table
from night_trail.core.turns import Say, Slot, turn
from night_trail.draw import Size, draw
from tests.core.tables import table_of as made_table
from tests.core.test_kinds import ASKED, SLOW, Look, look_at
from tests.golden import answered, table_of

SIZES = (Size(664, 420), Size(1000, 380))
SHAPED = ("shape", "side", "show", "view")


@pytest.fixture(scope="module")
def table() -> Table:
    return table_of("buses")


def shapes_of(look: Look) -> Iterator[Question]:
    """Yield a picture and all others it can be drawn as."""
    asked = look.scene.main
    assert asked is not None
    yield asked
    said = sentence(asked, look.table, look.answer(asked))
    for slot in {part.slot for part in (*said.parts, *said.addable)} & set(SHAPED):
        for offer in kind_of(asked).offers(slot, look, asked):
            with suppress(BadQuestion):
                scene, _ = turn(look.scene, offer.change or Slot(offer.slot or slot, offer.value), look.table)
                assert scene.main is not None
                yield scene.main


def fields(svg: str) -> list[dict[str, Any]]:
    axes = json.loads(ET.fromstring(svg).get("data-axes") or "{}")
    return axes["fields"] or ([{"key": "", **axes}] if axes["x"] and axes["y"] else [])


def place(axis: dict[str, Any], share: float) -> Any:
    """Return what lies at a share of an axis, as the script reads it from a pixel."""
    if "keys" in axis:
        at = share * len(axis["keys"])
        i = min(int(at), len(axis["keys"]) - 1)
        return (axis["keys"][i], round(at - i, 3))
    low, high = axis["domain"]
    return low * (high / low) ** share if axis.get("log") else low + share * (high - low)


def map_shares(there: dict[str, Any], note: Note) -> tuple[float, float]:
    """How far along both axes of a map a place lies: latitudes lie by their sines."""
    low, high = there["x"]["domain"]
    south, north, at = (math.sin(math.radians(float(v))) for v in (*there["y"]["domain"], note.y))
    return (float(note.x) - low) / (high - low), (at - south) / (north - south)


def drawn_note(svg: str, id_: str) -> tuple[float, float]:
    note = next(g for g in ET.fromstring(svg).iter("g") if g.get("data-annotation") == id_)
    text = next(note.iter("text")).get("transform") or ""
    x, y = map(float, re.findall(r"[-\d.]+", text))
    return x, y


@pytest.mark.parametrize("name", ASKED)
def test_a_note_stands_where_it_was_placed_on_every_shape_and_size(name: str, table: Table) -> None:
    seen = set()
    for question in shapes_of(look_at(ASKED[name], table)):
        if to_json(question) in seen:
            continue
        seen.add(to_json(question))
        if name in SLOW and len(seen) > 1:
            break  # a model for each shape takes as long again
        found = answered(question, Rows(table, read(ASKED[name], table)[1]))
        plots = fields(draw(found, table, SIZES[0]))
        assert plots, question
        assert len({plot["key"] for plot in plots}) == len(plots), "a plot is named by its own key"
        for plot in (plots[0], plots[-1]):
            note = Note("n", place(plot["x"], 0.4), place(plot["y"], 0.6), "look here", plot["key"])
            kept = decode(to_json((note,)), Annotations, "annotation")
            for size in SIZES:
                svg = draw(found, table, size, annotations=kept)
                there = next(p for p in fields(svg) if p["key"] == plot["key"])
                # a map of another size shows more to the sides: the note stays with its place
                shares = map_shares(there, note) if "sine" in there["y"] else (0.4, 0.6)
                at = [
                    r[0] + share * (r[1] - r[0])
                    for r, share in zip((there["x"]["range"], there["y"]["range"]), shares, strict=True)
                ]
                x, y = drawn_note(svg, "n")
                # a picture of many lanes is taller than was asked for
                tall = float(ET.fromstring(svg).get("viewBox", "").split()[3])
                inside = min(max(at[0], 4.0), size.width), min(max(at[1], 15.0), tall)
                assert x == pytest.approx(inside[0], abs=60.0 if at[0] > size.width - 80 else 1.0), (
                    question,
                    plot["key"],
                )
                assert y == pytest.approx(inside[1], abs=8.0), (question, plot["key"])


def test_arrows_and_ranges_stand_in_their_panel_and_one_whose_panel_is_gone_stays_in_sight(
    table: Table,
) -> None:
    question, only = read("late_min vs rain_mm in panels by depot", table)
    found = answered(question, Rows(table, only))
    plots = fields(draw(found, table, SIZES[0]))
    last = plots[-1]
    marks: tuple[Annotation, ...] = (
        Range("r", place(last["x"], 0.2), place(last["x"], 0.4), "dry", last["key"]),
        Arrow(
            "a",
            *(place(last[w], s) for w, s in (("x", 0.1), ("y", 0.1), ("x", 0.5), ("y", 0.5))),
            last["key"],
        ),
        Note("g", place(last["x"], 0.5), place(last["y"], 0.5), "lost", "no such panel"),
    )
    root = ET.fromstring(draw(found, table, SIZES[0], annotations=marks))
    body = next(r for r in root.iter("rect") if r.get("class") == "range-body")
    left, top, right, bottom = last["plot"]
    assert left < float(body.get("x") or 0) < right
    assert float(body.get("y") or 0) == pytest.approx(top, abs=0.1)
    assert float(body.get("height") or 0) == pytest.approx(bottom - top, abs=0.1)
    shaft = next(p for p in root.iter("path") if p.get("class") == "arrow-shaft").get("d") or ""
    x, y = map(float, re.findall(r"[-\d.]+", shaft)[-2:])
    assert (x, y) == pytest.approx(((left + right) / 2, (top + bottom) / 2), abs=0.2)
    assert [g.get("data-annotation") for g in root.iter("g") if g.get("data-annotation")] == ["r", "a", "g"]


def test_a_range_waits_while_a_picture_has_no_measured_axis_across(table: Table) -> None:
    question, only = read("average late_min by line and depot as a heat grid", table)
    svg = draw(answer(question, Rows(table, only)), table, SIZES[0], annotations=(Range("r", 1.0, 2.0, "x"),))
    assert "range-body" not in svg and all("keys" in plot["x"] for plot in fields(svg))


def test_what_was_annotated_before_there_were_panels_opens() -> None:
    old = '[{"mark":"note","id":"a","x":1,"y":2,"text":"t"},{"mark":"range","id":"b","low":1,"high":2}]'
    found = decode(old, Annotations, "annotation")
    assert [a.panel for a in found] == ["", ""] and json.loads(to_json(found)) == json.loads(old)


EXTRA = """
[{"mark": "line", "id": "l", "at": %s, "axis": "%s", "text": "plan"},
 {"mark": "ring", "id": "r", "x": %s, "y": %s, "to_x": %s, "to_y": %s, "text": "these"},
 {"mark": "bracket", "id": "b", "x": %s, "y": %s, "to_x": %s, "to_y": %s}]
"""


@pytest.mark.parametrize(
    "words", ["average late_min across depot", "boardings by month", "late_min against rain_mm", "late_min"]
)
def test_lines_rings_and_brackets_stand_where_they_were_placed_at_every_size(
    table: Table, words: str
) -> None:
    question = turn(Scene(), Say(words, ""), table)[0].main
    found = answer(question, Rows(table))
    at: list[tuple[float, float]] = []
    for size in SIZES:
        bare = str(draw(found, table, size, "p"))
        field = fields(bare)[0]
        x, y = ([json.dumps(place(field[a], share)) for share in (0.3, 0.6)] for a in "xy")
        axis = "x" if "keys" in field["y"] else "y"
        marks = decode(
            EXTRA % ((x if axis == "x" else y)[0], axis, x[0], y[0], x[1], y[1], x[0], y[0], x[1], y[1]),
            Annotations,
            "a",
        )
        svg = ET.fromstring(str(draw(found, table, size, "p", marks)))
        drawn = {g.get("data-annotation"): g for g in svg.iter("g") if g.get("data-annotation")}
        assert set(drawn) == {"l", "r", "b"}
        ring = next(drawn["r"].iter("ellipse"))
        left, right = field["x"]["range"]
        at.append(((float(ring.get("cx")) - left) / (right - left), 0.0))
        assert 0.2 < at[-1][0] < 0.8
        texts = [t.text for t in svg.iter("text")]
        assert "plan" in texts and "these" in texts
    assert at[0][0] == pytest.approx(at[1][0], abs=0.02)


def test_what_is_offered_is_drawn_and_a_bracket_follows_its_marks(table: Table) -> None:
    for words, offers in (
        (
            "average late_min across depot",
            {"label the highest", "bracket highest and lowest", "line at all together"},
        ),
        ("boardings by month", {"label the highest", "bracket first and last"}),
    ):
        question = turn(Scene(), Say(words, ""), table)[0].main
        found = answer(question, Rows(table))
        told = words_of(found, table)
        made = offered(found, told, None, table)
        assert {one.words for one in made} == offers
        svg = str(draw(found, table, SIZES[0], "p", [one.made for one in made]))
        assert svg.count("data-annotation") == len(made)
        bracket = next(one.made for one in made if isinstance(one.made, Bracket))
        values = {fact.label: fact.value for fact in told.facts}
        gap = values[bracket.marks[1]] - values[bracket.marks[0]]
        assert f"Bracket: {'+' if gap > 0 else '−'}{number(abs(gap), 3)}" in svg
        # other rows, another difference: nothing of it is kept
        fewer = answer(question, Rows(table, (Between("rain_mm", 1.0, None),)))
        assert f'Bracket: {"+" if gap > 0 else "−"}{number(abs(gap), 3)}"' not in str(
            draw(fewer, table, SIZES[0], "p", [bracket])
        )
    gone = Bracket("b", 1.0, ("x", 0.5), 1.0, ("y", 0.5), ("nowhere", "never"))
    question = turn(Scene(), Say("average late_min across depot", ""), table)[0].main
    assert "Bracket: —" in str(draw(answer(question, Rows(table)), table, SIZES[0], "p", [gone]))


def test_of_groups_that_are_alike_none_is_called_the_highest() -> None:
    alike = made_table(y=[1.0] * 6, g=["a", "b"] * 3)
    found = answer(Compare(Measure("mean", "y"), "g"), Rows(alike))
    assert {one.words for one in offered(found, words_of(found, alike), None, alike)} <= {
        "line at all together"
    }


def test_the_stretch_that_is_lit_is_offered_as_a_range(table: Table) -> None:
    question = turn(Scene(), Say("late_min", ""), table)[0].main
    lit = Between("late_min", 5.0, 10.0)
    found = answer(question, Rows(table, (), lit))
    made = offered(found, words_of(found, table), lit, table)
    assert [one.made for one in made] == [Range("lit", 5.0, 10.0)]
    assert not offered(found, words_of(found, table), Between("rain_mm", 1.0, 2.0), table)
