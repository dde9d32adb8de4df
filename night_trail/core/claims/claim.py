"""What can be claimed of rows: frozen values, as questions are."""

from __future__ import annotations

from typing import Annotated, Literal

import msgspec

from night_trail.core.conditions import Condition
from night_trail.core.measure import Measure, Name
from night_trail.core.questions.shared.time_question import FrozenStruct
from night_trail.core.questions.stands.found import Sort
from night_trail.core.structs import looked_through

Size = Annotated[float, msgspec.Meta(ge=0, le=1e300)]
Figure = Annotated[float, msgspec.Meta(ge=-1e300, le=1e300)]
Season = Literal["year", "week", "day"]


class Differs(FrozenStruct, frozen=True, tag="differs"):
    """The measure of some rows is higher (or lower) than that of others, by at least so much.

    ``than`` is None for all other rows.
    """

    measure: Measure
    of: Condition
    than: Condition | None = None
    lower: bool = False
    least: Size = 0.0


class Level(FrozenStruct, frozen=True, tag="level"):
    """The measure of all rows, or of some, is at least (or at most) so much."""

    measure: Measure
    at: Figure
    of: Condition | None = None
    below: bool = False


class Leads(FrozenStruct, frozen=True, tag="leads"):
    """Of the groups of a column one has the highest (or lowest) measure."""

    measure: Measure
    across: Name
    group: Annotated[str, msgspec.Meta(max_length=2000)]
    lowest: bool = False


class Moves(FrozenStruct, frozen=True, tag="moves"):
    """A number rises (or falls) with another, their correlation being at least so strong."""

    x: Name
    y: Name
    down: bool = False
    least: Annotated[float, msgspec.Meta(ge=0, le=1)] = 0.0


class Repeats(FrozenStruct, frozen=True, tag="repeats"):
    """A measure over time repeats every year, week or day."""

    measure: Measure
    time: Name
    every: Season = "year"


class Drives(FrozenStruct, frozen=True, tag="drives"):
    """A column is among the first so many of those that a number or a yes/no goes with."""

    of: Name
    by: Name
    first: Annotated[int, msgspec.Meta(ge=1, le=20)] = 3


class StandsOut(FrozenStruct, frozen=True, tag="stands"):
    """Something of a sort stands out in a column, or in the whole table where ``of`` is None.

    ``columns`` are those it is told of; ``within`` is the category in whose groups values are held
    against their own, ``least`` how many rows it is at least.
    """

    sort: Sort
    columns: Annotated[tuple[Name, ...], msgspec.Meta(max_length=2)] = ()
    of: Name | None = None
    within: Name | None = None
    least: Annotated[int, msgspec.Meta(ge=1, le=1_000_000_000)] = 1


class Ahead(FrozenStruct, frozen=True, tag="ahead"):
    """The measure of a time that had not come when it was claimed lies between two figures."""

    measure: Measure
    when: Condition
    low: Figure
    high: Figure


Claim = Differs | Level | Leads | Moves | Repeats | Drives | StandsOut | Ahead

looked_through(Claim)
