"""A forecast drawn: the past, the way ahead with its bands, what would have been said before, groups."""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np

from night_trail.core.language.numbers import THIN
from night_trail.core.questions.forecast.answer import BAND_LEVELS, SURE_LEVEL, ForecastAnswer, GroupAhead
from night_trail.core.questions.shared.measure_words import figure_of
from night_trail.core.table import Floats, Table
from night_trail.draw.frame.canvas import UNCOUNTED, Canvas, Size, label, line
from night_trail.draw.frame.legend import Word, legend
from night_trail.draw.frame.measures import measured_ends, measured_ticks, measured_title
from night_trail.draw.frame.scales import Linear
from night_trail.draw.frame.svg import el, group
from night_trail.draw.frame.text import shortened, width
from night_trail.draw.marks.lines import area, path
from night_trail.draw.shapes.decomposition import lay_periods, time_axis


def draw_forecast(answer: ForecastAnswer, table: Table, size: Size, prefix: str) -> Canvas:
    """Return the past as a line and what lies ahead with its bands, and what would have been said before."""
    canvas = Canvas(size, prefix, answer.basis.lit is not None)
    found, end = answer.forecast, answer.end
    edges = answer.calendar.edges
    # three times the horizon of past at least, all of it where it is short
    first = max(0, end - max(6 * answer.horizon, 48)) if found is not None else 0
    past = answer.values[first:end]
    chosen = [BAND_LEVELS.index(b) for b in sorted(answer.question.bands, reverse=True)]
    low, high = _span_ahead(answer, first, chosen)
    marks = measured_ticks(answer.question.measure, answer.column, low, high, 4 if canvas.full else 2)
    if canvas.labelled:
        canvas.left = max((width(t.label) for t in marks), default=10.0) + 16.0
        canvas.right, canvas.bottom = (64.0 if canvas.full else 10.0), 50.0 if canvas.full else 22.0
        canvas.top = 34.0 + (20.0 if answer.groups else 0.0) if canvas.full else 10.0
    else:
        canvas.left = canvas.right = canvas.top = canvas.bottom = 1.0
    start_at, end_at = (float(edges[first]), float(edges[-1])) if answer.calendar.n else (0.0, 1.0)
    x, y = (
        Linear(start_at, end_at, canvas.x_start, canvas.x_end),
        Linear(low, high, canvas.y_end, canvas.y_start),
    )
    canvas.x, canvas.y, canvas.x_column = x, y, answer.time.name
    at = answer.calendar.middles()
    if canvas.labelled:
        canvas.upright_ticks(marks, y)
    if canvas.full:
        start_words = "" if low <= 0 <= high else " · not from 0"
        text = shortened(
            measured_title(answer.question.measure, answer.column, table) + start_words, canvas.x_end
        )
        canvas.over.append(label(text, 4.0, canvas.y_start - 12, "start", "axis-title"))
    time_axis(canvas, x, answer)
    if canvas.full:
        for one in answer.groups:
            _group_ahead(canvas, answer, one, x, y, first)
        legend(canvas, _words(answer), 10.0)
    if found is not None:
        _bands_ahead(canvas, answer, x, y, at, chosen)
    canvas.marks.append(el("path", class_="series", id=canvas.id("past"), d=path(at[first:end], past, x, y)))
    if answer.plan is not None:
        plan = answer.plan[first : len(at)]
        canvas.marks.append(
            el(
                "path",
                class_="base-line",
                id=canvas.id("plan"),
                d=path(at[first : first + len(plan)], plan, x, y),
            )
        )
    if canvas.full:
        lay_periods(canvas, answer, x, y, past, first)
    return canvas


def _words(answer: ForecastAnswer) -> Iterator[Word]:
    for one in answer.groups:
        condition = answer.grouping.condition(one.position)
        if condition is not None:
            yield Word(one.label, answer.hues[one.position], one.label, condition)


def _group_ahead(
    canvas: Canvas, answer: ForecastAnswer, one: GroupAhead, x: Linear, y: Linear, first: int
) -> None:
    """Draw a group's past and future as one thin line that lights its rows and says its figures."""
    said = figure_of(answer.question.measure, answer.column)
    whole = np.concatenate([one.values[: answer.end], one.mean])
    d = path(answer.calendar.middles()[first:], whole[first:], x, y)
    shape = group(
        el("path", class_="grip", d=d),
        el("path", class_=f"series thin hue-{answer.hues[one.position]}", id=canvas.id("g", one.label), d=d),
    )
    k = BAND_LEVELS.index(SURE_LEVEL)
    low, high = said(float(one.low[k][-1])), said(float(one.high[k][-1]))
    card = [
        one.label,
        f"{answer.name(answer.calendar.n - 1)}, ahead: {said(float(one.mean[-1]))}",
        f"{SURE_LEVEL}{THIN}%: {low} to {high}",
    ]
    if one.total is not None and answer.rest_of_year is not None:
        mean, least, most = (said(at) for at in one.total)
        card.append(f"{answer.rest_of_year[0]} in all: {mean}, {least} to {most}")
    condition = answer.grouping.condition(one.position)
    if condition is not None:
        canvas.mark(shape, None, f"group\x1f{one.label}", condition, card, UNCOUNTED)


def _span_ahead(answer: ForecastAnswer, first: int, chosen: list[int]) -> tuple[float, float]:
    """Return the ends of the upright axis: past, widest band and plan, and 0 where it is near."""
    found, past = answer.forecast, answer.values[first : answer.end]
    pieces = [past]
    if found is not None:
        pieces += [found.low[chosen[0]], found.high[chosen[0]]]
    if answer.plan is not None:
        pieces.append(answer.plan[first:])
    return measured_ends(np.concatenate(pieces))


def _bands_ahead(
    canvas: Canvas, answer: ForecastAnswer, x: Linear, y: Linear, at: Floats, chosen: list[int]
) -> None:
    found, end = answer.forecast, answer.end
    assert found is not None  # noqa: S101  (drawn only with a forecast)
    ahead = at[end:]
    for i in chosen:
        d = area(ahead, found.low[i], found.high[i], x, y)
        canvas.under.append(
            el("path", class_=f"band-{BAND_LEVELS[i]}", id=canvas.id("band", str(BAND_LEVELS[i])), d=d)
        )
    start = end - len(found.last)
    canvas.marks.append(
        el("path", class_="said-then", id=canvas.id("then"), d=path(at[start:end], found.last, x, y))
    )
    # from the last known value on, so that past and future join
    joined = np.concatenate([answer.values[end - 1 : end], found.mean])
    canvas.marks.append(
        el("path", class_="forecast", id=canvas.id("ahead"), d=path(at[end - 1 :], joined, x, y))
    )
    boundary = x(float(answer.calendar.edges[end]))
    canvas.under.append(line(boundary, canvas.y_start, boundary, canvas.y_end, "now"))
    if not canvas.full:
        return
    said = figure_of(answer.question.measure, answer.column)
    last: list[tuple[float, str]] = [(y(float(found.mean[-1])), said(float(found.mean[-1])))]
    last += [(y(float(found.high[i][-1])), f"{BAND_LEVELS[i]}{THIN}%") for i in chosen]
    last.sort()
    free = -math.inf
    for place, text in last:
        place = max(place, free)  # noqa: PLW2901  (moved down until it is clear)
        canvas.over.append(label(shortened(text, 60), canvas.x_end + 6, place + 4, "start"))
        free = place + 14
    for i, value in enumerate(found.mean):
        a = end + i
        here = f"translate({x(float(at[a])):.1f} {y(float(value)):.1f})"
        card = [f"{answer.name(a)}, ahead", said(float(value))]
        card += [
            f"{BAND_LEVELS[k]}{THIN}%: {said(float(found.low[k][i]))} to {said(float(found.high[k][i]))}"
            for k in sorted(chosen)
        ]
        _future(canvas, here, f"ahead\x1f{a - end}", card)


def _future(canvas: Canvas, here: str, key: str, card: list[str]) -> None:
    """Add a point ahead: it stands for no rows, and only says its figures."""
    radius = 6.0
    canvas.count += 1
    canvas.marks.append(
        group(
            el("circle", class_="dot-hit", r=radius, transform=here),
            class_="mark still",
            id=canvas.id("m", key),
            role="img",
            tabindex="0" if canvas.count == 1 else "-1",
            aria_label=", ".join(card),
            data_card="\n".join(card),
        )
    )
