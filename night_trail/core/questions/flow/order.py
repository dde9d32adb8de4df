"""The order of groups at stations in which flows cross least.

Counting crossings of a drawing in layers is as in Barth, Mutzel & Jünger (2004); orders are
found by the barycentre heuristic of Sugiyama, Tagawa & Toda (1981), swept to and fro, and kept
only where they cross less.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from night_trail.core.table import Floats

SWEEPS = 8
Orders = tuple[tuple[int, ...], ...]


def crossings(flows: Sequence[Floats], orders: Sequence[Sequence[int]]) -> float:
    """Return how much crosses: for each pair of flows that cross, the product of their sizes.

    ``flows`` are of shape (groups of a station, groups of the next), none below 0; ``orders``
    say for each station which group stands where, from the top.
    """
    found = 0.0
    for flow, left, right in zip(flows, orders, orders[1:], strict=False):
        placed = flow[np.ix_(list(left), list(right))]
        if not placed.size:
            continue
        # what lies above and to the right of each flow crosses it
        above = np.cumsum(np.vstack([np.zeros(placed.shape[1]), placed[:-1]]), axis=0)
        behind = np.cumsum(above[:, ::-1], axis=1)[:, ::-1]
        right_of = np.hstack([behind[:, 1:], np.zeros((placed.shape[0], 1))])
        found += float((placed * right_of).sum())
    return found


def least_crossing(flows: Sequence[Floats], fixed: Sequence[int | None]) -> Orders:
    """Return orders that cross no more than groups in their own order do, and mostly far less.

    ``fixed`` names for each station the groups from which on all keep their place at the end (those
    that are gathered, and what lacks the station), None where there are none.
    """
    sizes = [flows[0].shape[0], *(flow.shape[1] for flow in flows)]
    own: Orders = tuple(tuple(range(size)) for size in sizes)
    scaled = [flow / (flow.sum() or 1.0) for flow in flows]
    best, least = own, crossings(scaled, own)
    for begun in (own, tuple(_by_size(scaled, i, fixed[i]) for i in range(len(sizes)))):
        orders = list(begun)
        for sweep in range(SWEEPS):
            forth = sweep % 2 == 0
            steps = range(1, len(sizes)) if forth else range(len(sizes) - 2, -1, -1)
            for at in steps:
                flow = scaled[at - 1].T if forth else scaled[at]
                orders[at] = _by_middle(flow, orders[at - 1 if forth else at + 1], orders[at], fixed[at])
            crossed = crossings(scaled, orders)
            if crossed < least - 1e-12:
                best, least = tuple(orders), crossed
    return best


def _by_size(flows: Sequence[Floats], at: int, end: int | None) -> tuple[int, ...]:
    sums = flows[at].sum(axis=1) if at < len(flows) else flows[-1].sum(axis=0)
    free = len(sums) if end is None else end
    return (*sorted(range(free), key=lambda i: -sums[i]), *range(free, len(sums)))


def _by_middle(flow: Floats, beside: Sequence[int], now: Sequence[int], end: int | None) -> tuple[int, ...]:
    """Return the groups of a station by the middle of where their flow goes; ``flow`` has a row a group."""
    place = np.empty(len(beside))
    place[list(beside)] = np.arange(len(beside))
    sums = flow.sum(axis=1)
    middles = np.where(sums > 0, (flow @ place) / np.where(sums > 0, sums, 1.0), -1.0)
    free = len(now) if end is None else end
    movable = [i for i in now if i < free]
    ranked = sorted(movable, key=lambda i: middles[i] if sums[i] > 0 else movable.index(i))
    return (*ranked, *range(free, len(now)))
