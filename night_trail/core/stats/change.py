"""What a change is made of: parts of segments that add up, and how unexpected each of them is."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy import special

from night_trail.core.table import Floats, Ints

CARRIED = 4
"""A sum that fewer alike rows would carry with the same error has no logarithm to go by."""


@dataclass(frozen=True)
class Side:
    """What the rows of one side come to, a segment each: how many rows, their sum, the sum of their squares.

    ``over`` is what a mean or ratio is taken over: rows, or the sum below.
    """

    n: Ints
    sums: Floats
    squares: Floats
    over: Floats

    @property
    def rates(self) -> Floats:
        """The mean or ratio of each segment, NaN without rows."""
        with np.errstate(invalid="ignore", divide="ignore"):
            return np.where(self.over != 0, self.sums / self.over, np.nan)

    @property
    def rate(self) -> float:
        """That of all together."""
        below = float(self.over.sum())
        return float(self.sums.sum()) / below if below else float("nan")


def side_of(values: Floats, codes: Ints, below: Floats | None, n_segments: int) -> Side:
    """Return what rows come to by segment; all of shape (rows,), codes from 0."""
    n = np.bincount(codes, minlength=n_segments)
    sums = np.bincount(codes, weights=values, minlength=n_segments).astype(np.float64)
    squares = np.bincount(codes, weights=values * values, minlength=n_segments).astype(np.float64)
    over = n if below is None else np.bincount(codes, weights=below, minlength=n_segments)
    return Side(n.astype(np.int64), sums, squares, over.astype(np.float64))


def volume_and_amount(before: Side, after: Side) -> tuple[Floats, Floats]:
    """Return of each segment's change of a sum what more or fewer rows make, and what another amount a row.

    Each factor changes while the other stands at the middle of both sides
    (Marshall–Edgeworth), so that the two parts add up exactly. A segment that
    came or went is all rows.
    """
    m0, m1 = _filled(before, after)
    rows = (after.n - before.n) * (m0 + m1) / 2
    return rows, (after.sums - before.sums) - rows


def rate_and_mix(before: Side, after: Side) -> tuple[Floats, Floats]:
    """Return each segment's parts of the change of a mean or ratio over all: its own rate, and its weight.

    ``rate`` is its change of rate at the middle of both weights; ``mix`` its
    change of weight, times how far its middle rate is from the middle of all.
    Summed over all segments the two add up to the change exactly.
    """
    m0, m1 = _filled(before, after)
    w0, w1 = before.over / before.over.sum(), after.over / after.over.sum()
    rate = (w0 + w1) / 2 * (m1 - m0)
    return rate, (w1 - w0) * ((m0 + m1) / 2 - (before.rate + after.rate) / 2)


def _filled(before: Side, after: Side) -> tuple[Floats, Floats]:
    """Return the rates of both sides; where one has no rows, the other's stands for it."""
    m0, m1 = before.rates, after.rates
    m0, m1 = np.where(np.isnan(m0), m1, m0), np.where(np.isnan(m1), m0, m1)
    return np.nan_to_num(m0), np.nan_to_num(m1)


def off_course(before: Side, after: Side) -> Floats:
    """Return how far each segment's change of a sum is from its share of the whole change.

    A segment's share is that of both sides' values, by their size.
    """
    change = after.sums - before.sums
    size = np.abs(before.sums) + np.abs(after.sums)
    total = float(size.sum())
    return change - float(change.sum()) * size / total if total else change * 0.0


def z_of_sums(before: Side, after: Side) -> tuple[Floats, Floats]:
    """Return how many standard errors each segment moved otherwise than the rest, and the degrees of freedom.

    A sum of a random number of rows has the sum of their squares as its
    variance (compound Poisson). How many times as large a segment became is held
    against how many times the others did, on the log scale, where a rise has no
    more spread than a fall; a sum counts as so many rows as alike ones would
    make the same error, so that one giant row is no finding. Where few rows
    carry a sum, or it is not above 0, ``off_course`` is held against its error.
    """
    n = len(before.sums)
    t0, t1 = float(np.abs(before.sums).sum()), float(np.abs(after.sums).sum())
    if not t0 + t1:
        return np.zeros(n), np.ones(n)
    freedom = np.maximum(before.n + after.n - 2, 1).astype(np.float64)
    sides = [(s.sums, s.squares) for s in (before, after)]
    # what is left of a sum beside a giant may be a little below 0
    rest = [(s.sums.sum() - s.sums, np.maximum(s.squares.sum() - s.squares, 0.0)) for s in (before, after)]
    with np.errstate(invalid="ignore", divide="ignore"):
        own, others = ([squares / sums**2 for sums, squares in both] for both in (sides, rest))
        times, alike = (np.log(both[1][0] / both[0][0]) for both in (sides, rest))
        logs = (times - alike) / np.sqrt(own[0] + own[1] + others[0] + others[1])
        as_rows = 1 / own[0] + 1 / own[1] - 2
    # off course is twice (after × before of the rest − before × after of the rest) / all
    b, a = np.abs(before.sums), np.abs(after.sums)
    error = (t0 - b) ** 2 * after.squares + (t1 - a) ** 2 * before.squares
    error += a**2 * rest[0][1] + b**2 * rest[1][1]
    z = _over(off_course(before, after), 2 * np.sqrt(error) / (t0 + t1))
    able = np.all([sums > 0 for sums, _ in (*sides, *rest)], axis=0)
    able &= np.all([share < 1 / CARRIED for share in (*own, *others)], axis=0)
    return np.where(able, logs, z), np.where(able, as_rows, freedom)


def z_of_rates(before: Side, after: Side, spread_of: Floats) -> Floats:
    """Return how many standard errors a segment's change of rate is from the others', their weights held.

    The others' is the mean of their changes by their middle weights, so that
    another mix among them is no change. A segment without five rows on either
    side has 0.

    ``spread_of`` has shape (segments,): the variance of a row's value within each.
    """
    few = (before.n < 5) | (after.n < 5)
    with np.errstate(invalid="ignore", divide="ignore"):
        step = np.where(few, 0.0, after.rates - before.rates)
        own = np.where(few, 0.0, spread_of * (before.n / before.over**2 + after.n / after.over**2))
        weight = np.where(few, 0.0, before.over / before.over.sum() + after.over / after.over.sum())
    rest = weight.sum() - weight
    others = _over((weight * step).sum() - weight * step, rest)
    spread = own + _over((weight**2 * own).sum() - weight**2 * own, rest**2)
    return np.where(few, 0.0, np.nan_to_num(_over(step - others, np.sqrt(spread))))


def z_of_history(past: Floats, now: Floats) -> Floats:
    """Return how far each segment's step is from its own earlier ones, in their usual size.

    The usual size is 1.4826 times the median distance from their median.

    Parameters
    ----------
    past
        Earlier steps, shape (steps, segments); NaN where unknown.
    now
        The step looked at, shape (segments,).
    """
    middle = np.nanmedian(past, axis=0)
    usual = 1.4826 * np.nanmedian(np.abs(past - middle), axis=0)
    return np.nan_to_num(_over(now - middle, usual))


def chance_of(z: Floats, freedom: Floats | Ints | int) -> Floats:
    """Return how likely so large a z is by chance: Student's t, by as many degrees of freedom.

    ``z`` has any shape, without NaN; ``freedom`` is one for all or one for each, at least 1.
    """
    return np.asarray(2 * special.stdtr(np.maximum(freedom, 1), -np.abs(z)))


def _over(above: Floats, below: Floats) -> Floats:
    with np.errstate(invalid="ignore", divide="ignore"):
        return np.where(below > 0, above / below, 0.0)
