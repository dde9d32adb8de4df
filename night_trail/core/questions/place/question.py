"""What can be asked about where rows lie on Earth."""

from __future__ import annotations

from typing import Annotated, Literal

import msgspec

from night_trail.core.errors import BadQuestion
from night_trail.core.measure import Measure, Name
from night_trail.core.questions.compare.question import Rule

PlaceShape = Literal["dots", "hexagons", "areas", "arcs"]
Classes = Literal["as many", "as wide"]
MOST_MEANT = 200
Key = Annotated[str, msgspec.Meta(max_length=40)]
Word = Annotated[str, msgspec.Meta(max_length=500)]


class Place(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True, tag="place"):
    """Where a measure lies.

    ``at`` are the columns that say so: longitude and latitude, or one that names places;
    ``country`` then is a column that says in which country these are. ``coloured`` is a category
    that colours dots, ``shade`` a second measure that shades them. ``classes`` is how a measure
    that shades is cut: into classes of as many places, or as wide. ``window`` is the part zoomed
    into: west, east, south, north. ``areas`` is the key of the table's own areas, None for those
    that ship. ``onward`` are longitude and latitude of where each row goes on to, for arcs.
    ``drawn_on`` is the key of a plan of one's own on which the groups of one column were placed.
    ``rule`` marks figures above or below one; ``history`` is a time that each spot has a small
    line over. ``meant`` says for names of several places which is meant, by what it is in.
    """

    measure: Measure
    at: Annotated[tuple[Name, ...], msgspec.Meta(min_length=1, max_length=2)]
    shape: PlaceShape = "dots"
    country: Name | None = None
    coloured: Name | None = None
    shade: Measure | None = None
    classes: Classes = "as many"
    window: tuple[float, float, float, float] | None = None
    areas: Key | None = None
    onward: tuple[Name, Name] | None = None
    drawn_on: Key | None = None
    rule: Rule | None = None
    history: Name | None = None
    meant: Annotated[tuple[tuple[Word, Word], ...], msgspec.Meta(max_length=MOST_MEANT)] = ()

    def __post_init__(self) -> None:
        if self.window is not None and not all(abs(at) < 1_000 for at in self.window):
            raise BadQuestion("There is nothing to zoom into", "window", "Zoom out again.")

    @property
    def column(self) -> str:
        """The column a picture is first of all about."""
        return self.measure.column or self.at[-1]

    @property
    def across(self) -> str | None:
        """The category rows are grouped by, if any."""
        return self.coloured or (self.at[0] if len(self.at) == 1 else None)

    @property
    def mentions(self) -> tuple[str | None, ...]:
        """The columns the question speaks of, the first of them first."""
        shaded = (self.shade.column, self.shade.per) if self.shade is not None else ()
        more = (*(self.onward or ()), self.history)
        return (self.measure.column, self.measure.per, *self.at, self.country, self.coloured, *shaded, *more)
