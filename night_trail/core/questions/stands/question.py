"""What can be asked about what stands out."""

from __future__ import annotations

from typing import Annotated

import msgspec

from night_trail.core.measure import Name

MOST_ASIDE = 100


class Stands(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True, tag="stands"):
    """What stands out in a column, or in the whole table; ``within`` holds values against their own group.

    ``aside`` are the keys of what was put aside.
    """

    of: Name | None = None
    within: Name | None = None
    aside: Annotated[tuple[Name, ...], msgspec.Meta(max_length=MOST_ASIDE)] = ()

    @property
    def column(self) -> str:
        """The column it is about; empty where it is about the whole table."""
        return self.of or ""

    @property
    def across(self) -> str | None:
        """The groups that values are held against."""
        return self.within

    @property
    def mentions(self) -> tuple[str | None, ...]:
        """The columns the question speaks of."""
        return self.of, self.within
