"""A measure over time: lines, areas, columns; what they are held against below; several above each other."""

from __future__ import annotations

import math

import numpy as np

from night_trail.core.questions.over_time.answer import MOST_COLOURED, OverTimeAnswer
from night_trail.core.questions.over_time.sentence import VIEW_WORDS, level_words
from night_trail.core.questions.over_time.words import said_of
from night_trail.core.questions.shared.rolled import Line
from night_trail.core.table import Floats, Table
from night_trail.draw.frame.canvas import Canvas, Field, Size, label, line
from night_trail.draw.frame.legend import Word, legend
from night_trail.draw.frame.measures import measured_ends, measured_title
from night_trail.draw.frame.scales import Linear, Tick
from night_trail.draw.frame.svg import Svg, el, group
from night_trail.draw.frame.text import shortened, width
from night_trail.draw.frame.time_frame import (
    OVERVIEW,
    bands,
    differences,
    overview,
    shown_periods,
    upright,
    value_ticks,
)
from night_trail.draw.marks.lines import area, lit_hues, lit_line, path, stands, steps
from night_trail.draw.marks.periods import MOST_MARKS, TimePlot, period_card, period_marks
from night_trail.draw.shapes.days import draw_days
from night_trail.draw.shapes.many_lines import draw_horizon, draw_panels, draw_ranks

BELOW = 0.26
"""How much of the height the differences take."""


def draw_over_time(answer: OverTimeAnswer, table: Table, size: Size, prefix: str) -> Canvas:
    """Return a measure over time drawn on a canvas."""
    others = {"panels": draw_panels, "horizon": draw_horizon, "ranks": draw_ranks, "days": draw_days}
    if answer.question.shape in others and answer.lines:
        return others[answer.question.shape](answer, table, size, prefix)
    canvas = Canvas(size, prefix, answer.basis.lit is not None)
    parts = (answer, *answer.others)
    visible = shown_periods(answer)
    scales = [_domain(part, visible) for part in parts]
    every = [
        value_ticks(part, low, high, max(2, (4 if canvas.full else 2) // len(parts) + 1))
        for part, (low, high) in zip(parts, scales, strict=True)
    ]
    named = _end_labels(answer) if len(parts) == 1 else []
    _margins(canvas, answer, [t.label for found in every for t in found], named)
    first, end = visible
    edges = answer.calendar.edges
    low, high = (float(edges[first]), float(edges[end])) if end > first else (0.0, 1.0)
    low, high = canvas.span(answer.time.name, low, high)
    x = Linear(low, high, canvas.x_start, canvas.x_end)
    canvas.x, canvas.x_column, canvas.zooms = x, answer.time.name if canvas.labelled else "", "x"
    compares = answer.question.against is not None and not answer.question.split and canvas.full
    bottom = canvas.y_end
    full_height = canvas.y_end - canvas.y_start
    upper = full_height * (1 - BELOW) - 14 if compares else full_height
    gap = 22.0 if canvas.full else 6.0
    height = (upper - gap * (len(parts) - 1)) / len(parts)
    bands(canvas, answer, x)
    for k, (part, (low_y, high_y), found) in enumerate(zip(parts, scales, every, strict=True)):
        top = canvas.y_start + k * (height + gap)
        y = Linear(low_y, high_y, top + height, top)
        if k == 0:
            canvas.y = y
        if len(parts) > 1:
            canvas.fields.append(Field(str(k), x, y))
        _plot(canvas, part, table, TimePlot(x, y, top, top + height, visible), found, k)
    if canvas.labelled:
        canvas.time_ticks(x, answer.time.kind)
        if canvas.full:
            grain = answer.calendar.grain
            extra = "" if answer.calendar.zone is None else f", clock of {answer.calendar.zone}"
            text = shortened(f"{answer.time.name} · {grain}s{extra}", x.end - x.start)
            under = canvas.y_end + 36
            canvas.over.append(label(text, (x.start + x.end) / 2, under, "middle", "axis-title"))
    if compares:
        differences(canvas, answer, x, bottom - full_height * BELOW + 8, bottom, visible)
    if named and canvas.full:
        _write_ends(canvas, answer, named, visible)
    if canvas.full and answer.question.window_at is not None:
        overview(canvas, answer)
    return canvas


def _margins(canvas: Canvas, answer: OverTimeAnswer, texts: list[str], named: list[tuple[Line, str]]) -> None:
    """Leave room for labels on the left, names or levels on the right, time and overview below."""
    if canvas.labelled:
        canvas.left = max((width(text) for text in texts), default=10.0) + 16.0
        canvas.right, canvas.bottom = 16.0, 46.0 if canvas.full else 22.0
        canvas.top = 34.0 if canvas.full else 10.0
        if canvas.full and answer.question.shape in ("stacked", "shares"):
            canvas.top += 14.0
        if named and canvas.full:
            canvas.right = min(150.0, max(width(one.label) for one, _ in named)) + 16.0
        elif canvas.full and answer.levels:
            canvas.right = max(width(_level_label(answer, i)) for i in range(len(answer.levels))) + 12.0
        if canvas.full and answer.question.window_at is not None:
            canvas.bottom += OVERVIEW + 8
    else:
        canvas.left = canvas.right = canvas.top = canvas.bottom = 1.0


def _domain(answer: OverTimeAnswer, visible: tuple[int, int]) -> tuple[float, float]:
    """Return the ends of the upright axis: columns and areas have 0 in them, lines need not."""
    first, end = visible
    shape = answer.question.shape
    if shape == "shares":
        return 0.0, 1.0
    if shape == "stacked":
        parts = np.array([np.maximum(one.values[first:end], 0.0) for one in answer.lines])
        return 0.0, float(np.nansum(parts, axis=0).max()) * 1.02 or 1.0 if parts.size else 1.0
    # what is not over yet would squeeze all that is
    whole = answer.whole[first:end]
    found = [one.values[first:end][whole] for one in answer.lines]
    found += [one.base[first:end][whole] for one in answer.lines if one.base is not None]
    if answer.basis.lit is not None:
        found += [one.lit[first:end][whole] for one in answer.lines if one.lit is not None]
    found.append(np.array([level for _, level in answer.levels], dtype=np.float64))
    return measured_ends(np.concatenate(found), shape in ("area", "columns"))


def value_title(answer: OverTimeAnswer, table: Table, low: float, high: float) -> str:
    """Return what the upright axis shows, its unit, and whether it begins at 0."""
    view = answer.question.view
    text = measured_title(answer.measure, answer.column, table)
    if answer.question.shape == "shares":
        text = f"share of {measured_title(answer.measure, None, table)}"
    if view == "index":
        text = f"{measured_title(answer.measure, None, table)}, first whole {answer.calendar.grain} = 100"
    elif view != "plain":
        text = f"{text} {VIEW_WORDS[view]}"
    if answer.question.until:
        text = f"{text} under way"
    return f"{text}{'' if low <= 0 <= high else ' · not from 0'}"


def _plot(
    canvas: Canvas, answer: OverTimeAnswer, table: Table, place: TimePlot, found: list[Tick], k: int
) -> None:
    y = place.y
    if canvas.labelled:
        canvas.upright_ticks(found, y)
    if canvas.full:
        title = value_title(answer, table, y.low, y.high)
        room = canvas.x_end - 4
        canvas.over.append(label(shortened(title, room), 4.0, place.top - 10, "start", "axis-title"))
    if y.low <= 0 <= y.high:
        canvas.under.append(line(canvas.x_start, y(0.0), canvas.x_end, y(0.0), "axis"))
    for i, (_level, at) in enumerate(answer.levels if k == 0 else ()):
        canvas.under.append(
            line(canvas.x_start, y(at), canvas.x_end, y(at), "overall", canvas.id("level", str(i)))
        )
        if canvas.full:
            canvas.over.append(label(_level_label(answer, i), canvas.x_end + 6, y(at) + 4, "start"))
    shape = answer.question.shape
    if shape in ("stacked", "shares"):
        _stacked(canvas, answer, table, place)
    elif shape == "columns":
        _columns(canvas, answer, table, place, k)
    else:
        _lines(canvas, answer, table, place, k)


def _level_label(answer: OverTimeAnswer, i: int) -> str:
    level, at = answer.levels[i]
    name = level_words(level).removeprefix("the ").removeprefix("a ").partition(" of ")[0]
    return f"{name} {said_of(answer)(at)}"


def _drawn_lines(answer: OverTimeAnswer) -> list[tuple[Line, str]]:
    """Return the lines with their class: the largest few in colours, the others quiet."""
    if not answer.question.split:
        return [(one, "series") for one in answer.lines]
    ranked = sorted(answer.lines, key=lambda one: (one.others > 0, -float(np.nansum(np.abs(one.values)))))
    # those that have a colour of their own in every picture of the trail
    loud = {one.position for one in ranked if answer.hues[one.position] < MOST_COLOURED - 1}
    loud |= {one.position for one in ranked[:2]}
    quiet = [(one, "series quiet") for one in answer.lines if one.position not in loud]
    named = [(one, f"series hue-{answer.hues[one.position]}") for one in answer.lines if one.position in loud]
    return [*quiet, *named]


def _lines(canvas: Canvas, answer: OverTimeAnswer, table: Table, place: TimePlot, k: int) -> None:
    first, end = place.visible
    at = answer.calendar.middles()[first:end]
    several = bool(answer.question.split)
    edges = answer.calendar.edges[first : end + 1]

    def drawn(values: Floats) -> str:
        if answer.question.shape == "steps":
            return steps(edges, values, place.x, place.y)
        return path(at, values, place.x, place.y)

    whole = answer.whole[first:end]
    cores = lit_hues(answer.lines, answer.hues) if several else {}
    for one, class_ in _drawn_lines(answer):
        values = one.values[first:end]
        covered = np.where(whole, values, np.nan)
        shown: list[Svg] = []
        key = f"{k}\x1f{one.label}"
        if answer.question.shape == "area" and not several:
            ground = np.where(np.isnan(covered), np.nan, max(place.y.low, 0.0))
            d = area(at, ground, covered, place.x, place.y)
            shown.append(el("path", class_="curve area", id=canvas.id("a", key), d=d))
        if one.base is not None:
            shown.append(
                el(
                    "path",
                    class_="base-line",
                    id=canvas.id("z", key),
                    d=drawn(np.where(whole, one.base[first:end], np.nan)),
                )
            )
        shown.append(el("path", class_=class_, id=canvas.id("s", key), d=drawn(covered)))
        lit = None
        if one.lit is not None and np.any(np.asarray(one.lit_n)[first:end] > 0):
            # of a period that is not over yet the lit rows say as little as all do
            d = drawn(np.where(whole, one.lit[first:end], np.nan))
            lit = lit_line(d, canvas.id("l", key), cores.get(one.position))
        if several:
            condition = answer.line_condition(one)
            assert condition is not None  # noqa: S101  (a split has groups)
            card = _line_card(answer, table, one)
            canvas.mark(group(*shown), lit, f"line\x1f{key}", condition, card, stands(one))
        else:
            canvas.marks.append(group(*shown, lit or "", class_="series-ground"))
    period_marks(canvas, answer, table, place, k)


def _line_card(answer: OverTimeAnswer, table: Table, one: Line) -> list[str]:
    said = said_of(answer)
    has = np.flatnonzero(~np.isnan(one.values) & answer.whole)
    card = [one.label]
    if len(has):
        card.append(f"{answer.name(int(has[-1]))}: {said(float(one.values[has[-1]]))}")
    card.append(table.rows_in_words(int(one.n.sum())))
    return card


def _columns(canvas: Canvas, answer: OverTimeAnswer, table: Table, place: TimePlot, k: int) -> None:
    first, end = place.visible
    one = answer.together
    every = max(1, math.ceil((end - first) / MOST_MARKS))
    edges = answer.calendar.edges
    for a in range(first, end, every):
        b = min(a + every, end)
        value = one.mean_over(a, b)
        if math.isnan(value):
            continue
        left, right = place.x(float(edges[a])), place.x(float(edges[b]))
        inner = max((right - left) * 0.8, 0.6)
        left += (right - left - inner) / 2
        key = f"{k}\x1f{int(edges[a])}"
        class_ = "bar" if bool(answer.whole[a:b].all()) else "bar open"
        shape = upright(left, inner, place.y(value), place.y(0.0), class_, canvas.id("c", key))
        rows = stands(one, a, b)
        lit = None
        if rows.lit and not math.isnan(one.lit_over(a, b)):
            top = place.y(one.lit_over(a, b))
            lit = upright(left, inner, top, place.y(0.0), "lit", canvas.id("l", key))
        card = period_card(answer, table, one, a, b)
        canvas.mark(shape, lit, key, answer.condition(one, a, b), card, rows)


def _stacked(canvas: Canvas, answer: OverTimeAnswer, table: Table, place: TimePlot) -> None:
    first, end = place.visible
    # what is not over yet would fall to nothing at the end
    end = end - 1 if end > first and not answer.whole[end - 1] else end
    at = answer.calendar.middles()[first:end]
    parts = np.array([np.maximum(one.values[first:end], 0.0) for one in answer.lines])
    total = np.nansum(parts, axis=0) if len(parts) else np.zeros(end - first)
    ground = np.zeros(end - first)
    empty = (
        np.all([np.isnan(one.values[first:end]) for one in answer.lines], axis=0)
        if answer.lines
        else ground > 0
    )
    words = []
    for one in answer.lines:
        values = np.nan_to_num(np.maximum(one.values[first:end], 0.0))
        if answer.question.shape == "shares":
            values = np.divide(values, total, out=np.zeros_like(values), where=total > 0)
        low, high = np.where(empty, np.nan, ground), np.where(empty, np.nan, ground + values)
        ground = ground + values
        hue = answer.hues[one.position]
        d = area(at, low, high, place.x, place.y)
        shape = el("path", class_=f"curve hue-{hue} part", id=canvas.id("s", one.label), d=d)
        condition = answer.line_condition(one)
        assert condition is not None  # noqa: S101  (a split has groups)
        lit = None
        if one.lit is not None and one.any_lit:
            part = np.nan_to_num(np.maximum(one.lit[first:end], 0.0))
            if answer.question.shape == "shares":
                part = np.divide(part, total, out=np.zeros_like(part), where=total > 0)
            lit = el(
                "path",
                class_="lit",
                id=canvas.id("l", one.label),
                d=area(at, low, low + part, place.x, place.y),
            )
        canvas.mark(
            shape, lit, f"part\x1f{one.label}", condition, _line_card(answer, table, one), stands(one)
        )
        words.append(Word(one.label, hue, one.label or "others", condition, stands(one)))
    if canvas.full:
        legend(canvas, reversed(words), 10.0)


def _end_labels(answer: OverTimeAnswer) -> list[tuple[Line, str]]:
    if not answer.question.split or answer.question.shape not in ("line", "steps"):
        return []
    return [(one, class_) for one, class_ in _drawn_lines(answer) if "quiet" not in class_ and one.label]


def _write_ends(
    canvas: Canvas, answer: OverTimeAnswer, named: list[tuple[Line, str]], visible: tuple[int, int]
) -> None:
    """Write each line's name at its end, moved apart so that none overlap."""
    assert isinstance(canvas.y, Linear)  # noqa: S101  (set by the plot)
    first, end = visible
    ends: list[tuple[float, Line, str]] = []
    for one, class_ in named:
        has = np.flatnonzero(~np.isnan(one.values[first:end]) & answer.whole[first:end])
        if len(has):
            ends.append((canvas.y(float(one.values[first + has[-1]])), one, class_))
    ends.sort(key=lambda e: e[0])
    # from above each is moved down until it is clear, and what runs out below is moved up again
    places: list[float] = []
    for at, _, _ in ends:
        places.append(max(at, places[-1] + 14) if places else at)
    over = max(0.0, places[-1] - canvas.y_end - 4) if places else 0.0
    for place, (_, one, class_) in zip(places, ends, strict=True):
        condition = answer.line_condition(one)
        assert condition is not None  # noqa: S101  (a split has groups)
        text = shortened(one.label, canvas.right - 14)
        hue = f"end-name hue-{class_.partition('hue-')[2]}"
        shape = label(text, canvas.x_end + 8, place - over + 4, "start", hue)
        canvas.mark(shape, None, f"end\x1f{one.label}", condition, [one.label], stands(one))
