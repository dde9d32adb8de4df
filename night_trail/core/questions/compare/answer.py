"""How a measure compares across the groups of a category, against a baseline where one is given."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass, replace

import msgspec
import numpy as np

from night_trail.core.conditions import AllOf, AnyOf, Condition, columns_of, mask
from night_trail.core.conditions import check as check_condition
from night_trail.core.errors import BadQuestion
from night_trail.core.measure import Measure
from night_trail.core.questions.compare.question import Baseline, Compare, CompareShape
from night_trail.core.questions.shared.basis import Basis, Grouping
from night_trail.core.questions.shared.cells import Held, held_of
from night_trail.core.questions.shared.group_figures import Carried, GroupFigure, figures_of_groups
from night_trail.core.questions.shared.grouping import can_compare, natural_order, no_groups
from night_trail.core.questions.shared.measures import (
    ADDS_UP,
    check_measure,
    first_shape,
    overall,
    plain_figures,
)
from night_trail.core.questions.shared.periods import time_column
from night_trail.core.questions.shared.ranking import Ranking, can_rank, fits_whole, ranked_grouping, ranking
from night_trail.core.rows import Rows
from night_trail.core.table import Bools, Column, Table

MOST_BARS, LEADING = 40, 25
"""So many groups are drawn; where there are more, so many places are left, each with room for its name."""


MOST_PARTS = 8


SHAPES: dict[str, tuple[CompareShape, ...]] = {
    "plain": ("dots", "bars", "table", "ring", "strip", "figure"),
    "also": ("bars", "dots", "stacked", "shares", "grid"),
    "more": ("bars", "dots", "table"),
    "baseline": ("bars", "dots", "slope", "stair", "table", "figure"),
}
"""The shapes of each form of the question, the first of them the best to begin with."""


FEW_ROWS = 10
"""Groups of fewer rows are named as such."""


@dataclass(frozen=True)
class CompareAnswer:
    """The groups in the order they are drawn; ``overall`` is the figure of all their rows.

    ``p`` is of the test that all groups are alike (Welch 1951 or Brown & Forsythe 1974 for means,
    Kruskal–Wallis for quantiles, chi-square for shares), ``effect`` η².
    ``overall_base`` is the baseline of all rows, ``ranking`` the figures of all
    groups, drawn or not; None for bands. Of all groups ``n_apart`` stand apart.
    ``times`` is at how many times a stock that is summed was taken.
    """

    question: Compare
    column: Column | None
    basis: Basis
    grouping: Grouping
    groups: tuple[GroupFigure, ...]
    overall: float
    test: str = ""
    p: float | None = None
    effect: float | None = None
    carried: tuple[Carried, ...] = ()
    overall_base: float | None = None
    ranking: Ranking | None = None
    n_apart: int = 0
    times: int = 0

    @property
    def n_groups(self) -> int:
        """How many groups have a figure and rows enough to be ranked, drawn or not."""
        if self.ranking is not None:
            return len(self.ranking.order)
        return sum(not g.others for g in self.groups)

    @property
    def gathered(self) -> GroupFigure | None:
        """The groups that are not kept apart, as one; None where all are."""
        return next((g for g in self.groups if g.others), None)

    @property
    def few(self) -> tuple[GroupFigure, ...]:
        """The groups kept apart that rest on fewer than ``FEW_ROWS`` rows."""
        return tuple(g for g in self.groups if not g.others and g.n < FEW_ROWS)

    @property
    def overlapping(self) -> tuple[GroupFigure, GroupFigure] | None:
        """The two highest groups kept apart where their intervals overlap: which is higher is not sure."""
        ranked = sorted((g for g in self.groups if not g.others), key=lambda g: -g.value)[:2]
        if self.question.end == "least" or len(ranked) < 2:
            return None
        first, second = ranked
        unsure = first.low is not None and second.high is not None and second.high >= first.low
        return (first, second) if unsure else None

    def gap_after(self) -> int | None:
        """Return after which group, from 0, a natural break lies; None where there is none.

        The widest gap between neighbours in the order of their values, where
        the intervals at either side leave most of it free and it is twice as
        wide as any other.
        """
        named = [g for g in self.groups if not g.others]
        if self.question.order != "value" or len(named) < 4 or self.question.end == "both":
            return None
        if self.question.end == "least":
            named = named[::-1]
        gaps = [a.value - b.value for a, b in itertools.pairwise(named)]
        at = max(range(len(gaps)), key=lambda i: gaps[i])
        above, below = named[at], named[at + 1]
        if gaps[at] < 2 * sorted(gaps)[-2] or above.low is None or below.high is None:
            return None
        if above.low - below.high <= 0.5 * gaps[at]:
            return None
        return len(named) - 2 - at if self.question.end == "least" else at

    def condition(self, group: GroupFigure) -> Condition:
        """Return the condition that names the rows of one group."""
        found = self.grouping.condition(group.position)
        assert found is not None  # noqa: S101  (a comparison always has groups)
        return found

    def difference(self, group: GroupFigure) -> float | None:
        """Return a group's difference from its baseline as the question wants it written."""
        if self.question.baseline is None or group.base is None:
            return None
        return self.difference_of(group.value, group.base)

    def difference_of(self, value: float, base: float) -> float | None:
        """Return a difference as it is, relative to the baseline, or as a share of the whole one."""
        show = self.question.baseline.show if self.question.baseline else "absolute"
        if show == "absolute":
            return value - base
        if show == "relative":
            return (value - base) / abs(base) if base else None
        whole = None if self.overall_base is None else self.overall - self.overall_base
        return (value - base) / whole if whole else None

    def marked(self, value: float) -> bool:
        """Whether the rule of a table marks a figure."""
        rule = self.question.rule
        return rule is not None and rule.marks(value, self.overall)


def compare_question(measure: Measure, across: Column) -> Compare:
    """Return the comparison of a measure as it is best shown first."""
    own = natural_order(across) == "own" or across.kind.measured
    return Compare(measure, across.name, first_shape(measure), "own" if own else "value")


def form(question: Compare) -> str:
    """Return which form of the question this is, a key of ``SHAPES``."""
    if question.baseline is not None and not aims(question):
        return "baseline"
    return "also" if question.also else "more" if question.more else "plain"


def aims(question: Compare) -> bool:
    """Whether one figure is held against a target; groups of it are not."""
    return question.baseline is not None and question.baseline.target is not None


def shapes_for(question: Compare) -> tuple[CompareShape, ...]:
    """Return the shapes a comparison can be drawn as."""
    adds = all(m.aggregate in ADDS_UP for m in question.measures)
    found = SHAPES[form(question)]
    return tuple(s for s in found if adds or s not in ("stacked", "shares", "ring", "strip", "stair"))


def fitted(question: Compare) -> Compare:
    """Return the question with a shape that fits it, where the one it has does not."""
    if aims(question) and question.shape != "figure":
        question = msgspec.structs.replace(question, baseline=None)
    able = shapes_for(question)
    by = question.by if question.by <= len(question.more) else 0
    rule = question.rule if question.shape == "table" else None
    if question.shape in able:
        axis = question.axis if can_cut(question) else "zero"
        return msgspec.structs.replace(question, by=by, rule=rule, axis=axis)
    plain = first_shape(question.measure)
    shape = plain if plain in able else able[0]
    return msgspec.structs.replace(question, shape=shape, by=by, rule=None, axis="zero")


def can_cut(question: Compare) -> bool:
    """Whether bars may begin elsewhere than at 0 when asked: plain ones, with nothing to hold against."""
    return question.shape == "bars" and form(question) == "plain"


def check(question: Compare, table: Table) -> None:
    """Refuse combinations that make no sense, naming the field."""
    for measure in question.measures:
        check_measure(measure, table)
        if question.across == measure.column:
            raise BadQuestion("A column cannot be compared across itself", "across", "Choose another column.")
    for name in (question.across, question.also):
        if name is not None and not can_compare(table.column(name)):
            raise no_groups(table.column(name), "across", "groups to compare")
    if question.also in (question.across, question.measure.column) and question.also is not None:
        raise BadQuestion(f"“{question.also}” is there already", "also", "Choose another column.")
    if sum(map(bool, (question.also, question.more, question.baseline))) > 1:
        raise BadQuestion(
            "A second category, further measures and a baseline do not go together", "also", "Take one away."
        )
    if question.shape not in shapes_for(question):
        raise BadQuestion(
            f"This cannot be drawn as “{question.shape}”",
            "shape",
            "Choose dots or bars; parts of a whole need a sum or a count.",
        )
    if question.axis == "cut" and not can_cut(question):
        raise BadQuestion("Only plain bars can begin elsewhere than at 0", "axis", "Leave the axis at 0.")
    if question.baseline is not None:
        _check_baseline(question, question.baseline, table)


def _check_baseline(question: Compare, baseline: Baseline, table: Table) -> None:
    if aims(question) and question.shape != "figure":
        raise BadQuestion("A target is held against one figure", "baseline", "Draw it as one figure.")
    if baseline.column is not None:
        if baseline.column == question.measure.column or question.measure.aggregate in ("count", "share"):
            raise BadQuestion("A plan is another column of the same kind", "baseline", "Choose another.")
        check_measure(plan_of(question.measure, baseline.column), table)
    if baseline.where is not None:
        check_condition(baseline.where, table)


def plan_of(measure: Measure, column: str) -> Measure:
    """Return the same figure of another column."""
    return Measure(measure.aggregate, column, measure.per, measure.where, measure.level)


def places(question: Compare, shown: int) -> int:
    """Return how many groups have a place, the gathered rest among them, where ``shown`` fit."""
    if question.keep is None:
        return shown
    return 1 + question.keep * (2 if question.end == "both" else 1)


def by_difference(question: Compare) -> bool:
    """Whether groups are ranked by their difference from a baseline, and not by their figure."""
    return question.baseline is not None and question.shape in ("bars", "stair")


def compare(question: Compare, rows: Rows, sorting: Measure | None = None) -> CompareAnswer:
    """Return the figures of all groups of one category, for one measure.

    ``sorting`` is the measure that decides which groups are kept, where it is another.
    """
    table, measure = rows.table, question.measure
    ranks = sorting or measure
    parts = question.shape in ("ring", "strip")
    whole = fits_whole(
        rows, question.across, places(question, MOST_PARTS if parts else MOST_BARS), question.least
    )
    every = None if whole else _ranking(question, rows, ranks)
    shown = LEADING if every is not None and len(every.present) > MOST_BARS else MOST_BARS
    most = places(question, MOST_PARTS if parts else shown)
    key = question.baseline
    found, ranked = ranked_grouping(
        all_compared(question.baseline, rows),
        question.across,
        most,
        ranks,
        question.end,
        question.least,
        every,
        (key, by_difference(question)),
    )
    own = ranked
    if sorting is not None and sorting != measure and ranked is not None:
        own = ranking(measure, rows, question.across, question.least)
    compared = figures_of_groups(
        measure,
        rows,
        found,
        (question.across, most, key, ranks, question.end, question.least, question.shape),
    )
    made, base = _with_base(question, rows, found, compared.groups)
    if question.order == "value":
        side = -1.0 if question.end == "least" else 1.0
        made.sort(key=lambda g: (g.others > 0, -side * _sorted_by(question, g), g.position))
    if question.shape in ("ring", "strip"):
        made = [g for g in made if g.value > 0]
    return CompareAnswer(
        question=question,
        column=None if measure.column is None else table.column(measure.column),
        basis=compared.basis(rows, found),
        grouping=found,
        groups=tuple(made),
        overall=compared.overall,
        test=compared.tested.test,
        p=compared.tested.p,
        effect=compared.tested.effect,
        carried=compared.carried,
        overall_base=base,
        ranking=own,
        n_apart=compared.tested.n_apart,
        times=times_of(measure, rows),
    )


def times_of(measure: Measure, rows: Rows) -> int:
    """Return at how many times a stock that is summed was taken; 0 for anything else."""
    if measure.aggregate != "sum" or measure.column is None or not rows.table.column(measure.column).stock:
        return 0
    time = time_column(rows.table)
    if time is None:
        return 0
    moments = rows.table.moments(time.name).values
    kept = moments if rows.kept is None else moments[rows.kept]
    return rows.remember(("times", time.name), lambda: (len(np.unique(kept[~np.isnan(kept)])),))[0]


def _ranking(question: Compare, rows: Rows, measure: Measure) -> Ranking | None:
    """Return all groups by what sorts them: their figure, or their difference from a baseline."""
    if not can_rank(rows, question.across):
        return None
    baseline = question.baseline
    if baseline is None or baseline.group is not None or baseline.target is not None:
        return ranking(measure, rows, question.across, question.least)

    def base() -> Held:
        of, kept = base_measure(question.measure, baseline, rows)
        return held_of(of, rows.table, kept)

    return ranking(measure, rows, question.across, question.least, base, baseline, by_difference(question))


def all_compared(baseline: Baseline | None, rows: Rows) -> Rows:
    """Return the rows that make the groups: those kept, and those of an earlier period beside them."""
    if baseline is None or baseline.where is None or not rows.only:
        return rows
    return Rows(rows.table, (AnyOf((AllOf(rows.only), AllOf(base_parts(baseline.where, rows.only)))),))


def _sorted_by(question: Compare, group: GroupFigure) -> float:
    if question.baseline is not None and group.base is not None and question.shape in ("bars", "stair"):
        return group.value - group.base
    return group.value


def _with_base(
    question: Compare, rows: Rows, found: Grouping, made: list[GroupFigure]
) -> tuple[list[GroupFigure], float | None]:
    """Return the groups with the figures they are held against, and that of all together."""
    baseline = question.baseline
    if baseline is None:
        return made, None
    if baseline.target is not None:
        return made, baseline.target
    if baseline.group is not None:
        one = next((g.value for g in made if g.label == baseline.group), None)
        return [replace(g, base=one) for g in made], one
    assert found.codes is not None  # noqa: S101  (grouped by a column)
    measure, kept = base_measure(question.measure, baseline, rows)
    cells = held_of(measure, rows.table, kept).grouped(found.codes)
    figures = plain_figures(measure, cells, len(found.groups))
    bases = {i: float(v) for i, v in enumerate(figures.values) if figures.n[i] and np.isfinite(v)}
    if measure.aggregate in ADDS_UP:
        bases = {i: bases.get(i, 0.0) for i in range(len(found.groups))}
    seen = {g.position for g in made}
    gone = [
        GroupFigure(i, found.groups[i].label, 0, 0.0, None, None, None, None, found.groups[i].others)
        for i, base in bases.items()
        if i not in seen and base and measure.aggregate in ADDS_UP
    ]
    whole = overall(measure, cells)
    held = [replace(g, base=bases.get(g.position)) for g in [*made, *gone]]
    return held, whole if np.isfinite(whole) else None


def base_measure(measure: Measure, baseline: Baseline, rows: Rows) -> tuple[Measure, Bools | None]:
    """Return the measure and the rows of a baseline: a plan of the same rows, or other rows."""
    if baseline.column is not None:
        return plan_of(measure, baseline.column), rows.kept
    assert baseline.where is not None  # noqa: S101  (groups need no other rows)
    return measure, mask(AllOf(base_parts(baseline.where, rows.only)), rows.table)


def base_parts(where: Condition, only: Sequence[Condition]) -> tuple[Condition, ...]:
    """Return what names the rows of a baseline that are others: other filters hold for them too."""
    named = set(columns_of(where))
    # those on the same column do not
    return (*(c for c in only if not named & set(columns_of(c))), where)
