"""What questions about a measure over time share."""

from __future__ import annotations

from typing import Annotated

import msgspec

from night_trail.core.errors import BadQuestion
from night_trail.core.measure import Measure, Name
from night_trail.core.moments import is_zone

Label = Annotated[str, msgspec.Meta(min_length=1, max_length=100)]
Day = Annotated[str, msgspec.Meta(max_length=10)]
YearStart = Annotated[int, msgspec.Meta(ge=1, le=12)]


class FrozenStruct(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """Shared settings."""


class AskedOfTime(FrozenStruct, frozen=True):
    """What all questions about a measure over time have."""

    measure: Measure
    time: Name

    @property
    def column(self) -> str:
        """The column a picture is first of all about."""
        return self.measure.column or self.time

    @property
    def across(self) -> str | None:
        """The category that groups the rows, if any."""
        found: str | None = getattr(self, "split", None)
        return found


def check_zone(zone: str | None) -> None:
    """Refuse what is no time zone."""
    if zone is not None and not is_zone(zone):
        raise BadQuestion(f"“{zone}” is no time zone", "zone", "Write it like Europe/Lisbon.")
