"""Whether several lines, or one, change their level at once."""

from __future__ import annotations

import numpy as np

from night_trail.core.table import Floats

SHIFT_WINDOW, SHIFT_SIZE, SHIFT_APART, LEAST_SHIFTED = 6, 4.0, 2, 3
WANDERS = 3.5
"""How many times as large as those elsewhere, in the middle, a step must be."""


_LINE = np.column_stack(
    [
        np.ones(2 * SHIFT_WINDOW),
        np.arange(2.0 * SHIFT_WINDOW),
        np.repeat([0.0, 1.0], SHIFT_WINDOW),
    ]
)
_STEP = np.linalg.pinv(_LINE)[2]
"""What a step amounts to beside a straight trend, by least squares over both windows."""


def shared_shift(lines: Floats, season: int = 0) -> int | None:
    """Return the period in which every line changes its level; None where not all do.

    A line does where the means of the six periods before and after differ by
    over four of their standard deviations, and those after from the same part of
    the season before by half as much at least, and where beside a straight trend
    through both a step of half as much is left, 3.5 times as large as such steps are
    elsewhere; all do where they do so within two periods of each other.

    Parameters
    ----------
    lines
        Shape (lines, periods), NaN for gaps.
    season
        How many periods the shortest season lasts, 0 where there is none.
    """
    return _shift(lines, season) if len(lines) >= LEAST_SHIFTED else None


def level_shift(line: Floats, season: int = 0) -> int | None:
    """Return the period in which one line changes its level by the same measure.

    ``line`` has shape (periods,), NaN for gaps; ``season`` is in steps, 1 for none. None where there is no
    change.
    """
    return _shift(line[None], season)


def _shift(lines: Floats, season: int) -> int | None:
    if lines.shape[1] < 2 * SHIFT_WINDOW:
        return None
    windows = np.lib.stride_tricks.sliding_window_view(lines, SHIFT_WINDOW, axis=1)
    means, variances = windows.mean(axis=2), windows.var(axis=2, ddof=1)
    step = np.abs(means[:, SHIFT_WINDOW:] - means[:, :-SHIFT_WINDOW])
    noise = np.sqrt((variances[:, SHIFT_WINDOW:] + variances[:, :-SHIFT_WINDOW]) / 2)
    size = np.nan_to_num(np.divide(step, noise, out=np.zeros_like(step), where=noise > 0))
    at = size.argmax(axis=1)
    if size.max(axis=1).min() <= SHIFT_SIZE or int(np.ptp(at)) > SHIFT_APART:
        return None
    found = int(np.median(at)) + SHIFT_WINDOW
    # what rises steadily comes to lie higher too: beside a trend the step is half of the difference at least
    each = np.arange(len(lines))
    beside = np.abs(np.lib.stride_tricks.sliding_window_view(lines, 2 * SHIFT_WINDOW, axis=1) @ _STEP)
    own = beside[each, at]
    if (own < step[each, at] / 2).any():
        return None
    # what wanders steps everywhere
    elsewhere = np.abs(np.arange(beside.shape[1])[None] - at[:, None]) >= SHIFT_WINDOW
    usual = np.nanmedian(np.where(elsewhere, beside, np.nan), axis=1) if elsewhere.any(axis=1).all() else 0.0
    if (own < WANDERS * usual).any():
        return None
    # half a season up and half a season down is no change of level
    for back in (k * season for k in range(1, 1 + -(-SHIFT_WINDOW // season))) if season else ():
        if found - back < 0:
            return None
        after, before = means[:, found], means[:, found - back]
        if (np.abs(after - before) < step[each, at] / 2).any():
            return None
    return found
