"""Why a figure changed: the parts of it that add up, the columns that tell them apart, what is unexpected."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from night_trail.core.conditions import AllOf, AnyOf, Condition, Not, mask
from night_trail.core.conditions import check as check_condition
from night_trail.core.errors import BadQuestion
from night_trail.core.questions.changed.history import Steps, steps_of
from night_trail.core.questions.changed.question import Changed
from night_trail.core.questions.changed.segments import Segments, candidates, pairs_of, segments_of
from night_trail.core.questions.shared.basis import Basis
from night_trail.core.questions.shared.cells import Held, held_of
from night_trail.core.questions.shared.measures import ADDS_UP, check_measure
from night_trail.core.rows import Rows
from night_trail.core.stats.change import (
    Side,
    chance_of,
    off_course,
    rate_and_mix,
    side_of,
    volume_and_amount,
    z_of_history,
    z_of_rates,
    z_of_sums,
)
from night_trail.core.table import Bools, Column, Floats, Ints, Table

LEVEL = 0.01
"""How often a part may be called unexpected that is chance, over all parts and columns looked at."""
SHOWN = 9
"""So many parts stand by themselves, the largest; the others are gathered."""
LEFT = 0.01
"""What has one value of a pair, but not the other, moved as the rest where chance is above this."""
MOST_PAIRED = 6


@dataclass(frozen=True)
class Segment:
    """A part of a change, by its value or its two values.

    ``change`` is what it adds to the change of the whole, made of ``rate`` (its
    own amount a row, or rate) and ``weight`` (more or fewer rows, or another
    weight). ``off`` is how far it is from what its size would give, ``unexpected``
    whether that is beyond chance; ``usual`` how many times its own usual step that
    is, None without a past. ``others`` counts the parts gathered in it.
    """

    key: str
    label: str
    before: float
    after: float
    n: tuple[int, int]
    change: float
    rate: float
    weight: float
    off: float
    unexpected: bool
    usual: float | None
    condition: Condition
    others: int = 0
    lit: int | None = None


@dataclass(frozen=True)
class Told:
    """How far the parts of a column, or of two, are from having moved alike: the chance of the furthest."""

    by: tuple[str, ...]
    chance: float
    z: float
    largest: str


@dataclass(frozen=True)
class ChangedAnswer:
    """The change of a figure and what it is made of.

    ``before`` and ``after`` are the figure of either side, ``n`` its rows.
    ``segments`` add up to the change; ``told`` are all columns looked at, what
    tells most first, ``chosen`` those the segments are of. ``rate`` and ``weight``
    add up to the change too: over all segments. ``days`` are the days with rows on
    either side, where the sides are times.
    """

    question: Changed
    basis: Basis
    column: Column | None
    before: float
    after: float
    n: tuple[int, int]
    chosen: tuple[str, ...]
    segments: tuple[Segment, ...]
    told: tuple[Told, ...]
    rate: float
    weight: float
    volume: float
    days: tuple[int, int] | None
    steps: Steps | None
    both: int

    @property
    def change(self) -> float:
        """The difference of both sides."""
        return self.after - self.before

    @property
    def adds_up(self) -> bool:
        """Whether it is a sum or a count."""
        return self.question.measure.aggregate in ADDS_UP

    @property
    def gathered(self) -> Segment | None:
        """The part that gathers the small ones."""
        return next((s for s in self.segments if s.others), None)


def check(question: Changed, table: Table) -> None:
    """Refuse a measure whose parts do not add up, and sides that are one."""
    check_measure(question.measure, table)
    if question.measure.aggregate not in (*ADDS_UP, "mean", "share", "ratio"):
        raise BadQuestion(
            f"A {question.measure.aggregate} has no parts that add up to it",
            "aggregate",
            "Take the average, or the sum.",
        )
    for condition in (question.before, question.after):
        check_condition(condition, table)
    if question.measure.column in question.sides:
        name = question.measure.column
        raise BadQuestion(f"“{name}” says which rows are meant", "column", "Measure another column.")
    if question.before == question.after:
        raise BadQuestion("Both sides are the same rows", "after", "Choose another side.")
    for name in question.by:
        column = table.column(name)
        if name in (question.measure.column, question.measure.per):
            raise BadQuestion("A measure has no parts by itself", "by", "Choose another column.")
        if column.kind.temporal or column.distinct < 1:
            raise BadQuestion(f"“{name}” makes no parts", "by", "Choose a category.")
    if len(question.by) != len(set(question.by)):
        raise BadQuestion("One column was chosen twice", "by", "Choose another for the second.")


def changed(question: Changed, rows: Rows) -> ChangedAnswer:
    """Return why a figure changed."""
    table = rows.table
    kept = rows.keeps
    before, after = mask(question.before, table) & kept, mask(question.after, table) & kept
    both = before & after
    before, after = before & ~both, after & ~both
    held = held_of(question.measure, table, before | after)
    which = after if held.at is None else after[held.at]
    work = _Work(question, table, held, which, rows)
    told = rows.remember(("changed told", question.measure, question.before, question.after), work.told)
    chosen = question.by or _chosen(told, table)
    segments, parts = work.segments(chosen, told)
    column = None if question.measure.column is None else table.column(question.measure.column)
    whole = work.sides(np.zeros(len(held.values), dtype=np.int64), 1)
    adds = question.measure.aggregate in ADDS_UP
    figures = [float(s.sums.sum()) if adds else s.rate for s in whole]
    volume = float(volume_and_amount(*whole)[0].sum()) if adds else 0.0
    sides = before | after
    if rows.lit is not None:
        lit = rows.lit & sides
        segments = tuple(
            replace(s, lit=int(np.count_nonzero(lit & mask(s.condition, table)))) for s in segments
        )
    return ChangedAnswer(
        question=question,
        basis=Basis(
            rows=rows.n,
            used=len(held.values),
            missing=int(np.count_nonzero(sides)) - len(held.values),
            groupless=rows.n - int(np.count_nonzero(sides)),
            lit=None if rows.lit is None else int(np.count_nonzero(rows.lit & sides)),
            table_rows=table.n,
        ),
        column=column,
        before=figures[0],
        after=figures[1],
        n=(int(whole[0].n.sum()), int(whole[1].n.sum())),
        chosen=chosen,
        segments=segments,
        told=told,
        rate=float(parts[0].sum()),
        weight=float(parts[1].sum()),
        volume=volume,
        days=None if work.steps is None else work.steps.days(before, after),
        steps=work.steps,
        both=int(np.count_nonzero(both)),
    )


def tried(told: Sequence[Told], table: Table) -> int:
    """Return how many ways of cutting were looked at: every column, and pairs of those that tell most."""
    alone = [t.by[0] for t in told if len(t.by) == 1]
    return len(alone) + len(pairs_of(alone[:MOST_PAIRED], table))


def _chosen(told: tuple[Told, ...], table: Table) -> tuple[str, ...]:
    """Return the columns that tell most; where none tells anything, a category before a number."""
    if not told or told[0].chance * tried(told, table) < LEVEL:
        return told[0].by if told else ()
    plain = [t for t in told if len(t.by) == 1]
    return min(plain, key=lambda t: (table.column(t.by[0]).kind.numeric, t.chance)).by


class _Work:
    """The cells of both sides, cut one way after the other."""

    def __init__(self, question: Changed, table: Table, held: Held, after: Bools, rows: Rows) -> None:
        self.question, self.table, self.held, self.after, self.rows = question, table, held, after, rows
        self.adds = question.measure.aggregate in ADDS_UP
        self.steps = steps_of(question, rows)

    def _cut(self, by: tuple[str, ...]) -> Segments:
        return self.rows.remember(
            ("changed segments", self.question.measure, self.question.before, self.question.after, by),
            lambda: segments_of(by, self.table, self.held.at),
        )

    def _halves(self, among: Bools | None) -> tuple[Bools, Bools]:
        halves = (~self.after, self.after)
        return halves if among is None else (halves[0] & among, halves[1] & among)

    def sides(self, codes: np.ndarray, n: int, among: Bools | None = None) -> tuple[Side, Side]:
        """Return what both sides come to by segment; ``codes`` and ``among`` have shape (cells,)."""
        found = []
        for side in self._halves(among):
            below = None if self.held.below is None else self.held.below[side]
            found.append(side_of(self.held.values[side], codes[side], below, n))
        return found[0], found[1]

    def _z(
        self, codes: np.ndarray, sides: tuple[Side, Side], among: Bools | None = None
    ) -> tuple[Floats, Floats | Ints]:
        """Return how far each segment is from what the rest did, and the degrees of freedom of that."""
        if self.adds:
            return z_of_sums(*sides)
        n = len(sides[0].n)
        total = sides[0].n + sides[1].n
        values = self.held.values
        if self.held.below is not None:
            # of a ratio: what a row has above, beyond what its row below would give
            rates = (sides[0].sums + sides[1].sums) / np.maximum(sides[0].over + sides[1].over, 1e-300)
            values = values - rates[codes] * self.held.below
        # within each side, so that what changed is no spread
        spread = np.zeros(n)
        for side in self._halves(among):
            counts = np.maximum(np.bincount(codes[side], minlength=n), 1)
            means = np.bincount(codes[side], weights=values[side], minlength=n) / counts
            off = values[side] - means[codes[side]]
            spread += np.bincount(codes[side], weights=off * off, minlength=n)
        return z_of_rates(*sides, spread / np.maximum(total - 2, 1)), total - 2

    def _judged(
        self, by: tuple[str, ...]
    ) -> tuple[Segments, tuple[Side, Side], Floats, Floats, Floats | None]:
        """Return the cut, its sides, the z of each segment, its chance over all, and its z by its past."""
        cut = self._cut(by)
        sides = self.sides(cut.codes, cut.n)
        z, freedom = self._z(cut.codes, sides)
        p = chance_of(z, freedom)
        past = None
        if (
            self.steps is not None
            and (known := self.steps.past(self.question.measure, self.rows, by, cut)) is not None
        ):
            earlier, now = known
            past = z_of_history(earlier, now)
            # both must hold: beyond what rows do by chance, and beyond the usual step of the segment
            p = np.maximum(p, chance_of(past, int(np.isfinite(earlier).sum(axis=0).min()) - 1))
        return cut, sides, z, np.minimum(1.0, p * max(int(np.count_nonzero(z)), 1)), past

    def told(self) -> tuple[Told, ...]:
        """Return the columns that could tell the parts apart, what tells most first."""
        if not len(self.held.values) or self.after.all() or not self.after.any():
            return ()
        names = candidates(self.question, self.table)
        found = [self._told((name,)) for name in names]
        found.sort(key=lambda t: (t.chance, -abs(t.z)))
        best = max((abs(t.z) for t in found), default=0.0)
        deeper = [self._told(pair) for pair in pairs_of([t.by[0] for t in found[:MOST_PAIRED]], self.table)]
        deeper = [t for t in deeper if abs(t.z) > best and t.chance < LEVEL / 10 and self._says_all(t)]
        deeper.sort(key=lambda t: (t.chance, -abs(t.z)))
        return (*deeper[:3], *found)

    def _says_all(self, pair: Told) -> bool:
        """Whether what has one value of a pair's furthest part, but not the other, moved as the rest did."""
        both = self._cut(pair.by)
        inside = both.codes == both.labels.index(pair.largest)
        for name in pair.by:
            codes = self._cut((name,)).codes
            split = np.where(codes == codes[inside][0], 0, 1)
            z, freedom = self._z(split, self.sides(split, 2, ~inside), ~inside)
            if chance_of(z, freedom)[0] < LEFT:
                return False
        return True

    def _told(self, by: tuple[str, ...]) -> Told:
        cut, _, z, p, _ = self._judged(by)
        if not cut.n or not len(z):
            return Told(by, 1.0, 0.0, "")
        at = min(range(len(z)), key=lambda i: (p[i], -abs(z[i])))
        return Told(by, float(p[at]), float(z[at]), cut.labels[at])

    def segments(
        self, by: tuple[str, ...], told: Sequence[Told]
    ) -> tuple[tuple[Segment, ...], tuple[Floats, Floats]]:
        """Return the segments, the largest changes first, the small ones gathered; and both parts of each."""
        if not len(self.held.values):
            return (), (np.zeros(0), np.zeros(0))
        cut, sides, _, p, past = self._judged(by)
        looked = 1 if self.question.by else tried(told, self.table)
        rate = weight = off = np.zeros(cut.n)
        figures = [s.sums if self.adds else s.rates for s in sides]
        if self.adds:
            weight, rate = volume_and_amount(*sides)
            off = off_course(*sides)
        elif self.after.any() and not self.after.all():
            rate, weight = rate_and_mix(*sides)
            off = rate
        change = rate + weight
        has = np.flatnonzero(sides[0].n + sides[1].n)
        order = has[np.argsort(-np.abs(change[has]), kind="stable")]
        shown = order if len(order) <= SHOWN + 1 else order[:SHOWN]
        rest = order[len(shown) :]
        both = AnyOf((self.question.before, self.question.after))
        made = []
        for i in shown:
            made.append(
                Segment(
                    key=cut.labels[i],
                    label=cut.labels[i],
                    before=float(figures[0][i]),
                    after=float(figures[1][i]),
                    n=(int(sides[0].n[i]), int(sides[1].n[i])),
                    change=float(change[i]),
                    rate=float(rate[i]),
                    weight=float(weight[i]),
                    off=float(off[i]),
                    unexpected=bool(by) and bool(p[i] * looked < LEVEL),
                    usual=None if past is None else float(past[i]),
                    condition=AllOf((cut.conditions[i], both)),
                )
            )
        if len(rest):
            named = tuple(Not(cut.conditions[i]) for i in shown)
            sums = [float(s.sums[rest].sum()) for s in sides]
            over = [float(s.over[rest].sum()) for s in sides]
            plain = sums if self.adds else [a / b if b else math.nan for a, b in zip(sums, over, strict=True)]
            made.append(
                Segment(
                    key="others",
                    label=f"{len(rest):,} others",
                    before=plain[0],
                    after=plain[1],
                    n=(int(sides[0].n[rest].sum()), int(sides[1].n[rest].sum())),
                    change=float(change[rest].sum()),
                    rate=float(rate[rest].sum()),
                    weight=float(weight[rest].sum()),
                    off=float(off[rest].sum()),
                    unexpected=False,
                    usual=None,
                    condition=AllOf((*named, both)),
                    others=len(rest),
                )
            )
        return tuple(made), (rate, weight)
