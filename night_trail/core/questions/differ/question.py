"""What can be asked about two sets of rows."""

from __future__ import annotations

from typing import Annotated

import msgspec

from night_trail.core.conditions import Condition, columns_of
from night_trail.core.measure import Name

MOST_LEFT_OUT = 60


class Differ(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True, tag="differ"):
    """How rows differ from the rest, or from others that are named; ``without`` are columns left out."""

    ones: Condition
    others: Condition | None = None
    without: Annotated[tuple[Name, ...], msgspec.Meta(max_length=MOST_LEFT_OUT)] = ()

    @property
    def named(self) -> tuple[str, ...]:
        """The columns that say which rows are meant."""
        both = (*columns_of(self.ones), *(() if self.others is None else columns_of(self.others)))
        return tuple(dict.fromkeys(both))

    @property
    def column(self) -> str:
        """The column that first says which rows are meant."""
        return self.named[0]

    @property
    def across(self) -> str | None:
        """No category groups the rows."""
        return None

    @property
    def mentions(self) -> tuple[str | None, ...]:
        """The columns the question speaks of."""
        return *self.named, *self.without
