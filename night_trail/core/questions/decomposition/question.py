"""What can be asked about a series taken apart."""

from __future__ import annotations

from typing import Annotated, Literal

import msgspec

from night_trail.core.moments import GrainName
from night_trail.core.questions.shared.time_question import AskedOfTime, check_zone


class Decomposition(AskedOfTime, frozen=True, tag="apart"):
    """What trend, seasons and remainder a measure is made of.

    ``way`` adds the parts up or multiplies them, None to choose what leaves the
    remainder more even. ``show`` is all parts on one time axis, the season's
    shape, or the series without its seasons.
    """

    grain: GrainName | None = None
    way: Literal["added", "multiplied"] | None = None
    show: Literal["parts", "season", "adjusted"] = "parts"
    zone: Annotated[str, msgspec.Meta(max_length=60)] | None = None

    def __post_init__(self) -> None:
        check_zone(self.zone)

    @property
    def mentions(self) -> tuple[str | None, ...]:
        """The columns the question speaks of, the first of them first."""
        return self.measure.column, self.measure.per, self.time
