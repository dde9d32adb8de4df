"""Lines through time: the rows they stand for, and paths through the periods of a calendar."""

from __future__ import annotations

import numpy as np

from night_trail.core.questions.shared.periods import every_so_many, runs
from night_trail.core.questions.shared.rolled import Line
from night_trail.core.table import Floats
from night_trail.draw.frame.canvas import Stands
from night_trail.draw.frame.scales import Linear


def stands(one: Line, first: int = 0, end: int | None = None) -> Stands:
    """Return the rows of a line between two of its periods, of all where none are named."""
    lit = None if one.lit_n is None else int(one.lit_n[first:end].sum())
    return Stands(int(one.n[first:end].sum()), lit)


_place = "{:.1f} {:.1f}".format


def path(at: Floats, values: Floats, x: Linear, y: Linear) -> str:
    """Return a line through points that breaks where a value is missing; a lone point becomes a dot.

    Values that stand at every fifth period, say, and nowhere else miss nothing: their line goes on.
    """
    if every_so_many(~np.isnan(values)) > 1:
        at, values = at[~np.isnan(values)], values[~np.isnan(values)]
    places = _places(at, values, x, y)
    return "".join(
        "M" + "L".join(places[a:b]) + ("h0.1" if b == a + 1 else "") for a, b in runs(~np.isnan(values))
    )


def area(at: Floats, low: Floats, high: Floats, x: Linear, y: Linear) -> str:
    """Return the ground between two lines, broken where either is missing."""
    up, down = _places(at, high, x, y), _places(at, low, x, y)
    return "".join(
        "M" + "L".join([*up[a:b], *reversed(down[a:b])]) + "Z"
        for a, b in runs(~(np.isnan(low) | np.isnan(high)))
    )


def _places(at: Floats, values: Floats, x: Linear, y: Linear) -> list[str]:
    return list(map(_place, x.all(at).tolist(), y.all(values).tolist()))
