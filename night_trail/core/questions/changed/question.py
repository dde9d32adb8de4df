"""What can be asked about a change."""

from __future__ import annotations

from typing import Annotated

import msgspec

from night_trail.core.conditions import Condition, columns_of
from night_trail.core.measure import Measure, Name


class Changed(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True, tag="changed"):
    """Why a measure changed between two sets of rows.

    ``by`` are the one or two columns whose values are the parts; none for those
    that tell most.
    """

    measure: Measure
    before: Condition
    after: Condition
    by: Annotated[tuple[Name, ...], msgspec.Meta(max_length=2)] = ()

    @property
    def sides(self) -> tuple[str, ...]:
        """The columns that say which rows are meant."""
        return tuple(dict.fromkeys((*columns_of(self.before), *columns_of(self.after))))

    @property
    def column(self) -> str:
        """The column measured, or the one that says which rows are counted."""
        return self.measure.column or self.sides[0]

    @property
    def across(self) -> str | None:
        """The column whose values are the parts."""
        return self.by[0] if self.by else None

    @property
    def mentions(self) -> tuple[str | None, ...]:
        """The columns the question speaks of."""
        return self.measure.column, self.measure.per, *self.sides, *self.by
