"""Figures of groups and the intervals around them, from values beside group codes."""

from __future__ import annotations

import math
from dataclasses import dataclass, fields

import numpy as np
from scipy import special

from night_trail.core.many import Runs, Stands, summed, tallied
from night_trail.core.stats.intervals import Z95, t95
from night_trail.core.stats.quantiles import quantiles
from night_trail.core.table import Bools, Floats, Ints

FEW = 30
"""Under so many values the mean's interval is bootstrapped."""

RESAMPLES = 2_000

FAR = 1e4
"""So many times as far from 0 as they lie from each other, values are counted from one of them on."""

SHUFFLES, MOST_SHUFFLED, MOST_ROWS = 999, 60, 1_000
"""So many tables with the same sums are shuffled, of so many groups or rows at most."""


@dataclass(frozen=True)
class GroupMoments:
    """Counts, sums, means and variances (n − 1) of groups, one a group.

    ``off`` are the means from the mean of all values: exact where the means
    themselves lie so far out that their differences are lost in their digits.
    """

    n: Ints
    sums: Floats
    means: Floats
    variances: Floats
    off: Floats

    def some(self, which: Bools) -> GroupMoments:
        """Return those of some groups; ``which`` has shape (groups,)."""
        return GroupMoments(*(getattr(self, field.name)[which] for field in fields(self)))


def moments(values: Floats, codes: Ints, n_groups: int, stands: Stands | None = None) -> GroupMoments:
    """Return the moments of groups; a mean without values and a variance of one value are NaN.

    Parameters
    ----------
    values, codes
        One dimension each and equally long; codes from 0 to ``n_groups`` − 1.
    stands
        How many rows each value stands for; None for one.
    """
    n = tallied(codes, n_groups, stands)
    # values far from 0 are counted from one of them on: their differences keep their digits
    far = len(values) > 0 and abs(float(values[0])) > FAR * float(np.ptp(values))
    pivot = float(values[0]) if far else 0.0
    shifted = values - pivot
    with np.errstate(invalid="ignore", divide="ignore"):
        off = summed(shifted, codes, n_groups, stands) / n
        # around the means; in one place, as there may be millions
        np.subtract(shifted, off[codes], out=shifted)
        np.multiply(shifted, shifted, out=shifted)
        squares = summed(shifted, codes, n_groups, stands)
        if stands is not None and stands.squares is not None:
            squares += np.bincount(codes, weights=stands.squares, minlength=n_groups)
        variances = np.where(n > 1, squares / (n - 1), np.nan)
        means = pivot + off
    return GroupMoments(n, np.where(n > 0, n * means, 0.0), means, variances, off)


def moments_of_shares(
    values: Floats, codes: Ints, n_groups: int, stands: Stands | None = None
) -> GroupMoments:
    """Return the moments of groups of values that are 0 or 1, whose spread follows from their mean.

    ``values`` has shape (rows,), 0.0 or 1.0 without NaN, or the shares of the rows that they stand for;
    ``codes`` from 0 to ``n_groups`` − 1.
    """
    n, sums = tallied(codes, n_groups, stands), summed(values, codes, n_groups, stands)
    with np.errstate(invalid="ignore", divide="ignore"):
        means = sums / n
        variances = np.where(n > 1, sums * (1 - means) / (n - 1), np.nan)
    return GroupMoments(n, sums, means, variances, means)


def mean_interval(n: int, mean: float, variance: float) -> tuple[float, float] | None:
    """Return the 95 % interval of a mean by Student's t; none for fewer than two values."""
    if n < 2 or math.isnan(variance):
        return None
    half = t95(n - 1) * math.sqrt(variance / n)
    return mean - half, mean + half


def bootstrapped_interval(values: Floats) -> tuple[float, float] | None:
    """Return the 95 % interval of the mean of few values, bias-corrected and accelerated (Efron 1987).

    The resamples are drawn from a fixed seed, from the values in order: the
    same values, the same interval, wherever they stand.

    ``values`` has shape (n,) in any order, without NaN; None for fewer than two.
    """
    n, values = len(values), np.sort(values)
    if n < 2 or float(np.ptp(values)) == 0.0:
        return None if n < 2 else (float(values[0]), float(values[0]))
    rng = np.random.default_rng(n)
    means = np.sort(values[rng.integers(0, n, (RESAMPLES, n))].mean(axis=1))
    mean = float(values.mean())
    below = (np.count_nonzero(means < mean) + 0.5 * np.count_nonzero(means == mean)) / RESAMPLES
    bias = float(special.ndtri(min(max(below, 1 / RESAMPLES), 1 - 1 / RESAMPLES)))
    left_out = (values.sum() - values) / (n - 1)
    off = left_out.mean() - left_out
    acceleration = float((off**3).sum() / (6.0 * ((off**2).sum()) ** 1.5))
    ends = []
    for z in (-Z95, Z95):
        at = bias + (bias + z) / (1 - acceleration * (bias + z))
        ends.append(float(quantiles(means, (float(special.ndtr(at)),))[0]))
    return ends[0], ends[1]


def quantile_interval(ascending: Floats | Runs, level: float) -> tuple[float, float] | None:
    """Return an interval of at least 95 % for a quantile between two order statistics; none under 6 values.

    The ranks are those of the binomial distribution (Conover 1999, 3.2).

    ``ascending`` has shape (n,) without NaN; ``level`` lies between 0 and 1.
    """
    n = len(ascending)
    if n < 6:
        return None
    ranks = np.arange(n + 1)
    if n > 2_000:
        centre, spread = n * level, Z95 * math.sqrt(n * level * (1 - level))
        low, high = math.floor(centre - spread), math.ceil(centre + spread)
    else:
        chances = special.bdtr(ranks, n, level)
        low = int(np.searchsorted(chances, 0.025, side="right"))
        high = int(np.searchsorted(chances, 0.975)) + 1
    return float(ascending[max(low - 1, 0)]), float(ascending[min(high - 1, n - 1)])


def ratio_interval(above: Floats, below: Floats, stands: Stands | None = None) -> tuple[float, float] | None:
    """Return the 95 % interval of a ratio of two sums by linearisation (Cochran 1977, 6.3).

    Both have shape (rows,) without NaN; None under two rows, or where the sum below is 0.
    """
    many: Floats | float = 1.0 if stands is None else stands.n.astype(np.float64)
    n = len(below) if stands is None else int(stands.n.sum())
    total = float((below * many).sum())
    if n < 2 or total == 0:
        return None
    ratio = float((above * many).sum()) / total
    squares = float(((above - ratio * below) ** 2 * many).sum())
    if stands is not None:
        assert stands.squares is not None and stands.below is not None  # noqa: S101  (a ratio has both)
        assert stands.products is not None  # noqa: S101  (a ratio has both)
        squares += float((stands.squares - 2 * ratio * stands.products + ratio**2 * stands.below).sum())
    half = t95(n - 1) * math.sqrt(n / (n - 1) * max(squares, 0.0)) / abs(total)
    return ratio - half, ratio + half


MOST_WELCH, LEAST_WELCH = 10, 50
"""Welch's test keeps its level for a few groups of many rows; beyond, that of Brown & Forsythe does."""


def alike(found: GroupMoments) -> tuple[str, float | None]:
    """Return the test that all means are equal that keeps its level here, and its p.

    Welch's takes the spread of each group as known: with many groups, or of few
    rows, it calls noise a difference in up to every second case.
    """
    n = found.n[found.n > 0]
    if len(n) <= MOST_WELCH and (not len(n) or int(n.min()) >= LEAST_WELCH):
        return "Welch", welch(found)
    return "Brown–Forsythe", brown_forsythe(found)


def welch(found: GroupMoments) -> float | None:
    """Return p of Welch's (1951) test that all means are equal; none where it cannot be computed."""
    usable = (found.n > 1) & (found.variances > 0)
    k = int(usable.sum())
    if k < 2:
        return None
    n, means, variances = found.n[usable], found.off[usable], found.variances[usable]
    weights = n / variances
    total = weights.sum()
    centre = (weights * means).sum() / total
    between = (weights * (means - centre) ** 2).sum() / (k - 1)
    lack = (((1 - weights / total) ** 2) / (n - 1)).sum()
    statistic = between / (1 + 2 * (k - 2) * lack / (k * k - 1))
    freedom = (k * k - 1) / (3 * lack)
    return float(special.fdtrc(k - 1, freedom, statistic))


def brown_forsythe(found: GroupMoments) -> float | None:
    """Return p of the test of Brown & Forsythe (1974) that all means are equal.

    Groups of one value are left out; None where it cannot be computed.
    """
    usable = found.n > 1
    k = int(usable.sum())
    n, means, variances = found.n[usable].astype(np.float64), found.off[usable], found.variances[usable]
    total = n.sum()
    if k < 2 or not (variances > 0).any():
        return None
    parts = (1 - n / total) * variances
    within = float(parts.sum())
    statistic = float((n * (means - (n * means).sum() / total) ** 2).sum()) / within
    freedom = within**2 / float((parts**2 / (n - 1)).sum())
    return float(special.fdtrc(k - 1, freedom, statistic))


def apart(found: GroupMoments) -> list[bool]:
    """Return for each group whether its mean differs from that of all other rows.

    Welch's t-tests with the step of Benjamini & Hochberg (1995) at 5 %. The
    spread of a group counts as no less than that of the rest: few rows that
    happen to lie close, as rows without a rare event do, would else stand out.
    """
    n, total = found.n.astype(np.float64), float(found.n.sum())
    with np.errstate(invalid="ignore", divide="ignore"):
        means = np.where(found.n > 0, found.off, 0.0)
        means = means - (n * means).sum() / total
        own = np.where(found.n > 1, found.variances, 0.0) * np.maximum(n - 1, 0)
        rest_n = total - n
        rest_mean = ((n * means).sum() - n * means) / rest_n
        # the spread of the rest around its own mean: within its groups, and between them
        around = own.sum() + (n * means**2).sum()
        rest_variance = (around - own - n * means**2 - rest_n * rest_mean**2) / (rest_n - 1)
        a, b = np.fmax(found.variances, rest_variance) / n, rest_variance / rest_n
        t = np.abs(means - rest_mean) / np.sqrt(a + b)
        freedom = (a + b) ** 2 / (a**2 / (n - 1) + b**2 / (rest_n - 1))
        # no t below this is under 5 %, at any degrees of freedom; of many groups most are
        able = np.flatnonzero(t > 1.95)
        p = 2 * special.stdtr(freedom[able], -t[able])
    every = np.ones(len(n))
    every[able] = np.where(np.isfinite(p), p, 1.0)
    return discoveries(every)


def discoveries(p: Floats, level: float = 0.05) -> list[bool]:
    """Return which hypotheses Benjamini & Hochberg (1995) reject at a false-discovery rate.

    ``p`` has shape (hypotheses,) without NaN.
    """
    order = np.argsort(p)
    passed = np.flatnonzero(p[order] <= level * np.arange(1, len(p) + 1) / max(len(p), 1))
    found = np.zeros(len(p), dtype=np.bool_)
    if len(passed):
        found[order[: passed[-1] + 1]] = True
    return list(found.tolist())


def ranked(ascending: Floats, stands: Stands | None = None) -> tuple[Floats, Floats]:
    """Return the ranks of values in ascending order, and the lengths of runs of equal ones.

    ``ascending`` has shape (n,) without NaN; ranks begin at 1, of equal values at their mean.
    """
    first = np.concatenate([[True], ascending[1:] != ascending[:-1]])
    if stands is not None:
        run = np.cumsum(first) - 1
        rows_in = tallied(run, int(run[-1]) + 1, stands)
        return (np.cumsum(rows_in) - rows_in + (rows_in + 1) / 2)[run], rows_in.astype(np.float64)
    begins = np.flatnonzero(first)
    lengths = np.diff(np.append(begins, len(ascending)))
    return np.repeat(begins + (lengths + 1) / 2, lengths), lengths.astype(np.float64)


def kruskal(
    ranks: Floats, lengths: Floats, codes: Ints, n_groups: int, stands: Stands | None = None
) -> float | None:
    """Return p of the Kruskal–Wallis test; of ``FEW`` rows at most by shuffling them.

    Parameters
    ----------
    ranks, lengths
        The ranks of all values and the lengths of runs of equal ones, as of ``ranked``.
    codes
        The group of each value.
    stands
        How many rows each value stands for; None for one.
    """
    counts = tallied(codes, n_groups, stands)
    n = int(counts.sum())
    k = int(np.count_nonzero(counts))
    if n < 3 or k < 2 or len(lengths) < 2:
        return None
    sums = summed(ranks, codes, n_groups, stands)
    present = counts > 0
    if n <= FEW:
        if stands is not None:
            times = stands.n.astype(np.int64)
            ranks, codes = np.repeat(ranks, times), np.repeat(codes, times)
        return _kruskal_of_few(ranks, codes, counts, float((sums[present] ** 2 / counts[present]).sum()))
    statistic = 12 / (n * (n + 1)) * float((sums[present] ** 2 / counts[present]).sum()) - 3 * (n + 1)
    statistic /= 1 - float((lengths**3 - lengths).sum()) / (n**3 - n)
    return float(special.chdtrc(k - 1, statistic))


def _kruskal_of_few(ranks: Floats, codes: Ints, counts: Ints, found: float) -> float:
    """Return in what share of shuffles sums of ranks lie as far apart: of few, chi-square does not tell."""
    # in one order, so that the same rows give the same share however they come
    shuffled = np.random.default_rng(len(ranks)).permuted(np.tile(np.sort(ranks), (SHUFFLES, 1)), axis=1)
    present = counts > 0
    of_group = np.eye(len(counts))[np.sort(codes)][:, present]
    apart = ((shuffled @ of_group) ** 2 / counts[present]).sum(axis=1)
    return float(1 + np.count_nonzero(apart >= found * (1 - 1e-12))) / (SHUFFLES + 1)


def chi_square_of_shares(hits: Ints, n: Ints) -> float | None:
    """Return p of Pearson's chi-square that all shares are equal.

    Where fewer than five are expected in a group the statistic is no chi-square: of few groups or rows
    it is held against ``SHUFFLES`` tables with the same sums, of many against a gamma distribution with the
    mean and variance it has over all of them (Haldane 1940; Dawson 1954).

    ``hits`` and ``n`` have shape (groups,), groups of no rows left out.
    """
    used = n > 0
    hits, n = hits[used], n[used]
    total, found = int(n.sum()), int(hits.sum())
    if len(n) < 2 or found in (0, total):
        return None
    share = found / total
    statistic = float(_far_from_even(hits, n, share))
    if float(n.min()) * min(share, 1 - share) >= 5:
        return float(special.chdtrc(len(n) - 1, statistic))
    if len(n) <= MOST_SHUFFLED or total <= MOST_ROWS:
        shuffled = _far_from_even(_shuffled_hits(n, found), n, share)
        return float(1 + np.count_nonzero(shuffled >= statistic * (1 - 1e-9))) / (SHUFFLES + 1)
    return chance_of_sparse(statistic, n, np.array([found, total - found]))


def _shuffled_hits(n: Ints, found: int) -> Ints:
    """Return how many hits each group has where so many fall on any rows; shape (``SHUFFLES``, groups)."""
    total = int(n.sum())
    rng = np.random.default_rng(total)
    if len(n) <= MOST_SHUFFLED:
        return np.asarray(rng.multivariate_hypergeometric(n, found, SHUFFLES))
    rows = np.tile(np.arange(total) < found, (SHUFFLES, 1))
    starts = np.concatenate([[0], np.cumsum(n)[:-1]])
    return np.asarray(np.add.reduceat(rng.permuted(rows, axis=1), starts, axis=1, dtype=np.int64))


def _far_from_even(hits: Ints, n: Ints, share: float) -> Floats:
    """Return Pearson's statistic of hits in groups, of several tables where ``hits`` has a row for each."""
    expected = n * share
    return np.asarray(((hits - expected) ** 2 / (expected * (1 - share))).sum(axis=-1))


def chance_of_sparse(statistic: float, lines: Ints, columns: Ints) -> float:
    """Return p of Pearson's statistic of a table whose cells expect few rows each.

    It is held against a gamma distribution with the mean and variance it has over all tables with
    these sums (Haldane 1940; Dawson 1954). Both have shape (groups,), all above 0, with one total.
    """
    total = int(lines.sum())
    if total < 4:
        return 1.0
    counts = len(lines), len(columns)
    uneven = [
        (float((total / n).sum()) - k**2) / (total - 2) for n, k in zip((lines, columns), counts, strict=True)
    ]
    free = [(k - 1) * (total - k) / (total - 1) for k in counts]
    mean = total / (total - 1) * (counts[0] - 1) * (counts[1] - 1)
    variance = 2 * total / (total - 3) * (free[0] - uneven[0]) * (free[1] - uneven[1])
    variance += total**2 / (total - 1) * uneven[0] * uneven[1]
    # of rows that are a group each the statistic is always the same
    if variance <= 1e-9 * mean**2:
        return 1.0
    return float(special.gammaincc(mean**2 / variance, statistic * mean / variance))


def eta_squared(found: GroupMoments) -> float | None:
    """Return η², the share of all variance that lies between the groups; none without variance."""
    used = found.n > 0
    n, means = found.n[used], found.off[used]
    within = float(np.nansum(found.variances[used] * np.maximum(n - 1, 0)))
    between = float((n * (means - (n * means).sum() / n.sum()) ** 2).sum()) if n.sum() else 0.0
    return between / (between + within) if between + within > 0 else None


def epsilon_squared(found: GroupMoments) -> float | None:
    """Return ε², η² less what chance gives it (Kelley 1935), below 0 where chance gives more.

    None without variance, or with as many groups as values.
    """
    eta, n, groups = eta_squared(found), int(found.n.sum()), int((found.n > 0).sum())
    return None if eta is None or n <= groups else 1 - (1 - eta) * (n - 1) / (n - groups)


def cramers_v(left: Ints, right: Ints) -> float | None:
    """Return Cramér's V of two categories as codes, with the bias correction of Bergsma (2013).

    Both have shape (rows,), codes from 0, none missing; None where one of them has a single value.
    """
    _, a = np.unique(left, return_inverse=True)
    _, b = np.unique(right, return_inverse=True)
    rows, columns = int(a.max()) + 1, int(b.max()) + 1
    return v_of_counts(np.bincount(a * columns + b, minlength=rows * columns).reshape(rows, columns))


def v_of_counts(table: Ints) -> float | None:
    """Return Cramér's V, corrected as above, of the counts of pairs; shape (values of one, of the other)."""
    counts = table[table.sum(axis=1) > 0][:, table.sum(axis=0) > 0].astype(np.float64)
    (rows, columns), n = counts.shape, float(counts.sum())
    if min(rows, columns) < 2 or n < 2:
        return None
    expected = np.outer(counts.sum(axis=1), counts.sum(axis=0)) / n
    phi2 = float(((counts - expected) ** 2 / expected).sum()) / n
    corrected = max(0.0, phi2 - (rows - 1) * (columns - 1) / (n - 1))
    r, c = rows - (rows - 1) ** 2 / (n - 1), columns - (columns - 1) ** 2 / (n - 1)
    return math.sqrt(corrected / (min(r, c) - 1)) if min(r, c) > 1 else 0.0
