"""Linear and logistic models with several columns: coefficients, their errors, how much they explain."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
from scipy import linalg, special

from night_trail.core.stats.intervals import t95
from night_trail.core.table import Bools, Floats, Ints

ROUNDS = 25
CLOSE = 1e-10
"""A column whose part that no earlier one has is smaller than this, of its size, is left out."""


@dataclass(frozen=True)
class Model:
    """A fitted model; the columns of its design that say nothing new are left out.

    ``kept`` says which columns stayed; ``coefficients`` and ``errors`` are of
    those, as are both sides of ``covariance``. ``fitted`` are the expected
    values (rates of a logistic model), ``explained`` R² (McFadden's of a
    logistic one), ``residual`` the standard deviation of what is left.
    """

    kept: Ints
    coefficients: Floats
    covariance: Floats
    fitted: Floats
    explained: float
    residual: float
    freedom: int
    logistic: bool
    converged: bool = True

    @property
    def errors(self) -> Floats:
        """The standard errors of the coefficients."""
        return np.asarray(np.sqrt(np.maximum(np.diag(self.covariance), 0.0)))

    @property
    def reach(self) -> float:
        """How many standard errors a 95 % interval goes to either side."""
        return 1.959963984540054 if self.logistic else t95(self.freedom)

    def expected(self, design: Floats) -> Floats:
        """Return expected values of other rows; ``design`` has shape (rows, columns of the whole design)."""
        linear = design[:, self.kept] @ self.coefficients
        return np.asarray(special.expit(linear)) if self.logistic else linear

    def averages(self, designs: Iterable[Floats], weights: Floats) -> tuple[Floats, Floats]:
        """Return sums of mean expected values over designs, and the standard error of each sum.

        Each design is what the rows would be otherwise; ``weights`` has shape
        (sums, designs). Errors by the delta method.
        """
        means, slopes = [], []
        for design in designs:
            x = design[:, self.kept]
            at = self.expected(design)
            means.append(float(at.mean()))
            by = at * (1 - at) if self.logistic else np.ones(len(at))
            slopes.append(by @ x / len(x))
        sums = weights @ np.array(means)
        by = weights @ np.array(slopes)
        return sums, np.sqrt(np.maximum(np.einsum("ij,jk,ik->i", by, self.covariance, by), 0.0))


def independent(x: Floats) -> Ints:
    """Return the columns of a design that say what no earlier one does; ``x`` has shape (rows, columns)."""
    kept: list[int] = []
    basis = np.empty(x.shape, order="F")
    for j in range(x.shape[1]):
        column = x[:, j]
        size = float(np.linalg.norm(column))
        before = basis[:, : len(kept)]
        left = column - before @ (before.T @ column)
        left = left - before @ (before.T @ left)
        off = float(np.linalg.norm(left))
        if size > 0 and off > CLOSE * size:
            basis[:, len(kept)] = left / off
            kept.append(j)
    return np.array(kept, dtype=np.int64)


def least_squares(x: Floats, y: Floats, sets: Ints | None = None, robust: bool = False) -> Model | None:
    """Return the linear model of least squares; None where no row is left over.

    By orthogonal triangles (Householder 1958) of columns scaled to one size,
    with the residuals taken in extended precision and fitted again (Björck
    1967), so that nearly dependent columns keep their digits.

    Parameters
    ----------
    x
        The design, shape (rows, columns), with a column of ones where the model has a constant.
    y
        Shape (rows,).
    sets
        Rows that belong together: errors are then those of sets (Liang & Zeger 1986).
    robust
        Errors that hold where rows spread unevenly: HC3 (MacKinnon & White 1985).
    """
    kept = independent(x)
    n, k = len(y), len(kept)
    if n <= k or k == 0:
        return None
    design = x[:, kept]
    sizes = np.linalg.norm(design, axis=0)
    scaled = design / sizes
    q, r = np.linalg.qr(scaled)
    inverse = linalg.solve_triangular(r, np.eye(k))
    exact, target = scaled.astype(np.longdouble), y.astype(np.longdouble)
    found = (inverse @ (q.T @ y)).astype(np.longdouble)
    for _ in range(3):
        left = np.asarray(target - exact @ found, dtype=np.float64)
        found = found + inverse @ (q.T @ left)
    fitted = np.asarray(exact @ found, dtype=np.float64)
    rest = np.asarray(target - exact @ found, dtype=np.float64)
    squares = float(rest @ rest)
    bread = inverse @ inverse.T
    if sets is not None:
        covariance = _of_sets(scaled, rest, bread, sets, n, k)
    elif robust:
        lever = np.clip(np.einsum("ij,ij->i", q, q), 0.0, 1 - 1e-9)
        meat = scaled * (rest / (1 - lever))[:, None]
        covariance = bread @ (meat.T @ meat) @ bread
    else:
        covariance = bread * squares / (n - k)
    centred = y - y.mean()
    whole = float(centred @ centred)
    freedom = n - k if sets is None else max(len(np.unique(sets)) - 1, 1)
    return Model(
        kept=kept,
        coefficients=np.asarray(found, dtype=np.float64) / sizes,
        covariance=covariance / np.outer(sizes, sizes),
        fitted=fitted,
        explained=1 - squares / whole if whole > 0 else math.nan,
        residual=math.sqrt(squares / (n - k)),
        freedom=freedom,
        logistic=False,
    )


def logistic(x: Floats, y: Floats, sets: Ints | None = None) -> Model | None:
    """Return the logistic model of a yes/no target, fitted by likelihood (Newton's steps).

    ``x`` has shape (rows, columns), ``y`` (rows,) of 0 and 1; None where one of
    both is missing. A model that foretells rows without fail has no coefficients
    to end at: it is said not to have converged.
    """
    kept = independent(x)
    n, k = len(y), len(kept)
    rate = float(y.mean()) if n else 0.0
    if n <= k or k == 0 or not 0 < rate < 1:
        return None
    design = x[:, kept]
    sizes = np.linalg.norm(design, axis=0) / math.sqrt(n)
    scaled = design / sizes
    found = np.zeros(k)
    likelihood, converged = -math.inf, False
    bread = np.eye(k)
    for _ in range(ROUNDS):
        p = special.expit(scaled @ found)
        weight = np.maximum(p * (1 - p), 1e-12)
        root = np.sqrt(weight)
        q, r = np.linalg.qr(scaled * root[:, None])
        inverse = linalg.solve_triangular(r, np.eye(k))
        bread = inverse @ inverse.T
        step = inverse @ (q.T @ ((y - p) / root))
        now = _likelihood(scaled @ (found + step), y)
        while now < likelihood - 1e-12 and float(np.abs(step).max()) > 1e-10:
            step = step / 2
            now = _likelihood(scaled @ (found + step), y)
        found = found + step
        if abs(now - likelihood) < 1e-10 * (abs(now) + 0.1):
            converged = float(np.abs(step).max()) < 1e-4
            break
        likelihood = now
    fitted = np.asarray(special.expit(scaled @ found))
    rest = y - fitted
    covariance = bread if sets is None else _of_sets(scaled, rest, bread, sets, n, k)
    plain = n * (rate * math.log(rate) + (1 - rate) * math.log1p(-rate))
    return Model(
        kept=kept,
        coefficients=found / sizes,
        covariance=covariance / np.outer(sizes, sizes),
        fitted=fitted,
        explained=1 - _likelihood(scaled @ found, y) / plain,
        residual=math.sqrt(float(rest @ rest) / (n - k)),
        freedom=n - k if sets is None else max(len(np.unique(sets)) - 1, 1),
        logistic=True,
        converged=converged,
    )


def _likelihood(linear: Floats, y: Floats) -> float:
    return float((y * linear - np.logaddexp(0.0, linear)).sum())


def _of_sets(x: Floats, rest: Floats, bread: Floats, sets: Ints, n: int, k: int) -> Floats:
    """Return the covariance where rows of a set may err together (CR1); all in the scale of ``x``."""
    _, codes = np.unique(sets, return_inverse=True)
    m = int(codes.max()) + 1
    scores = np.zeros((m, x.shape[1]))
    np.add.at(scores, codes, x * rest[:, None])
    factor = m / max(m - 1, 1) * (n - 1) / (n - k)
    return np.asarray(factor * bread @ (scores.T @ scores) @ bread)


def inflation(x: Floats) -> Floats:
    """Return how many times the variance of each coefficient is larger than if columns were unrelated (VIF).

    ``x`` has shape (rows, columns) without a constant; infinite for a column that others give.
    """
    if x.shape[1] < 2:
        return np.ones(x.shape[1])
    centred = x - x.mean(axis=0)
    sizes = np.linalg.norm(centred, axis=0)
    scaled = centred / np.where(sizes > 0, sizes, 1.0)
    r = np.linalg.qr(scaled, mode="r")
    with np.errstate(divide="ignore", invalid="ignore", over="ignore"):
        try:
            inverse = linalg.solve_triangular(r, np.eye(len(r)))
        except linalg.LinAlgError:
            return np.full(x.shape[1], math.inf)
        return np.asarray((inverse**2).sum(axis=1))


def out_of_sample(x: Floats, y: Floats, folds: Ints, is_logistic: bool) -> float:
    """Return the share of differences explained on rows that a model has not seen, fold by fold.

    ``folds`` has shape (rows,): the fold of each row. R², of a logistic model that of rates (Brier 1950).
    """
    left = plain = 0.0
    for k in np.unique(folds):
        unseen: Bools = folds == k
        model = (logistic if is_logistic else least_squares)(x[~unseen], y[~unseen])
        if model is None:
            return math.nan
        left += float(((y[unseen] - model.expected(x[unseen])) ** 2).sum())
        plain += float(((y[unseen] - y[~unseen].mean()) ** 2).sum())
    return 1 - left / plain if plain > 0 else math.nan
