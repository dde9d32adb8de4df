"""An effect with other columns held fixed beside the plain one, and the model behind it."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np
from scipy import special

from night_trail.core.conditions import Condition, OneOf, mask
from night_trail.core.errors import BadQuestion
from night_trail.core.questions.drivers.apart import Apart, set_apart
from night_trail.core.questions.drivers.question import Drivers
from night_trail.core.questions.held.design import Design, Part, design_of, part_of
from night_trail.core.questions.held.question import Held
from night_trail.core.questions.shared.basis import Basis
from night_trail.core.questions.shared.kept_together import alike_within, sets_of
from night_trail.core.questions.shared.looked_at import a_part_of, looked_at
from night_trail.core.rows import Rows
from night_trail.core.stats import regression
from night_trail.core.stats.drivers import FOLDS, folds_of
from night_trail.core.stats.groups import epsilon_squared, moments
from night_trail.core.stats.regression import Model
from night_trail.core.stats.relation import pearson, ranks
from night_trail.core.table import Bools, Column, Floats, Ints, Kind, Table

MOST_ROWS, SOME = 40_000, 4_000
LEAST_ROWS, EACH = 12, 3
"""A model needs so many rows, and so many for each of its columns."""

MATTERS, MOST_CHOSEN = 0.01, 5
"""Columns that explain less of the differences are not held fixed unasked, nor more than so many."""

SAME = 0.98
"""A column that explains so much of what the question is about would be held against itself."""

MOST_VALUES = 40
MOST_ALONE = 80
"""So many columns are held fixed alone, to find the one that changes an effect most."""
STRETCHES = 24
SHARED = 0.05
BENDS = 0.75
"""The middle of what is left may lie so many of its standard deviations off before it is said to bend."""


@dataclass(frozen=True)
class Shown:
    """One effect, plain and held fixed, each with half its 95 % interval.

    Of a number it is what ``step`` more of it goes with; of a category how far
    a value lies from all rows. ``condition`` names its rows, ``n`` of them.
    """

    label: str
    plain: float
    plain_half: float
    held: float
    held_half: float
    condition: Condition | None
    n: int
    lit: int | None = None


@dataclass(frozen=True)
class Term:
    """A column of the model: its coefficient with error and interval, standardised, and its inflation."""

    name: str
    coefficient: float
    error: float
    half: float
    standardised: float
    inflation: float
    of_by: bool


@dataclass(frozen=True)
class Changer:
    """The one column that changes the effect most when it alone is held fixed: from the plain one to that."""

    name: str
    plain: float
    held: float


@dataclass(frozen=True)
class HeldAnswer:
    """What stays of an effect.

    ``step`` is how much more of a number an effect is of, 0 for categories.
    ``chance`` and ``plain_chance`` are those of an effect as large where there
    is none. ``unseen`` is the share of differences explained on rows the model
    was not fitted to. ``residuals`` has shape (stretches, 5): of rows in order
    of what is expected the mean of that, and of what is left its 10, 50 and 90 %
    quantiles, and how many rows. ``model`` is None where nothing could be fitted.
    """

    question: Held
    basis: Basis
    column: Column
    by: Column
    fixed: tuple[str, ...]
    step: float
    shown: tuple[Shown, ...]
    terms: tuple[Term, ...]
    chance: float
    plain_chance: float
    explained: float
    unseen: float
    residual: float
    freedom: int
    residuals: Floats
    looked: int
    together: Column | None
    changer: Changer | None
    apart: tuple[Apart, ...]
    logistic: bool
    converged: bool

    @property
    def bends(self) -> bool:
        """Whether what is left still goes with what is expected: its middle lies far off somewhere."""
        if self.logistic or len(self.residuals) < 4:
            return False
        off = np.abs(self.residuals[:, 2] - np.median(self.residuals[:, 2]))
        return bool(off.max() > BENDS * self.residual)

    @property
    def fitted(self) -> bool:
        """Whether there were rows enough for a model."""
        return bool(self.terms)


def check(question: Held, table: Table) -> None:
    """Refuse columns that no model can have."""
    of, by = table.column(question.of), table.column(question.by)
    if not (of.kind.numeric and not of.code) and of.kind != Kind.YES_NO:
        raise BadQuestion(
            f"“{of.name}” is {of.kind}: models are of numbers and of yes/no", "column", "Choose another."
        )
    named = (question.by, *(question.fixed or ()))
    if question.of in named or len(set(named)) < len(named):
        raise BadQuestion("A column is not held fixed against itself", "fixed", "Choose other columns.")
    for name in named:
        column = table.column(name)
        if not _stands(column):
            raise BadQuestion(
                f"“{column.name}” is {column.kind} with {column.distinct:,} values, too many to hold fixed",
                "by" if name == question.by else "fixed",
                "Choose a number, or a category of fewer values.",
            )
    if question.product is not None:
        if not by.kind.measured or by.code:
            raise BadQuestion("Only the effect of a number differs by another column", "product")
        if question.product in (question.of, question.by) or not _stands(table.column(question.product)):
            raise BadQuestion(f"Nothing differs by “{question.product}” here", "product", "Choose another.")


def _stands(column: Column) -> bool:
    if column.kind.measured and not column.code:
        return column.distinct > 1
    return column.kind not in (Kind.TEXT, Kind.IDENTIFIER) and 2 <= column.distinct <= 400


def held(question: Held, rows: Rows) -> HeldAnswer:
    """Return an effect plain and with others held fixed."""
    found = rows.remember(("held", replace_shape(question)), lambda: (_held(question, rows),))[0]
    found = replace(found, question=question)
    if rows.lit is None:
        return found
    lit = rows.lit
    shown = tuple(
        s
        if s.condition is None
        else replace(s, lit=int(np.count_nonzero(mask(s.condition, rows.table) & lit)))
        for s in found.shown
    )
    return replace(found, shown=shown, basis=replace(found.basis, lit=rows.n_lit))


def replace_shape(question: Held) -> Held:
    """Return the question as it is answered, whatever it is drawn as."""
    from msgspec.structs import replace as replaced  # noqa: PLC0415  (dataclasses have one of that name)

    return replaced(question, shape="effects")


def _held(question: Held, rows: Rows) -> HeldAnswer:
    table = rows.table
    of, by = table.column(question.of), table.column(question.by)
    kept = rows.keeps
    y_all = _target(of, table)
    known = kept & np.isfinite(y_all) & _present(by, table)
    at = a_part_of(known, MOST_ROWS)
    y = y_all[at]
    is_logistic = of.kind == Kind.YES_NO
    apart: tuple[Apart, ...] = ()
    if question.fixed is None:
        chosen, apart = _chosen(question, table, at, y)
    else:
        chosen = question.fixed
    if question.product is not None and question.product not in chosen:
        chosen = (*chosen, question.product)
    columns = [table.column(name) for name in chosen]
    has = np.ones(len(at), dtype=np.bool_)
    for column in columns:
        has &= _present(column, table)[at]
    at, y = at[has], y[has]
    nothing = HeldAnswer(
        question, _basis(rows, at, known), of, by, tuple(chosen), 0.0, (), (), 1.0, 1.0, math.nan, math.nan,
        math.nan, 0, np.empty((0, 5)), len(at), None, None, apart, is_logistic, True,
    )  # fmt: skip
    if len(at) < LEAST_ROWS or float(np.ptp(y)) == 0:
        return nothing
    parts = [part_of(c, table, at) for c in (by, *columns)]
    product = None if question.product is None else parts[1 + chosen.index(question.product)]
    design = design_of(parts[0], tuple(parts[1:]), question.power, product)
    plain_design = design_of(parts[0], (), question.power, None)
    together, sets = _together(table, at, y, design)
    robust = question.errors == "robust"
    model, plain = (_fit(d, y, sets, robust, is_logistic) for d in (design, plain_design))
    if model is None or plain is None or len(at) < EACH * len(design.names):
        return nothing
    step = _step(parts[0])
    shown = _shown(design, model, plain_design, plain, step, table)
    x = design.columns()
    folds = folds_of(np.arange(len(y)) if sets is None else sets)
    return replace(
        nothing,
        step=step,
        shown=shown,
        terms=_terms(design, model, x, y),
        chance=_chance(model, design, shown[0].held, shown[0].held_half),
        plain_chance=_chance(plain, plain_design, shown[0].plain, shown[0].plain_half),
        explained=model.explained,
        unseen=regression.out_of_sample(x, y, folds % FOLDS, is_logistic),
        residual=model.residual,
        freedom=model.freedom,
        residuals=_residuals(model, y),
        together=together,
        changer=_changer(question, table, at, y, parts[0], is_logistic, apart),
        converged=model.converged,
    )


def _target(column: Column, table: Table) -> Floats:
    if column.kind == Kind.YES_NO:
        coded = table.coded(column.name)
        places = np.array([*(float(label == "yes") for label in coded.labels), math.nan])
        return np.asarray(places[coded.codes])
    return table.axis(column.name).values


def _present(column: Column, table: Table) -> Bools:
    if column.kind.measured and not column.code:
        return np.isfinite(table.axis(column.name).values)
    return table.coded(column.name).codes >= 0


def _basis(rows: Rows, at: Ints, known: Bools) -> Basis:
    missing = rows.n - int(np.count_nonzero(known))
    return Basis(rows=rows.n, used=len(at), missing=missing, table_rows=rows.table.n)


def _candidates(question: Held, table: Table) -> list[Column]:
    taken = {question.of, question.by}
    return [
        c
        for c in looked_at(table, taken, [])
        if _stands(c) and not c.kind.temporal and (c.kind.measured or c.distinct <= MOST_VALUES)
    ]


def _chosen(question: Held, table: Table, at: Ints, y: Floats) -> tuple[tuple[str, ...], tuple[Apart, ...]]:
    """Return the columns that explain most, and what was set apart: it copies the target or gives it."""
    some = at[:: max(1, len(at) // SOME)]
    target = y[:: max(1, len(at) // SOME)]
    able = _candidates(question, table)
    apart = set_apart(Drivers(question.of), able, table, some, target)
    out = {a.name for a in apart}
    y_ranks = ranks(target)
    by = part_of(table.column(question.by), table, some)
    by_ranks = ranks(by.cells) if by.is_number else None
    found: list[tuple[float, str]] = []
    for column in able:
        if column.name in out:
            continue
        part = part_of(column, table, some)
        strength = _strength(part, y_ranks)
        same = _strength(part, by_ranks) if by_ranks is not None else _names(part, by)
        if strength >= MATTERS and same < SAME:
            found.append((strength, column.name))
    found.sort(key=lambda f: (-f[0], f[1]))
    return tuple(name for _, name in found[: min(MOST_CHOSEN, len(at) // 12)]), apart


def _strength(part: Part, y: Floats) -> float:
    """Return the share of the differences of ranks that a column explains; ``y`` has shape (rows,)."""
    has = np.isfinite(part.cells)
    if np.count_nonzero(has) < LEAST_ROWS:
        return 0.0
    if part.is_number:
        r = pearson(ranks(part.cells[has]), y[has])
        return r * r if math.isfinite(r) else 0.0
    return epsilon_squared(moments(y[has], part.cells[has].astype(np.int64), len(part.labels))) or 0.0


def _names(part: Part, by: Part) -> float:
    """Return how often a value names that of the category asked about, of what chance leaves open."""
    has = np.isfinite(part.cells) & np.isfinite(by.cells)
    if part.is_number or not has.any():
        return 0.0
    pairs = np.zeros((len(part.labels), len(by.labels)))
    np.add.at(pairs, (part.cells[has].astype(np.int64), by.cells[has].astype(np.int64)), 1)
    most = pairs.sum(axis=0).max()
    left = pairs.sum() - most
    return float((pairs.max(axis=1).sum() - most) / left) if left > 0 else 1.0


def _together(table: Table, at: Ints, y: Floats, design: Design) -> tuple[Column | None, Ints | None]:
    """Return what keeps rows together where what is left of them is alike, and the set of each row."""
    model = regression.least_squares(design.columns(), y)
    found = min(sets_of(table, at), key=lambda s: int(s[1].max()), default=None)
    if found is None or model is None:
        return None, None
    _, codes = np.unique(found[1], return_inverse=True)
    if alike_within(y - model.fitted, codes.astype(np.int64)) <= SHARED:
        return None, None
    return found


def _fit(design: Design, y: Floats, sets: Ints | None, robust: bool, is_logistic: bool) -> Model | None:
    x = design.columns()
    if is_logistic:
        return regression.logistic(x, y, sets)
    return regression.least_squares(x, y, sets, robust)


def _step(part: Part) -> float:
    """Return how much more of a number an effect is told of, a power of ten near its spread; 0 of others."""
    if not part.is_number:
        return 0.0
    spread = float(part.cells.std())
    step = 10.0 ** math.floor(math.log10(spread)) if spread > 0 else 1.0
    return max(step, 1.0) if part.column.kind == Kind.WHOLE else step


def _shown(
    design: Design, model: Model, plain_design: Design, plain: Model, step: float, table: Table
) -> tuple[Shown, ...]:
    by = design.by
    if by.is_number:
        return _slopes(design, model, plain_design, plain, step)
    k = len(by.labels)
    n = np.bincount(by.cells.astype(np.int64), minlength=k)
    sums, errors = _against_all(plain_design, plain)
    held_sums, held_errors = _against_all(design, model)
    found = [
        Shown(
            label,
            float(sums[i]),
            plain.reach * float(errors[i]),
            float(held_sums[i]),
            model.reach * float(held_errors[i]),
            None if by.gathered and i == k - 1 else OneOf(by.column.name, (label,)),
            int(n[i]),
        )
        for i, label in enumerate(by.labels)
    ]
    return tuple(sorted(found, key=lambda s: (s.condition is None, -s.held)))


def _against_all(design: Design, model: Model) -> tuple[Floats, Floats]:
    """Return how far each value lies from all rows, were every row to have it, and its standard error."""
    cells, k = design.by.cells, len(design.by.labels)
    n = np.bincount(cells.astype(np.int64), minlength=k)
    each = (design.columns(np.full(len(cells), float(i))) for i in range(k))
    return model.averages(each, np.eye(k) - np.tile(n / n.sum(), (k, 1)))


def _slopes(
    design: Design, model: Model, plain_design: Design, plain: Model, step: float
) -> tuple[Shown, ...]:
    """Return what a step more of a number goes with, over all rows and for each value it differs by."""
    cells = design.by.cells
    half = step / 2
    weights = np.array([[-1.0, 1.0]])

    def slope(one: Design, fit: Model, product: Floats | None = None) -> tuple[float, float]:
        ends = [one.columns(cells + side, product) for side in (-half, half)]
        sums, errors = fit.averages(ends, weights)
        return float(sums[0]), fit.reach * float(errors[0])

    own = slope(plain_design, plain)
    found = [Shown("all rows", *own, *slope(design, model), None, len(cells))]
    product = design.product
    if product is not None and not product.is_number:
        for i, label in enumerate(product.labels):
            held_ = slope(design, model, np.full(len(cells), float(i)))
            n = int(np.count_nonzero(product.cells == i))
            named = None if product.gathered and i == len(product.labels) - 1 else label
            condition = None if named is None else OneOf(product.column.name, (named,))
            found.append(Shown(f"{product.column.name} {label}", *own, *held_, condition, n))
    elif product is not None:
        low, high = np.quantile(product.cells, (0.1, 0.9))
        for name, at in (("low", low), ("high", high)):
            held_ = slope(design, model, np.full(len(cells), float(at)))
            found.append(Shown(f"{product.column.name} {name} ({at:.4g})", *own, *held_, None, len(cells)))
    return tuple(found)


def _terms(design: Design, model: Model, x: Floats, y: Floats) -> tuple[Term, ...]:
    shown = x[:, model.kept]
    inflations = regression.inflation(shown[:, 1:])
    spread = float(y.std()) if not model.logistic else 1.0
    found = []
    for i, place in enumerate(model.kept.tolist()):
        at, error = float(model.coefficients[i]), float(model.errors[i])
        standardised = at * float(shown[:, i].std()) / spread if i and spread > 0 else math.nan
        inflated = float(inflations[i - 1]) if i else math.nan
        found.append(
            Term(
                design.names[place],
                at,
                error,
                model.reach * error,
                standardised,
                inflated,
                design.of_by[place],
            )
        )
    return tuple(found)


def _chance(model: Model, design: Design, effect: float, half: float) -> float:
    """Return the chance of an effect as far from none where there is none, by Student's t.

    Of categories, and of a number that may bend, of all their coefficients together (Wald 1943).
    """
    if design.by.is_number and design.power == 1:
        if not half > 0:
            return 1.0 if effect == 0 else 0.0
        t = abs(effect) * model.reach / half
        return 2 * float(special.ndtr(-t) if model.logistic else special.stdtr(model.freedom, -t))
    mine = np.array([design.of_by[i] for i in model.kept])
    k = int(mine.sum())
    if not k:
        return 1.0
    at, covariance = model.coefficients[mine], model.covariance[np.ix_(mine, mine)]
    try:
        statistic = float(at @ np.linalg.solve(covariance, at)) / k
    except np.linalg.LinAlgError:
        return 1.0
    if not math.isfinite(statistic) or statistic < 0:
        return 1.0
    if model.logistic:
        return float(special.chdtrc(k, k * statistic))
    return float(special.fdtrc(k, model.freedom, statistic))


def _residuals(model: Model, y: Floats) -> Floats:
    order = np.argsort(model.fitted, kind="stable")
    parts = np.array_split(order, min(STRETCHES, max(len(y) // 20, 1)))
    rest = y - model.fitted
    return np.array([[model.fitted[p].mean(), *np.quantile(rest[p], (0.1, 0.5, 0.9)), len(p)] for p in parts])


def _changer(
    question: Held, table: Table, at: Ints, y: Floats, by: Part, is_logistic: bool, apart: tuple[Apart, ...]
) -> Changer | None:
    """Return the column that changes the effect most when it alone is held fixed, by a tenth at least."""
    step = max(1, len(at) // SOME)
    at, y = at[::step], y[::step]
    by = replace(by, cells=by.cells[::step])
    out = {a.name for a in apart}
    plain = _size(design_of(by, (), question.power, None), y, is_logistic)
    if plain is None:
        return None
    best: tuple[float, Changer] | None = None
    for column in [c for c in _candidates(question, table) if c.name not in out][:MOST_ALONE]:
        part = part_of(column, table, at)
        has = np.isfinite(part.cells)
        if np.count_nonzero(has) < 0.8 * len(at):
            continue
        part = replace(part, cells=part.cells[has])
        mine = replace(by, cells=by.cells[has])
        design = design_of(mine, (part,), question.power, None)
        if len(regression.independent(design.columns())) < len(design.names):
            continue  # it carries what is asked about
        held_ = _size(design, y[has], is_logistic)
        if held_ is None:
            continue
        off = float(np.abs(held_ - plain).max()) / max(float(np.abs(plain).max()), 1e-300)
        if off >= 0.1 and (best is None or off > best[0]):
            sides = (_told(plain, by), _told(held_, by))
            best = off, Changer(column.name, *sides)
    return None if best is None else best[1]


def _size(design: Design, y: Floats, is_logistic: bool) -> Floats | None:
    """Return the effect of a model as its one slope, or as how far each value lies from all rows."""
    model = _fit(design, y, None, False, is_logistic)
    if model is None:
        return None
    by = design.by
    if by.is_number:
        half = _step(by) / 2
        ends = [design.columns(by.cells + side) for side in (-half, half)]
        return model.averages(ends, np.array([[-1.0, 1.0]]))[0]
    return _against_all(design, model)[0]


def _told(size: Floats, by: Part) -> float:
    """Return an effect as one figure: a slope, or how far the highest value lies above the lowest."""
    return float(size[0]) if by.is_number else float(size.max() - size.min())
