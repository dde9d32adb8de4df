"""What can be asked about a cycle."""

from __future__ import annotations

from typing import Annotated, Literal

import msgspec

from night_trail.core.errors import BadQuestion
from night_trail.core.measure import Name
from night_trail.core.moments import Part
from night_trail.core.questions.shared.time_question import AskedOfTime, YearStart, check_zone


class Cycle(AskedOfTime, frozen=True, tag="cycle"):
    """How a measure runs through the day, the week or the year.

    ``years`` draws a line for each year; a ``grid`` and ``rows`` cross the hours
    of the day, or the months where a column has only days, with the weekdays.
    """

    part: Part = "week"
    split: Name | None = None
    years: bool = False
    shape: Literal["line", "columns", "grid", "rows"] = "line"
    year_start: YearStart = 1
    zone: Annotated[str, msgspec.Meta(max_length=60)] | None = None

    def __post_init__(self) -> None:
        check_zone(self.zone)
        if self.years and self.split is not None:
            raise BadQuestion("A line is a year or a group", "split", "Take one of them away.")

    @property
    def by_weekday(self) -> bool:
        """Whether weekdays are crossed with another cycle."""
        return self.shape in ("grid", "rows")

    @property
    def mentions(self) -> tuple[str | None, ...]:
        """The columns the question speaks of, the first of them first."""
        return self.measure.column, self.measure.per, self.time, self.split
