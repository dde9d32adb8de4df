"""Claims about the measure of one side, or of two."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from night_trail.core.claims.claim import Ahead, Differs, Level
from night_trail.core.claims.verdict import State, Verdict, ends_of, held_of_100, state_of, together
from night_trail.core.conditions import Between, Condition, leaves, mask, moment
from night_trail.core.measure import Measure
from night_trail.core.moments import DAY
from night_trail.core.questions.shared.cells import Cells, Held, held_in
from night_trail.core.questions.shared.measures import overall
from night_trail.core.rows import Rows
from night_trail.core.stats.redraws import SLOW_DRAWS, draws, sums, turned_by, weighed_quantiles
from night_trail.core.table import Bools, Floats, Ints


@dataclass(frozen=True)
class Side:
    """The cells of one side: which of the held ones, their figure, and the figure of each draw."""

    cells: Cells
    at: Ints
    figure: float
    drawn: Floats | None


def side_of(measure: Measure, held: Held, chosen: Bools, bag: Ints, drawn: Floats) -> Side:
    """Return one side; ``chosen`` has shape (cells held,), as has ``bag``."""
    at = np.flatnonzero(chosen)
    values = np.asarray(held.values)[at]
    below = None if held.below is None else held.below[at]
    cells = Cells(values, np.zeros(len(at), dtype=np.int64), below)
    figure = overall(measure, cells)
    n_bags = drawn.shape[1]
    if not len(at) or measure.aggregate == "distinct":
        return Side(cells, at, figure, None)
    if measure.aggregate in ("median", "quantile"):
        level = 0.5 if measure.aggregate == "median" else measure.level
        return Side(cells, at, figure, weighed_quantiles(values, bag[at], drawn[:SLOW_DRAWS], level))
    above = sums(bag[at], n_bags, values)
    if measure.aggregate == "sum":
        return Side(cells, at, figure, drawn @ above)
    counted = sums(bag[at], n_bags, np.ones(len(at)) if below is None else below)
    if measure.aggregate == "count":
        return Side(cells, at, figure, drawn @ counted)
    with np.errstate(invalid="ignore", divide="ignore"):
        return Side(cells, at, figure, (drawn @ above) / (drawn @ counted))


def cells_of(measure: Measure, rows: Rows) -> tuple[Held, Ints, Floats, str]:
    """Return the cells of a measure, the bag of each, the draws, and what is drawn."""
    held = held_in(measure, rows)
    bag, n_bags, drawn_by = together(rows, held.at, np.asarray(held.values, dtype=np.float64))
    return held, bag, draws(max(n_bags, 1)), drawn_by


def chosen_of(condition: Condition, rows: Rows, held: Held) -> Bools:
    """Return which of the held cells meet a condition, shape (cells,)."""
    found = mask(condition, rows.table)
    return found if held.at is None else found[held.at]


def differs(claim: Differs, rows: Rows) -> Verdict:
    """Return whether the measure of some rows is higher (lower) than that of others."""
    held, bag, drawn, by = cells_of(claim.measure, rows)
    ones = chosen_of(claim.of, rows, held)
    others = chosen_of(claim.than, rows, held) if claim.than is not None else ~ones
    a, b = (side_of(claim.measure, held, side, bag, drawn) for side in (ones, others))
    n = len(a.at) + len(b.at)
    if not len(a.at) or not len(b.at):
        return Verdict("fails", math.nan, n=n)
    sign = -1.0 if claim.lower else 1.0
    gap = a.figure - b.figure
    margin = sign * gap - claim.least
    if a.drawn is None or b.drawn is None:
        return Verdict(state_of(margin, None), gap, n=n, than=b.figure)
    gaps = a.drawn - b.drawn
    redraws = held_of_100(sign * gaps - claim.least)
    low, high = ends_of(gaps)
    turns = _turning(claim.measure, a, b, sign, claim.least) if margin > 0 else None
    return Verdict(state_of(margin, redraws), gap, low, high, redraws, by, n, turns, b.figure)


def _turning(measure: Measure, a: Side, b: Side, sign: float, least: float) -> int | None:
    """Return without how few rows a difference of averages or sums is gone; None of other measures."""
    if measure.aggregate not in ("mean", "share", "sum") or a.cells.below is not None:
        return None
    x, y = (np.asarray(side.cells.values, dtype=np.float64) for side in (a, b))
    mean = measure.aggregate != "sum"
    influence = np.concatenate(
        [sign * (x - x.mean()) / len(x), -sign * (y - y.mean()) / len(y)] if mean else [sign * x, -sign * y]
    )

    def margin(out: Ints) -> float:
        gone_x, gone_y = out[out < len(x)], out[out >= len(x)] - len(x)
        if mean and (len(gone_x) == len(x) or len(gone_y) == len(y)):
            return -1.0
        sums_left = x.sum() - x[gone_x].sum(), y.sum() - y[gone_y].sum()
        if not mean:
            return float(sign * (sums_left[0] - sums_left[1]) - least)
        gap = sums_left[0] / (len(x) - len(gone_x)) - sums_left[1] / (len(y) - len(gone_y))
        return float(sign * gap - least)

    return turned_by(influence, margin)


def level(claim: Level, rows: Rows) -> Verdict:
    """Return whether a measure is at least (most) so much."""
    held, bag, drawn, by = cells_of(claim.measure, rows)
    ones = np.ones(len(bag), dtype=np.bool_) if claim.of is None else chosen_of(claim.of, rows, held)
    side = side_of(claim.measure, held, ones, bag, drawn)
    n = len(side.at)
    if not n or not math.isfinite(side.figure):
        return Verdict("fails", math.nan, n=n)
    sign = -1.0 if claim.below else 1.0
    # "at least" is true of the figure itself: the smallest step beyond it counts as nothing
    slack = 1e-9 * max(abs(claim.at), abs(side.figure), 1e-300)
    margin = sign * (side.figure - claim.at) + slack
    if side.drawn is None:
        return Verdict(state_of(margin, None), side.figure, n=n, than=claim.at)
    redraws = held_of_100(sign * (side.drawn - claim.at) + slack)
    return Verdict(
        state_of(margin, redraws), side.figure, *ends_of(side.drawn), redraws, by, n, None, claim.at
    )


def ahead(claim: Ahead, rows: Rows) -> Verdict:
    """Return whether what has come lies where it was foretold; open until its time is there."""
    held = held_in(claim.measure, rows)
    chosen = chosen_of(claim.when, rows, held)
    n = int(chosen.sum())
    if not _has_come(claim.when, rows):
        return Verdict("open", math.nan, n=n)
    if not n:
        return Verdict("fails", math.nan)
    at = np.flatnonzero(chosen)
    below = None if held.below is None else held.below[at]
    figure = overall(claim.measure, Cells(np.asarray(held.values)[at], np.zeros(n, dtype=np.int64), below))
    state: State = "holds" if claim.low <= figure <= claim.high else "fails"
    return Verdict(state, figure, n=n)


def _has_come(when: Condition, rows: Rows) -> bool:
    """Whether the newest row, and the step to the next, reach to the end of the time a condition names."""
    for leaf in leaves(when):
        if isinstance(leaf, Between) and leaf.high is not None and rows.table.column(leaf.column).dated:
            values = rows.table.moments(leaf.column).values[rows.keeps]
            times = np.unique(values[np.isfinite(values)])
            if not len(times):
                return False
            step = float(np.median(np.diff(times))) if len(times) > 1 else 0.0
            return bool(times[-1] + max(step, DAY) >= moment(str(leaf.high)))
    return True
