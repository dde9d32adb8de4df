"""Grids whose cells diverge from a middle: correlations of many numbers, two categories against chance."""

from __future__ import annotations

import math

from night_trail.core.language.numbers import number
from night_trail.core.question import to_json
from night_trail.core.questions.correlation.answer import CorrelationAnswer
from night_trail.core.questions.crosstab.answer import CrosstabAnswer
from night_trail.core.questions.relate.question import Relate
from night_trail.core.table import Table
from night_trail.core.turns import See
from night_trail.draw.frame.canvas import Canvas, Size, Stands
from night_trail.draw.shapes.cross import grid_cell, grid_frame, lit_strip

STRONGEST = 8.0
"""Residuals this far from 0 and further have the full shade."""


def tone_of(share: float) -> str:
    """Return the class of a shade from −1 to 1; 0 is the ground."""
    step = min(6, max(1, math.ceil(abs(share) * 6)))
    return f"cell {'above' if share >= 0 else 'below'} shade-{step}"


def draw_correlation(answer: CorrelationAnswer, table: Table, size: Size, prefix: str) -> Canvas:
    """Return the correlations of every pair; a cell opens its points."""
    canvas = Canvas(size, prefix, has_lit=False)
    names = [c.name for c in answer.columns]
    across, lanes = grid_frame(canvas, names, names)
    for i, one in enumerate(names):
        for j, other in enumerate(names):
            r = float(answer.r[i, j])
            if i == j or not math.isfinite(r):
                continue
            key = f"{one}\x1f{other}"
            text = number(round(r, 2), 2) if answer.found[i, j] else ""
            shape = grid_cell(canvas, across, lanes, i, j, tone_of(r), key, text)
            card = [
                f"{one} with {other}",
                f"correlation {number(r, 3)}",
                table.rows_in_words(int(answer.n[i, j])),
            ]
            if not answer.found[i, j]:
                card.append("may be chance")
            if answer.lit_r is not None and math.isfinite(answer.lit_r[i, j]):
                card.append(f"among the lit {number(float(answer.lit_r[i, j]), 3)}")
            canvas.door(shape, key, to_json(See(Relate(one, other))), card)
    canvas.bottom_title("correlation; figures where it is beyond chance")
    return canvas


def draw_crosstab(answer: CrosstabAnswer, table: Table, size: Size, prefix: str) -> Canvas:
    """Return how often each pair occurs, shaded by how far that is from chance."""
    canvas = Canvas(size, prefix, answer.basis.lit is not None)
    names, tops = [g.label for g in answer.rows.groups], [g.label for g in answer.columns.groups]
    across, lanes = grid_frame(canvas, names, tops)
    for i, one in enumerate(names):
        for j, other in enumerate(tops):
            count, expected = int(answer.counts[i, j]), float(answer.expected[i, j])
            residual = float(answer.residuals[i, j])
            key = f"{one}\x1f{other}"
            tone = tone_of(max(-1.0, min(1.0, residual / STRONGEST)))
            shape = grid_cell(canvas, across, lanes, i, j, tone, key, f"{count:,}")
            lit = None
            lit_count = None if answer.lit is None else int(answer.lit[i, j])
            if lit_count and count:
                lit = lit_strip(canvas, across, lanes, i, j, lit_count / count, key)
            card = [f"{one} · {other}", table.rows_in_words(count), f"by chance {number(expected, 3)}"]
            card.append(f"{number(abs(residual), 2)} standard errors {'more' if residual >= 0 else 'fewer'}")
            canvas.mark(shape, lit, key, answer.condition(i, j), card, Stands(count, lit_count))
    canvas.bottom_title(f"{answer.against.name} · {table.row_noun[1]}, shaded by how far from chance")
    return canvas
