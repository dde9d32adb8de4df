"""Which tables that arrived together belong together: parts of one table, or halves of a join."""

from __future__ import annotations

import itertools
from dataclasses import dataclass

from night_trail.core.recipe.joining import LikelyKey, likely_keys
from night_trail.core.recipe.stacking import stack_facts
from night_trail.core.table import Table

ALIKE = 0.7
MOST_JOINS = 8


@dataclass(frozen=True)
class LikelyJoin:
    """Positions of two tables in the bundle, the larger one at the left, and their likeliest key."""

    left: int
    right: int
    key: LikelyKey


@dataclass(frozen=True)
class Belonging:
    """What may be stacked, as positions of two tables or more, and what may be joined, likeliest first."""

    stacks: tuple[tuple[int, ...], ...]
    joins: tuple[LikelyJoin, ...]


def together(tables: list[Table]) -> Belonging:
    """Return how tables belong together.

    Tables that share 70 % of their columns are parts of one; of such a family
    only the first is offered for joins, since stacking comes before.
    """
    families: list[list[int]] = []
    for at, table in enumerate(tables):
        family = next((f for f in families if stack_facts([tables[f[0]], table]).alike() >= ALIKE), None)
        if family is None:
            families.append([at])
        else:
            family.append(at)
    joins = []
    for a, b in itertools.combinations([f[0] for f in families], 2):
        left, right = (a, b) if tables[a].height >= tables[b].height else (b, a)
        if keys := likely_keys(tables[left], tables[right]):
            joins.append(LikelyJoin(left, right, keys[0]))
    joins.sort(key=lambda j: -j.key.score)
    return Belonging(tuple(tuple(f) for f in families if len(f) > 1), tuple(joins[:MOST_JOINS]))
