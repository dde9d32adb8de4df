"""Tales as files, opened by readers that are not ours."""

from __future__ import annotations

import io
import json
import re
import zipfile
from collections import Counter
from pathlib import Path
from typing import Any

import pytest
from django.test import Client
from django.urls import reverse

from night_trail.core.measure import Measure
from night_trail.core.questions.compare.question import Compare
from night_trail.core.turns import See
from night_trail.tables.services import core_table
from night_trail.tales.export.blocks import blocks
from night_trail.tales.export.slides import _bins, charted
from night_trail.tales.models import Stop, Tale
from night_trail.tales.services import add_stop
from night_trail.trails.models import Step
from night_trail.trails.services import cairn_at, take_turn

HOSTILE = '<script>alert(1)</script> "quotes" 🦉 & more'


@pytest.fixture
def tale_to_take(tale: Tale, step: Step) -> Tale:
    """A tale with chapters, text of every kind, beats, a plain comparison, and a hostile heading."""
    compared = take_turn(step, See(Compare(Measure("mean", "late_min"), "depot")))
    cairn = cairn_at(compared)
    made = add_stop(tale, cairn)
    text = "Text **bold** and *it*, [web](https://example.org), [no](javascript:x).\n\n- one\n- two\n\n1. first\n\n> said"
    # a plain picture has a native chart where nothing is lit
    scene = compared.scene | {"lit": None}
    Stop.objects.filter(pk=made.pk).update(heading=HOSTILE, chapter="Chapter <b>", text=text, scene=scene)
    return tale


def taken(client: Client, tale: Tale, form: str) -> bytes:
    response = client.get(reverse("tales:take", args=[tale.pk, form]))
    assert response.status_code == 200 and "attachment" in response["Content-Disposition"]
    return response.content


def overlap(one: Any, other: Any) -> bool:
    across = one.left < other.left + other.width and other.left < one.left + one.width
    return across and one.top < other.top + other.height and other.top < one.top + one.height


def test_slides_hold_native_text_a_native_chart_alternative_text_and_notes(
    client: Client, tale_to_take: Tale
) -> None:
    from pptx import Presentation

    shown = Presentation(io.BytesIO(taken(client, tale_to_take, "pptx")))
    titles = [slide.shapes.title.text_frame.text for slide in shown.slides]
    assert titles[0] == tale_to_take.title and "Chapter <b>" in titles and HOSTILE in titles
    charts = [s.chart for slide in shown.slides for s in slide.shapes if s.has_chart]
    assert charts, "a comparison is a chart of its own data"
    plot = charts[-1].plots[0]
    last = tale_to_take.stops.last()
    from night_trail.tales.export.gathered import told

    part = told(tale_to_take)[-1].parts[0]
    assert list(plot.categories)[::-1] == [row[0] for row in part.figures.rows]
    assert list(plot.series[0].values)[::-1] == pytest.approx([row[2] for row in part.figures.rows])
    pictures = [s for slide in shown.slides for s in slide.shapes if s.shape_type == 13]
    assert pictures and all(s._element.nvPicPr.cNvPr.get("descr") for s in pictures)
    for slide in shown.slides:
        drawn = [s for s in slide.shapes if s.shape_type == 13 or s.has_chart]
        written = [s for s in slide.shapes if s.has_text_frame and s.text_frame.text]
        assert all(
            s.left + s.width <= shown.slide_width and s.top + s.height <= shown.slide_height for s in drawn
        )
        assert not any(overlap(d, w) for d in drawn for w in written), "nothing is written over a picture"
    assert any(s.has_notes_slide and s.notes_slide.notes_text_frame.text for s in shown.slides)
    assert last is not None and "• one" in "\n".join(
        s.text_frame.text for slide in shown.slides for s in slide.shapes if s.has_text_frame
    )


def test_the_pdf_is_tagged_has_its_words_and_a_page_a_stop(client: Client, tale_to_take: Tale) -> None:
    from pypdf import PdfReader

    found = PdfReader(io.BytesIO(taken(client, tale_to_take, "pdf")))
    assert len(found.pages) >= 1 + tale_to_take.stops.count()
    words = "\n".join(page.extract_text() for page in found.pages)
    assert tale_to_take.title in words and "<script>alert(1)</script>" in words and "bold" in words
    catalogue = found.trailer["/Root"]
    assert catalogue["/MarkInfo"]["/Marked"] and "/StructTreeRoot" in catalogue
    assert found.metadata is not None and found.metadata.title == tale_to_take.title
    assert "/Figure" in json.dumps(_structure(catalogue["/StructTreeRoot"]))


def _structure(node: object, deep: int = 0) -> list[object]:
    node = getattr(node, "get_object", lambda: node)()
    if deep > 12 or not isinstance(node, (dict, list)):
        return []
    if isinstance(node, list):
        return [one for child in node for one in _structure(child, deep + 1)]
    return [str(node.get("/S", "")), *_structure(node.get("/K"), deep + 1)]


def test_the_document_opens_with_headings_pictures_and_their_words(
    client: Client, tale_to_take: Tale
) -> None:
    from docx import Document

    found = Document(io.BytesIO(taken(client, tale_to_take, "docx")))
    headings = [p.text for p in found.paragraphs if p.style.name.startswith("Heading")]
    assert HOSTILE in headings and "Chapter <b>" in headings
    assert len(found.inline_shapes) >= 2
    assert all(shape._inline.docPr.get("descr") for shape in found.inline_shapes)
    page = found.sections[0]
    room = page.page_width - page.left_margin - page.right_margin
    assert all(shape.width <= room for shape in found.inline_shapes)
    assert any(run.bold and run.text == "bold" for p in found.paragraphs for run in p.runs)


def test_markdown_comes_with_its_pictures(client: Client, tale_to_take: Tale) -> None:
    with zipfile.ZipFile(io.BytesIO(taken(client, tale_to_take, "markdown"))) as found:
        text = found.read("tale.md").decode()
        linked = re.findall(r"\]\((pictures/[^)]+)\)", text)
        assert linked and set(linked) == {name for name in found.namelist() if name.endswith(".svg")}
        assert all(found.read(name).startswith(b"<svg") for name in linked)
    assert "\\<script>" in text and "figure:" not in text


def test_the_page_asks_for_nothing_and_holds_only_what_is_drawn(client: Client, tale_to_take: Tale) -> None:
    page = taken(client, tale_to_take, "html").decode()
    assert len(page) < 3_000_000
    assert not re.search(r"""(?:src|href)=["'](?!#|https://example\.org|data:)""", page)
    assert "data-light" not in page and "data-axes" not in page and "T000001" not in page
    assert "<script>alert" not in page and "javascript:x" not in page.replace("[no](javascript:x)", "")
    assert "default-src 'none'" in page and page.count("<script>") == 1


def test_the_page_holds_what_readers_may_choose_and_no_choice_of_too_few_rows(
    client: Client, tale_to_take: Tale
) -> None:
    last = tale_to_take.stops.exclude(step=None).last()
    assert last is not None
    Stop.objects.filter(pk=last.pk).update(chips=["district", "gone"])
    table = last.step.trail.version
    rows = Counter(core_table(table).series("district").drop_nulls().to_list())
    least = sorted(rows.values())[1]
    Tale.objects.filter(pk=tale_to_take.pk).update(least_lit=least)
    page = taken(client, tale_to_take, "html").decode()
    offered = re.findall(r"<option>([^<]*)</option>", page)
    assert sorted(offered) == sorted(name for name, n in rows.items() if n >= least) and len(offered) >= 2
    drawn = re.findall(r"<template>(.*?)</template>", page, re.S)
    assert len(drawn) == len(offered) and len({*drawn}) == len(offered)
    assert all(f"district is {name}" in one for name, one in zip(offered, drawn, strict=True))
    assert "data-light" not in page and len(re.findall(r' id="(s\d[^"]*)"', page)) == len(
        set(re.findall(r' id="(s\d[^"]*)"', page))
    )


def test_a_stop_whose_trail_is_gone_says_so_in_every_form(client: Client, tale_to_take: Tale) -> None:
    Stop.objects.filter(tale=tale_to_take).exclude(step=None).update(scene={"main": {"type": "nonsense"}})
    assert "cannot be drawn any more" in taken(client, tale_to_take, "html").decode()
    for form in ("pptx", "pdf", "docx", "markdown"):
        assert taken(client, tale_to_take, form)


def test_an_unknown_form_is_not_there(client: Client, tale: Tale) -> None:
    assert client.get(reverse("tales:take", args=[tale.pk, "exe"])).status_code == 404


def test_charts_are_native_only_where_nothing_is_lost(client: Client, tale_to_take: Tale) -> None:
    from night_trail.tales.export.gathered import told

    lit = [part for one in told(tale_to_take) for part in one.parts if part.answer.basis.lit is not None]
    assert lit and all(charted(part.answer, part.figures) is None for part in lit)


def test_bars_at_the_ends_of_a_native_chart_say_that_they_gather_what_lies_beyond() -> None:
    assert _bins([(0.0, 1.0), (1.0, 2.0), (2.0, 9.0)]) == ["0", "1", "2+"]
    assert _bins([(0.0, 1.0), (1.0, 2.0)]) == ["0", "1"] and _bins([]) == []
    assert _bins([(-9.0, 1.0), (1.0, 2.0), (2.0, 3.0)]) == ["<1", "1", "2"]


def test_blocks_know_lists_quotes_and_nested_styles() -> None:
    found = list(blocks("# H\n\na **b *c*** `d`\n\n- x\n  - y\n\n1. z\n\n> q\n\n```\ncode\n```"))
    assert [(b.kind, b.level, b.plain) for b in found] == [
        ("heading", 0, "H"), ("paragraph", 0, "a b c d"), ("item", 0, "x"), ("item", 1, "y"),
        ("numbered", 0, "z"), ("quote", 0, "q"), ("code", 0, "code"),
    ]  # fmt: skip
    assert [(r.text, r.bold, r.italic) for r in found[1].runs[:3]] == [
        ("a ", False, False),
        ("b ", True, False),
        ("c", True, True),
    ]


def test_files_of_a_tale_without_stops_can_be_taken(client: Client, tale: Tale, tmp_path: Path) -> None:
    tale.stops.all().delete()
    for form in ("html", "pptx", "pdf", "docx", "markdown"):
        assert taken(client, tale, form)
