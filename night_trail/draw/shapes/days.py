"""A calendar of days: weeks from left to right, weekdays from top to bottom, a block a year."""

from __future__ import annotations

import datetime as dt
import math

import numpy as np

from night_trail.core.moments import when
from night_trail.core.questions.over_time.answer import OverTimeAnswer
from night_trail.core.questions.over_time.shown import shades
from night_trail.core.questions.over_time.words import said_of
from night_trail.core.table import Table
from night_trail.draw.frame.canvas import Canvas, Field, Size, label
from night_trail.draw.frame.scales import Linear
from night_trail.draw.frame.svg import el
from night_trail.draw.marks.lines import stands

MOST_YEARS = 6
DAYS = ("M", "", "W", "", "F", "", "S")


def draw_days(answer: OverTimeAnswer, table: Table, size: Size, prefix: str) -> Canvas:
    """Return a calendar whose days are shaded by their figure; the latest years where there are many."""
    canvas = Canvas(size, prefix, answer.basis.lit is not None)
    if canvas.labelled:
        canvas.left, canvas.right, canvas.top, canvas.bottom = 58.0 if canvas.full else 34.0, 8.0, 20.0, 22.0
    else:
        canvas.left = canvas.right = canvas.top = canvas.bottom = 1.0
    one, said = answer.together, said_of(answer)
    days = [when(float(at)).date() for at in answer.calendar.edges[:-1]]
    years = sorted({day.year for day in days})[-MOST_YEARS:]
    gap = 8.0 if canvas.full else 2.0
    high = (canvas.y_end - canvas.y_start - gap * (len(years) - 1)) / max(len(years), 1)
    cell_high, cell_wide = high / 7, (canvas.x_end - canvas.x_start) / 54
    inner = 0.88
    for block, year in enumerate(years):
        top = canvas.y_start + block * (high + gap)
        weeks = Linear(0.0, 54.0, canvas.x_start, canvas.x_end)
        canvas.fields.append(Field(str(year), weeks, Linear(0.0, 7.0, top, top + high)))
    has = one.values[~np.isnan(one.values)]
    if not len(has):
        return canvas
    shaded = shades(one.values)
    for i, day in enumerate(days):
        value = float(one.values[i])
        if day.year not in years or math.isnan(value):
            continue
        block = years.index(day.year)
        left = canvas.x_start + _week(day) * cell_wide
        top = canvas.y_start + block * (high + gap) + day.weekday() * cell_high
        key = day.isoformat()
        shape = el(
            "rect",
            class_=f"cell shade-{shaded[i]}",
            id=canvas.id("d", key),
            x=left,
            y=top,
            width=cell_wide * inner,
            height=cell_high * inner,
        )
        lit_n, rows = (0 if one.lit_n is None else int(one.lit_n[i])), int(one.n[i])
        lit = None
        if lit_n and rows:
            share = math.sqrt(lit_n / rows) * inner
            lit = el(
                "rect", class_="lit", id=canvas.id("l", key), x=left + (inner - share) / 2 * cell_wide,
                y=top + (inner - share) / 2 * cell_high, width=cell_wide * share, height=cell_high * share,
            )  # fmt: skip
        card = [f"{day:%A}, {answer.name(i)}", said(value), table.rows_in_words(rows)]
        canvas.mark(shape, lit, key, answer.condition(one, i), card, stands(one, i, i + 1))
    if canvas.labelled:
        _names(canvas, years, high, gap)
    if canvas.full:
        words = f"from {said(float(has.min()))} (pale) to {said(float(has.max()))} (full)"
        canvas.over.append(label(words, canvas.x_end, size.height - 6, "end", "axis-title"))
    return canvas


def _names(canvas: Canvas, years: list[int], high: float, gap: float) -> None:
    """Write the years, and on a main picture the weekdays beside and the months above."""
    cell_high, cell_wide = high / 7, (canvas.x_end - canvas.x_start) / 54
    for block, year in enumerate(years):
        top = canvas.y_start + block * (high + gap)
        canvas.over.append(label(str(year), 4.0, top + high / 2 + 4, "start", "lane-label"))
        for row, name in enumerate(DAYS if canvas.full and cell_high >= 9 else ()):
            if name:
                at = top + row * cell_high + cell_high * 0.75
                canvas.over.append(label(name, canvas.x_start - 6, at, "end"))
    for month in range(1, 13) if canvas.full else ():
        left = canvas.x_start + _week(dt.date(years[0], month, 1)) * cell_wide
        canvas.over.append(label(f"{dt.date(2000, month, 1):%b}", left, canvas.y_start - 7, "start"))


def _week(day: dt.date) -> int:
    """Return the column of a day in its year's block: weeks begin on Mondays."""
    return (day.timetuple().tm_yday - 1 + dt.date(day.year, 1, 1).weekday()) // 7
