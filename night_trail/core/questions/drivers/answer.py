"""What drives a column: importance on unseen rows against chance, effects, pairs, what was set apart."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import partial

import numpy as np
from msgspec.structs import replace

from night_trail.core.abreast import two_at_once
from night_trail.core.errors import BadQuestion
from night_trail.core.questions.drivers.apart import Apart
from night_trail.core.questions.drivers.effects import Effect, Said, coarser, said
from night_trail.core.questions.drivers.features import Feature, Made, features_of, parents_of
from night_trail.core.questions.drivers.question import ALONE, Drivers
from night_trail.core.questions.drivers.rules import Leaf, rules_of
from night_trail.core.questions.drivers.target import check_target
from night_trail.core.questions.shared.basis import Basis
from night_trail.core.questions.shared.behind import Pending
from night_trail.core.rows import Rows
from night_trail.core.stats.drivers import FOLDS, SHUFFLES, TREES, Fold, Together, fold
from night_trail.core.table import Column, Floats, Table

LEAST = 60
"""Rows under which nothing can be said of drivers."""
LEAST_EXPLAINED = 0.01
"""A share of the differences that is smaller is not worth a driver."""
ACTS_TOGETHER = 0.03
"""Two columns act together where so much of their surface is neither's alone, and that is beyond chance."""


@dataclass(frozen=True)
class Driver:
    """A column, or several that carry the same, and how much worse unseen rows are predicted without.

    ``worse`` is in the target's unit, or in points of explained share; ``half``
    two standard errors of it over the folds. ``effect`` is drawn, ``said`` is it in short.
    """

    columns: tuple[str, ...]
    worse: float
    half: float
    found: bool
    effect: Effect | None
    said: Said | None

    @property
    def name(self) -> str:
        """What its lane is called."""
        return self.columns[0] if len(self.columns) == 1 else f"{self.columns[0]} +{len(self.columns) - 1}"


@dataclass(frozen=True)
class Pair:
    """Two columns that act together beyond their sum: how far, and what share of what both do.

    ``grid`` is what both do at a few values of each, shape (values of ``one``,
    values of ``other``), which ``at`` has.
    """

    one: Feature
    other: Feature
    size: float
    share: float
    at: tuple[Floats, Floats]
    grid: Floats


@dataclass(frozen=True)
class DriversAnswer:
    """What drives a column, the most important first.

    ``explained`` is the share of the differences that is explained on unseen
    rows, below 0 where the plain mean does better; ``level`` the importance that
    shuffled targets reach. ``far`` values beyond ``ends`` count as lying there.
    ``model_rows`` is how many of the rows the models were made from, ``made`` what of them.
    """

    question: Drivers
    basis: Basis
    column: Column
    value: str | None
    explained: float
    by_chance: float
    error: float
    plain_error: float
    level: float
    drivers: tuple[Driver, ...]
    pairs: tuple[Pair, ...]
    apart: tuple[Apart, ...]
    passed_over: tuple[str, ...]
    together: Column | None
    model_rows: int
    far: int
    ends: tuple[float, float]
    leaves: tuple[Leaf, ...]
    mean: float
    stretches: Column | None = None
    pending: Pending | None = None
    made: Made | None = None

    @property
    def found(self) -> tuple[Driver, ...]:
        """Those beyond chance."""
        return tuple(d for d in self.drivers if d.found)

    @property
    def opened(self) -> Driver | None:
        """The driver that is looked at closely, where it drives anything."""
        name = self.question.opened
        return next((d for d in self.found if name in d.columns and d.effect is not None), None)

    @property
    def chance(self) -> tuple[Driver, ...]:
        """Those that shuffled targets reach too."""
        return tuple(d for d in self.drivers if not d.found)

    @property
    def is_share(self) -> bool:
        """Whether what is driven is how often something is so."""
        return self.value is not None


def check(question: Drivers, table: Table) -> None:
    """Refuse a target that nothing drives, and columns the table does not have."""
    check_target(question, table)
    for name in (*question.without, *question.back, *([question.opened] if question.opened else [])):
        table.column(name)
    if question.of in question.without:
        raise BadQuestion("What is driven cannot be left out", "without", "Leave out another column.")
    if question.together not in (None, ALONE):
        table.column(question.together)


def count(question: Drivers, rows: Rows) -> int:
    """Return how many pieces there are: a model for each fold, and those of shuffled targets."""
    return FOLDS + SHUFFLES


def made_of(question: Drivers, rows: Rows) -> Made:
    """Return what the models are made from."""
    return rows.remember(("drivers made", bare(question)), lambda: (features_of(question, rows),))[0]


def bare(question: Drivers) -> Drivers:
    """Return the question whose models serve this one: of another shape they are the same."""
    return replace(question, shape="drivers", opened=None)


def check_rows(question: Drivers, rows: Rows) -> None:
    """Refuse nothing at once: what cannot be said is said by the answer."""


def pieces(question: Drivers, rows: Rows) -> Iterator[Fold]:
    """Yield the models, of many rows two made at a time; none where there is too little to make one of."""
    made = made_of(question, rows)
    if not _enough(made):
        nothing = Fold(False, 0, 0.0, 0.0, 0.0, 0.0, [], [])
        yield from (nothing for _ in range(FOLDS + SHUFFLES))
        return
    yield from two_at_once(len(made.matrix.y) * TREES, partial(fold, made.matrix), range(FOLDS + SHUFFLES))


def _enough(made: Made) -> bool:
    sets = int(made.matrix.sets.max()) + 1 if len(made.matrix.sets) else 0
    return (
        len(made.matrix.y) >= LEAST
        and sets >= FOLDS
        and bool(made.features)
        and float(np.ptp(made.matrix.y)) > 0
    )


def meanwhile(question: Drivers, rows: Rows, pending: Pending) -> DriversAnswer:
    """Return the answer without any driver, until the models are made."""
    target = rows.table.column(question.of)
    basis = Basis(rows=rows.n, used=0, missing=0, lit=None, table_rows=rows.table.n)
    nothing = (0.0,) * 5
    return DriversAnswer(
        question,
        basis,
        target,
        question.value,
        *nothing,
        (),
        (),
        (),
        (),
        None,
        0,
        0,
        (0.0, 0.0),
        (),
        0.0,
        pending=pending,
    )


def drives(question: Drivers, rows: Rows, made_folds: Sequence[Fold] | None = None) -> DriversAnswer:
    """Return what drives a column; ``made_folds`` are the models, made now where they are not at hand."""
    made = made_of(question, rows)
    all_ = list(pieces(question, rows)) if made_folds is None else list(made_folds)
    real, null = [f for f in all_ if not f.shuffled], [f for f in all_ if f.shuffled]
    able = _enough(made) and bool(real) and len(real[0].worse) == len(made.families)
    whole = sum(f.plain_squares * f.n for f in real)
    explained = 1 - sum(f.squares * f.n for f in real) / whole if able and whole > 0 else -math.inf
    by_chance = max((1 - f.squares / f.plain_squares for f in null if f.plain_squares > 0), default=0.0)
    share = made.target.is_share
    worse, level = _importance(real, null, share) if able else (np.zeros((0, 0)), 0.0)
    beyond = able and explained > max(by_chance, LEAST_EXPLAINED)
    drivers = (
        tuple(_driver(i, made, real, worse, level, beyond) for i in range(worse.shape[1])) if able else ()
    )
    drivers = tuple(sorted(drivers, key=lambda d: (not d.found, -d.worse)))
    n = sum(f.n for f in real) or 1
    leaves: tuple[Leaf, ...] = ()
    if question.shape == "rules" and able and beyond:
        keep = {name for d in drivers if d.found for name in d.columns}
        leaves = rows.remember(("drivers rules", question), lambda: (rules_of(made, keep, rows),))[0]
    return DriversAnswer(
        question=question,
        basis=Basis(
            rows=rows.n,
            used=made.rows,
            missing=made.missing,
            lit=None
            if rows.lit is None
            else int(np.count_nonzero(rows.lit & np.isfinite(made.target.values))),
            table_rows=rows.table.n,
        ),
        column=made.target.column,
        value=made.target.value,
        explained=explained,
        by_chance=by_chance,
        error=sum(f.error * f.n for f in real) / n,
        plain_error=sum(f.plain_error * f.n for f in real) / n,
        level=level,
        drivers=drivers,
        pairs=_pairs(made, real, null, drivers) if beyond else (),
        apart=made.apart,
        passed_over=made.passed_over,
        together=made.together,
        stretches=made.stretches,
        model_rows=len(made.matrix.y),
        far=made.target.far,
        ends=made.target.ends,
        leaves=leaves,
        mean=float(made.matrix.y.mean()) if len(made.matrix.y) else math.nan,
        made=made,
    )


def _importance(real: Sequence[Fold], null: Sequence[Fold], share: bool) -> tuple[Floats, float]:
    """Return how much worse each fold gets without each family, and the level of chance.

    Shape (folds, families).
    """

    def of(one: Fold) -> Floats:
        if share:
            return np.array(one.worse_squares) / (one.plain_squares or 1.0)
        return np.array(one.worse)

    level = max((float(of(f).max(initial=0.0)) for f in null), default=0.0)
    return np.array([of(f) for f in real]), level


def _driver(i: int, made: Made, real: Sequence[Fold], worse: Floats, level: float, beyond: bool) -> Driver:
    mean = float(worse[:, i].mean())
    half = 2 * float(worse[:, i].std(ddof=1)) / math.sqrt(len(worse)) if len(worse) > 1 else 0.0
    found = beyond and mean > level and mean - half / 2 > 0
    effect = _effect(i, made, real) if found else None
    names = made.families[i]
    if effect is not None:
        # the one that is drawn gives its name first
        names = (effect.feature.column.name, *(n for n in names if n != effect.feature.column.name))
    return Driver(names, mean, half, found, effect, None if effect is None else said(effect))


def _effect(i: int, made: Made, real: Sequence[Fold]) -> Effect | None:
    """Return the mean effect over the folds that have one, on the places of the first."""
    found = [course for f in real for at, course in f.courses if at == i]
    if not found:
        return None
    # parts of a time may lead in different folds: the one that leads most often is shown
    columns = [c.column for c in found]
    column = max(set(columns), key=columns.count)
    found = [c for c in found if c.column == column]
    feature = made.features[column]
    if feature.labels:
        at = np.unique(np.concatenate([c.at for c in found]))
        rows = np.full((len(found), len(at)), np.nan)
        n = np.zeros(len(at))
        for r, course in enumerate(found):
            places = np.searchsorted(at, course.at)
            rows[r, places] = course.effect
            n[places] += course.n
    else:
        at = np.array(found[0].at)
        rows = np.array([np.interp(at, c.at, c.effect) for c in found])
        n = np.array(found[0].n, dtype=np.float64)
    mean = np.nanmean(rows, axis=0)
    half = 2 * np.nanstd(rows, axis=0) / math.sqrt(len(found)) if len(found) > 1 else np.zeros(len(at))
    gone = [c.missing for c in found if c.missing is not None]
    effect = Effect(feature, at, mean, half, n, float(np.mean(gone)) if gone else None)
    return _plainest(effect, column, made, i) if feature.labels and feature.part is None else effect


def _plainest(effect: Effect, column: int, made: Made, i: int) -> Effect:
    """Return an effect by the coarsest category of its family that keeps most of it."""
    others = [j for j in made.matrix.families[i].columns if j != column and made.features[j].labels]
    for j in sorted(others, key=lambda j: made.matrix.levels[j]):
        if made.features[j].part is None:
            found = coarser(effect, made.features[j], parents_of(made, column, j))
            if found is not None:
                return found
    return effect


def _pair(one: Feature, other: Feature, its: Sequence[Together], share: float, turned: bool) -> Pair:
    """Return a pair with the mean surface of the folds that looked at as many values as the first."""
    grids = [np.array(p.grid) for p in its]
    same = [k for k, grid in enumerate(grids) if grid.shape == grids[0].shape]
    grid = np.mean([grids[k] for k in same], axis=0)
    at = [np.mean([its[k].at[side] for k in same], axis=0) for side in (0, 1)]
    if one.labels or other.labels:
        at = [np.array(its[0].at[0]), np.array(its[0].at[1])]
    first, second = (at[1], at[0]) if turned else (at[0], at[1])
    size = float(np.mean([p.size for p in its]))
    return Pair(one, other, size, share, (first, second), grid.T if turned else grid)


def _pairs(
    made: Made, real: Sequence[Fold], null: Sequence[Fold], drivers: Sequence[Driver]
) -> tuple[Pair, ...]:
    """Return the pairs that act together in most folds, and further than any of shuffled targets."""
    level = max((p.size for f in null for p in f.pairs), default=0.0)
    found: dict[tuple[int, int], list[Together]] = {}
    for f in real:
        for pair in f.pairs:
            found.setdefault((min(pair.one, pair.other), max(pair.one, pair.other)), []).append(pair)
    named = {name for d in drivers if d.found for name in d.columns}
    made_pairs = []
    for (a, b), its in found.items():
        one, other = made.features[a], made.features[b]
        share = float(np.median([p.share for p in its]))
        beyond = sum(p.size > level for p in its)
        if 2 * beyond <= len(real) or share < ACTS_TOGETHER or {one.column.name, other.column.name} - named:
            continue
        made_pairs.append(_pair(one, other, its, share, turned=its[0].one != a))
    return tuple(sorted(made_pairs, key=lambda p: -p.size))
