"""Which columns drive a target: how much worse unseen rows are predicted without each, and what each does.

The model is histogram-based gradient boosting of trees (Friedman 2001; Ke et al.
2017), as scikit-learn has it. Importance is by permutation on rows that the
model has not seen (Breiman 2001; Fisher, Rudin & Dominici 2019), effects are
accumulated local ones (Apley & Zhu 2020), pairs by the H-statistic (Friedman &
Popescu 2008).
"""

from __future__ import annotations

import itertools
import math
from dataclasses import dataclass
from functools import cache, cached_property
from threading import Lock
from typing import Any

import msgspec
import numpy as np

from night_trail.core.stats.leaves import Leaves
from night_trail.core.stats.trees import Trees
from night_trail.core.table import Bools, Floats, Ints

FOLDS, SHUFFLES = 4, 5
TREES, LEAVES, LEARNS = 40, 15, 0.18
REPEATS = 2
STEPS = 16
"""Places at which an effect is looked at."""
SOME = 250
"""Rows over which the effect of a pair, or of a category, is averaged."""
DRAWN, PAIRED = 10, 5
"""Of so many families an effect is found, and of so many every pair."""
MOST_UNSEEN = 2_000


@dataclass(frozen=True)
class Family:
    """Columns of the matrix that are looked at as one: a column, its parts, several that carry the same."""

    columns: tuple[int, ...]
    shown: int
    """The column whose effect is drawn; −1 where it is found among the parts of a time."""


@dataclass(frozen=True)
class Matrix:
    """What the model sees: one column each, NaN where missing, categories as codes from 0.

    ``x`` has shape (rows, columns), ``y`` (rows,); ``sets`` says which rows stay
    in one fold, ``levels`` how many values a category has, 0 for numbers.
    """

    x: Floats
    y: Floats
    sets: Ints
    levels: tuple[int, ...]
    families: tuple[Family, ...]

    @property
    def categories(self) -> Bools:
        """Which columns are categories."""
        return np.array([k > 0 for k in self.levels], dtype=np.bool_)


class Course(msgspec.Struct, frozen=True):
    """An effect: at which values, how far from the mean, over how many rows; ``missing`` of rows without."""

    column: int
    at: list[float]
    effect: list[float]
    n: list[int]
    missing: float | None = None


class Together(msgspec.Struct, frozen=True):
    """How far two columns act together beyond their sum, in the target's unit (one standard deviation)."""

    one: int
    other: int
    size: float
    share: float
    at: tuple[list[float], list[float]]
    grid: list[list[float]]


class Fold(msgspec.Struct, frozen=True):
    """A model and the rows it had not seen: how well it did, and how much worse without each family.

    ``shuffled`` says that its targets were, so that all it finds is chance;
    ``courses`` stand beside the place of their family.
    """

    shuffled: bool
    n: int
    error: float
    plain_error: float
    squares: float
    plain_squares: float
    worse: list[float]
    worse_squares: list[float]
    courses: list[tuple[int, Course]] = []
    pairs: list[Together] = []


def folds_of(sets: Ints) -> Ints:
    """Return the fold of each row: rows of a set share one, and folds are of about one size.

    ``sets`` has shape (rows,), codes from 0.
    """
    sizes = np.bincount(sets)
    order = np.random.default_rng(len(sets)).permutation(len(sizes))
    running = np.cumsum(sizes[order])
    fold = np.empty(len(sizes), dtype=np.int64)
    fold[order] = np.minimum(FOLDS - 1, (running - sizes[order] / 2) * FOLDS // max(int(running[-1]), 1))
    return fold[sets]


def shuffled(y: Floats, sets: Ints, seed: int) -> Floats:
    """Return targets that have nothing to do with the columns: sets change places whole.

    Both have shape (rows,).
    """
    rng = np.random.default_rng(seed)
    order = np.lexsort((rng.random(len(y)), sets))
    places = rng.permutation(int(sets.max()) + 1)
    moved = np.lexsort((rng.random(len(y)), places[sets]))
    found = np.empty_like(y)
    found[order] = y[moved]
    return found


def fold(matrix: Matrix, k: int) -> Fold:
    """Return what a model of all folds but ``k`` does on the rows of that one.

    From ``FOLDS`` on the targets are shuffled, and no effects are told.
    """
    from threadpoolctl import threadpool_limits  # noqa: PLC0415  (slow import)

    # of so few rows threads of the library's own wait for each other more than they work
    with threadpool_limits(1, "openmp"):
        return _fold(matrix, k)


def _fold(matrix: Matrix, k: int) -> Fold:
    chance = k >= FOLDS
    y = shuffled(matrix.y, matrix.sets, k) if chance else matrix.y
    unseen = folds_of(matrix.sets) == k % FOLDS
    seen = _Seen.fitted(matrix, ~unseen, y)
    rng = np.random.default_rng(100 + k)
    at = np.flatnonzero(unseen)
    at = at if len(at) <= MOST_UNSEEN else np.sort(rng.choice(at, MOST_UNSEEN, replace=False))
    x, truth = seen.ranked(matrix.x[at]), y[at]
    plain = float(y[~unseen].mean())
    said = seen.trees.say(x)
    off = truth - said.whole
    error, squares = float(np.abs(off).mean()), float((off**2).mean())
    worse = np.zeros((len(matrix.families), 2))
    repeats = 1 if chance else REPEATS
    for _ in range(repeats):
        for i, family in enumerate(matrix.families):
            columns = list(family.columns)
            mixed = x.copy()
            mixed[:, columns] = x[rng.permutation(len(x))][:, columns]
            other = truth - said.under(mixed, columns)
            worse[i] += np.abs(other).mean() - error, (other**2).mean() - squares
    worse /= repeats
    # what shuffled targets reach is asked of as many pairs as may be found by chance
    best = [int(i) for i in np.argsort(-worse[:, 1])[: PAIRED if chance else DRAWN]]
    leaves = Leaves.of(seen.model, x[:: max(1, len(x) // SOME)][:SOME])
    courses = {i: seen.course(x, leaves, matrix.families[i]) for i in best}
    leading = [courses[i].column for i in best[:PAIRED] if chance or worse[i, 1] > 0]
    pairs = [seen.pair(x, leaves, a, b) for a, b in itertools.combinations(leading, 2)]
    return Fold(
        chance,
        len(truth),
        error,
        float(np.abs(truth - plain).mean()),
        squares,
        float(((truth - plain) ** 2).mean()),
        worse[:, 0].tolist(),
        worse[:, 1].tolist(),
        [] if chance else list(courses.items()),
        pairs,
    )


@dataclass(frozen=True)
class _Seen:
    """A model and the order in which it takes the values of categories: by their mean in the rows it saw.

    In that order a split of a category is one place (Fisher 1958).
    """

    model: Any
    levels: tuple[int, ...]
    ranks: dict[int, Floats]
    empty: Ints

    @classmethod
    def fitted(cls, matrix: Matrix, rows: Bools, y: Floats) -> _Seen:
        x, y = matrix.x[rows], y[rows]
        mean = float(y.mean())
        ranks = {}
        for j, k in enumerate(matrix.levels):
            if k:
                has = np.isfinite(x[:, j])
                codes = x[has, j].astype(np.int64)
                n = np.bincount(codes, minlength=k)
                # of few rows the mean is drawn to that of all
                means = (np.bincount(codes, weights=y[has], minlength=k) + 5 * mean) / (n + 5)
                ranks[j] = np.argsort(np.argsort(means)).astype(np.float64)
        model = _boosting()(
            max_iter=TREES,
            max_leaf_nodes=LEAVES,
            learning_rate=LEARNS,
            min_samples_leaf=max(5, min(20, len(y) // 50)),
            l2_regularization=1.0,
            early_stopping=False,
            random_state=0,
        )
        # the model takes no column that is missing altogether
        empty = np.flatnonzero(~np.isfinite(x).any(axis=0))
        made = cls(model, matrix.levels, ranks, empty)
        model.fit(made.ranked(x), y)
        return made

    def ranked(self, x: Floats) -> Floats:
        found = x.copy()
        for j, ranks in self.ranks.items():
            has = np.isfinite(x[:, j])
            found[has, j] = ranks[x[has, j].astype(np.int64)]
        found[:, self.empty] = 0.0
        return found

    @cached_property
    def trees(self) -> Trees:
        return Trees.of(self.model)

    def course(self, x: Floats, leaves: Leaves, family: Family) -> Course:
        if family.shown >= 0:
            return self.effect(x, leaves, family.shown)
        return max((self.effect(x, leaves, j) for j in family.columns), key=_variance)

    def effect(self, x: Floats, leaves: Leaves, j: int) -> Course:
        """Return what a column does to the prediction, around its mean.

        Of a number the accumulated local effect, over rows as they are; of a
        category the mean prediction of the rows of ``leaves`` under each of its values.

        ``x`` has shape (rows, columns), as ``ranked`` returns it, NaN where missing.
        """
        has = np.isfinite(x[:, j])
        if self.levels[j]:
            counts = np.bincount(
                np.argsort(self.ranks[j])[x[has, j].astype(np.int64)], minlength=self.levels[j]
            )
            used = np.flatnonzero(counts)
            at, n = used.astype(np.float64), counts[used].astype(np.float64)
            means = leaves.under([(j, self.ranks[j][used])])
        else:
            at = (
                np.unique(np.quantile(x[has, j], np.linspace(0, 1, STEPS + 1), method="lower"))
                if has.any()
                else np.zeros(1)
            )
            if len(at) < 2:
                return Course(j, at.tolist(), [0.0] * len(at), [int(has.sum())] * len(at))
            rows = x[has]
            bins = np.clip(np.searchsorted(at, rows[:, j], side="left") - 1, 0, len(at) - 2)
            low, high = rows.copy(), rows.copy()
            low[:, j], high[:, j] = at[bins], at[bins + 1]
            steps = self.trees.on([j]).say(low)
            counts = np.bincount(bins, minlength=len(at) - 1)
            moved = steps.under(high, [j]) - steps.whole
            local = np.bincount(bins, weights=moved, minlength=len(at) - 1) / np.maximum(counts, 1)
            means = np.concatenate([[0.0], np.cumsum(local)])
            # rows of a stretch stand at both its ends by halves
            n = np.concatenate([counts, [0]]) / 2 + np.concatenate([[0], counts]) / 2
        effect = means - float((n * means).sum() / max(n.sum(), 1))
        missing = None
        if has.any() and not has.all():
            some = leaves.rows
            without = some.copy()
            without[:, j] = np.nan
            as_is, present = self.trees.say(some), np.isfinite(some[:, j])
            bare = as_is.under(without, [j])
            missing = float(bare.mean() - as_is.whole[present].mean()) if present.any() else None
        return Course(j, at.tolist(), effect.tolist(), [round(c) for c in n.tolist()], missing)

    def places(self, x: Floats, j: int) -> tuple[Floats, Floats]:
        """Return a few values of a column, and how the model takes them; ``x`` as ``ranked`` returns it.

        Shapes (values,).
        """
        values = x[np.isfinite(x[:, j]), j]
        if not self.levels[j]:
            at = np.unique(np.quantile(values, np.linspace(0.05, 0.95, 7), method="lower"))
            return at, at
        back = np.argsort(self.ranks[j])
        counts = np.bincount(back[values.astype(np.int64)], minlength=self.levels[j])
        most = np.argsort(-counts, kind="stable")[:6]
        codes = np.sort(most[counts[most] > 0])
        return codes.astype(np.float64), self.ranks[j][codes]

    def pair(self, x: Floats, leaves: Leaves, a: int, b: int) -> Together:
        """Return how far two columns act together beyond their sum: what their surface has without either.

        ``x`` has shape (rows, columns), as ``ranked`` returns it.
        """
        (left, left_set), (right, right_set) = self.places(x, a), self.places(x, b)
        surface = leaves.under([(a, left_set), (b, right_set)])
        surface -= surface.mean()
        beyond = surface - surface.mean(axis=1, keepdims=True) - surface.mean(axis=0, keepdims=True)
        whole, rest = float((surface**2).mean()), float((beyond**2).mean())
        share = rest / whole if whole > 0 else 0.0
        return Together(a, b, math.sqrt(rest), share, (left.tolist(), right.tolist()), surface.tolist())


@cache
def _boosting() -> type[Any]:
    """Return the model, such that two can be fitted at once."""
    from sklearn.ensemble import HistGradientBoostingRegressor  # noqa: PLC0415  (slow import)

    binning = Lock()

    class Boosting(HistGradientBoostingRegressor):  # type: ignore[misc]
        def _bin_data(self, *given: Any, **named: Any) -> Any:
            # where columns are cut the library sets the filters of warnings, which all threads share
            with binning:
                return super()._bin_data(*given, **named)

    return Boosting


def _variance(course: Course) -> float:
    n = np.array(course.n, dtype=np.float64)
    return float((n * np.array(course.effect) ** 2).sum() / max(n.sum(), 1.0))
