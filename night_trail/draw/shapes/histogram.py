"""Histograms: bars over bins, end bins apart, one panel or a lane per group."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from night_trail.core.language.numbers import bare, percent, stretch, unit_suffix, value
from night_trail.core.questions.spread.histogram import HistogramAnswer
from night_trail.core.questions.spread.sentence import bins_words
from night_trail.core.table import Table
from night_trail.draw.frame.canvas import END_ROOM, Canvas, Size, Stands, label, line, unit_title
from night_trail.draw.frame.legend import Word, legend
from night_trail.draw.frame.scales import Lanes, Linear, Log, ticks
from night_trail.draw.frame.svg import Svg, el
from night_trail.draw.frame.text import width

LEAST = 26.0
"""A histogram in a lane is told from a line from so many pixels on."""


def draw_histogram(answer: HistogramAnswer, table: Table, size: Size, prefix: str) -> Canvas:
    """Return a histogram drawn on a canvas."""
    canvas = Canvas(size, prefix, answer.basis.lit is not None)
    lanes = answer.grouping.column is not None and len(answer.groups) > 0
    heights = [answer.heights(i) for i in range(len(answer.groups))]
    top = max((float(h.max()) for h in heights if len(h)), default=0.0) or 1.0
    _margins(canvas, answer, top, lanes)
    if lanes and answer.question.side not in ("overlaid", "mirrored"):
        canvas.grow(len(answer.groups), LEAST)
    ends = (END_ROOM if answer.below else 0.0, END_ROOM if answer.above else 0.0)
    if not canvas.labelled:
        ends = tuple(8.0 if e else 0.0 for e in ends)  # type: ignore[assignment]
    log = answer.question.scale == "log" and answer.edges[0] > 0
    low, high = canvas.span(answer.column.name, float(answer.edges[0]), float(answer.edges[-1]))
    x = (Log if log else Linear)(low, high, canvas.x_start + ends[0], canvas.x_end - ends[1])
    canvas.x, canvas.x_column = x, answer.column.name
    together = lanes and answer.question.side in ("overlaid", "mirrored")
    if together:
        _on_one_ground(canvas, answer, table, x, heights, top)
    elif lanes:
        _in_lanes(canvas, answer, table, x, heights, top)
    else:
        y = Linear(0.0, top, canvas.y_end, canvas.y_start)
        canvas.y = y
        canvas.count_axis(y, _height_title(answer, table), whole=answer.question.height == "count")
        if heights:
            _bars(canvas, answer, table, x, y, 0, heights[0])
        _middle(canvas, answer, x)
        if canvas.full and answer.width and not log:
            _grips(canvas, answer, x)
    canvas.under.append(line(canvas.x_start, canvas.y_end, canvas.x_end, canvas.y_end, "axis"))
    bins = bins_words(answer.question.bins, answer.column, answer)
    unit = unit_title(answer.column)
    said = "log scale" if log else bins
    canvas.value_axis(x, answer.column, f"{answer.column.name}{unit} · {said}", keep_clear=20.0)
    _end_labels(canvas, answer)
    return canvas


def _margins(canvas: Canvas, answer: HistogramAnswer, top: float, lanes: bool) -> None:
    if not canvas.labelled:
        canvas.left = canvas.right = canvas.top = canvas.bottom = 1.0
        return
    canvas.right, canvas.top, canvas.bottom = 14.0, 10.0, 26.0
    if canvas.full:
        canvas.right, canvas.top, canvas.bottom = 16.0, 34.0, 50.0
    if lanes:
        names = [g.label for g in answer.grouping.groups]
        canvas.left = canvas.name_room(names, 150.0, 80.0)
        # groups on one ground have a line of coloured words above the title of the axis
        on_one = answer.question.side in ("overlaid", "mirrored")
        canvas.top = 44.0 if on_one and canvas.full else 12.0
    else:
        whole = answer.question.height == "count"
        labels = [t.label for t in ticks(0.0, top, 4 if canvas.full else 2, whole=whole)]
        canvas.left = max((width(t) for t in labels), default=10.0) + 16.0


def _grips(canvas: Canvas, answer: HistogramAnswer, x: Linear) -> None:
    """Lay grips over the edges between bins: dragged, an edge sets the width of all."""
    edges = [float(e) for e in answer.edges]
    if len(edges) < 3 or x(edges[1]) - x(edges[0]) < 5:
        return
    for i, edge in enumerate(edges[1:-1], 1):
        canvas.over.append(
            el(
                "rect",
                class_="bin-edge",
                x=x(edge) - 3,
                y=canvas.y_end - 14,
                width=6,
                height=14,
                data_bin=str(i),
                data_first=f"{edges[0]:.12g}",
            )
        )


def _on_one_ground(
    canvas: Canvas, answer: HistogramAnswer, table: Table, x: Linear, heights: list[np.ndarray], top: float
) -> None:
    """Draw groups over each other, or two of them back to back."""
    mirrored = answer.question.side == "mirrored" and len(heights) == 2
    middle = (canvas.y_start + canvas.y_end) / 2
    canvas.left = max(canvas.left, 44.0) if canvas.labelled else canvas.left
    for i, height in enumerate(heights):
        if mirrored:
            y = Linear(0.0, top, middle, canvas.y_start if i == 0 else canvas.y_end)
        else:
            y = Linear(0.0, top, canvas.y_end, canvas.y_start)
        _bars(canvas, answer, table, x, y, i, height, hue=f" hue-{answer.hues[i]} over")
    canvas.y = Linear(-top if mirrored else 0.0, top, canvas.y_end, canvas.y_start)
    if mirrored:
        canvas.under.append(line(canvas.x_start, middle, canvas.x_end, middle, "axis"))
    else:
        canvas.count_axis(Linear(0.0, top, canvas.y_end, canvas.y_start), _height_title(answer, table), False)
    if canvas.full:
        legend(canvas, _words(answer), 10.0)


def _words(answer: HistogramAnswer) -> Iterator[Word]:
    for i, group in enumerate(answer.grouping.groups):
        condition = answer.grouping.condition(i)
        if condition is not None:
            yield Word(group.label, answer.hues[i], group.key or "others", condition)


def _in_lanes(
    canvas: Canvas, answer: HistogramAnswer, table: Table, x: Linear, heights: list[np.ndarray], top: float
) -> None:
    names = [g.label for g in answer.grouping.groups]
    rows = Lanes(tuple(names), canvas.y_start, canvas.y_end)
    canvas.y = rows
    canvas.lane_labels(rows, names, canvas.left - 22.0)
    for i, height in enumerate(heights):
        bottom = rows.top(i) + rows.step
        canvas.under.append(line(canvas.x_start, bottom, canvas.x_end, bottom, "grid"))
        own = (float(height.max()) or 1.0) if answer.question.side == "own" and len(height) else top
        _bars(canvas, answer, table, x, Linear(0.0, own, bottom, bottom - 0.9 * rows.step), i, height)


def _bars(
    canvas: Canvas,
    answer: HistogramAnswer,
    table: Table,
    x: Linear,
    y: Linear,
    position: int,
    heights: np.ndarray,
    hue: str = "",
) -> None:
    counts, lit_counts = answer.groups[position].counts, answer.groups[position].lit
    lit_heights = answer.heights(position, lit=True) if lit_counts is not None else None
    key = answer.grouping.groups[position].key
    places = len(counts)
    for place in range(places):
        count = int(counts[place])
        if not count:
            continue
        left, right, is_end = _sides(canvas, x, answer, place, places)
        lit_count = None if lit_counts is None else int(lit_counts[place])
        name = _key(answer, key, place, places)
        lit = None
        if lit_count and lit_heights is not None:
            lit = _bar(left, right, y, float(lit_heights[place]), "lit", canvas.id("l", name))
        canvas.mark(
            _bar(
                left,
                right,
                y,
                float(heights[place]),
                ("bar end" if is_end else "bar") + hue,
                canvas.id("b", name),
            ),
            lit,
            name,
            answer.condition(position, place),
            _card(answer, table, position, place, count),
            Stands(count, lit_count),
        )


def _key(answer: HistogramAnswer, group: str, place: int, places: int) -> str:
    """Return what names a bar from step to step: its column, group and left edge."""
    edge = "below" if place == 0 else "above" if place == places - 1 else f"{answer.edges[place - 1]:.12g}"
    return f"{answer.column.name}\x1f{group}\x1f{edge}"


def _sides(
    canvas: Canvas, x: Linear, answer: HistogramAnswer, place: int, places: int
) -> tuple[float, float, bool]:
    slim = 20.0 if canvas.labelled else 5.0
    if place == 0:
        return canvas.x_start, canvas.x_start + slim, True
    if place == places - 1:
        return canvas.x_end - slim, canvas.x_end, True
    left, right = x(float(answer.edges[place - 1])), x(float(answer.edges[place]))
    gap = 0.5 if right - left > 3 else 0.0
    return left + gap, right - gap, False


def _bar(left: float, right: float, y: Linear, height: float, class_: str, id_: str) -> Svg:
    # a bar that stands for rows is never invisible; a mirrored one hangs down
    tall = max(abs(y.start - y(height)), 1.0 if height > 0 else 0.0)
    top = y.start - tall if y.end <= y.start else y.start
    rounding = 1.5 if right - left > 5 else None
    return el(
        "rect",
        class_=class_,
        id=id_,
        x=left,
        y=top,
        width=max(right - left, 0.4),
        height=tall,
        rx=rounding,
    )


def _card(answer: HistogramAnswer, table: Table, position: int, place: int, count: int) -> list[str]:
    column, k = answer.column, len(answer.edges) - 1
    if place == 0:
        where = f"under {value(float(answer.edges[0]), column.kind, column.unit)}"
    elif place == k + 1:
        where = f"{value(float(answer.edges[-1]), column.kind, column.unit)} and more"
    else:
        where = stretch(float(answer.edges[place - 1]), float(answer.edges[place]), column.kind, column.unit)
    group = answer.grouping.groups[position].label
    used = answer.groups[position].used
    lines = [
        f"{group}: {where}" if group else where,
        f"{table.rows_in_words(count)} ({percent(count / used)})",
    ]
    return lines


def _middle(canvas: Canvas, answer: HistogramAnswer, x: Linear) -> None:
    """Draw the median as a dotted line and the middle half as a bar under the axis."""
    overall = answer.overall
    if overall is None or not canvas.full or overall.low == overall.high:
        return
    at = x(overall.median)
    canvas.over.append(line(at, canvas.y_start - 14, at, canvas.y_end, "median", canvas.id("median")))
    unit = unit_suffix(answer.column.unit)
    shown = (
        "median"
        if answer.column.kind.temporal
        else f"median {bare(overall.median, answer.column.unit)}{unit}"
    )
    room = width(shown) + 8
    side = (at + 6, "start") if at + room < canvas.x_end else (at - 6, "end")
    canvas.over.append(label(shown, side[0], canvas.y_start - 6, side[1], "median-label"))
    low, high = x.place(overall.q1), x.place(overall.q3)
    canvas.over.append(
        el(
            "rect",
            class_="middle-half",
            id=canvas.id("middle-half"),
            x=low,
            y=canvas.y_end + 2,
            width=max(high - low, 1),
            height=3,
        )
    )


def _end_labels(canvas: Canvas, answer: HistogramAnswer) -> None:
    """Write where each end bin begins under it, and how many rows it gathers over it."""
    if not canvas.labelled:
        return
    kind = answer.column.kind
    for count, edge, at, form in (
        (answer.below, answer.edges[0], canvas.x_start + 10, "<{}"),
        (answer.above, answer.edges[-1], canvas.x_end - 10, "{}+"),
    ):
        if count:
            shown = form.format(bare(float(edge), answer.column.unit, 6)) if kind.numeric else "…"
            canvas.over.append(label(shown, at, canvas.y_end + 18, "middle", "axis-label end-label"))
            if canvas.full:
                canvas.over.append(
                    label(f"{count:,}", at, canvas.y_end - 8, "middle", "axis-label end-count")
                )


def _height_title(answer: HistogramAnswer, table: Table) -> str:
    rows = table.row_noun[1]
    per = f" per {answer.column.unit}" if answer.column.unit else ""
    if answer.column.kind.temporal:
        per = " per second"
    return {"count": rows, "share": f"share of {rows}", "density": f"density{per}"}[answer.question.height]
