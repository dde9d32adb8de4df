"""Long columns of few different numbers in order, by counting instead of comparing."""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt

from night_trail.core.abreast import MANY, abreast

Floats = npt.NDArray[np.float64]

DECIMALS = (1.0, 10.0, 100.0, 1_000.0)
"""Numbers written with up to three decimals are whole ones of a tenth, a hundredth or a thousandth."""

MOST = 1 << 16
"""Different places at most: so many are sorted digit by digit."""


def by_places(values: Floats) -> tuple[Floats, npt.NDArray[np.uint32]] | None:
    """Return numbers ascending and the rows they stand in, both of shape (present,), NaN left out.

    ``values`` has shape (rows,). None where it is short, or is no column of few decimals and reach: it
    is sorted by comparing then. Equal numbers stay in the order of their rows.
    """
    if len(values) < MANY or len(values) >= 1 << 32:
        return None
    some = values[:10_000]
    with np.errstate(over="ignore"):
        unit = next((d for d in DECIMALS if _holds(some, np.rint(some * d), d)), None)
    low, high = float(np.fmin.reduce(values)), float(np.fmax.reduce(values))
    if unit is None or not np.isfinite(high - low) or (high - low) * unit >= MOST - 2:
        return None
    begins = float(np.rint(low * unit))
    half = len(values) // 2
    one, other = abreast(
        len(values),
        lambda: _sorted(values[:half], unit, begins),
        lambda: _sorted(values[half:], unit, begins),
    )
    if one is None or other is None:
        return None
    (first, n_first), (second, n_second) = one, other
    counts = n_first + n_second
    order = np.empty(len(values), dtype=np.uint32)
    at = in_first = in_second = 0
    for place in np.flatnonzero(counts):
        # of each place the rows of the first half come first
        for rows, begin, n, shift in (
            (first, in_first, n_first[place], 0),
            (second, in_second, n_second[place], half),
        ):
            np.add(rows[begin : begin + n], shift, out=order[at : at + n], casting="unsafe")
            at += n
        in_first, in_second = in_first + n_first[place], in_second + n_second[place]
    each = (np.arange(MOST) - 1 + begins) / unit
    return np.repeat(each, counts)[counts[0] :], order[counts[0] :]


def _holds(values: Floats, whole: Floats, unit: float) -> bool:
    """Whether all numbers are whole ones of a unit, to the last bit."""
    return bool(((whole / unit == values) | np.isnan(values)).all())


def _sorted(
    values: Floats, unit: float, begins: float
) -> tuple[npt.NDArray[Any], npt.NDArray[np.int64]] | None:
    """Return the rows by their places from ``begins``, place 0 for what is missing, and how many each has.

    None where a number is no whole one of the unit.
    """
    whole = np.rint(values * unit)
    if not _holds(values, whole, unit):
        return None
    whole -= begins - 1
    whole[np.isnan(values)] = 0
    places = whole.astype(np.uint16)
    return np.argsort(places, kind="stable"), np.bincount(places, minlength=MOST)
