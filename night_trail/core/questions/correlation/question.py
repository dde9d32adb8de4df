"""What can be asked about a grid of correlations."""

from __future__ import annotations

from typing import Annotated, Literal

import msgspec

from night_trail.core.measure import Name


class Correlations(
    msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True, tag="together"
):
    """How many numbers move together, by straight lines or by ranks; all numbers where none are named."""

    columns: Annotated[tuple[Name, ...], msgspec.Meta(max_length=60)] = ()
    by: Literal["line", "rank"] = "line"

    @property
    def column(self) -> str:
        """The column a picture is first of all about; empty where it is about all."""
        return self.columns[0] if self.columns else ""

    @property
    def across(self) -> str | None:
        """No category groups the rows."""
        return None

    @property
    def mentions(self) -> tuple[str | None, ...]:
        """The columns the question speaks of."""
        return self.columns
