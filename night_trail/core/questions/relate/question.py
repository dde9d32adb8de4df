"""What can be asked about two columns against each other."""

from __future__ import annotations

from typing import Literal

import msgspec

from night_trail.core.errors import BadQuestion
from night_trail.core.measure import Name

Fit = Literal["none", "line", "robust", "curve"]
RelateScale = Literal["plain", "log", "log x", "log y", "index", "share"]


class Relate(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True, tag="relate"):
    """How one measured column moves with another, one point a row.

    With ``each`` a point is a group of rows: its average, or its sum where a
    column adds up. ``window`` is the part zoomed into, as (low, high) along
    ``against`` and along ``column`` (dates in seconds).
    """

    column: Name
    against: Name
    coloured: Name | None = None
    fit: Fit = "line"
    each: Name | None = None
    sized: Name | None = None
    panels: Name | None = None
    scale: RelateScale = "plain"
    margins: bool = False
    window: tuple[float, float, float, float] | None = None

    def __post_init__(self) -> None:
        if self.window is not None and not all(abs(at) < 1e300 for at in self.window):
            raise BadQuestion("There is nothing to zoom into", "window", "Zoom out again.")

    @property
    def log_x(self) -> bool:
        """Whether ``against`` stands on a log scale."""
        return self.scale in ("log", "log x")

    @property
    def log_y(self) -> bool:
        """Whether ``column`` stands on a log scale."""
        return self.scale in ("log", "log y")

    @property
    def across(self) -> str | None:
        """The category that groups the points, if any."""
        return self.each or self.coloured or self.panels

    @property
    def mentions(self) -> tuple[str | None, ...]:
        """The columns the question speaks of, the first of them first."""
        return self.column, self.against, self.each, self.coloured, self.panels, self.sized
