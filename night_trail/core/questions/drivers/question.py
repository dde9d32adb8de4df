"""What can be asked about the drivers of a column."""

from __future__ import annotations

from typing import Annotated, Literal

import msgspec

from night_trail.core.measure import Name

DriversShape = Literal["drivers", "rules"]
ALONE = "-"
"""In the place of a column that keeps rows together: each row by itself."""
MOST = 60


class Drivers(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True, tag="drives"):
    """What drives a column.

    Of a category ``value`` is the one that is driven, None for the commonest.
    ``without`` are columns left out, ``back`` those that would be set apart and
    were put back. Rows of one value of ``together`` are kept together where rows
    are held back; None for the column that needs it, if any does. ``opened`` is the
    driver that is looked at closely.
    """

    of: Name
    value: Annotated[str, msgspec.Meta(max_length=2000)] | None = None
    without: Annotated[tuple[Name, ...], msgspec.Meta(max_length=MOST)] = ()
    back: Annotated[tuple[Name, ...], msgspec.Meta(max_length=MOST)] = ()
    together: Name | None = None
    shape: DriversShape = "drivers"
    opened: Name | None = None

    @property
    def column(self) -> str:
        """The column that is driven."""
        return self.of

    @property
    def across(self) -> str | None:
        """No category groups the rows."""
        return None

    @property
    def mentions(self) -> tuple[str | None, ...]:
        """The columns the question speaks of."""
        kept = None if self.together in (None, ALONE) else self.together
        return self.of, *self.without, *self.back, kept, self.opened
