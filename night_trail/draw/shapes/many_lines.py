"""Many lines over time: small panels (small multiples), bands of colour (horizon), ranks."""

from __future__ import annotations

import math

import numpy as np

from night_trail.core.questions.over_time.answer import OverTimeAnswer
from night_trail.core.questions.over_time.shown import from_own_median, ranks
from night_trail.core.questions.over_time.words import said_of
from night_trail.core.questions.shared.rolled import Line
from night_trail.core.table import Floats, Table
from night_trail.draw.frame.canvas import NAMED, Canvas, Field, Size, label, line
from night_trail.draw.frame.measures import NEAR
from night_trail.draw.frame.scales import Lanes, Linear, date_ticks
from night_trail.draw.frame.svg import Svg, el, group
from night_trail.draw.frame.text import shortened
from night_trail.draw.marks.lines import lit_hues, lit_line, path, stands

LAYERS = 3
"""How many bands a row of the horizon is folded into, to either side of its middle."""


def _mark(
    canvas: Canvas, answer: OverTimeAnswer, table: Table, one: Line, shape: Svg, lit: Svg | None
) -> None:
    condition = answer.line_condition(one)
    assert condition is not None  # noqa: S101  (a split has groups)
    said = said_of(answer)
    has = np.flatnonzero(~np.isnan(one.values) & answer.whole)
    card = [one.label]
    if len(has):
        top = int(has[np.argmax(one.values[has])])
        card.append(f"highest in {answer.name(top)}: {said(float(one.values[top]))}")
        card.append(f"{answer.name(int(has[-1]))}: {said(float(one.values[has[-1]]))}")
    card.append(table.rows_in_words(int(one.n.sum())))
    canvas.mark(shape, lit, f"line\x1f{one.label}", condition, card, stands(one))


def draw_panels(answer: OverTimeAnswer, table: Table, size: Size, prefix: str) -> Canvas:
    """Return a small panel for each group, all on the same scales."""
    canvas = Canvas(size, prefix, answer.basis.lit is not None)
    if canvas.labelled:
        canvas.left, canvas.right, canvas.top, canvas.bottom = 12.0, 12.0, 16.0, 40.0 if canvas.full else 20.0
    else:
        canvas.left = canvas.right = canvas.top = canvas.bottom = 1.0
    n = len(answer.lines)
    columns = min(n, 5 if n > 12 else 4 if n > 6 else 3 if n > 4 else 2) if canvas.full else min(n, 4)
    rows = math.ceil(n / columns)
    gap = 16.0 if canvas.full else 5.0
    wide = (canvas.x_end - canvas.x_start - gap * (columns - 1)) / columns
    head = 16.0 if canvas.full else 0.0
    high = (canvas.y_end - canvas.y_start - (gap if canvas.full else 4.0) * (rows - 1)) / rows
    shown = [np.where(answer.whole, one.values, np.nan) for one in answer.lines]
    # lit lines are drawn on the same scale, which has to hold them
    values = np.concatenate([*shown, *(one.lit for one in answer.lines if one.lit is not None)])
    values = values[np.isfinite(values)]
    low, top_value = (float(values.min()), float(values.max())) if len(values) else (0.0, 1.0)
    low = 0.0 if 0 <= low < NEAR * top_value else low
    at, edges = answer.calendar.middles(), answer.calendar.edges
    dates = date_ticks(float(edges[0]), float(edges[-1]), 3, answer.time.kind) if canvas.full else []
    canvas.x_column = answer.time.name
    for i, one in enumerate(answer.lines):
        left = canvas.x_start + (i % columns) * (wide + gap)
        top = canvas.y_start + (i // columns) * (high + (gap if canvas.full else 4.0)) + head
        bottom = canvas.y_start + (i // columns) * (high + (gap if canvas.full else 4.0)) + high
        x = Linear(float(edges[0]), float(edges[-1]), left, left + wide)
        y = Linear(low, top_value if top_value > low else low + 1.0, bottom, top)
        ground = el("rect", class_="hit", x=left, y=top, width=wide, height=max(bottom - top, 1.0))
        quiet = (
            [
                el("path", class_="series quiet", d=path(at, other, x, y))
                for k, other in enumerate(shown)
                if k != i
            ]
            if canvas.full and n <= 16
            else []
        )
        shape = group(
            ground,
            *quiet,
            el("path", class_=f"series hue-{answer.hues[one.position]}", d=path(at, shown[i], x, y)),
        )
        lit = None
        if one.lit is not None and one.any_lit:
            lit = el("path", class_="lit-line", d=path(at, one.lit, x, y))
        _mark(canvas, answer, table, one, shape, lit)
        canvas.fields.append(Field(one.label, x, y, answer.line_condition(one)))
        canvas.under.append(line(left, bottom, left + wide, bottom, "axis"))
        if canvas.full:
            canvas.over.append(label(shortened(one.label, wide - 4), left, top - 4, "start", "lane-label"))
        if (canvas.full and i // columns == rows - 1) or (canvas.full and i + columns >= n):
            canvas.ticks_within(dates, x, bottom + 15)
    if canvas.full:
        said = said_of(answer)
        text = f"each from {said(low)} to {said(top_value)}, all on the same scale"
        canvas.over.append(label(text, canvas.x_end, canvas.size.height - 4, "end", "axis-title"))
    return canvas


def draw_horizon(answer: OverTimeAnswer, table: Table, size: Size, prefix: str) -> Canvas:
    """Return a row for each group, its distance from its own middle folded into bands of colour."""
    canvas, lanes, x = _lanes(answer, size, prefix)
    at = answer.calendar.edges
    offs = [from_own_median(answer, one)[1] for one in answer.lines]
    reach = max((float(np.nanmax(np.abs(off))) for off in offs if not np.isnan(off).all()), default=0.0)
    band = reach / LAYERS or 1.0
    for i, (one, off) in enumerate(zip(answer.lines, offs, strict=True)):
        top, bottom = lanes.top(i) + 1, lanes.top(i) + lanes.step - 1
        pieces: list[Svg] = [
            el("rect", class_="hit", x=x.start, y=top, width=x.end - x.start, height=max(bottom - top, 1))
        ]
        for side, sign in (("up", 1.0), ("down", -1.0)):
            for layer in range(LAYERS):
                filled = np.clip((sign * off - layer * band) / band, 0.0, 1.0)
                d = _steps(at, filled, x, top, bottom)
                if d:
                    pieces.append(el("path", class_=f"horizon-{side} layer-{layer + 1}", d=d))
        lit = None
        if one.any_lit:
            lit = el(
                "rect",
                class_="lit-frame",
                x=x.start,
                y=top,
                width=x.end - x.start,
                height=max(bottom - top, 1),
            )
        _mark(canvas, answer, table, one, group(*pieces), lit)
    if canvas.full:
        text = f"darker: further above (tide) or below (ember) its own median, up to {said_of(answer)(reach)}"
        canvas.bottom_title(text)
    return canvas


def _steps(edges: Floats, filled: Floats, x: Linear, top: float, bottom: float) -> str:
    found = []
    for i, share in enumerate(filled):
        if not math.isnan(share) and share > 0.005:
            left, right = x(float(edges[i])), x(float(edges[i + 1]))
            found.append(
                f"M{left:.1f} {bottom:.1f}V{bottom - share * (bottom - top):.1f}H{right:.1f}V{bottom:.1f}Z"
            )
    return "".join(found)


def _lanes(answer: OverTimeAnswer, size: Size, prefix: str) -> tuple[Canvas, Lanes, Linear]:
    canvas = Canvas(size, prefix, answer.basis.lit is not None)
    names = [one.label for one in answer.lines]
    if canvas.labelled:
        canvas.left = canvas.name_room(names, 150.0, 70.0)
        canvas.right, canvas.top, canvas.bottom = 14.0, 10.0, 50.0 if canvas.full else 24.0
    else:
        canvas.left = canvas.right = canvas.top = canvas.bottom = 1.0
    canvas.grow(len(names), NAMED)
    edges = answer.calendar.edges
    x = Linear(float(edges[0]), float(edges[-1]), canvas.x_start, canvas.x_end)
    lanes = Lanes(tuple(names), canvas.y_start, canvas.y_end)
    canvas.x, canvas.y, canvas.x_column = x, lanes, answer.time.name
    canvas.lane_labels(lanes, names, canvas.left - 22.0)
    canvas.time_ticks(x, answer.time.kind)
    return canvas, lanes, x


def draw_ranks(answer: OverTimeAnswer, table: Table, size: Size, prefix: str) -> Canvas:
    """Return each group's rank in every period, the largest on top, names at both ends."""
    canvas = Canvas(size, prefix, answer.basis.lit is not None)
    names = [one.label for one in answer.lines if not one.others]
    lines = [one for one in answer.lines if not one.others]
    both = True
    if canvas.labelled:
        named = canvas.name_room([f"{name} 10" for name in names], 160.0, 60.0)
        # where there is no room for names at both ends they stand at the last
        both = not canvas.full or size.width > 4 * named
        canvas.left = named if both else 12.0
        canvas.right = min(named, 0.42 * size.width) if canvas.full else 12.0
        canvas.top, canvas.bottom = 14.0, 50.0 if canvas.full else 24.0
    else:
        canvas.left = canvas.right = canvas.top = canvas.bottom = 1.0
    canvas.grow(len(names), NAMED)
    edges = answer.calendar.edges
    x = Linear(float(edges[0]), float(edges[-1]), canvas.x_start, canvas.x_end)
    canvas.x, canvas.x_column = x, answer.time.name
    ranked = ranks(answer)
    y = Linear(0.5, len(lines) + 0.5, canvas.y_start, canvas.y_end)
    canvas.y = y
    at = answer.calendar.middles()
    cores = lit_hues(lines, answer.hues)
    for i, one in enumerate(lines):
        shape = el(
            "path",
            class_=f"series thick hue-{answer.hues[one.position]}",
            id=canvas.id("r", one.label),
            d=path(at, ranked[i], x, y),
        )
        lit = None
        if one.any_lit:
            lit = lit_line(path(at, ranked[i], x, y), None, cores.get(one.position))
        _mark(canvas, answer, table, one, shape, lit)
        has = np.flatnonzero(~np.isnan(ranked[i]))
        if len(has) and canvas.full:
            first, last = float(ranked[i, has[0]]), float(ranked[i, has[-1]])
            ends = [(canvas.x_end + 8, last, "start", f"{last:.0f} {one.label}")]
            if both:
                ends.append((canvas.x_start - 8, first, "end", f"{one.label} {first:.0f}"))
            for left, rank, anchor, text in ends:
                said = shortened(text, canvas.right - 24.0)
                canvas.over.append(label(said, left, y(rank) + 4, anchor, "lane-label"))
    if canvas.labelled:
        canvas.time_ticks(x, answer.time.kind)
        canvas.bottom_title("rank in each period, 1 the largest")
    return canvas
