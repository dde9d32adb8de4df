"""What can be asked about a flow between the groups of several columns."""

from __future__ import annotations

from typing import Annotated, Literal

import msgspec

from night_trail.core.measure import Measure, Name

FlowShape = Literal["bands", "matrix"]
FlowShade = Literal["", "chance"]
SLOTS = ("across", "also", "third", "fourth", "fifth")
"""The slots of the stations, in the order they are passed."""

MOST_STATIONS = len(SLOTS)


class Flow(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True, tag="flow"):
    """Where a measure flows, from the groups of one column to those of the next.

    ``shade`` is whether flows are coloured by how far they are from what chance would give.
    """

    measure: Measure
    stations: Annotated[tuple[Name, ...], msgspec.Meta(min_length=2, max_length=MOST_STATIONS)]
    shape: FlowShape = "bands"
    shade: FlowShade = ""

    @property
    def column(self) -> str:
        """The column a picture is first of all about."""
        return self.measure.column or self.stations[0]

    @property
    def across(self) -> str:
        """The first station."""
        return self.stations[0]

    @property
    def also(self) -> str:
        """The second station."""
        return self.stations[1]

    @property
    def third(self) -> str | None:
        """The third station."""
        return self._station(2)

    @property
    def fourth(self) -> str | None:
        """The fourth station."""
        return self._station(3)

    @property
    def fifth(self) -> str | None:
        """The fifth station."""
        return self._station(4)

    def _station(self, at: int) -> str | None:
        return self.stations[at] if at < len(self.stations) else None

    @property
    def mentions(self) -> tuple[str | None, ...]:
        """The columns the question speaks of, the first of them first."""
        return (self.measure.column, *self.stations)
