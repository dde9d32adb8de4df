"""Paths through the periods of a calendar."""

from __future__ import annotations

import numpy as np

from night_trail.core.answers.rolled import runs
from night_trail.core.table import Floats
from night_trail.draw.scales import Linear


def path(at: Floats, values: Floats, x: Linear, y: Linear) -> str:
    """Return a line through points that breaks where a value is missing; a lone point becomes a dot."""
    found: list[str] = []
    for a, b in runs(~np.isnan(values)):
        places = [f"{x(float(at[i])):.1f} {y(float(values[i])):.1f}" for i in range(a, b)]
        found.append("M" + "L".join(places) + ("h0.1" if b == a + 1 else ""))
    return "".join(found)


def area(at: Floats, low: Floats, high: Floats, x: Linear, y: Linear) -> str:
    """Return the ground between two lines, broken where either is missing."""
    found: list[str] = []
    for a, b in runs(~(np.isnan(low) | np.isnan(high))):
        up = [f"{x(float(at[i])):.1f} {y(float(high[i])):.1f}" for i in range(a, b)]
        down = [f"{x(float(at[i])):.1f} {y(float(low[i])):.1f}" for i in range(b - 1, a - 1, -1)]
        found.append("M" + "L".join(up) + "L" + "L".join(down) + "Z")
    return "".join(found)
