"""Lines through time: the rows they stand for, and paths through the periods of a calendar."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

import numpy as np

from night_trail.core.questions.shared.periods import every_so_many, runs
from night_trail.core.questions.shared.rolled import Line
from night_trail.core.table import Floats
from night_trail.draw.frame.canvas import Stands
from night_trail.draw.frame.scales import Linear
from night_trail.draw.frame.svg import Svg, el, group


def stands(one: Line, first: int = 0, end: int | None = None) -> Stands:
    """Return the rows of a line between two of its periods, of all where none are named."""
    lit = None if one.lit_n is None else int(one.lit_n[first:end].sum())
    return Stands(int(one.n[first:end].sum()), lit)


def lit_line(d: str, id_: str | None, hue: int | None) -> Svg:
    """Return a lit line; of several its group's own colour runs in it, so that they are told apart."""
    if hue is None:
        return el("path", class_="lit-line", id=id_, d=d)
    core = el("path", class_=f"lit-core hue-{hue}", d=d)
    return group(el("path", class_="lit-line cored", id=id_, d=d), core)


def lit_hues(lines: Iterable[Line], hues: Sequence[int]) -> dict[int, int]:
    """Return the colours of lit lines by their position; none where only one is lit."""
    lit = [one.position for one in lines if one.any_lit]
    return {position: hues[position] % 8 for position in lit} if len(lit) > 1 else {}


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


def steps(edges: Floats, values: Floats, x: Linear, y: Linear) -> str:
    """Return a line that stands at a figure for the whole of its period; ``edges`` are one more than values.

    It breaks where a value is missing: nothing is known there.
    """
    left, high = x.all(edges).tolist(), y.all(values).tolist()
    return "".join(
        f"M{left[a]:.1f} {high[a]:.1f}"
        + "".join(f"{'' if i == a else f'V{high[i]:.1f}'}H{left[i + 1]:.1f}" for i in range(a, b))
        for a, b in runs(~np.isnan(values))
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
