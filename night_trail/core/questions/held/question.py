"""What can be asked about an effect with others held fixed."""

from __future__ import annotations

from typing import Annotated, Literal

import msgspec

from night_trail.core.measure import Name

MOST_FIXED = 12
HeldShape = Literal["effects", "coefficients", "residuals"]


class Held(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True, tag="held"):
    """Whether ``of`` still goes with ``by`` when other columns are held fixed.

    ``fixed`` None are those that matter most, found from the rows. ``power`` 2
    or 3 lets a number bend, ``product`` lets its effect differ by another
    column. ``errors`` says what errors hold for: rows alike, uneven ones.
    """

    of: Name
    by: Name
    fixed: Annotated[tuple[Name, ...], msgspec.Meta(max_length=MOST_FIXED)] | None = None
    power: Literal[1, 2, 3] = 1
    product: Name | None = None
    errors: Literal["plain", "robust"] = "robust"
    shape: HeldShape = "effects"

    @property
    def column(self) -> str:
        """The column it is about."""
        return self.of

    @property
    def across(self) -> str | None:
        """What it is held against."""
        return self.by

    @property
    def mentions(self) -> tuple[str | None, ...]:
        """The columns the question speaks of."""
        return self.of, self.by, *(self.fixed or ()), self.product
