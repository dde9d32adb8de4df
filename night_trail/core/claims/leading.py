"""Claims that one group comes before all others."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from night_trail.core.claims.claim import Leads
from night_trail.core.claims.sides import cells_of
from night_trail.core.claims.verdict import Verdict, ends_of, held_of_100, state_of
from night_trail.core.measure import Measure
from night_trail.core.questions.shared.cells import Cells, Held
from night_trail.core.questions.shared.measures import overall
from night_trail.core.rows import Rows
from night_trail.core.stats.redraws import SLOW_DRAWS, sums, weighed_quantiles
from night_trail.core.table import Bools, Floats, Ints

MOST_RANKED, MOST_DRAWN = 200, 12


@dataclass(frozen=True)
class _Groups:
    """The cells of a measure by group: codes −1 for none, shape (cells,); which groups have any."""

    held: Held
    codes: Ints
    present: Bools
    bag: Ints
    drawn: Floats

    @property
    def values(self) -> Floats:
        return np.asarray(self.held.values, dtype=np.float64)


def leads(claim: Leads, rows: Rows) -> Verdict:
    """Return whether a group comes before all others, and how often it does where rows are drawn anew."""
    held, bag, drawn, by = cells_of(claim.measure, rows)
    coded = rows.table.coded(claim.across)
    codes = (coded.codes if held.at is None else coded.codes[held.at]).astype(np.int64)
    labels = list(coded.labels)
    present = np.bincount(codes[codes >= 0], minlength=len(labels)) > 0
    if claim.group not in labels or not present[labels.index(claim.group)]:
        return Verdict("fails", math.nan)
    mine = labels.index(claim.group)
    sign = -1.0 if claim.lowest else 1.0
    groups = _Groups(held, codes, present, bag, drawn)
    sorts = claim.measure.aggregate in ("median", "quantile", "distinct")
    figures, of_draws = (_sorted if sorts else _added)(claim.measure, groups, mine, sign)
    n = int((codes >= 0).sum())
    rest = present.copy()
    rest[mine] = False
    if not rest.any():
        return Verdict("fails", float(figures[mine]), n=n)
    against = int(np.flatnonzero(rest)[np.nanargmax(sign * figures[rest])])
    than, other = float(figures[against]), labels[against]
    margin = float(sign * (figures[mine] - than))
    if of_draws is None:
        return Verdict(state_of(margin, None), float(figures[mine]), n=n, than=than, other=other)
    others = np.where(rest & ~np.isnan(of_draws), sign * np.nan_to_num(of_draws), -np.inf).max(axis=1)
    redraws = held_of_100(sign * of_draws[:, mine] - others)
    low, high = ends_of(of_draws[:, mine])
    state = state_of(margin, redraws)
    return Verdict(state, float(figures[mine]), low, high, redraws, by, n, None, than, other)


def _sorted(measure: Measure, groups: _Groups, mine: int, sign: float) -> tuple[Floats, Floats | None]:
    """Return figures of groups that have to be sorted for, and those of the foremost for each draw."""
    order = np.argsort(groups.codes, kind="stable")
    ends = np.searchsorted(groups.codes[order], np.arange(len(groups.present) + 1))
    figures = np.full(len(groups.present), np.nan)
    for group in np.flatnonzero(groups.present):
        at = order[ends[group] : ends[group + 1]]
        figures[group] = overall(measure, Cells(groups.values[at], np.zeros(len(at), dtype=np.int64)))
    if measure.aggregate == "distinct":
        return figures, None
    drawn = groups.drawn[:SLOW_DRAWS]
    of_draws = np.full((len(drawn), len(figures)), np.nan)
    level = 0.5 if measure.aggregate == "median" else measure.level
    for leader in {*_foremost(figures, groups.present, sign, MOST_DRAWN), mine}:
        at = order[ends[leader] : ends[leader + 1]]
        of_draws[:, leader] = weighed_quantiles(groups.values[at], groups.bag[at], drawn, level)
    return figures, of_draws


def _added(measure: Measure, groups: _Groups, mine: int, sign: float) -> tuple[Floats, Floats | None]:
    """Return figures of groups that come from sums, and those of the foremost for each draw."""
    codes, values, n_bags = groups.codes, groups.values, groups.drawn.shape[1]
    below = np.ones(len(values)) if groups.held.below is None else groups.held.below
    inside = codes >= 0
    with np.errstate(invalid="ignore", divide="ignore"):
        figures = _made(
            measure, *(sums(codes[inside], len(groups.present), v[inside]) for v in (values, below))
        )
        figures[~groups.present] = np.nan
        chosen = np.array(sorted({*_foremost(figures, groups.present, sign, MOST_RANKED), mine}))
        place = np.full(len(figures), -1)
        place[chosen] = np.arange(len(chosen))
        here = inside & (place[np.maximum(codes, 0)] >= 0)
        cell, size = groups.bag[here] * len(chosen) + place[codes[here]], n_bags * len(chosen)
        above, under = (sums(cell, size, v[here]).reshape(n_bags, len(chosen)) for v in (values, below))
        of_draws = np.full((len(groups.drawn), len(figures)), np.nan)
        of_draws[:, chosen] = _made(measure, groups.drawn @ above, groups.drawn @ under)
    return figures, of_draws


def _foremost(figures: Floats, present: Bools, sign: float, most: int) -> list[int]:
    """Return the places of the groups that lead."""
    at = np.flatnonzero(present)
    return [int(i) for i in at[np.argsort(-sign * figures[at], kind="stable")][:most]]


def _made(measure: Measure, above: Floats, below: Floats) -> Floats:
    """Return figures from sums, of any shape, as the measure puts them together."""
    if measure.aggregate == "sum":
        return above
    if measure.aggregate == "count":
        return below
    return above / below
