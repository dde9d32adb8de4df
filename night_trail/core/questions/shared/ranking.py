"""All groups of a category in the order of a measure: which are kept apart, and which lead and trail.

What a picture keeps and what its words call the most or the least must be the
same, and must hold over all groups, drawn or not. So every group's figure is
taken before any is gathered.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass

import numpy as np

from night_trail.core.measure import Measure
from night_trail.core.question import Question
from night_trail.core.questions.compare.question import Compare, End
from night_trail.core.questions.cycle.question import Cycle
from night_trail.core.questions.over_time.question import OverTime
from night_trail.core.questions.shared.basis import Grouping, gathered, grouping, is_banded
from night_trail.core.questions.shared.cells import Held, held_in
from night_trail.core.questions.shared.measures import ADDS_UP, plain_figures
from night_trail.core.questions.spread.question import Spread
from night_trail.core.rows import Rows
from night_trail.core.table import Floats, Ints


@dataclass(frozen=True)
class Extreme:
    """The group whose figure leads or trails, how many others share it, and its rows."""

    label: str
    value: float
    n: int
    shared: int = 0


@dataclass(frozen=True)
class Ranking:
    """Every group of a category: ``values`` and ``n`` (cells) one a label, ``keys`` what ranks them.

    ``order`` are the positions of those that are ranked, the highest first;
    ``present`` have rows at all, and ``few`` of these fewer cells than a
    ranked group needs.
    """

    labels: list[str]
    values: Floats
    n: Ints
    keys: Floats
    order: Ints
    present: Ints
    few: int

    @property
    def nbytes(self) -> int:
        """Bytes it holds beside the column's labels."""
        arrays = (self.values, self.n, self.keys, self.order, self.present)
        return sum(int(array.nbytes) for array in arrays)

    def extreme(self, highest: bool, by_key: bool = False) -> Extreme | None:
        """Return the group that leads or trails by its figure, or by what ranks it; None where none is."""
        if not len(self.order):
            return None
        figures = (self.keys if by_key else self.values)[self.order]
        at = int(np.argmax(figures) if highest else np.argmin(figures))
        position = int(self.order[at])
        shared = int(np.count_nonzero(figures == figures[at])) - 1
        return Extreme(self.labels[position], float(self.values[position]), int(self.n[position]), shared)

    def ranks(self) -> Ints:
        """Return the rank of each group in ``order``, the highest 1; groups of one figure share theirs."""
        figures = self.keys[self.order]
        if not len(figures):
            return np.empty(0, dtype=np.int64)
        begins = np.concatenate([[True], figures[1:] != figures[:-1]])
        return np.asarray(
            np.maximum.accumulate(np.where(begins, np.arange(1, len(figures) + 1), 0)), dtype=np.int64
        )

    def kept(self, most: int, end: End) -> Ints:
        """Return the positions that stay apart where ``most`` have a place, the gathered rest taking one."""
        if len(self.present) <= most and not self.few and end == "most":
            return self.present
        room = most if len(self.order) == len(self.present) <= most else most - 1
        if len(self.order) <= room:
            return np.sort(self.order)
        if end == "both":
            upper = (room + 1) // 2
            chosen = np.concatenate([self.order[:upper], self.order[len(self.order) - (room - upper) :]])
        else:
            chosen = self.order[:room] if end == "most" else self.order[len(self.order) - room :]
        return np.sort(chosen)


DWARFS = 1.5


def dwarfs(rest: float, named: Iterable[float]) -> bool:
    """Whether the figure of what is gathered would squeeze those of the groups that stand apart."""
    return abs(rest) > DWARFS * max((abs(v) for v in named if np.isfinite(v)), default=np.inf)


def can_rank(rows: Rows, across: str) -> bool:
    """Whether a column's groups are its values, and not bands of them."""
    return not is_banded(rows.table.column(across))


@dataclass(frozen=True)
class Ranked:
    """What a picture ranks: the groups of a column, by a measure, those of at least so many rows."""

    across: str
    measure: Measure
    least: int = 1


def ranked_by(question: Question) -> Ranked | None:
    """Return what ranks the groups of a picture; None where it has no ranked groups."""
    match question:
        case Compare():
            return Ranked(question.across, question.measures[question.by], question.least)
        case Spread(shape="bars"):
            return Ranked(question.column, Measure("count"))
        case OverTime() | Cycle() if question.split is not None:
            return Ranked(question.split, question.measure)
    return None


def gathered_groups(found: Grouping | None) -> int:
    """Return how many groups of a category are gathered in one; 0 where none are, or they are bands."""
    groups = () if found is None else found.groups
    return sum(g.others for g in groups if g.band is None)


def ranking(
    measure: Measure,
    rows: Rows,
    across: str,
    least: int = 1,
    base: Callable[[], Held] | None = None,
    base_key: object = None,
    by_difference: bool = False,
) -> Ranking:
    """Return all groups of a category by a measure, groups of fewer than ``least`` cells unranked.

    With ``base``, the cells each group is held against, groups that have only
    these are there too; ``by_difference`` ranks by the distance from them.
    """

    def made() -> Ranking:
        coded = rows.table.coded(across)
        codes, width = coded.codes, len(coded.labels)
        got = plain_figures(measure, held_in(measure, rows).grouped(codes), width)
        values, n = np.where(got.n > 0, got.values, np.nan), got.n
        counts = rows.tally(codes, width, rows.kept)
        keys = values
        if base is not None:
            held = plain_figures(measure, base().grouped(codes), width)
            against = np.where(held.n > 0, held.values, np.nan)
            if measure.aggregate in ADDS_UP:
                values, against = np.nan_to_num(values), np.nan_to_num(against)
            n, counts = np.maximum(n, held.n), np.maximum(counts, held.n)
            keys = values - against if by_difference else values
        present = np.flatnonzero(counts)
        able = np.isfinite(keys) & (n >= max(least, 1)) & (counts > 0)
        size = np.abs(keys) if by_difference else keys
        ranked = np.flatnonzero(able)
        order = ranked[np.argsort(-size[ranked], kind="stable")]
        few = int(np.count_nonzero(n[present] < least)) if least > 1 else 0
        return Ranking(coded.labels, values, n, keys, order, present, few)

    return rows.remember(("ranking", measure, across, least, base_key, by_difference), made)


def fits_whole(rows: Rows, across: str, most: int, least: int = 1) -> bool:
    """Whether all groups a column has are kept apart, so that none need be ranked first."""
    return least == 1 and rows.table.column(across).distinct <= most


def ranked_grouping(
    rows: Rows,
    across: str | None,
    most: int,
    measure: Measure,
    end: End = "most",
    least: int = 1,
    found: Ranking | None = None,
    key: object = None,
) -> tuple[Grouping, Ranking | None]:
    """Return the groups of a category, those behind in the ranking gathered in one, and the ranking.

    The bands of a measured column stand in their own order and are not ranked.
    """
    if across is None or not can_rank(rows, across) or fits_whole(rows, across, most, least):
        return grouping(rows, across, most), None
    ranked = found if found is not None else ranking(measure, rows, across, least)
    named = ("ranked", across, most, measure, end, least, key)
    return rows.remember(
        named, lambda: gathered(rows, across, ranked.kept(most, end), ranked.present)
    ), ranked
