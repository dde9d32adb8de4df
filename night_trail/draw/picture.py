"""The door of the drawing code: an answer, put into a picture at a size."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import Any

from night_trail.core.annotations import Annotation
from night_trail.core.language.spans import plain
from night_trail.core.outside import brought
from night_trail.core.questions.changed.answer import ChangedAnswer
from night_trail.core.questions.compare.answer import CompareAnswer
from night_trail.core.questions.compare.crossed import CrossAnswer
from night_trail.core.questions.compare.question import CompareShape
from night_trail.core.questions.compare.several import SeveralAnswer
from night_trail.core.questions.correlation.answer import CorrelationAnswer
from night_trail.core.questions.crosstab.answer import CrosstabAnswer
from night_trail.core.questions.cycle.answer import CycleAnswer
from night_trail.core.questions.decomposition.answer import DecompositionAnswer
from night_trail.core.questions.differ.answer import DifferAnswer
from night_trail.core.questions.drivers.answer import DriversAnswer
from night_trail.core.questions.flow.answer import FlowAnswer
from night_trail.core.questions.forecast.answer import ForecastAnswer
from night_trail.core.questions.held.answer import HeldAnswer
from night_trail.core.questions.kin.answer import KinAnswer
from night_trail.core.questions.make_up.answer import MakeUpAnswer
from night_trail.core.questions.over_time.answer import OverTimeAnswer
from night_trail.core.questions.place.answer import PlaceAnswer
from night_trail.core.questions.registry import Answer, sentence, words_of
from night_trail.core.questions.relate.answer import RelateAnswer
from night_trail.core.questions.spread.angles import AnglesAnswer
from night_trail.core.questions.spread.bars import BarsAnswer
from night_trail.core.questions.spread.boxes import BoxesAnswer
from night_trail.core.questions.spread.curves import CurvesAnswer
from night_trail.core.questions.spread.histogram import HistogramAnswer
from night_trail.core.questions.spread.strip import StripAnswer
from night_trail.core.questions.stages.answer import StagesAnswer
from night_trail.core.questions.stands.answer import StandsAnswer
from night_trail.core.table import Table
from night_trail.draw.annotations import draw_annotations
from night_trail.draw.frame.canvas import Canvas, Size, Spot
from night_trail.draw.frame.svg import Svg, el
from night_trail.draw.frame.text import wrapped
from night_trail.draw.frame.theme import TOKENS, standalone_style
from night_trail.draw.shapes.angles import draw_angles
from night_trail.draw.shapes.bars import draw_bars
from night_trail.draw.shapes.boxes import draw_boxes
from night_trail.draw.shapes.changed import draw_changed
from night_trail.draw.shapes.compare import draw_compare
from night_trail.draw.shapes.cross import draw_cross
from night_trail.draw.shapes.curves import draw_curves, draw_strip
from night_trail.draw.shapes.cycle import draw_cycle
from night_trail.draw.shapes.decomposition import draw_decomposition
from night_trail.draw.shapes.differ import draw_differ
from night_trail.draw.shapes.drivers import draw_drivers
from night_trail.draw.shapes.flow import draw_flow
from night_trail.draw.shapes.forecast import draw_forecast
from night_trail.draw.shapes.grids import draw_correlation, draw_crosstab
from night_trail.draw.shapes.held import draw_held
from night_trail.draw.shapes.histogram import draw_histogram
from night_trail.draw.shapes.kin import draw_kin
from night_trail.draw.shapes.make_up import draw_make_up
from night_trail.draw.shapes.over_time import draw_over_time
from night_trail.draw.shapes.place import draw_place
from night_trail.draw.shapes.relate import draw_relate
from night_trail.draw.shapes.several import draw_several, draw_table
from night_trail.draw.shapes.slope import draw_slope
from night_trail.draw.shapes.stages import draw_stages
from night_trail.draw.shapes.stands import draw_stands
from night_trail.draw.shapes.wholes import draw_figure, draw_parts, draw_stair

MAIN = Size(738, 388)
BESIDE = Size(268, 140, "beside")
THUMB = Size(64, 36, "thumb")
WALK = Size(820, 580)

Drawer = Callable[[Any, Table, Size, str], Canvas]
_COMPARED: dict[CompareShape, Drawer] = {
    "dots": draw_compare,
    "bars": draw_compare,
    "ring": draw_parts,
    "strip": draw_parts,
    "stair": draw_stair,
    "figure": draw_figure,
    "table": draw_table,
    "slope": draw_slope,
}


def _draw_compared(answer: CompareAnswer, table: Table, size: Size, prefix: str) -> Canvas:
    return _COMPARED[answer.question.shape](answer, table, size, prefix)


_SHAPES: dict[type, Drawer] = {
    HistogramAnswer: draw_histogram,
    BoxesAnswer: draw_boxes,
    BarsAnswer: draw_bars,
    CurvesAnswer: draw_curves,
    StripAnswer: draw_strip,
    AnglesAnswer: draw_angles,
    CompareAnswer: _draw_compared,
    CrossAnswer: draw_cross,
    SeveralAnswer: draw_several,
    MakeUpAnswer: draw_make_up,
    FlowAnswer: draw_flow,
    KinAnswer: draw_kin,
    RelateAnswer: draw_relate,
    CorrelationAnswer: draw_correlation,
    CrosstabAnswer: draw_crosstab,
    OverTimeAnswer: draw_over_time,
    CycleAnswer: draw_cycle,
    DecompositionAnswer: draw_decomposition,
    ForecastAnswer: draw_forecast,
    DifferAnswer: draw_differ,
    PlaceAnswer: draw_place,
    StagesAnswer: draw_stages,
    DriversAnswer: draw_drivers,
    ChangedAnswer: draw_changed,
    StandsAnswer: draw_stands,
    HeldAnswer: draw_held,
}
for _drawers in brought("night_trail.shapes"):
    _SHAPES.update(_drawers)


def draw(
    answer: Answer,
    table: Table,
    size: Size = MAIN,
    prefix: str = "main",
    annotations: Sequence[Annotation] = (),
) -> Svg:
    """Return the picture of an answer.

    Parameters
    ----------
    answer
        What to draw; its figures are drawn as they are.
    table
        For the words a row and a condition are called by.
    size
        Pixels and detail.
    prefix
        Begins every id, so that pictures on one page keep apart.
    annotations
        Notes, arrows and ranges; drawn on full pictures only.
    """
    return _drawn(answer, table, size, prefix, annotations)[0]


def _drawn(
    answer: Answer, table: Table, size: Size, prefix: str, annotations: Sequence[Annotation]
) -> tuple[Svg, int]:
    """Return a picture and its height, which may be more than asked for where many lanes want to be read."""
    canvas = _SHAPES[type(answer)](answer, table, size, prefix)
    said = words_of(answer, table)
    description = " ".join([plain(said.headline), *said.cautions])
    title = str(sentence(answer.question, table, answer))
    return canvas.picture(
        title, description, draw_annotations(canvas, annotations, said.facts)
    ), canvas.size.height


def shared_spans(answers: Sequence[Answer], table: Table, size: Size) -> tuple[tuple[str, float, float], ...]:
    """Return the ends that axes must have for pictures of one thing to stand on the same scale."""
    found: list[tuple[str, float, float]] = []
    for answer in answers:
        canvas = _SHAPES[type(answer)](answer, table, replace(size, planned=True), "spans")
        found += [(name, low, high) for name, (low, high) in canvas.spans.items()]
    return tuple(found)


def stations(answers: Sequence[Answer], table: Table, size: Size) -> tuple[dict[str, Spot], ...]:
    """Return where the marks that can travel stand in each picture, by their keys."""
    planned = replace(size, planned=True)
    return tuple(_SHAPES[type(answer)](answer, table, planned, "spots").spots for answer in answers)


def touched(answer: Answer, table: Table, size: Size, prefix: str) -> list[str]:
    """Return the ids of the marks of an answer's picture that hold lit rows."""
    return _SHAPES[type(answer)](answer, table, replace(size, planned=True), prefix).touched


SIDE = 12
"""Pixels that a picture in a file is set in from its sides."""


def standalone(
    answer: Answer,
    table: Table,
    title: str,
    size: Size = MAIN,
    theme: str = "day",
    annotations: Sequence[Annotation] = (),
) -> str:
    """Return a picture as a file of its own: the sentence over it, the theme's colours in it."""
    within = replace(size, width=size.width - 2 * SIDE)
    picture, height = _drawn(answer, table, within, "figure", annotations)
    lines = wrapped(title, 0.9 * (size.width - 32), 19.0, "Literata-Regular")
    above = 22 + 25 * len(lines)
    heading = [
        el("text", text, class_="figure-title", transform=f"translate(16 {28 + 25 * i})")
        for i, text in enumerate(lines)
    ]
    inner = Svg(picture.replace("<svg ", f'<svg x="{SIDE}" y="{above}" ', 1))
    return el(
        "svg",
        el("style", Svg(standalone_style(theme))),
        el("rect", width="100%", height="100%", fill=TOKENS[theme]["ink"]),
        *heading,
        inner,
        xmlns="http://www.w3.org/2000/svg",
        viewBox=f"0 0 {size.width} {height + above}",
        width=size.width,
        height=height + above,
    )
