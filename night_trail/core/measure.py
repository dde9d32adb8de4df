"""A measure: what is figured of the rows of a group or a period."""

from __future__ import annotations

from typing import Annotated, Literal

import msgspec

from night_trail.core.conditions import Condition
from night_trail.core.errors import BadQuestion

Aggregate = Literal["mean", "median", "sum", "count", "distinct", "share", "ratio", "quantile"]
Name = Annotated[str, msgspec.Meta(min_length=1, max_length=500)]


class Measure(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """A figure of a group of rows.

    ``column`` is what is averaged, summed or counted, none for the number of
    rows; ``per`` the column below a ratio of two sums; ``where`` the condition
    whose share of the rows is taken; ``level`` the quantile, between 0 and 1.
    """

    aggregate: Aggregate = "mean"
    column: Name | None = None
    per: Name | None = None
    where: Condition | None = None
    level: float = 0.9

    def __post_init__(self) -> None:
        if not 0 < self.level < 1:
            raise BadQuestion("A quantile lies between 0 and 1", "level", "Write 0.9 for 90 %.")
