"""Where to look next: pictures whose finding was made on one part of the rows and confirmed on the rest.

What a picture on the desk is about is held against every column of its table. A
picture is proposed where the first part of the rows shows a relation beyond
chance, over all that was tried, and the second shows the same one again. What it
says is what the words of that very picture say.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Iterator
from dataclasses import dataclass

import numpy as np
from msgspec.structs import replace
from scipy import special

from night_trail.core.measure import Measure
from night_trail.core.moments import LENGTHS, Part, part_of
from night_trail.core.odd_steps import odd_step
from night_trail.core.question import Question, Scene, key
from night_trail.core.questions.compare.question import Compare
from night_trail.core.questions.crosstab.question import Crosstab
from night_trail.core.questions.cycle.answer import cycle
from night_trail.core.questions.cycle.question import Cycle
from night_trail.core.questions.differ.question import Differ
from night_trail.core.questions.over_time.question import OverTime
from night_trail.core.questions.registry import check, kind_of
from night_trail.core.questions.relate.question import Relate
from night_trail.core.questions.shared.gist import Gist
from night_trail.core.questions.shared.grouping import makes_groups
from night_trail.core.questions.shared.kept_together import alike_within, one_half, one_of_each, together
from night_trail.core.questions.shared.measures import first_measure, first_shape
from night_trail.core.questions.shared.offers import can_be_asked
from night_trail.core.questions.shared.periods import time_column
from night_trail.core.questions.spread.answer import first_question
from night_trail.core.rows import Rows
from night_trail.core.stats.groups import cramers_v, epsilon_squared, eta_squared, moments
from night_trail.core.stats.relation import pearson, ranks
from night_trail.core.table import Column, Floats, Ints, Kind, Table

MOST_ROWS = 12_000
LEAST_ROWS = 80
MOST = 6
MOST_BEGUN, WIDE = 3, 100
OF_A_KIND = 2
FIRST, AGAIN = 0.01, 0.01
"""The chance allowed over everything tried on the first part, and for each on the second."""
WEAK = 0.01
"""A relation that explains less of the differences than this is not worth a look."""
SHARED = 0.05
PLACES = (Kind.LATITUDE, Kind.LONGITUDE)
"""Half a place is neither a measure nor what a measure goes with; a map shows both."""
NEAR = 5.0
"""How many times as strong what is near to the picture on the desk counts."""
PARTS: tuple[Part, ...] = ("year", "week", "day")


@dataclass(frozen=True)
class Signpost:
    """A picture worth a look; ``strength`` is the share of the differences it explains on the second part."""

    question: Question
    strength: float


@dataclass(frozen=True)
class Search:
    """What was found, the strongest first, and how many relations were tried."""

    found: tuple[Signpost, ...]
    tried: int


@dataclass(frozen=True)
class _Tried:
    question: Question
    first: tuple[float, float]
    again: tuple[float, float]
    same: bool


Likes = Callable[[Question], float]
"""How many times as strong a picture counts for a person: 1 without a word, 0 where it is not wanted."""


def beginnings(rows: Rows, likes: Likes | None = None) -> Search:
    """Return pictures to begin a table with: the strongest of its first measures, those that add up first."""
    return begun([(main, confirmed(main, rows)) for main in first_looked_into(rows.table)], rows.table, likes)


def looked_into(main: Question, table: Table) -> list[Question]:
    """Return the pictures whose columns are looked into beside one: the table's where it is about none."""
    gist = kind_of(main).gist(main, table)
    return [main] if gist.named and _target(gist, table) is not None else first_looked_into(table)


def first_looked_into(table: Table) -> list[Question]:
    """Return the pictures whose columns are looked into where a table is begun."""
    # when or where something was is no measure to begin with
    able = [c for c in table.columns if not c.calendar and c.kind not in PLACES]
    able = [c for c in able if _target(Gist(c.name), table) is not None]
    able.sort(key=lambda c: (not c.kind.numeric, not c.additive, c.missing))
    # of a very wide table one measure is searched, or its survey would wait
    return [first_question(c) for c in able[: MOST_BEGUN if len(table.columns) <= WIDE else 1]]


def begun(
    searched: Iterable[tuple[Question, Search]],
    table: Table,
    likes: Likes | None = None,
    seen: Collection[str] = (),
) -> Search:
    """Choose the pictures to begin a table with from what was confirmed of its first measures."""
    found: list[Signpost] = []
    tried = 0
    for main, of_it in searched:
        tried += of_it.tried
        named = [_named(s.question) for s in found]
        chosen = choose(Scene(main=main), table, of_it, seen, likes).found
        found += [s for s in chosen if _named(s.question) not in named][:2]
    return Search(tuple(found[:MOST]), tried)


def search(scene: Scene, rows: Rows, seen: Collection[str] = (), likes: Likes | None = None) -> Search:
    """Return pictures that may be looked at next: what is confirmed of the rows a scene keeps, and chosen."""
    nothing = Search((), 0)
    of_it = nothing if scene.main is None else confirmed(scene.main, rows)
    return choose(scene, rows.table, of_it, seen, likes)


def confirmed(main: Question, rows: Rows) -> Search:
    """Return every picture that both parts of the rows show about what one is of; nothing is chosen yet."""
    gist = kind_of(main).gist(main, rows.table)
    target = _target(gist, rows.table)
    if target is None:
        return Search((), 0)
    of = ("signposts", target.name, gist.measure, gist.time)
    tried = rows.remember(of, lambda: tuple(_all(gist, target, rows)))
    level = FIRST / max(len(tried), 1)
    found = [
        Signpost(one.question, min(one.first[1], one.again[1]))
        for one in tried
        if one.first[0] < level
        and one.again[0] < AGAIN
        and one.same
        and min(one.first[1], one.again[1]) >= WEAK
    ]
    tries = len(tried)
    if isinstance(main, OverTime):
        step, steps = rows.remember(("odd step", main), lambda: odd_step(main, rows))
        tries += steps
        if step is not None:
            found.append(Signpost(step.question, step.strength))
    return Search(tuple(found), tries)


def choose(
    scene: Scene,
    table: Table,
    searched: Search,
    seen: Collection[str] = (),
    likes: Likes | None = None,
) -> Search:
    """Choose the pictures to look at next from what was confirmed.

    Parameters
    ----------
    scene
        What is on the desk; nothing of it is proposed.
    table
        The table it is of.
    searched
        What was confirmed of its main picture.
    seen
        Keys of the questions that were asked already (``question.key``).
    likes
        What the person made of such pictures before.
    """
    if scene.main is None or not searched.tried:
        return searched
    gist = kind_of(scene.main).gist(scene.main, table)
    on_desk = [_named(q) for q in (scene.main, *scene.beside) if q is not None]
    likes = likes or (lambda question: 1.0)
    weighed = [
        (one.strength * likes(one.question) * (NEAR if _near(one.question, gist) else 1.0), one)
        for one in searched.found
        if not _was_seen(one.question, seen) and _named(one.question) not in on_desk
    ]
    kept: list[Signpost] = []
    for weight, one in sorted(weighed, key=lambda w: -w[0]):
        if weight > 0 and sum(type(k.question) is type(one.question) for k in kept) < OF_A_KIND:
            kept.append(one)
    if scene.lit is not None and not isinstance(scene.main, Differ):
        differ = Differ(scene.lit)
        if key(differ) not in seen:
            kept.insert(0, Signpost(differ, 1.0))
    return Search(tuple(kept[:MOST]), searched.tried)


def _was_seen(question: Question, seen: Collection[str]) -> bool:
    """Whether a picture was asked for, or its like with the axes turned."""
    turned = question
    if isinstance(question, Relate):
        turned = replace(question, column=question.against, against=question.column)
    return key(question) in seen or key(turned) in seen


def _near(question: Question, gist: Gist) -> bool:
    """Whether a picture is of the time that the one on the desk is of."""
    return gist.time is not None and gist.time in question.mentions


def _named(question: Question) -> tuple[str, ...]:
    """Return what a picture is of: the same kind over the same columns is the same picture."""
    return (kind_of(question).tag, *sorted(n for n in question.mentions if n))


def _target(gist: Gist, table: Table) -> Column | None:
    """Return the column whose differences are looked into: the one measured, or looked at."""
    name = gist.measure.column if gist.measure is not None else gist.column
    column = None if not name else table.column(name)
    if column is None or column.kind.temporal or column.kind in (Kind.TEXT, Kind.IDENTIFIER) or column.code:
        return None
    return column if column.kind.numeric or 2 <= column.distinct <= 60 else None


def _all(gist: Gist, target: Column, rows: Rows) -> Iterator[_Tried]:
    table = rows.table
    numeric = target.kind.numeric
    values = table.axis(target.name).values if numeric else table.coded(target.name).codes.astype(np.float64)
    has = np.isfinite(values) if numeric else values >= 0
    at = np.flatnonzero(has if rows.kept is None else has & rows.kept)
    if len(at) < LEAST_ROWS:
        return
    if len(at) > MOST_ROWS:
        at = np.sort(np.random.default_rng(len(at)).choice(at, MOST_ROWS, replace=False))
    # rows of one day or name are in one part, and chance is judged by one of each
    sets = together(table, at)
    first = one_half(sets)
    one_each = np.zeros(len(at), dtype=np.bool_)
    one_each[one_of_each(sets)] = True
    y = ranks(values[at]) if numeric else values[at]
    for question, x, grouped in _candidates(gist, target, table, at):
        if isinstance(question, Cycle):
            yield _by_rounds(question, x, y, rows)
            continue
        # of columns that rows of a set share, a set counts once
        ones = one_each if _shared(x, y, sets, grouped) else np.ones(len(at), dtype=np.bool_)
        halves = [(first, first & ones), (~first, ~first & ones)]
        results, shapes = [], []
        for rows_of, single in halves:
            p, strength, shape = _tested(y, x, rows_of, single, numeric, grouped)
            results.append((p, strength))
            shapes.append(shape)
        both = np.isfinite(shapes[0]) & np.isfinite(shapes[1]) if len(shapes[0]) == len(shapes[1]) else None
        same = both is not None and bool(both.any()) and _agree(shapes[0][both], shapes[1][both])
        yield _Tried(question, results[0], results[1], same)


def _by_rounds(question: Cycle, x: Floats, y: Floats, rows: Rows) -> _Tried:
    """Judge a cycle by its whole rounds: they confirm each other, where days of a series that wanders do not.

    Of averages, of which the rounds at the ends count too, and of what is measured
    where that is known. ``x`` has the parts and ``y`` the target, both of shape (rows,).
    """
    average = replace(question, measure=Measure("mean", question.measure.column))
    chance = cycle(average, rows).chance
    own = cycle(question, rows).chance
    p = 1.0 if chance is None else max(chance, own or 0.0)
    known = np.isfinite(x)
    strength = epsilon_squared(moments(y[known], x[known].astype(np.int64), LENGTHS[question.part]))
    return _Tried(question, (p, strength or 0.0), (p, strength or 0.0), True)


def _shared(x: Floats, y: Floats, sets: Ints, grouped: bool) -> bool:
    """Whether rows of a set are alike in a column. All have shape (rows,); cells are NaN where missing."""
    known = np.isfinite(x)
    if not known.any():
        return False
    values, within = x[known], np.unique(sets[known], return_inverse=True)[1]
    if grouped:
        # groups in the order of what they do to the target
        codes = values.astype(np.int64)
        means = np.bincount(codes, weights=y[known]) / np.maximum(np.bincount(codes), 1)
        values = means[codes]
    return alike_within(ranks(values), within) > SHARED


def _agree(one: Floats, other: Floats) -> bool:
    """Whether two parts show the same: a sign, or groups that differ alike; both of shape (groups,)."""
    if len(one) == 1:
        return bool(one[0] * other[0] > 0)
    return float(np.ptp(one)) > 0 and float(np.ptp(other)) > 0 and pearson(one, other) > 0.5


def _candidates(
    gist: Gist, target: Column, table: Table, at: Ints
) -> Iterator[tuple[Question, Floats, bool]]:
    """Yield questions with the cells they hold the target against, and whether those are groups."""
    measure = gist.measure if gist.measure is not None else first_measure(target)
    for column in table.columns:
        able = column.name != target.name and column.kind not in (Kind.TEXT, Kind.IDENTIFIER)
        if able and _groups(column):
            codes = table.coded(column.name).codes[at].astype(np.float64)
            codes[codes < 0] = np.nan
            question: Question = Crosstab(target.name, column.name)
            if target.kind.numeric:
                question = Compare(measure, column.name, shape=first_shape(measure))
            if can_be_asked(check, question, table):
                yield question, codes, True
        elif able and column.kind.numeric and not column.code and column.kind not in PLACES:
            cells = table.axis(column.name).values[at]
            question = Relate(target.name, column.name)
            if not target.kind.numeric:
                question = Compare(Measure("mean", column.name), target.name, shape="dots")
            if can_be_asked(check, question, table):
                yield question, cells, False
    when = table.column(gist.time) if gist.time else time_column(table, target.name)
    if when is not None and target.kind.numeric:
        yield from _in_time(measure, when, table, at)


def _groups(column: Column) -> bool:
    """Whether a column is set side by side: few numbers are, many are related."""
    return makes_groups(column) and 2 <= column.distinct <= (12 if column.kind.numeric else 60)


def _in_time(
    measure: Measure, when: Column, table: Table, at: Ints
) -> Iterator[tuple[Question, Floats, bool]]:
    moments_ = table.moments(when.name).values[at]
    has = np.isfinite(moments_)
    parts = PARTS if when.kind == Kind.DATETIME else PARTS[:2] if when.kind == Kind.DATE else ()
    for part in parts:
        codes = np.full(len(at), np.nan)
        codes[has] = part_of(moments_[has], part, None)
        question = Cycle(measure, when.name, part)
        if len(np.unique(codes[has])) >= min(4, LENGTHS[part]) and can_be_asked(check, question, table):
            yield question, codes, True
    if can_be_asked(check, OverTime(measure, when.name), table):
        yield OverTime(measure, when.name), moments_, False


def _tested(
    y: Floats, x: Floats, rows: np.ndarray, single: np.ndarray, numeric: bool, grouped: bool
) -> tuple[float, float, Floats]:
    """Return the chance of a relation among rows that stand alone, its strength among all, and its shape."""
    nothing = (1.0, 0.0, np.empty(0))
    known = np.isfinite(x)
    all_, alone = rows & known, single & known
    if int(alone.sum()) < 20:
        return nothing
    if not grouped and not numeric:
        # a number across the groups of the target
        return _tested(ranks(x), y, rows & known, single & known, True, True)
    if not grouped:
        r = pearson(ranks(x[all_]), y[all_])
        few = pearson(ranks(x[alone]), y[alone])
        n = int(alone.sum())
        if not np.isfinite(r) or not np.isfinite(few) or n < 5:
            return nothing
        z = np.arctanh(min(abs(few), 1 - 1e-12)) * np.sqrt(n - 3)
        return 2 * float(special.ndtr(-z)), r * r, np.array([r])
    codes = x[all_].astype(np.int64)
    k = int(x[known].max()) + 1
    if not numeric:
        v = cramers_v(y[all_].astype(np.int64), codes)
        return (
            _chi(y[alone], x[alone]),
            0.0 if v is None else v * v,
            _table(y[all_], codes, int(y.max()) + 1, k),
        )
    found = moments(y[all_], codes, k)
    strength = epsilon_squared(found)
    if strength is None or int((found.n > 0).sum()) < 2:
        return nothing
    # of groups of few rows the mean says nothing that another part could confirm
    return _kruskal(y[alone], x[alone]), strength, np.where(found.n >= 5, found.means, np.nan)


def _kruskal(y: Floats, x: Floats) -> float:
    """Return the chance of ranks that differ so between groups: F of ranks (Conover & Iman 1981)."""
    dense = np.unique(x, return_inverse=True)[1]
    k, n = int(dense.max()) + 1, len(y)
    found = eta_squared(moments(ranks(y), dense, k))
    if found is None or k < 2 or n <= k:
        return 1.0
    return float(special.fdtrc(k - 1, n - k, found / (k - 1) * (n - k) / max(1 - found, 1e-12)))


def _chi(y: Floats, x: Floats) -> float:
    counts = _counts(y.astype(np.int64), x.astype(np.int64))
    expected = np.outer(counts.sum(axis=1), counts.sum(axis=0)) / counts.sum()
    if float(expected.min()) < 1:
        return 1.0
    statistic = float(((counts - expected) ** 2 / expected).sum())
    return float(special.chdtrc((counts.shape[0] - 1) * (counts.shape[1] - 1), statistic))


def _counts(a: Ints, b: Ints) -> Floats:
    _, a = np.unique(a, return_inverse=True)
    _, b = np.unique(b, return_inverse=True)
    m = int(b.max()) + 1
    return np.bincount(a * m + b, minlength=(int(a.max()) + 1) * m).reshape(-1, m).astype(np.float64)


def _table(y: Floats, codes: Ints, rows: int, columns: int) -> Floats:
    """Return how far each cell is from what chance gives, as one row."""
    pairs = y.astype(np.int64) * columns + codes
    counts = np.bincount(pairs, minlength=rows * columns).reshape(rows, columns).astype(np.float64)
    expected = np.outer(counts.sum(axis=1), counts.sum(axis=0)) / max(counts.sum(), 1)
    return np.asarray(((counts - expected) / np.sqrt(np.maximum(expected, 1.0))).ravel())
