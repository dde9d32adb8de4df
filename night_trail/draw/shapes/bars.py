"""Bars for categories: horizontal, labels beside them, the value at their end."""

from __future__ import annotations

from night_trail.core.language.numbers import percent
from night_trail.core.questions.spread.bars import Bar, BarsAnswer
from night_trail.core.table import Table
from night_trail.draw.frame.canvas import NAMED, Canvas, Size, Stands, label, line
from night_trail.draw.frame.scales import Lanes, Linear, ticks
from night_trail.draw.frame.svg import Svg, el
from night_trail.draw.frame.text import width

THICKEST = 34.0


def draw_bars(answer: BarsAnswer, table: Table, size: Size, prefix: str) -> Canvas:
    """Return bars drawn on a canvas."""
    canvas = Canvas(size, prefix, answer.basis.lit is not None)
    names = [bar.group.label for bar in answer.bars]
    by_share = answer.question.height == "share"
    tallest = max((_height(bar, by_share) for bar in answer.bars), default=1.0) or 1.0
    room = 0.0
    if canvas.labelled:
        canvas.left = canvas.name_room(names, 190.0, 90.0)
        room = max((width(_written(bar, by_share)) for bar in answer.bars), default=0.0) + 14.0
        canvas.right, canvas.top, canvas.bottom = room, 10.0, 50.0 if canvas.full else 26.0
    else:
        canvas.left = canvas.right = canvas.top = canvas.bottom = 1.0
    canvas.grow(len(names), NAMED)
    x = Linear(0.0, tallest, canvas.x_start, canvas.x_end)
    rows = Lanes(tuple(names), canvas.y_start, canvas.y_end)
    canvas.x, canvas.y = x, rows
    canvas.lane_labels(rows, names, canvas.left - 22.0)
    for i, bar in enumerate(answer.bars):
        thick = min(THICKEST, max(0.72 * rows.step, 1.0))
        _bar(canvas, answer, table, bar, x, rows.top(i) + (rows.step - thick) / 2, thick, by_share)
    canvas.under.append(line(canvas.x_start, canvas.y_start, canvas.x_start, canvas.y_end, "axis"))
    if canvas.labelled:
        found = ticks(0.0, tallest, max(2, int((x.end - x.start) / 100)), whole=not by_share)
        for tick in found:
            canvas.under.append(line(x(tick.at), canvas.y_start, x(tick.at), canvas.y_end, "grid"))
        canvas.bottom_ticks(found, x)
        rows_word = table.row_noun[1]
        canvas.bottom_title(f"share of {rows_word}" if by_share else rows_word)
    return canvas


def _height(bar: Bar, by_share: bool) -> float:
    return bar.share if by_share else float(bar.count)


def _written(bar: Bar, by_share: bool) -> str:
    return percent(bar.share) if by_share else f"{bar.count:,}"


def _bar(
    canvas: Canvas,
    answer: BarsAnswer,
    table: Table,
    bar: Bar,
    x: Linear,
    top: float,
    thick: float,
    by_share: bool,
) -> None:
    name = f"{answer.column.name}\x1f{bar.group.key or 'others'}"
    length = _height(bar, by_share)
    lit = None
    if bar.lit:
        lit = _rect(x, length * bar.lit / bar.count, top, thick, "lit", canvas.id("l", name))
    card = [
        bar.group.label,
        f"{table.rows_in_words(bar.count)} ({percent(bar.share)})",
        f"95 % interval {percent(bar.low, 3)} to {percent(bar.high, 3)}",
    ]
    canvas.mark(
        _rect(x, length, top, thick, "bar end" if bar.group.others else "bar", canvas.id("b", name)),
        lit,
        name,
        answer.condition(bar),
        card,
        Stands(bar.count, bar.lit),
    )
    if canvas.labelled and thick >= 9:
        at = x(length)
        canvas.over.append(label(_written(bar, by_share), at + 6, top + thick / 2 + 4, "start", "bar-value"))


def _rect(x: Linear, length: float, top: float, thick: float, class_: str, id_: str) -> Svg:
    return el(
        "rect",
        class_=class_,
        id=id_,
        x=x.start,
        y=top,
        width=max(x(length) - x.start, 0.5),
        height=thick,
        rx=1.5,
    )
