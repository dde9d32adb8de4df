"""What can be asked about a grid of two categories."""

from __future__ import annotations

import msgspec

from night_trail.core.measure import Name


class Crosstab(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True, tag="goes"):
    """Which group of a category goes with which of another, against chance."""

    column: Name
    against: Name

    @property
    def across(self) -> str | None:
        """The category that groups the rows."""
        return self.against

    @property
    def mentions(self) -> tuple[str | None, ...]:
        """The columns the question speaks of."""
        return self.column, self.against
