"""Groups before and after as lines from one side to the other, named at both ends where there is room."""

from __future__ import annotations

import math
from collections.abc import Sequence

from night_trail.core.questions.compare.answer import CompareAnswer
from night_trail.core.questions.compare.sentence import baseline_words
from night_trail.core.questions.compare.words import figure_words
from night_trail.core.questions.shared.group_figures import GroupFigure
from night_trail.core.table import Table
from night_trail.draw.frame.canvas import Canvas, Size, Stands, label, line
from night_trail.draw.frame.scales import Linear
from night_trail.draw.frame.svg import el, group
from night_trail.draw.frame.text import shortened, width
from night_trail.draw.shapes.compare import axis_words, group_card, group_key, group_rows

LINE = 14.0
"""The height a name needs."""

ROOM = 190.0


def draw_slope(answer: CompareAnswer, table: Table, size: Size, prefix: str) -> Canvas:
    """Return each group as a line from what it is held against to its figure."""
    canvas = Canvas(size, prefix, answer.basis.lit is not None)
    said = figure_words(answer)
    # gathered groups would squeeze the others, and are no group that rises or falls
    drawn = [g for g in answer.groups if not g.others and g.base is not None and _known(g)]
    left = [f"{g.label} {said(g.base)}" for g in drawn if g.base is not None]
    right = [f"{said(g.value)} {g.label}" for g in drawn]
    if canvas.labelled:
        most = ROOM if canvas.full else 70.0
        canvas.left = min(most, max(map(width, left), default=0.0)) + 14.0
        canvas.right = min(most, max(map(width, right), default=0.0)) + 14.0
        canvas.top, canvas.bottom = (30.0, 28.0) if canvas.full else (8.0, 8.0)
    else:
        canvas.left = canvas.right = canvas.top = canvas.bottom = 2.0
    values = [v for g in drawn for v in (g.base, g.value) if v is not None] or [0.0, 1.0]
    low, high = canvas.span(axis_words(answer, table), *_ends(values))
    y = Linear(low, high, canvas.y_end, canvas.y_start)
    canvas.x, canvas.y = Linear(0.0, 1.0, canvas.x_start, canvas.x_end), y
    for at in (canvas.x_start, canvas.x_end):
        canvas.under.append(line(at, canvas.y_start, at, canvas.y_end, "axis"))
    for one in drawn:
        _slope(canvas, answer, table, one, y)
    if canvas.labelled:
        _named(canvas, [y(g.base or 0.0) for g in drawn], left, canvas.x_start - 8, "end")
        _named(canvas, [y(g.value) for g in drawn], right, canvas.x_end + 8, "start")
    if canvas.full:
        baseline = answer.question.baseline
        before = baseline_words(baseline) if baseline is not None else "before"
        canvas.over.append(label(before, canvas.x_start, 16, "middle", "axis-title"))
        canvas.over.append(label("now", canvas.x_end, 16, "middle", "axis-title"))
        title = axis_words(answer, table) + ("" if low <= 0 <= high else " · not from 0")
        middle = (canvas.x_start + canvas.x_end) / 2
        canvas.over.append(label(title, middle, canvas.size.height - 8, "middle", "axis-title"))
    return canvas


def _known(one: GroupFigure) -> bool:
    return one.base is not None and math.isfinite(one.base) and math.isfinite(one.value)


def _ends(values: Sequence[float]) -> tuple[float, float]:
    low, high = min(values), max(values)
    return (low, high) if high > low else (low - 0.5, low + 0.5)


def _slope(canvas: Canvas, answer: CompareAnswer, table: Table, one: GroupFigure, y: Linear) -> None:
    assert one.base is not None  # noqa: S101  (only such are drawn)
    key = group_key(answer, one)
    tone = "rises" if one.value > one.base else "falls" if one.value < one.base else "stays"
    start, end = (canvas.x_start, y(one.base)), (canvas.x_end, y(one.value))
    d = f"M{start[0]:.2f} {start[1]:.2f}L{end[0]:.2f} {end[1]:.2f}"
    radius = 4.0 if canvas.full else 2.4 if canvas.labelled else 1.2
    shape = group(
        el("path", class_="slope-hit", d=d),
        el("path", class_=f"slope {tone}", id=canvas.id("s", key), d=d),
        el("circle", class_="dot", id=canvas.id("z", key), r=radius, transform=_at(*start)),
        el("circle", class_="dot", id=canvas.id("d", key), r=radius, transform=_at(*end)),
    )
    rows: Stands = group_rows(answer, one)
    lit = None
    if one.lit_n:
        share = math.sqrt(one.lit_n / one.n) if one.n else 0.0
        parts = [
            el(
                "circle",
                class_="lit-point",
                id=canvas.id("l", key),
                r=max(radius * share, 1.4),
                transform=_at(*end),
            )
        ]
        if rows.all_lit:
            parts.append(el("path", class_="slope lit-line", d=d))
        lit = group(*parts)
    card = group_card(answer, table, one, figure_words(answer)(one.value))
    canvas.mark(shape, lit, key, answer.condition(one), card, rows)


def _at(x: float, y: float) -> str:
    return f"translate({x:.2f} {y:.2f})"


def _named(canvas: Canvas, places: list[float], names: list[str], x: float, anchor: str) -> None:
    """Write names beside their ends, moved apart; where all would not fit those in the midst are left out."""
    room = int((canvas.y_end - canvas.y_start + LINE) / LINE)
    order = sorted(range(len(places)), key=lambda i: places[i])
    if len(order) > room:
        # the ends of the range say most
        outer = order[: room // 2] + order[len(order) - (room - room // 2) :]
        order = sorted(set(outer), key=lambda i: places[i])
    wide = (canvas.left if anchor == "end" else canvas.right) - 12.0
    for i, at in zip(
        order, apart([places[i] for i in order], LINE, canvas.y_start, canvas.y_end), strict=True
    ):
        if abs(at - places[i]) > 3:
            inner = x + (5 if anchor == "end" else -5)
            canvas.under.append(line(inner, places[i], x, at, "leader"))
        canvas.over.append(label(shortened(names[i], wide), x, at + 4, anchor, "lane-label"))


def apart(places: Sequence[float], least: float, low: float, high: float) -> list[float]:
    """Return ascending places moved so that none is nearer to the next than ``least``, as little as can be.

    Places that touch form a block around their mean (pool adjacent violators; Ayer et al. 1955).
    They stay between the ends where all fit.

    >>> apart([0.0, 1.0, 30.0], 10.0, 0.0, 40.0)
    [0.0, 10.0, 30.0]
    """
    blocks: list[tuple[float, int]] = []
    for i, at in enumerate(places):
        blocks.append((at - i * least, 1))
        while len(blocks) > 1 and blocks[-2][0] > blocks[-1][0]:
            (a, n), (b, m) = blocks[-2], blocks.pop()
            blocks[-1] = ((a * n + b * m) / (n + m), n + m)
    most = high - (len(places) - 1) * least
    found: list[float] = []
    for mean, n in blocks:
        kept = max(min(mean, most), low)
        found += [kept + (len(found) + k) * least for k in range(n)]
    return found
