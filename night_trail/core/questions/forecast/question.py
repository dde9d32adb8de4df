"""What can be asked about a forecast."""

from __future__ import annotations

from typing import Annotated, Literal

import msgspec

from night_trail.core.errors import BadQuestion
from night_trail.core.measure import Name
from night_trail.core.moments import GrainName
from night_trail.core.questions.over_time.question import Event
from night_trail.core.questions.shared.time_question import AskedOfTime, check_zone

MOST_AHEAD = 400


class Forecast(AskedOfTime, frozen=True, tag="ahead"):
    """Where a measure is going over the next periods.

    ``bands`` are the chances of the intervals in per cent; ``plan`` is a column
    to hold the forecast against; ``known`` is a yes/no column or a number whose
    future is known, as that of holidays is, ``events`` are named days; ``split``
    forecasts every group, with totals that agree.
    """

    grain: GrainName | None = None
    horizon: Annotated[int, msgspec.Meta(ge=1, le=MOST_AHEAD)] | None = None
    bands: Annotated[tuple[Literal[50, 80, 95], ...], msgspec.Meta(min_length=1, max_length=3)] = (80, 95)
    split: Name | None = None
    plan: Name | None = None
    known: Name | None = None
    events: Annotated[tuple[Event, ...], msgspec.Meta(max_length=60)] = ()
    zone: Annotated[str, msgspec.Meta(max_length=60)] | None = None

    def __post_init__(self) -> None:
        check_zone(self.zone)
        if self.horizon is not None and not 1 <= self.horizon <= MOST_AHEAD:
            raise BadQuestion(
                f"{self.horizon} periods ahead are too many", "horizon", f"Look at most {MOST_AHEAD} ahead."
            )

    @property
    def mentions(self) -> tuple[str | None, ...]:
        """The columns the question speaks of, the first of them first."""
        return self.measure.column, self.measure.per, self.time, self.split, self.plan, self.known
