"""What can be asked about a series over time."""

from __future__ import annotations

import datetime as dt
from typing import Annotated, Literal

import msgspec

from night_trail.core.errors import BadQuestion
from night_trail.core.measure import Measure, Name
from night_trail.core.moments import DAY, GrainName, seconds_of
from night_trail.core.questions.shared.time_question import (
    AskedOfTime,
    Day,
    FrozenStruct,
    Label,
    YearStart,
    check_zone,
)

TimeShape = Literal[
    "line", "steps", "area", "columns", "stacked", "shares", "panels", "horizon", "days", "ranks"
]
View = Literal["plain", "running", "to date", "rolling", "index", "per day", "evened"]
Earlier = Literal["before", "year", "column", "group"]


class Against(FrozenStruct, frozen=True):
    """What periods are held against: the one before, the same a year earlier, a plan, or a group.

    ``column`` is the plan, or the category that ``group`` is a value of.
    """

    kind: Earlier
    column: Name | None = None
    group: Annotated[str, msgspec.Meta(max_length=500)] | None = None
    show: Literal["absolute", "relative"] = "absolute"

    def __post_init__(self) -> None:
        if self.kind in ("column", "group") and self.column is None:
            raise BadQuestion("A plan or a group needs a column", "against", "Name one.")
        if self.kind == "group" and self.group is None:
            raise BadQuestion("Which group is meant is not said", "against", "Name one.")


class Level(FrozenStruct, frozen=True):
    """A level drawn across: the mean, the median or a percentile of the periods, or a target."""

    kind: Literal["mean", "median", "percentile", "target"]
    at: float = 0.0

    def __post_init__(self) -> None:
        if self.kind == "percentile" and not 0 < self.at < 100:
            raise BadQuestion("A percentile lies between 0 and 100", "levels", "Write 90 for the 90th.")
        if not abs(self.at) < 1e300:
            raise BadQuestion("A target needs a plain number", "levels", "Write it as 1200.")


class Event(FrozenStruct, frozen=True):
    """A named stretch of days, both ends in; moving feasts have one each year by the same name."""

    name: Label
    first: Day
    last: Day

    def __post_init__(self) -> None:
        try:
            first, last = dt.date.fromisoformat(self.first), dt.date.fromisoformat(self.last)
        except ValueError:
            raise BadQuestion(
                f"“{self.first}” to “{self.last}” are no dates", "events", "Write them as 2024-03-31."
            ) from None
        if last < first:
            raise BadQuestion(f"{self.name} ends before it begins", "events", "Swap its dates.")

    @property
    def ends(self) -> tuple[float, float]:
        """Where its first day begins and its last day ends, in seconds since 1970-01-01."""
        first, last = dt.date.fromisoformat(self.first), dt.date.fromisoformat(self.last)
        return seconds_of(first), seconds_of(last) + DAY


class OverTime(AskedOfTime, frozen=True, tag="over time"):
    """How a measure changed, period by period.

    ``grain`` is chosen from the data where it is None; ``split`` draws a line a
    group; ``more`` are further measures, each in a panel of its own. ``until``
    is the column of ends, where a row lasts: rows are then counted in every
    period they touch. ``view`` is what is made of the figures: ``evened`` is as
    if all periods had the same number of each weekday; ``window`` is the
    periods of a rolling mean. ``keep`` is how many groups are drawn apart.
    ``window_at`` is the part zoomed into, in seconds. ``bands`` is a yes/no
    column whose yes is drawn behind the lines.
    """

    grain: GrainName | None = None
    split: Name | None = None
    shape: TimeShape = "line"
    view: View = "plain"
    window: Annotated[int, msgspec.Meta(ge=2, le=1000)] = 3
    more: Annotated[tuple[Measure, ...], msgspec.Meta(max_length=4)] = ()
    against: Against | None = None
    levels: Annotated[tuple[Level, ...], msgspec.Meta(max_length=4)] = ()
    events: Annotated[tuple[Event, ...], msgspec.Meta(max_length=60)] = ()
    bands: Name | None = None
    until: Name | None = None
    keep: Annotated[int, msgspec.Meta(ge=1, le=40)] | None = None
    points: bool = False
    year_start: YearStart = 1
    zone: Annotated[str, msgspec.Meta(max_length=60)] | None = None
    window_at: tuple[float, float] | None = None

    def __post_init__(self) -> None:
        check_zone(self.zone)
        # a replaced field is not held against its bounds
        if not 2 <= self.window <= 1_000:
            raise BadQuestion(
                f"A rolling mean of {self.window} is none", "view", "Take between 2 and 1,000 periods."
            )
        if self.window_at is not None and not (
            all(abs(at) < 1e300 for at in self.window_at) and self.window_at[0] < self.window_at[1]
        ):
            raise BadQuestion("There is nothing to zoom into", "window", "Zoom out again.")

    @property
    def measures(self) -> tuple[Measure, ...]:
        """All measures, the first of them first."""
        return (self.measure, *self.more)

    @property
    def mentions(self) -> tuple[str | None, ...]:
        """The columns the question speaks of, the first of them first."""
        measured = [c for m in self.measures for c in (m.column, m.per)]
        against = self.against.column if self.against else None
        return (*measured, self.time, self.split, against, self.bands, self.until)
