"""How several measures compare across the groups of one category, side by side."""

from __future__ import annotations

from dataclasses import dataclass, replace

import msgspec
import numpy as np

from night_trail.core.questions.compare.answer import CompareAnswer, compare
from night_trail.core.questions.compare.question import Compare
from night_trail.core.questions.shared.basis import Basis, Grouping
from night_trail.core.rows import Rows
from night_trail.core.stats.relation import pearson, ranks

LEAST_RANKED = 4


@dataclass(frozen=True)
class SeveralAnswer:
    """One comparison a measure, their groups in one order.

    ``agreement`` is, for every measure behind the first, the rank correlation
    (Spearman) of its groups with those of the sorting measure; None where it
    cannot be said.
    """

    question: Compare
    basis: Basis
    grouping: Grouping
    parts: tuple[CompareAnswer, ...]
    labels: tuple[str, ...]
    agreement: tuple[float | None, ...]

    @property
    def sorting(self) -> CompareAnswer:
        """The measure whose figures sort the groups."""
        return self.parts[self.question.by]


def several(question: Compare, rows: Rows) -> SeveralAnswer:
    """Return the figures of all measures, group by group."""
    parts = [
        compare(
            msgspec.structs.replace(question, measure=measure, more=(), by=0),
            rows,
            question.measures[question.by],
        )
        for measure in question.measures
    ]
    first = parts[question.by]
    order = {g.position: i for i, g in enumerate(first.groups)}
    aligned = [
        replace(
            part,
            groups=tuple(sorted(part.groups, key=lambda g: order.get(g.position, len(order) + g.position))),
        )
        for part in parts
    ]
    labels: dict[int, str] = {}
    for part in [first, *aligned]:
        labels |= {g.position: g.label for g in part.groups if g.position not in labels}
    return SeveralAnswer(
        question=question,
        basis=first.basis,
        grouping=first.grouping,
        parts=tuple(aligned),
        labels=tuple(labels.values()),
        agreement=tuple(_agreement(aligned[question.by], part) for part in aligned),
    )


def _agreement(one: CompareAnswer, other: CompareAnswer) -> float | None:
    if one is other:
        return None
    if one.ranking is not None and other.ranking is not None:
        # all groups, since those kept were chosen by one of the two
        a, b = one.ranking.values, other.ranking.values
        ranked = np.intersect1d(one.ranking.order, other.ranking.order, assume_unique=True)
        a, b = a[ranked], b[ranked]
    else:
        left = {g.label: g.value for g in one.groups if not g.others}
        right = {g.label: g.value for g in other.groups if not g.others}
        both = [label for label in left if label in right]
        a, b = (np.array([side[label] for label in both]) for side in (left, right))
    if len(a) < LEAST_RANKED or np.ptp(a) == 0 or np.ptp(b) == 0:
        return None
    return pearson(ranks(a), ranks(b))
