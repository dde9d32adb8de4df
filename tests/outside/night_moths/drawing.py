"""The shape: a line from the least to the most, an end at each side."""

from __future__ import annotations

from night_moths.ends import EndsAnswer
from night_trail.core.table import Table
from night_trail.draw.frame.canvas import UNCOUNTED, Canvas, Size, line
from night_trail.draw.frame.scales import Linear
from night_trail.draw.frame.svg import el


def draw_ends(answer: EndsAnswer, table: Table, size: Size, prefix: str) -> Canvas:
    """Return the ends drawn on a canvas."""
    canvas = Canvas(size, prefix, answer.basis.lit is not None, left=20, right=20, top=10, bottom=40)
    if answer.least != answer.least:
        return canvas
    x = Linear(answer.least, answer.most, canvas.x_start, canvas.x_end)
    canvas.x, middle = x, (canvas.y_start + canvas.y_end) / 2
    canvas.value_axis(x, answer.column, answer.column.name)
    canvas.under.append(line(x.start, middle, x.end, middle, "axis"))
    for name, at in (("least", answer.least), ("most", answer.most)):
        dot = el("circle", class_="dot", id=canvas.id("d", name), r=6, cx=x(at), cy=middle)
        canvas.mark(dot, None, name, answer.condition(at), [name, f"{at:g}"], UNCOUNTED)
    return canvas


DRAWERS = {EndsAnswer: draw_ends}
