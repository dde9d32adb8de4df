"""A series taken apart, and a forecast: parts on one time axis, bands behind the line ahead."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np

from night_trail.core.language.numbers import number
from night_trail.core.language.spans import plain
from night_trail.core.questions.decomposition.answer import DecompositionAnswer
from night_trail.core.questions.decomposition.words import season_name, spike_reason
from night_trail.core.questions.forecast.answer import ForecastAnswer
from night_trail.core.questions.over_time.words import signed
from night_trail.core.questions.shared.measure_words import figure_of
from night_trail.core.questions.shared.rolled import mean_of
from night_trail.core.table import Floats, Table
from night_trail.draw.frame.canvas import UNCOUNTED, Canvas, Field, Size, Stands, label, line
from night_trail.draw.frame.measures import measured_ticks, measured_title
from night_trail.draw.frame.scales import Linear, Log, Tick, ticks
from night_trail.draw.frame.svg import el, group
from night_trail.draw.frame.text import width
from night_trail.draw.marks.lines import area, path
from night_trail.draw.marks.periods import MOST_MARKS


def time_axis(canvas: Canvas, x: Linear, answer: DecompositionAnswer | ForecastAnswer) -> None:
    """Write time under the plot."""
    canvas.time_ticks(x, answer.time.kind)
    if canvas.full:
        canvas.bottom_title(f"{answer.time.name} · {answer.calendar.grain}s")


def draw_decomposition(answer: DecompositionAnswer, table: Table, size: Size, prefix: str) -> Canvas:
    """Return the parts of a series one below the other, each with a bar that is equally long in its unit."""
    if answer.question.show == "season" and answer.season_shape() is not None:
        return _draw_season(answer, table, size, prefix)
    canvas = Canvas(size, prefix, answer.basis.lit is not None)
    parts = answer.parts
    adjusted = answer.question.show == "adjusted"
    if canvas.labelled:
        canvas.left, canvas.right = (132.0 if canvas.full else 50.0), 18.0
        canvas.top, canvas.bottom = (16.0, 46.0) if canvas.full else (6.0, 22.0)
    else:
        canvas.left = canvas.right = canvas.top = canvas.bottom = 1.0
    edges = answer.calendar.edges
    low, high = (float(edges[0]), float(edges[-1])) if answer.calendar.n else (0.0, 1.0)
    x = Linear(low, high, canvas.x_start, canvas.x_end)
    canvas.x, canvas.x_column = x, answer.time.name
    time_axis(canvas, x, answer)
    if parts is None:
        return canvas
    span = slice(answer.start, answer.start + len(parts.values))
    at = answer.calendar.middles()[span]
    shown: list[tuple[str, Floats]] = [("values", parts.values)]
    if adjusted:
        shown.append(("without season", parts.adjusted))
    else:
        shown.append(("trend", parts.trend))
        names = [f"season of {season_name(p, answer.calendar)}" for p in parts.periods]
        shown += list(zip(names, parts.seasons, strict=True))
        shown.append(("rest", parts.rest))
    gap = 12.0 if canvas.full else 4.0
    height = (canvas.y_end - canvas.y_start - gap * (len(shown) - 1)) / len(shown)
    log = parts.way == "multiplied"
    lit = None if answer.lit is None else answer.lit[span]
    ends = [(float(np.nanmin(v)), float(np.nanmax(v))) for _, v in shown]
    if lit is not None and len(drawn := lit[~np.isnan(lit) & ((lit > 0) | (not log))]):
        # the lit part of the values is drawn on their scale, which has to hold it
        ends[0] = min(ends[0][0], float(drawn.min())), max(ends[0][1], float(drawn.max()))
    spans = [math.log(high / low) if log else high - low for low, high in ends]
    least = min((s for s in spans if s > 0), default=1.0)
    for k, (name, values) in enumerate(shown):
        top = canvas.y_start + k * (height + gap)
        # bars are equally long in the values' unit, or as a ratio where parts are multiplied: the longer
        # one is drawn, the more its part was stretched
        bar = min(height, height * least / spans[k]) if spans[k] > 0 else height
        y = _part(canvas, answer, table, name, values, ends[k], (x, at, top, height))
        canvas.fields.append(Field(name, x, y))
        if canvas.labelled:
            _scale_bar(canvas, answer, least, top + (height - bar) / 2, bar)
        if k == 0:
            canvas.y = y
            lay_periods(canvas, answer, x, y, values, answer.start, _rows_of(answer, table))
            if lit is not None:
                canvas.marks.append(el("path", class_="lit-line", d=path(at, lit, x, y)))
    _changes(canvas, answer, x)
    return canvas


def _part(
    canvas: Canvas,
    answer: DecompositionAnswer,
    table: Table,
    name: str,
    values: Floats,
    ends: tuple[float, float],
    place: tuple[Linear, Floats, float, float],
) -> Linear:
    """Draw one part in its strip, and return its upright scale: a log scale where parts are multiplied."""
    x, at, top, height = place
    assert answer.parts is not None  # noqa: S101  (drawn only with parts)
    added = answer.parts.way == "added"
    lowest, highest = ends
    middle = 0.0 if added else 1.0
    if name == "rest":
        lowest, highest = min(lowest, middle), max(highest, middle)
    made = Linear if added else Log
    y = made(lowest, highest if highest > lowest else lowest + 1.0, top + height, top)
    in_unit = added or name in ("values", "trend", "without season")
    if canvas.labelled:
        canvas.over.append(label(name, 4.0, top + height / 2 + 4, "start", "lane-label"))
        for tick in _strip_ticks(answer, lowest, highest, in_unit) if canvas.full else []:
            canvas.over.append(label(tick.label, canvas.x_start - 6, y(tick.at) + 4, "end"))
        canvas.under.append(line(canvas.x_start, top + height, canvas.x_end, top + height, "grid"))
    if name == "rest":
        _rest(canvas, answer, table, x, y, values, middle)
    else:
        class_ = "series trend" if name in ("trend", "without season") else "series"
        canvas.marks.append(el("path", class_=class_, id=canvas.id("part", name), d=path(at, values, x, y)))
    return y


def _strip_ticks(answer: DecompositionAnswer, low: float, high: float, in_unit: bool) -> list[Tick]:
    """Return two or three ticks of a strip, in the measure's unit or as factors."""
    if in_unit:
        return measured_ticks(answer.question.measure, answer.column, low, high, 2)[:3]
    return [Tick(t.at, f"×{t.label}") for t in ticks(low, high, 2)][:3]


def _scale_bar(canvas: Canvas, answer: DecompositionAnswer, least: float, top: float, high: float) -> None:
    """Draw how much one and the same step is in a strip; its card says how large the step is."""
    assert answer.parts is not None  # noqa: S101  (drawn only with parts)
    step = figure_of(answer.question.measure, answer.column)(least)
    if answer.parts.way == "multiplied":
        step = f"a factor of {number(math.exp(least), 3)}"
    canvas.over.append(
        el(
            "rect",
            class_="scale-bar",
            x=canvas.x_end + 8,
            y=top,
            width=4,
            height=high,
            data_card=f"{step}, in every strip",
        )
    )


def lay_periods(
    canvas: Canvas,
    answer: DecompositionAnswer | ForecastAnswer,
    x: Linear,
    y: Linear,
    values: Floats,
    first: int,
    rows: Callable[[int, int], tuple[list[str], Stands]] | None = None,
) -> None:
    """Lay a mark over every period of a series that begins at ``first``, or over stretches of them.

    ``rows`` gives what is said of the rows of a stretch, and what of them is lit.

    ``values`` has shape (periods,), NaN where there is none.
    """
    said, edges = figure_of(answer.question.measure, answer.column), answer.calendar.edges
    n = len(values)
    every = max(1, math.ceil(n / MOST_MARKS))
    radius = max(1.5, min(8.0, (x.end - x.start) / max(n / every, 1) / 2))
    for i in range(0, n, every):
        b = min(i + every, n)
        mean = mean_of(values[i:b])
        if math.isnan(mean):
            continue
        a, end = first + i, first + b
        here = f"translate({x((float(edges[a]) + float(edges[end])) / 2):.1f} {y(mean):.1f})"
        shape = el("circle", class_="dot-hit", r=round(radius, 1), transform=here)
        name = answer.name(a) if b == i + 1 else f"{answer.name(a)} to {answer.name(end - 1)}"
        more, of = rows(a, end) if rows is not None else ([], UNCOUNTED)
        mark = el("circle", class_="lit-point", r=min(4.5, radius), transform=here) if of.all_lit else None
        card = [name, said(mean), *more]
        canvas.mark(shape, mark, f"period\x1f{int(edges[a])}", answer.condition(a, end), card, of)


def _rows_of(answer: DecompositionAnswer, table: Table) -> Callable[[int, int], tuple[list[str], Stands]]:
    """Return what is said of the rows of periods, and what of them is lit."""

    def rows(first: int, end: int) -> tuple[list[str], Stands]:
        lit = None if answer.lit_n is None else int(answer.lit_n[first:end].sum())
        found = Stands(int(answer.n[first:end].sum()), lit)
        return [table.rows_in_words(found.n)], found

    return rows


def _rest(
    canvas: Canvas,
    answer: DecompositionAnswer,
    table: Table,
    x: Linear,
    y: Linear,
    values: Floats,
    middle: float,
) -> None:
    """Draw the remainder as thin bars from its middle; what stands out is a mark of its own."""
    parts, edges = answer.parts, answer.calendar.edges
    assert parts is not None  # noqa: S101  (drawn only with parts)
    canvas.under.append(line(canvas.x_start, y(middle), canvas.x_end, y(middle), "axis"))
    bars, n = "", len(values)
    wide = max((x.end - x.start) / n * 0.7, 0.5)
    thick = max(wide, 1.5)
    for i, value in enumerate(values):
        if not parts.spikes[i]:
            px = x((float(edges[answer.start + i]) + float(edges[answer.start + i + 1])) / 2)
            bars += f"M{px:.1f} {y(middle):.1f}V{y(float(value)):.1f}"
    canvas.marks.append(el("path", class_="rest-bars", stroke_width=round(min(wide, 6.0), 2), d=bars))
    known = {spike.at: spike for spike in answer.spikes}
    said = figure_of(answer.question.measure, answer.column)
    for i in np.flatnonzero(parts.spikes).tolist():
        at = answer.start + int(i)
        px = x((float(edges[at]) + float(edges[at + 1])) / 2)
        top, bottom = sorted((y(middle), y(float(values[i]))))
        bar = {"x": px - thick / 2, "y": top, "width": thick, "height": max(bottom - top, 1.0)}
        hit = el("rect", class_="hit", x=px - 4, y=top - 3, width=8, height=bottom - top + 6)
        shape = group(hit, el("rect", class_="spike", **bar))
        card = [answer.name(at)]
        spike = known.get(at)
        if spike is not None:
            card.append(f"{signed(said(spike.by), spike.by)} from what trend and season expect")
            reason = plain(spike_reason(spike)).removeprefix("; ")
            card += [reason] if reason else []
        rows = Stands(int(answer.n[at]), None if answer.lit_n is None else int(answer.lit_n[at]))
        lit = el("rect", class_="lit", **bar) if rows.all_lit else None
        canvas.mark(shape, lit, f"spike\x1f{int(edges[at])}", answer.condition(at), card, rows)


def _changes(canvas: Canvas, answer: DecompositionAnswer, x: Linear) -> None:
    """Draw dated changes of level as dotted lines across; the largest are named where names have room."""
    parts = answer.parts
    assert parts is not None  # noqa: S101  (drawn only with parts)
    said = figure_of(answer.question.measure, answer.column)
    levels = sorted((c for c in parts.changes if c.level), key=lambda c: -abs(c.step))[:3]
    written: list[tuple[float, float]] = []
    for change in levels:
        at = x(float(answer.calendar.edges[answer.start + change.at]))
        canvas.under.append(line(at, canvas.y_start, at, canvas.y_end, "change"))
        if canvas.full:
            verb = "rises" if change.step > 0 else "falls"
            text = f"level {verb} by {said(abs(change.step))}"
            wide = width(text) + 10
            left = at + wide > canvas.x_end
            low, high = (at - wide, at) if left else (at, at + wide)
            if all(high < a or low > b for a, b in written):
                written.append((low, high))
                place, anchor = (at - 5, "end") if left else (at + 5, "start")
                canvas.over.append(label(text, place, canvas.y_start - 3, anchor, "event-name"))


def _draw_season(answer: DecompositionAnswer, table: Table, size: Size, prefix: str) -> Canvas:
    """Return the shape of the longest season: its mean round, and how far it went to either side."""
    found = answer.season_shape()
    assert found is not None and answer.parts is not None  # noqa: S101  (asked only with a season)
    names, mean, low, high = found
    canvas = Canvas(size, prefix, False)
    least, most = float(np.nanmin(low)), float(np.nanmax(high))
    marks = (
        measured_ticks(answer.question.measure, answer.column, least, most, 4 if canvas.full else 2)
        if answer.parts.way == "added"
        else ticks(least, most, 4)
    )
    if canvas.labelled:
        canvas.left = max((width(t.label) for t in marks), default=10.0) + 16.0
        canvas.right, canvas.top, canvas.bottom = (
            16.0,
            (34.0 if canvas.full else 8.0),
            (50.0 if canvas.full else 22.0),
        )
    else:
        canvas.left = canvas.right = canvas.top = canvas.bottom = 1.0
    n = len(names)
    x = Linear(-0.5, n - 0.5, canvas.x_start, canvas.x_end)
    y = Linear(least, most if most > least else least + 1, canvas.y_end, canvas.y_start)
    canvas.x, canvas.y = x, y
    at = np.arange(n, dtype=np.float64)
    if canvas.labelled:
        canvas.upright_ticks(marks, y)
        room = (x.end - x.start) / n
        short = [name[:3] if n == 12 else name for name in names]
        canvas.bottom_ticks([Tick(i, short[i] if room > 22 else name) for i, name in enumerate(names)], x)
    canvas.marks.append(el("path", class_="band-95", d=area(at, low, high, x, y)))
    canvas.marks.append(el("path", class_="series thick", id=canvas.id("season"), d=path(at, mean, x, y)))
    if canvas.full:
        what = "times the trend" if answer.parts.way == "multiplied" else "from the trend"
        canvas.over.append(
            label(
                f"{measured_title(answer.question.measure, answer.column, table)} · {what}",
                4.0,
                canvas.y_start - 12,
                "start",
                "axis-title",
            )
        )
        canvas.bottom_title("mean round of the season; the ground is from its least to its most")
    return canvas
