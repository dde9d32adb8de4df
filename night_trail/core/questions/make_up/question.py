"""What can be asked about the parts that make up a measure."""

from __future__ import annotations

from typing import Annotated, Literal

import msgspec

from night_trail.core.conditions import Condition, Not
from night_trail.core.measure import Measure, Name
from night_trail.core.moments import GrainName
from night_trail.core.questions.compare.question import Baseline

MakeUpShape = Literal["treemap", "rings", "bars", "squares", "stair"]
SLOTS = ("across", "also", "third", "fourth", "fifth")
"""The slots of the levels, outermost first."""

MOST_LEVELS = len(SLOTS)
Key = Annotated[str, msgspec.Meta(max_length=2_600)]
THEN = " › "
"""Between the levels, and between the values of a path."""


class MakeUp(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True, tag="make-up"):
    """What makes up a measure by levels, each within the one before it.

    ``path`` are the values gone into, outermost first: what is drawn lies within them.
    ``shade`` is a second measure, by which parts are shaded; ``against`` what they are held against:
    a column, as a plan, or other rows, as an earlier period. Where it is ``even`` the parts are of the
    rows that are none of those, and those are made as large together. ``grains`` are the periods of
    levels that are times, None of others. ``opened`` are parts whose small parts are drawn each.
    """

    measure: Measure
    levels: Annotated[tuple[Name, ...], msgspec.Meta(min_length=1, max_length=MOST_LEVELS)]
    shape: MakeUpShape = "treemap"
    path: Annotated[
        tuple[Annotated[str, msgspec.Meta(max_length=500)], ...], msgspec.Meta(max_length=MOST_LEVELS - 1)
    ] = ()
    shade: Measure | None = None
    against: Baseline | None = None
    even: bool = False
    grains: Annotated[tuple[GrainName | None, ...], msgspec.Meta(max_length=MOST_LEVELS)] = ()
    opened: Annotated[tuple[Key, ...], msgspec.Meta(max_length=40)] = ()

    @property
    def all_grains(self) -> tuple[GrainName | None, ...]:
        """The periods of every level, None of those that are no times."""
        return (*self.grains, *(None,) * len(self.levels))[: len(self.levels)]

    @property
    def names(self) -> tuple[str, ...]:
        """What the levels are called: a time with its periods."""
        both = zip(self.levels, self.all_grains, strict=True)
        return tuple(name if grain is None else f"{grain} of {name}" for name, grain in both)

    @property
    def of(self) -> Condition | None:
        """The rows the parts are of, where those are none of what they are held against."""
        if not self.even or self.against is None or self.against.where is None:
            return None
        where = self.against.where
        return where.part if isinstance(where, Not) else Not(where)

    @property
    def column(self) -> str:
        """The column a picture is first of all about."""
        return self.measure.column or self.levels[0]

    @property
    def across(self) -> str:
        """The outermost level."""
        return self.levels[0]

    @property
    def also(self) -> str | None:
        """The second level."""
        return self._level(1)

    @property
    def third(self) -> str | None:
        """The third level."""
        return self._level(2)

    @property
    def fourth(self) -> str | None:
        """The fourth level."""
        return self._level(3)

    @property
    def fifth(self) -> str | None:
        """The fifth level."""
        return self._level(4)

    def _level(self, at: int) -> str | None:
        return self.levels[at] if at < len(self.levels) else None

    @property
    def mentions(self) -> tuple[str | None, ...]:
        """The columns the question speaks of, the first of them first."""
        shaded = (self.shade.column, self.shade.per) if self.shade is not None else ()
        plan = (self.against.column,) if self.against is not None else ()
        return (self.measure.column, self.measure.per, *self.levels, *shaded, *plan)
