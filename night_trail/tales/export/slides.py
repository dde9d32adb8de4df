"""A tale as slides (PPTX): native text, native charts where the shape has one, pictures with their words."""

from __future__ import annotations

import io
from collections.abc import Callable, Sequence
from statistics import median
from typing import Any

from night_trail.core.questions.compare.answer import CompareAnswer
from night_trail.core.questions.cycle.answer import CycleAnswer
from night_trail.core.questions.over_time.answer import OverTimeAnswer
from night_trail.core.questions.registry import Answer
from night_trail.core.questions.shared.figures import Figures
from night_trail.core.questions.spread.histogram import HistogramAnswer
from night_trail.draw import Size
from night_trail.draw.png import png
from night_trail.tales.export.blocks import Block, blocks, clean
from night_trail.tales.export.gathered import DAY, Part, Told, told
from night_trail.tales.models import Tale

WIDE, HIGH = 13.333, 7.5
"""Inches of a slide."""

PICTURE = Size(700, 430)
"""Small for a picture, so that what is written in it can be read from a distance."""

ROOM = (4.9, 1.4, WIDE - 5.4, 5.5)
"""Where a picture stands on a slide: left, top, width, height."""

MOST_CATEGORIES = 60
GROUND, INK, DIM, LINE, MARK = (DAY[name] for name in ("ink", "paper", "dim", "line", "moon"))
SERIF, SANS = "Literata", "Figtree"


def slides(tale: Tale) -> bytes:
    """Return the file: a title, a slide for each chapter, one for each stop and each of its beats."""
    from pptx import Presentation  # noqa: PLC0415  (slow import, only here)
    from pptx.dml.color import RGBColor  # noqa: PLC0415
    from pptx.util import Inches  # noqa: PLC0415

    made = Presentation()
    made.slide_width, made.slide_height = Inches(WIDE), Inches(HIGH)
    made.core_properties.title = tale.title[:250]
    made.core_properties.author = ""
    fill = made.slide_master.background.fill
    fill.solid()
    fill.fore_color.rgb = RGBColor.from_string(GROUND)
    _headed(made, tale.title, "")
    chapter = ""
    for one in told(tale):
        if one.chapter and one.chapter != chapter:
            chapter = one.chapter
            _headed(made, chapter, tale.title)
        for at, part in enumerate(one.parts or (None,)):
            _stop(made, one, part, at)
        if one.beside is not None:
            _stop(made, one, one.beside, 0)
        if one.image is not None and one.parts:
            _stop(made, one, None, 1)
    out = io.BytesIO()
    made.save(out)
    return out.getvalue()


def _headed(made: Any, title: str, above: str) -> None:
    slide = made.slides.add_slide(made.slide_layouts[5])
    _place(slide.shapes.title, 0.9, 2.6, WIDE - 1.8, 1.6)
    _write(slide.shapes.title.text_frame, [(title, {})], 40, SERIF, bold=True)
    if above:
        box = slide.shapes.add_textbox(*_inches(0.9, 2.1, WIDE - 1.8, 0.5))
        _write(box.text_frame, [(above, {})], 14, SANS, colour=DIM)


def _stop(made: Any, one: Told, part: Part | None, at: int) -> None:
    slide = made.slides.add_slide(made.slide_layouts[5])
    own = one.image if part is None else None
    narrow = part is not None or own is not None
    title = slide.shapes.title
    _place(title, 0.6, 0.4, WIDE - 1.2, 0.9)
    _write(title.text_frame, [(one.heading, {})], 28, SERIF, bold=True)
    box = slide.shapes.add_textbox(*_inches(0.6, 1.4, 4.0 if narrow else WIDE - 1.2, 5.2))
    frame = box.text_frame
    frame.word_wrap = True
    if one.large is not None:
        _write(frame, [(one.large.text, {})], 40, SERIF, bold=True)
        _write(frame, [(one.large.label, {})], 12, SANS, colour=DIM)
    shown = list(blocks(one.text)) if at == 0 else []
    for block in shown:
        _block(frame, block)
    if part is not None and part.words:
        _write(frame, [(part.words, {"italic": True})], 16, SERIF)
    if one.claim and at == 0:
        _write(frame, [(one.claim, {})], 11, SANS, colour=DIM)
    if part is not None:
        _shown(slide, part)
    if own is not None:
        _fitted(slide, bytes(own.data), one.alt)
    said = (part.headline, *part.cautions) if part is not None else ()
    if notes := "\n".join(line for line in ((one.notes if at == 0 else ""), *said) if line):
        slide.notes_slide.notes_text_frame.text = clean(notes)
    if part is None and one.unreadable:
        _write(frame, [("The picture of this stop cannot be drawn any more.", {})], 12, SANS, colour=DIM)


def _shown(slide: Any, part: Part) -> None:
    alt = f"{part.sentence} {part.headline}"[:1_000]
    series = None if part.annotated else charted(part.answer, part.figures)
    if series is None:
        # it has its sentence written above it
        _fitted(slide, png(part.alone("day", PICTURE), 3), alt)
        return
    left, top, width, height = ROOM
    frame = _chart(slide, series, _inches(left, top, width, height - 0.5))
    frame._element.nvGraphicFramePr.cNvPr.set("descr", alt)
    caption = slide.shapes.add_textbox(*_inches(left, top + height - 0.4, width, 0.6))
    caption.text_frame.word_wrap = True
    _write(caption.text_frame, [(part.sentence, {})], 11, SANS, colour=DIM)


def _fitted(slide: Any, data: bytes, alt: str) -> None:
    """Place a picture as large as its room allows."""
    left, top, width, height = ROOM
    picture = slide.shapes.add_picture(io.BytesIO(data), *_inches(left, top, width))
    if picture.height > _inches(height)[0]:
        picture.width = int(picture.width * _inches(height)[0] / picture.height)
        picture.height = _inches(height)[0]
        picture.left += (_inches(width)[0] - picture.width) // 2
    picture._element.nvPicPr.cNvPr.set("descr", clean(alt))


Series = tuple[str, str, list[str], list[float | None]]
"""The form of a chart, what it shows, its categories, its values."""


def charted(answer: Answer, figures: Figures) -> Series | None:
    """Return the native chart of a picture; None where its shape has none, or something is lit or split."""
    if answer.basis.lit is not None or not figures.rows or len(figures.rows) > MOST_CATEGORIES:
        return None
    form, value = "", 0
    if (
        isinstance(answer, CompareAnswer)
        and answer.question.shape in ("bars", "dots")
        and not answer.question.baseline
    ):
        form, value = "bars", 2
    elif isinstance(answer, OverTimeAnswer) and not answer.question.split and not answer.question.more:
        form, value = "line", 2
    elif isinstance(answer, CycleAnswer) and not answer.question.split and not answer.question.years:
        form, value = "line", 1
    elif isinstance(answer, HistogramAnswer) and answer.even and not answer.question.across:
        form, value = "columns", 2
    if not form or value >= len(figures.names):
        return None
    values = [row[value] for row in figures.rows]
    if any(isinstance(v, str) for v in values):
        return None
    names = [
        str(row[0])[:10] if form == "line" and "T" in str(row[0]) else _named(row[0]) for row in figures.rows
    ]
    ends = [(row[0], row[1]) for row in figures.rows if form == "columns"]
    if ends and not any(isinstance(end, str) for pair in ends for end in pair):
        names = _bins([(float(low or 0), float(high or 0)) for low, high in ends])
    numbers = [None if v is None else float(v) for v in values if not isinstance(v, str)]
    return form, figures.names[value], names, numbers


def _bins(ends: list[tuple[float, float]]) -> list[str]:
    """Name bins by where they begin; those at the ends hold what lies beyond, where they are wider."""
    names = [f"{low:g}" for low, _ in ends]
    usual = median(high - low for low, high in ends) if ends else 0.0
    if len(ends) > 2 and ends[-1][1] - ends[-1][0] > usual * (1 + 1e-9):
        names[-1] += "+"
    if len(ends) > 2 and ends[0][1] - ends[0][0] > usual * (1 + 1e-9):
        names[0] = f"<{ends[0][1]:g}"
    return names


def _named(value: object) -> str:
    return f"{value:g}" if isinstance(value, float) else str(value)


def _chart(slide: Any, series: Series, where: Sequence[Any]) -> Any:
    from pptx.chart.data import CategoryChartData  # noqa: PLC0415
    from pptx.dml.color import RGBColor  # noqa: PLC0415
    from pptx.enum.chart import XL_CHART_TYPE  # noqa: PLC0415
    from pptx.util import Pt  # noqa: PLC0415

    form, name, categories, values = series
    data = CategoryChartData()
    # horizontal bars are drawn from below
    order: Callable[[list[Any]], list[Any]] = (lambda v: v[::-1]) if form == "bars" else (lambda v: v)
    data.categories = order(categories)
    data.add_series(name, order(values))
    kind = {
        "bars": XL_CHART_TYPE.BAR_CLUSTERED,
        "line": XL_CHART_TYPE.LINE,
        "columns": XL_CHART_TYPE.COLUMN_CLUSTERED,
    }[form]
    frame = slide.shapes.add_chart(kind, *where, data)
    chart = frame.chart
    chart.has_legend = False
    chart.has_title = True
    _write(chart.chart_title.text_frame, [(name, {})], 12, SANS, colour=DIM)
    chart.font.size, chart.font.name = Pt(11), SANS
    axis = chart.value_axis
    axis.major_gridlines.format.line.color.rgb = RGBColor.from_string(LINE)
    for line in (axis.format.line, chart.category_axis.format.line):
        line.color.rgb = RGBColor.from_string(LINE)
    if max((abs(v) for v in values if v is not None), default=0) >= 1_000:
        axis.tick_labels.number_format, axis.tick_labels.number_format_is_linked = "#,##0", False
    plot = chart.plots[0]
    fill = plot.series[0].format
    if form == "line":
        fill.line.color.rgb = RGBColor.from_string(MARK)
        plot.series[0].smooth = False
    else:
        fill.fill.solid()
        fill.fill.fore_color.rgb = RGBColor.from_string(MARK)
        plot.gap_width = 30 if form == "bars" else 3
    return frame


def _block(frame: Any, block: Block) -> None:
    before = {"item": "• ", "numbered": "– ", "quote": "“"}.get(block.kind, "")
    runs = [
        (run.text, {"bold": run.bold, "italic": run.italic or block.kind == "quote", "link": run.link})
        for run in block.runs
    ]
    if before:
        runs.insert(0, ("  " * block.level + before, {}))
    if block.kind == "quote":
        runs.append(("”", {}))
    _write(frame, runs, 18 if block.kind == "heading" else 15, SERIF, bold=block.kind == "heading")


def _write(
    frame: Any,
    runs: Sequence[tuple[str, dict[str, Any]]],
    size: int,
    font: str,
    bold: bool = False,
    colour: str = INK,
) -> None:
    """Write a paragraph behind those that are there."""
    from pptx.dml.color import RGBColor  # noqa: PLC0415
    from pptx.enum.text import PP_ALIGN  # noqa: PLC0415
    from pptx.util import Pt  # noqa: PLC0415

    first = frame.paragraphs[0]
    paragraph = first if not first.runs else frame.add_paragraph()
    paragraph.space_after, paragraph.alignment = Pt(6), PP_ALIGN.LEFT
    for text, style in runs:
        run = paragraph.add_run()
        run.text = clean(text)
        run.font.size, run.font.name = Pt(size), font
        run.font.bold, run.font.italic = bold or bool(style.get("bold")), bool(style.get("italic"))
        run.font.color.rgb = RGBColor.from_string(colour)
        if style.get("link"):
            run.hyperlink.address = style["link"]


def _place(shape: Any, left: float, top: float, width: float, height: float) -> None:
    shape.left, shape.top, shape.width, shape.height = _inches(left, top, width, height)
    shape.text_frame.word_wrap = True


def _inches(*at: float) -> list[Any]:
    from pptx.util import Inches  # noqa: PLC0415

    return [Inches(one) for one in at]
