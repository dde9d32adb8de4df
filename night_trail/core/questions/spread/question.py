"""What can be asked about how one column is spread."""

from __future__ import annotations

from typing import Literal

import msgspec

from night_trail.core.errors import BadQuestion
from night_trail.core.measure import Name

Shape = Literal["histogram", "boxes", "bars", "density", "running", "strip", "letters"]
Side = Literal["panels", "own", "overlaid", "mirrored"]
Order = Literal["frequent", "own"]
Height = Literal["count", "share", "density"]
Calendar = Literal["minute", "hour", "day", "week", "month", "quarter", "year"]
BinRule = Literal["sturges", "scott", "freedman", "root"]


class Bins(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """How a histogram is cut; whatever is not set is chosen from the data.

    ``width`` is in the column's unit (numbers only), ``count`` the number of
    bins wanted, ``start`` a place where a bin begins, ``calendar`` a width
    for dates, ``rule`` the published rule that counts them (numbers only).
    """

    width: float | None = None
    count: int | None = None
    start: float | None = None
    calendar: Calendar | None = None
    rule: BinRule | None = None

    def __post_init__(self) -> None:
        if self.width is not None and not 0 < self.width < 1e300:
            raise BadQuestion("A bin needs a width above 0", "bins", "Give a number above 0.")
        if self.count is not None and not 1 <= self.count <= 500:
            raise BadQuestion(f"{self.count} bins cannot be drawn", "bins", "Choose between 1 and 500.")
        if self.start is not None and not abs(self.start) < 1e300:
            raise BadQuestion("Bins cannot start there", "bins", "Give a plain number.")
        if sum(x is not None for x in (self.width, self.count, self.calendar, self.rule)) > 1:
            raise BadQuestion("Bins are set twice", "bins", "Give a width, a count or a rule.")
        if self.rule is not None and self.start is not None:
            raise BadQuestion("Bins after a rule begin at the lowest value", "bins", "Give a width instead.")


class Spread(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True, tag="spread"):
    """How one column is spread, over all rows or across the groups of another.

    ``ends`` decides whether far tails are gathered in marked end bins, ``side``
    how the histograms of groups stand: in panels on one scale or each on its
    own, over each other, or two back to back. ``angles`` shows three bin widths.
    """

    column: Name
    across: Name | None = None
    shape: Shape = "histogram"
    bins: Bins = Bins()
    height: Height = "count"
    ends: Literal["gathered", "open"] = "gathered"
    order: Order = "frequent"
    scale: Literal["plain", "log"] = "plain"
    side: Side = "panels"
    angles: bool = False

    @property
    def mentions(self) -> tuple[str | None, ...]:
        """The columns the question speaks of, the first of them first."""
        return self.column, self.across
