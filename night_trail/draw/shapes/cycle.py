"""A measure through the day, the week or the year: lines, columns, a grid or rows of weekdays."""

from __future__ import annotations

import math

import numpy as np

from night_trail.core.questions.cycle.answer import CycleAnswer
from night_trail.core.questions.shared.measure_words import figure_of
from night_trail.core.questions.shared.rolled import Line
from night_trail.core.table import Table
from night_trail.draw.frame.canvas import Canvas, Size, label, line
from night_trail.draw.frame.measures import measured_ends, measured_ticks, measured_title
from night_trail.draw.frame.scales import Lanes, Linear, Tick
from night_trail.draw.frame.svg import el, group
from night_trail.draw.frame.text import shortened, width
from night_trail.draw.frame.time_frame import upright
from night_trail.draw.marks.lines import lit_hues, lit_line, path, stands

MOST_LOUD = 7
SHADES = 6


def draw_cycle(answer: CycleAnswer, table: Table, size: Size, prefix: str) -> Canvas:
    """Return a measure through a cycle drawn on a canvas."""
    if answer.question.shape == "grid":
        return _grid(answer, table, size, prefix)
    if answer.question.shape == "rows":
        return _rows(answer, table, size, prefix)
    canvas = Canvas(size, prefix, answer.basis.lit is not None)
    low, high = _domain(answer)
    found = measured_ticks(answer.question.measure, answer.column, low, high, 4 if canvas.full else 2)
    several = len(answer.rounds) > 1
    if canvas.labelled:
        canvas.left = max((width(t.label) for t in found), default=10.0) + 16.0
        canvas.right, canvas.bottom = 14.0, 46.0 if canvas.full else 22.0
        canvas.top = 34.0 if canvas.full else 10.0
        if several and canvas.full:
            canvas.right = min(150.0, max(width(r.label) for r in answer.rounds)) + 16.0
    else:
        canvas.left = canvas.right = canvas.top = canvas.bottom = 1.0
    n = len(answer.parts)
    x = Linear(-0.5, n - 0.5, canvas.x_start, canvas.x_end)
    y = Linear(low, high, canvas.y_end, canvas.y_start)
    canvas.x, canvas.y = x, y
    if canvas.labelled:
        canvas.upright_ticks(found, y)
        _part_ticks(canvas, answer, x)
    if canvas.full:
        text = shortened(
            measured_title(answer.question.measure, answer.column, table, low, high), canvas.x_end
        )
        canvas.over.append(label(text, 4.0, canvas.y_start - 12, "start", "axis-title"))
    if low <= 0 <= high:
        canvas.under.append(line(canvas.x_start, y(0.0), canvas.x_end, y(0.0), "axis"))
    draw_one = _columns if answer.question.shape == "columns" and not several else _line
    last = len(answer.rounds) - 1
    for i, one in enumerate(answer.rounds):
        # of many years the latest are loud
        loud = (
            len(answer.rounds) <= MOST_LOUD
            or (answer.question.years and last - i < 3)
            or (i < MOST_LOUD and not answer.question.years)
        )
        draw_one(
            canvas,
            answer,
            table,
            one,
            x,
            y,
            f"hue-{answer.hues[one.position] % 8}" if loud and several else "" if not several else "quiet",
        )
    if several and canvas.full:
        _names(canvas, answer, y)
    return canvas


def _part_ticks(canvas: Canvas, answer: CycleAnswer, x: Linear) -> None:
    """Write the parts of the cycle under the plot, their first letters where names have no room."""
    room = (x.end - x.start) / len(answer.parts)
    whole = answer.part == "day" or max(width(part) for part in answer.parts) < room - 6
    names = [part if whole else part[:3] for part in answer.parts]
    canvas.bottom_ticks([Tick(i, name) for i, name in enumerate(names)], x)


def _domain(answer: CycleAnswer) -> tuple[float, float]:
    found = [r.values for r in answer.rounds] + [r.lit for r in answer.rounds if r.lit is not None]
    values = np.concatenate(found) if found else np.empty(0)
    return measured_ends(values, answer.question.shape == "columns")


def _card(answer: CycleAnswer, table: Table, one: Line, i: int) -> list[str]:
    said = figure_of(answer.question.measure, answer.column)
    card = [
        *([one.label] if one.label else []),
        answer.parts[i],
        said(float(one.values[i])),
        table.rows_in_words(int(one.n[i])),
    ]
    return card


def _line(
    canvas: Canvas, answer: CycleAnswer, table: Table, one: Line, x: Linear, y: Linear, class_: str
) -> None:
    at = np.arange(len(answer.parts), dtype=np.float64)
    shape = el("path", class_=f"series {class_}", id=canvas.id("s", one.label), d=path(at, one.values, x, y))
    lit = None
    if one.lit is not None and one.any_lit:
        hue = (
            lit_hues(answer.rounds, answer.hues).get(one.position)
            if answer.question.shape != "rows"
            else None
        )
        lit = lit_line(path(at, one.lit, x, y), canvas.id("l", one.label), hue)
    canvas.marks.append(group(shape, lit or "", class_="series-ground"))
    radius = max(1.5, min(9.0, (x.end - x.start) / len(at) / 2))
    for i, value in enumerate(one.values):
        if math.isnan(value):
            continue
        here = f"translate({x(i):.1f} {y(float(value)):.1f})"
        hit = el("circle", class_="dot-hit", r=round(radius, 1), transform=here)
        rows = stands(one, i, i + 1)
        point = el("circle", class_="lit-point", r=min(4.5, radius), transform=here) if rows.all_lit else None
        key, card = f"{one.label}\x1f{i}", _card(answer, table, one, i)
        canvas.mark(hit, point, key, answer.condition(one, i), card, rows)


def _columns(
    canvas: Canvas, answer: CycleAnswer, table: Table, one: Line, x: Linear, y: Linear, class_: str
) -> None:
    room = (x.end - x.start) / len(answer.parts)
    wide = min(room * 0.72, 60.0)
    for i, value in enumerate(one.values):
        if math.isnan(value):
            continue
        key, left = f"column\x1f{i}", x(i) - wide / 2
        class_here = f"bar {class_}".strip()
        shape = upright(left, wide, y(float(value)), y(0.0), class_here, canvas.id("c", key))
        lit = None
        if one.lit is not None and not math.isnan(one.lit[i]):
            lit = upright(left, wide, y(float(one.lit[i])), y(0.0), "lit", canvas.id("l", key))
        card = _card(answer, table, one, i)
        canvas.mark(shape, lit, key, answer.condition(one, i), card, stands(one, i, i + 1))


def _names(canvas: Canvas, answer: CycleAnswer, y: Linear) -> None:
    """Write each line's name at its end, moved apart; quiet lines go without where there is no room."""
    ends: list[tuple[float, Line]] = []
    for one in answer.rounds:
        has = np.flatnonzero(~np.isnan(one.values))
        if len(has):
            ends.append((y(float(one.values[has[-1]])), one))
    if len(ends) > MOST_LOUD:
        ends = ends[-3:] if answer.question.years else ends[:MOST_LOUD]
    ends.sort(key=lambda e: e[0])
    free = -math.inf
    for at, one in ends:
        place = max(at, free)
        text = shortened(one.label, canvas.right - 14)
        hue = f"end-name hue-{answer.hues[one.position] % 8}"
        shape = label(text, canvas.x_end + 8, place + 4, "start", hue)
        condition = answer.round_condition(one)
        if condition is not None:
            canvas.mark(shape, None, f"end\x1f{one.label}", condition, [one.label], stands(one))
        free = place + 14


def _weekdays(
    answer: CycleAnswer, size: Size, prefix: str, top: float, right: float
) -> tuple[Canvas, Linear, Lanes]:
    """Return a canvas with a named lane for each weekday, and its scales."""
    canvas = Canvas(size, prefix, answer.basis.lit is not None)
    names = [one.label for one in answer.rounds]
    if canvas.labelled:
        canvas.left = canvas.name_room(names, 120.0, 60.0)
        canvas.right, canvas.top, canvas.bottom = right, top, 50.0 if canvas.full else 22.0
    else:
        canvas.left = canvas.right = canvas.top = canvas.bottom = 1.0
    x = Linear(-0.5, len(answer.parts) - 0.5, canvas.x_start, canvas.x_end)
    lanes = Lanes(tuple(names), canvas.y_start, canvas.y_end)
    canvas.x, canvas.y = x, lanes
    canvas.lane_labels(lanes, names, canvas.left - 22.0)
    return canvas, x, lanes


def _rows(answer: CycleAnswer, table: Table, size: Size, prefix: str) -> Canvas:
    """Return a strip for each weekday, all on one scale: its line, its mean dotted and written at the end."""
    said = figure_of(answer.question.measure, answer.column)
    means = [one.mean_over(0, len(answer.parts)) for one in answer.rounds]
    wide = max((width(said(mean)) for mean in means), default=0.0)
    canvas, x, lanes = _weekdays(answer, size, prefix, 14.0, wide + 16.0 if size.detail == "full" else 10.0)
    low, high = _domain(answer)
    for i, (one, mean) in enumerate(zip(answer.rounds, means, strict=True)):
        bottom = lanes.top(i) + lanes.step
        y = Linear(low, high, bottom, bottom - 0.86 * lanes.step)
        canvas.under.append(line(x.start, bottom, x.end, bottom, "grid"))
        canvas.under.append(line(x.start, y(mean), x.end, y(mean), "median"))
        if canvas.full:
            canvas.over.append(label(said(mean), x.end + 8, y(mean) + 4, "start"))
        _line(canvas, answer, table, one, x, y, "")
    if canvas.labelled:
        _part_ticks(canvas, answer, x)
    title = measured_title(answer.question.measure, answer.column, table)
    canvas.bottom_title(f"{title} · each row from {said(low)} to {said(high)}, its own mean dotted")
    return canvas


def _grid(answer: CycleAnswer, table: Table, size: Size, prefix: str) -> Canvas:
    """Return hours from left to right, weekdays from top to bottom, shaded by the figure."""
    canvas, x, lanes = _weekdays(answer, size, prefix, 12.0, 14.0)
    values = np.concatenate([one.values for one in answer.rounds]) if answer.rounds else np.empty(0)
    has = values[~np.isnan(values)]
    if not len(has):
        return canvas
    said = figure_of(answer.question.measure, answer.column)
    low, high = float(has.min()), float(has.max())
    wide = (x.end - x.start) / len(answer.parts)
    for row, one in enumerate(answer.rounds):
        for i, value in enumerate(one.values):
            if math.isnan(value):
                continue
            shade = 1 + round((SHADES - 1) * (float(value) - low) / (high - low)) if high > low else SHADES
            left, top = x(i - 0.5), lanes.top(row)
            key = f"{one.label}\x1f{i}"
            shape = el(
                "rect",
                class_=f"cell shade-{shade}",
                id=canvas.id("c", key),
                x=left + 1,
                y=top + 1,
                width=max(wide - 2, 1),
                height=max(lanes.step - 2, 1),
            )
            lit = None
            rows = int(one.n[i])
            lit_n = 0 if one.lit_n is None else int(one.lit_n[i])
            if lit_n and rows:
                share = math.sqrt(lit_n / rows)
                w, h = (wide - 2) * share, (lanes.step - 2) * share
                lit = el(
                    "rect",
                    class_="lit",
                    id=canvas.id("l", key),
                    x=left + wide / 2 - w / 2,
                    y=top + lanes.step / 2 - h / 2,
                    width=w,
                    height=h,
                )
            canvas.mark(
                shape,
                lit,
                key,
                answer.condition(one, i),
                _card(answer, table, one, i),
                stands(one, i, i + 1),
            )
    if canvas.labelled:
        _part_ticks(canvas, answer, x)
    title = measured_title(answer.question.measure, answer.column, table)
    canvas.bottom_title(f"{title} · from {said(low)} (pale) to {said(high)} (full)")
    return canvas
