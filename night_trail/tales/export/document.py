"""A tale as a document: for a word processor (DOCX), and ready to print (PDF, tagged)."""

from __future__ import annotations

import io
import json
import tempfile
from pathlib import Path
from typing import Any

from night_trail.draw.frame.text import FONTS
from night_trail.draw.png import png
from night_trail.tales.export.blocks import Block, blocks, clean
from night_trail.tales.export.gathered import DAY, Part, Told, told
from night_trail.tales.images import ENDINGS
from night_trail.tales.models import Tale

STYLES = {"item": "List Bullet", "numbered": "List Number", "quote": "Intense Quote", "heading": "Heading 3"}
INK, DIM = DAY["paper"], DAY["dim"]
MARGIN = 2.2
"""Centimetres round a page of 21 by 29.7."""

TEXT_WIDE = (21 - 2 * MARGIN) / 2.54
TEMPLATE = Path(__file__).with_name("tale.typ")


def word(tale: Tale) -> bytes:
    """Return the tale as DOCX: headings of chapters and stops, text, pictures with their alternative text."""
    from docx import Document  # noqa: PLC0415  (slow import, only here)

    made = Document()
    _laid_plain(made)
    made.core_properties.title = tale.title[:250]
    made.core_properties.author = ""
    made.add_heading(clean(tale.title), 0)
    chapter = ""
    for one in told(tale):
        if one.chapter and one.chapter != chapter:
            chapter = one.chapter
            made.add_heading(clean(chapter), 1)
        made.add_heading(clean(one.heading), 2)
        _said(made, one)
        _pictured(made, one)
    out = io.BytesIO()
    made.save(out)
    return out.getvalue()


def _laid_plain(made: Any) -> None:
    """Set the page, and the template's styles in ink: they come in blue, bold and narrow."""
    from docx.enum.text import WD_LINE_SPACING  # noqa: PLC0415  (slow imports, only here)
    from docx.oxml.ns import qn  # noqa: PLC0415
    from docx.shared import Cm, Pt, RGBColor  # noqa: PLC0415

    page = made.sections[0]
    page.page_width, page.page_height = Cm(21), Cm(29.7)
    page.left_margin = page.right_margin = page.top_margin = page.bottom_margin = Cm(MARGIN)
    for name in ("Title", "Heading 1", "Heading 2", "Heading 3", "Intense Quote", "Caption"):
        style = made.styles[name]
        style.font.color.rgb = RGBColor.from_string(DIM if name in ("Caption", "Intense Quote") else INK)
        for border in style.element.iter(qn("w:bottom")):
            border.set(qn("w:color"), DIM)
    made.styles["Intense Quote"].font.bold = False
    caption = made.styles["Caption"]
    caption.font.bold, caption.font.size = False, Pt(9)
    caption.paragraph_format.space_after = Pt(2)
    caption.paragraph_format.line_spacing_rule = WD_LINE_SPACING.SINGLE


def _said(made: Any, one: Told) -> None:
    if one.large is not None:
        made.add_paragraph(clean(f"{one.large.text}: {one.large.label}"), style="Intense Quote")
    for block in blocks(one.text):
        _written(made, block)
    if one.claim:
        made.add_paragraph().add_run(clean(one.claim)).italic = True


def _pictured(made: Any, one: Told) -> None:
    for part in _pictures(one):
        if part.words:
            made.add_paragraph(clean(part.words))
        # it has its sentence written above it
        _shown(made, png(part.alone(), 2), TEXT_WIDE, _alt(part))
        for caution in part.cautions:
            made.add_paragraph(clean(f"! {caution}"), style="Caption")
    if one.image is not None:
        _shown(made, bytes(one.image.data), min(TEXT_WIDE, one.image.width / 110), clean(one.alt))
    if one.unreadable:
        made.add_paragraph("The picture of this stop cannot be drawn any more.")


def _shown(made: Any, data: bytes, inches: float, alt: str) -> None:
    from docx.shared import Inches  # noqa: PLC0415  (slow import, only here)

    shape = made.add_picture(io.BytesIO(data), width=Inches(inches))
    shape._inline.docPr.set("descr", alt)
    for side in ("distT", "distB", "distL", "distR"):
        shape._inline.set(side, "0")  # or some programs set it off from the text


def _pictures(one: Told) -> tuple[Part, ...]:
    return one.parts + ((one.beside,) if one.beside is not None else ())


def _alt(part: Part) -> str:
    return clean(f"{part.sentence} {part.headline}")[:1_000]


def _written(made: Any, block: Block) -> None:
    paragraph = made.add_paragraph(style=STYLES.get(block.kind))
    for run in block.runs:
        text = f"{run.text} ({run.link})" if run.link and run.link != run.text else run.text
        written = paragraph.add_run(clean(text))
        written.bold, written.italic = run.bold or run.figure, run.italic


def print_ready(tale: Tale) -> bytes:
    """Return the tale as PDF: tagged, a stop a page, the pictures by day with their alternative text."""
    import typst  # noqa: PLC0415  (slow import, only here)

    with tempfile.TemporaryDirectory() as room:
        root = Path(room)
        (root / "tale.typ").write_text(TEMPLATE.read_text())
        stops = [_laid_out(one, root) for one in told(tale)]
        # texts are data, never markup
        data = json.dumps({"title": tale.title, "stops": stops}, ensure_ascii=False)
        found = typst.compile(
            str(root / "tale.typ"),
            root=room,
            font_paths=[str(FONTS)],
            sys_inputs={"tale": data},
            format="pdf",
        )
    return bytes(found)


def _laid_out(one: Told, root: Path) -> dict[str, Any]:
    pictures = []
    for at, part in enumerate(_pictures(one)):
        name = f"stop{one.number}-{at}.svg"
        svg = part.alone().replace('"Figtree Variable", ', "").replace('"Literata Variable", ', "")
        (root / name).write_text(svg)
        pictures.append(
            {"file": name, "alt": _alt(part), "words": part.words, "cautions": list(part.cautions)}
        )
    if one.image is not None:
        name = f"image{one.number}.{ENDINGS[one.image.kind]}"
        (root / name).write_bytes(bytes(one.image.data))
        pictures.append({"file": name, "alt": one.alt, "words": "", "cautions": []})
    return {
        "chapter": one.chapter,
        "heading": one.heading,
        "large": [one.large.text, one.large.label] if one.large is not None else [],
        "blocks": [
            {
                "kind": block.kind,
                "level": block.level,
                "runs": [[r.text, r.bold or r.figure, r.italic, r.link] for r in block.runs],
            }
            for block in blocks(one.text)
        ],
        "claim": one.claim,
        "pictures": pictures,
        "unreadable": one.unreadable,
    }
