"""What is asked: between which values a number lies. It stands alone, since the house imports it first."""

from __future__ import annotations

import msgspec

from night_trail.core.measure import Name


class Ends(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True, tag="ends"):
    """Between which values the cells of a number lie."""

    column: Name

    @property
    def mentions(self) -> tuple[str | None, ...]:
        """The columns the question speaks of."""
        return (self.column,)
