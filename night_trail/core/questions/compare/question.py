"""What can be asked about a comparison of groups."""

from __future__ import annotations

from typing import Annotated, Literal

import msgspec

from night_trail.core.conditions import Condition
from night_trail.core.errors import BadQuestion
from night_trail.core.measure import Measure, Name

CompareShape = Literal[
    "dots", "bars", "stacked", "shares", "grid", "table", "ring", "strip", "figure", "stair", "slope"
]


Difference = Literal["absolute", "relative", "share"]
CompareOrder = Literal["value", "own"]
End = Literal["most", "least", "both"]
ValueAxis = Literal["zero", "cut"]


class Baseline(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """What the groups of a comparison are held against, and how the difference is written.

    One of: ``column``, as a plan; ``group``, one of the groups; ``where``, other
    rows, as an earlier period, which ``called`` names; ``target``, a figure that
    one figure of all rows is held against.
    """

    column: Name | None = None
    group: Annotated[str, msgspec.Meta(max_length=500)] | None = None
    where: Condition | None = None
    target: Annotated[float, msgspec.Meta(ge=-1e300, le=1e300)] | None = None
    called: Annotated[str, msgspec.Meta(max_length=100)] = ""
    show: Difference = "absolute"

    def __post_init__(self) -> None:
        if sum(x is not None for x in (self.column, self.group, self.where, self.target)) != 1:
            raise BadQuestion(
                "A baseline is a column, a group, other rows or a target", "baseline", "Give one."
            )


class Rule(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """Which figures are marked: above or below a figure, that of all rows if none is given."""

    side: Literal["above", "below"]
    at: float | None = None

    def __post_init__(self) -> None:
        if self.at is not None and not abs(self.at) < 1e300:
            raise BadQuestion("Figures cannot be marked from there", "rule", "Give a plain number.")

    def marks(self, value: float, overall: float) -> bool:
        """Whether a figure is marked; ``overall`` is that of all together. What is no figure is not."""
        at = overall if self.at is None else self.at
        return value > at if self.side == "above" else value < at


class Compare(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True, tag="compare"):
    """How a measure, or several, compares across the groups of one or two categories.

    ``also`` is the second category, ``more`` are further measures, ``by`` the
    measure that sorts, 0 for the first. ``keep`` is how many groups are shown
    before the rest are gathered, from the ``end`` of the ranking, or that many
    from both; groups of fewer than ``least`` rows are not ranked. ``axis`` is
    where bars begin: at 0, or, where small differences matter, not.
    """

    measure: Measure
    across: Name
    shape: CompareShape = "dots"
    order: CompareOrder = "value"
    also: Name | None = None
    more: Annotated[tuple[Measure, ...], msgspec.Meta(max_length=5)] = ()
    by: Annotated[int, msgspec.Meta(ge=0, le=5)] = 0
    baseline: Baseline | None = None
    keep: Annotated[int, msgspec.Meta(ge=1, le=200)] | None = None
    rule: Rule | None = None
    axis: ValueAxis = "zero"
    end: End = "most"
    least: Annotated[int, msgspec.Meta(ge=1, le=1_000_000_000)] = 1

    @property
    def column(self) -> str:
        """The column a picture is first of all about."""
        return self.measure.column or self.across

    @property
    def measures(self) -> tuple[Measure, ...]:
        """All measures, the first of them first."""
        return (self.measure, *self.more)

    @property
    def mentions(self) -> tuple[str | None, ...]:
        """The columns the question speaks of, the first of them first."""
        measured = [c for m in self.measures for c in (m.column, m.per)]
        against = self.baseline.column if self.baseline else None
        return (*measured, self.across, self.also, against)
