"""An effect with others held fixed: plain and held side by side; the model's coefficients; what is left."""

from __future__ import annotations

import math
from collections.abc import Callable

from night_trail.core.language.numbers import number, with_unit
from night_trail.core.questions.held.answer import HeldAnswer, Shown
from night_trail.core.questions.held.words import effect_said, step_said
from night_trail.core.table import Table
from night_trail.draw.frame.canvas import Canvas, Size, Stands, label, line
from night_trail.draw.frame.scales import Lanes, Linear, Tick, ticks
from night_trail.draw.frame.svg import Svg, el, group

LANE, THIN_LANE = 34.0, 22.0
MOST_TERMS = 40


def draw_held(answer: HeldAnswer, table: Table, size: Size, prefix: str) -> Canvas:
    """Return effects plain and held, or the model behind them."""
    canvas = Canvas(size, prefix, has_lit=answer.basis.lit is not None)
    if not answer.fitted:
        if canvas.labelled:
            canvas.over.append(
                label("Too few rows for a model", size.width / 2, size.height / 2, "middle", "axis-title")
            )
        return canvas
    if answer.question.shape == "coefficients":
        _coefficients(canvas, answer)
    elif answer.question.shape == "residuals":
        _residuals(canvas, answer)
    else:
        _effects(canvas, answer)
    return canvas


def _framed(
    canvas: Canvas, names: list[str], span: tuple[float, float], said: Callable[[float], str], title: str
) -> tuple[Lanes, Linear]:
    """Set the margins of lanes on one scale that holds 0, draw what stands around them, return both."""
    if canvas.labelled:
        canvas.left = canvas.name_room(names, 220.0, 150.0)
        canvas.right, canvas.top, canvas.bottom = 16.0, 8.0, 46.0 if canvas.full else 8.0
    else:
        canvas.left = canvas.right = canvas.top = canvas.bottom = 1.0
    canvas.grow(max(len(names), 1), LANE if canvas.full else THIN_LANE)
    low, high = min(span[0], 0.0), max(span[1], 0.0)
    room = 0.06 * ((high - low) or 1.0)
    lanes = Lanes(tuple(names), canvas.y_start, canvas.y_end)
    x = Linear(low - room, high + room, canvas.x_start, canvas.x_end)
    canvas.x, canvas.y = x, lanes
    canvas.lane_labels(lanes, names, canvas.left - 22.0)
    if canvas.full:
        found = [Tick(t.at, said(t.at)) for t in ticks(x.low, x.high, 5)]
        for tick in found:
            canvas.under.append(line(x(tick.at), canvas.y_start, x(tick.at), canvas.y_end, "grid"))
        canvas.bottom_ticks(found, x)
        canvas.bottom_title(title)
    canvas.under.append(line(x(0.0), canvas.y_start, x(0.0), canvas.y_end, "axis"))
    return lanes, x


def _effects(canvas: Canvas, answer: HeldAnswer) -> None:
    said = effect_said(answer)
    shown = answer.shown
    ends = [s.plain + k * s.plain_half for s in shown for k in (-1, 1)]
    ends += [s.held + k * s.held_half for s in shown for k in (-1, 1)]
    finite = [e for e in ends if math.isfinite(e)] or [0.0, 1.0]
    what = (
        f"{answer.column.name} for {step_said(answer)}"
        if answer.step
        else f"{answer.column.name} against all rows"
    )
    title = f"{what}: outlined plainly, filled held fixed"
    lanes, x = _framed(canvas, [s.label for s in shown], (min(finite), max(finite)), said, title)
    for i, one in enumerate(shown):
        shape = group(*_pair(canvas, lanes, x, i, one), id=canvas.id("h", one.label))
        card = [
            f"{answer.by.name} {one.label}" if not answer.step else one.label,
            f"plainly {said(one.plain)}, give or take {said(one.plain_half).lstrip('+')}",
            f"held fixed {said(one.held)}, give or take {said(one.held_half).lstrip('+')}",
        ]
        if one.condition is None:
            canvas.over.append(shape)
            continue
        lit = None
        if one.lit:
            middle = lanes.top(i) + lanes.step / 2
            lit = el("circle", class_="lit", cx=x(one.held), cy=middle + _apart(canvas), r=4.5)
        canvas.mark(shape, lit, one.label, one.condition, card, Stands(one.n, one.lit))


def _apart(canvas: Canvas) -> float:
    """Return how far a lane's two points stand off its middle."""
    return 6.0 if canvas.full else 3.0


def _pair(canvas: Canvas, lanes: Lanes, x: Linear, i: int, one: Shown) -> list[Svg]:
    middle, off = lanes.top(i) + lanes.step / 2, _apart(canvas)
    parts: list[Svg] = []
    for at, half, y, class_ in (
        (one.plain, one.plain_half, middle - off, "plain-point"),
        (one.held, one.held_half, middle + off, "held-point"),
    ):
        if math.isfinite(half):
            parts.append(line(x(at - half), y, x(at + half), y, "interval"))
        parts.append(el("circle", class_=class_, cx=x(at), cy=y, r=4.5 if canvas.full else 3.0))
    top = lanes.top(i)
    parts.append(
        el(
            "rect",
            class_="hit",
            x=canvas.x_start,
            y=top,
            width=canvas.x_end - canvas.x_start,
            height=lanes.step,
        )
    )
    return parts


def _coefficients(canvas: Canvas, answer: HeldAnswer) -> None:
    """Draw coefficients by what a standard deviation of their column does, what is asked about first."""
    terms = [t for t in answer.terms if math.isfinite(t.standardised)]
    terms.sort(key=lambda t: (not t.of_by, -abs(t.standardised)))
    terms = terms[:MOST_TERMS]
    halves = [abs(t.half * t.standardised / t.coefficient) if t.coefficient else 0.0 for t in terms]
    ends = [t.standardised + k * h for t, h in zip(terms, halves, strict=True) for k in (-1, 1)] or [0.0]
    of = "log odds" if answer.logistic else f"standard deviations of {answer.column.name}"
    title = f"{of} for one standard deviation more"
    lanes, x = _framed(
        canvas, [t.name for t in terms], (min(ends), max(ends)), lambda at: number(at, 2), title
    )
    for i, (term, half) in enumerate(zip(terms, halves, strict=True)):
        middle = lanes.top(i) + lanes.step / 2
        class_ = "held-point" if term.of_by else "plain-point"
        canvas.over.append(
            line(x(term.standardised - half), middle, x(term.standardised + half), middle, "interval")
        )
        canvas.over.append(
            el("circle", class_=class_, cx=x(term.standardised), cy=middle, r=4.5 if canvas.full else 3.0)
        )


def _residuals(canvas: Canvas, answer: HeldAnswer) -> None:
    """Draw what is left against what is expected: its middle, and where eight of ten rows lie."""
    found = answer.residuals
    column = answer.column
    if canvas.labelled:
        canvas.left, canvas.right, canvas.top, canvas.bottom = 64.0, 16.0, 12.0, 46.0 if canvas.full else 8.0
    else:
        canvas.left = canvas.right = canvas.top = canvas.bottom = 1.0
    x = Linear(float(found[:, 0].min()), float(found[:, 0].max()), canvas.x_start, canvas.x_end)
    low, high = min(float(found[:, 1].min()), 0.0), max(float(found[:, 3].max()), 0.0)
    y = Linear(low, high if high > low else low + 1, canvas.y_end, canvas.y_start)
    canvas.x, canvas.y = x, y

    def said(at: float) -> str:
        return with_unit(at, "" if answer.logistic else column.unit_words, 3)

    if canvas.full:
        canvas.bottom_ticks([Tick(t.at, said(t.at)) for t in ticks(x.low, x.high, 5)], x)
        canvas.upright_ticks([Tick(t.at, said(t.at)) for t in ticks(y.low, y.high, 5)], y)
        canvas.bottom_title(f"{column.name} expected; upright what is left of it, eight of ten rows in band")
    canvas.under.append(line(canvas.x_start, y(0.0), canvas.x_end, y(0.0), "axis"))
    upper = [f"{x(row[0]):.2f},{y(row[3]):.2f}" for row in found]
    lower = [f"{x(row[0]):.2f},{y(row[1]):.2f}" for row in found[::-1]]
    canvas.over.append(el("polygon", class_="chance-band", points=" ".join(upper + lower)))
    middle = "L".join(f"{x(row[0]):.2f} {y(row[2]):.2f}" for row in found)
    canvas.over.append(el("path", class_="series hue-0", d=f"M{middle}"))
