"""What can be asked about how far each gets through stages."""

from __future__ import annotations

from typing import Literal

import msgspec

from night_trail.core.measure import Name

Order = Literal["time", "column", "many"]


class Stages(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True, tag="stages"):
    """How far each ``unit`` gets through the values of ``stage``, in the order they have in ``time``.

    A row says that a unit is at a stage. ``across`` is a category that units are told apart by.
    ``order`` says which stage follows which: as they come in time, as the column has them, or as many
    reach them; None to choose.
    """

    unit: Name
    stage: Name
    time: Name | None = None
    across: Name | None = None
    order: Order | None = None

    @property
    def column(self) -> str:
        """The column a picture is first of all about."""
        return self.stage

    @property
    def mentions(self) -> tuple[str | None, ...]:
        """The columns the question speaks of, the first of them first."""
        return (self.stage, self.unit, self.time, self.across)
