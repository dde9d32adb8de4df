"""Notes, arrows and ranges have their place on every picture there is, and stay where they point."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator
from contextlib import suppress
from typing import Any
from xml.etree import ElementTree as ET

import pytest

from night_trail.core.annotations import Annotation, Annotations, Arrow, Note, Range
from night_trail.core.errors import BadQuestion
from night_trail.core.question import Question, decode, to_json
from night_trail.core.questions.registry import answer, kind_of, sentence
from night_trail.core.rows import Rows
from night_trail.core.sentence import read
from night_trail.core.table import Table
from night_trail.core.turns import Slot, turn
from night_trail.draw import Size, draw
from tests.core.test_kinds import ASKED, Look, look_at
from tests.golden import table_of

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
        found = answer(question, Rows(table, read(ASKED[name], table)[1]))
        plots = fields(draw(found, table, SIZES[0]))
        assert plots, question
        assert len({plot["key"] for plot in plots}) == len(plots), "a plot is named by its own key"
        for plot in (plots[0], plots[-1]):
            note = Note("n", place(plot["x"], 0.4), place(plot["y"], 0.6), "look here", plot["key"])
            kept = decode(to_json((note,)), Annotations, "annotation")
            for size in SIZES:
                svg = draw(found, table, size, annotations=kept)
                there = next(p for p in fields(svg) if p["key"] == plot["key"])
                at = [
                    r[0] + share * (r[1] - r[0])
                    for r, share in ((there["x"]["range"], 0.4), (there["y"]["range"], 0.6))
                ]
                x, y = drawn_note(svg, "n")
                inside = min(max(at[0], 4.0), size.width), min(max(at[1], 15.0), size.height)
                assert x == pytest.approx(inside[0], abs=60.0 if at[0] > size.width - 80 else 1.0), (
                    question,
                    plot["key"],
                )
                assert y == pytest.approx(inside[1], abs=8.0), (question, plot["key"])


def test_arrows_and_ranges_stand_in_their_panel_and_one_whose_panel_is_gone_stays_in_sight(
    table: Table,
) -> None:
    question, only = read("late_min vs rain_mm in panels by depot", table)
    found = answer(question, Rows(table, only))
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
