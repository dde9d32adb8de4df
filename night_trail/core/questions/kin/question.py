"""What can be asked about a tree of who belongs to whom."""

from __future__ import annotations

from typing import Annotated

import msgspec

from night_trail.core.measure import Measure, Name
from night_trail.core.questions.compare.question import Rule

MOST_NAMED = 200
Key = Annotated[str, msgspec.Meta(max_length=500)]
Keys = Annotated[tuple[Key, ...], msgspec.Meta(max_length=MOST_NAMED)]


class Kin(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True, tag="kin"):
    """Who belongs to whom, by the columns ``unit`` and ``above``, with a measure of each and all below it.

    ``top`` is the unit the picture begins at, None for the roots; it is opened ``depth`` levels,
    those named ``opened`` further, those named ``closed`` not. ``rule`` marks figures with all below.
    """

    unit: Name
    above: Name
    measure: Measure
    top: Key | None = None
    depth: Annotated[int, msgspec.Meta(ge=1, le=20)] = 2
    opened: Keys = ()
    closed: Keys = ()
    rule: Rule | None = None

    @property
    def column(self) -> str:
        """The column a picture is first of all about."""
        return self.measure.column or self.unit

    @property
    def across(self) -> str:
        """The units group the rows."""
        return self.unit

    @property
    def mentions(self) -> tuple[str | None, ...]:
        """The columns the question speaks of, the first of them first."""
        return (self.measure.column, self.measure.per, self.unit, self.above)
