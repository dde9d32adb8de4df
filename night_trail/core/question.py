"""What can be asked: frozen values that cannot be wrong once checked.

Every question is a tagged struct; ``Question`` is their union. They are
decoded strictly (unknown fields are refused), checked against a table by the
module that answers them, and hash to a stable key through their JSON.
"""

from __future__ import annotations

import hashlib
from typing import Annotated, Any, Literal

import msgspec

from night_trail.core.conditions import Condition
from night_trail.core.errors import BadQuestion

Shape = Literal["histogram", "boxes", "bars"]
Order = Literal["frequent", "own"]
Aggregate = Literal["mean", "median", "sum", "count", "distinct", "share", "ratio", "quantile"]
Fit = Literal["none", "line", "robust", "curve"]
CompareShape = Literal["dots", "bars"]
CompareOrder = Literal["value", "own"]
Height = Literal["count", "share", "density"]
Calendar = Literal["minute", "hour", "day", "week", "month", "quarter", "year"]

Name = Annotated[str, msgspec.Meta(min_length=1, max_length=500)]


class Bins(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """How a histogram is cut; whatever is not set is chosen from the data.

    ``width`` is in the column's unit (numbers only), ``count`` the number of
    bins wanted, ``start`` a place where a bin begins, ``calendar`` a width
    for dates.
    """

    width: float | None = None
    count: int | None = None
    start: float | None = None
    calendar: Calendar | None = None

    def __post_init__(self) -> None:
        if self.width is not None and not 0 < self.width < 1e300:
            raise BadQuestion("A bin needs a width above 0", "bins", "Give a number above 0.")
        if self.count is not None and not 1 <= self.count <= 500:
            raise BadQuestion(f"{self.count} bins cannot be drawn", "bins", "Choose between 1 and 500.")
        if self.start is not None and not abs(self.start) < 1e300:
            raise BadQuestion("Bins cannot start there", "bins", "Give a plain number.")
        if sum(x is not None for x in (self.width, self.count, self.calendar)) > 1:
            raise BadQuestion("Bins are set twice", "bins", "Give a width or a count, not both.")


class Spread(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True, tag="spread"):
    """How one column is spread, over all rows or across the groups of another.

    ``ends`` decides whether far tails are gathered in marked end bins.
    """

    column: Name
    across: Name | None = None
    shape: Shape = "histogram"
    bins: Bins = Bins()
    height: Height = "count"
    ends: Literal["gathered", "open"] = "gathered"
    order: Order = "frequent"

    @property
    def mentions(self) -> tuple[str | None, ...]:
        """The columns the question speaks of, the first of them first."""
        return self.column, self.across


class Measure(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """A figure of a group of rows.

    ``column`` is what is averaged, summed or counted, none for the number of
    rows; ``per`` the column below a ratio of two sums; ``where`` the condition
    whose share of the rows is taken; ``level`` the quantile, between 0 and 1.
    """

    aggregate: Aggregate = "mean"
    column: Name | None = None
    per: Name | None = None
    where: Condition | None = None
    level: float = 0.9

    def __post_init__(self) -> None:
        if not 0 < self.level < 1:
            raise BadQuestion("A quantile lies between 0 and 1", "level", "Write 0.9 for 90 %.")


class Compare(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True, tag="compare"):
    """How a measure compares across the groups of a category."""

    measure: Measure
    across: Name
    shape: CompareShape = "dots"
    order: CompareOrder = "value"

    @property
    def column(self) -> str:
        """The column a picture is first of all about."""
        return self.measure.column or self.across

    @property
    def mentions(self) -> tuple[str | None, ...]:
        """The columns the question speaks of, the first of them first."""
        return self.measure.column, self.measure.per, self.across


class Relate(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True, tag="relate"):
    """How one measured column moves with another, one point a row."""

    column: Name
    against: Name
    coloured: Name | None = None
    fit: Fit = "line"

    @property
    def across(self) -> str | None:
        """The category that groups the points, if any."""
        return self.coloured

    @property
    def mentions(self) -> tuple[str | None, ...]:
        """The columns the question speaks of, the first of them first."""
        return self.column, self.against, self.coloured


Question = Spread | Compare | Relate
"""Every kind of question; grows as ways of looking are added."""


class Level(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """A group that was gone down into: its rows, and the picture it was a mark of."""

    rows: Condition
    above: Question


class Scene(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """What is on the desk: a main picture, those beside it, the filter, the lantern.

    ``within`` are the groups gone down into, outermost first; the filter holds
    their conditions too.
    """

    main: Question | None = None
    beside: Annotated[tuple[Question, ...], msgspec.Meta(max_length=3)] = ()
    only: Annotated[tuple[Condition, ...], msgspec.Meta(max_length=50)] = ()
    lit: Condition | None = None
    within: Annotated[tuple[Level, ...], msgspec.Meta(max_length=12)] = ()
    schema: Literal[1] = 1


def to_json(value: msgspec.Struct) -> str:
    """Return the JSON of a question, condition or scene."""
    return msgspec.json.encode(value).decode()


def key(*values: msgspec.Struct | None) -> str:
    """Return a stable key for these values: equal values, equal key."""
    digest = hashlib.sha256()
    for value in values:
        digest.update(b"-" if value is None else msgspec.json.encode(value))
        digest.update(b"\n")
    return digest.hexdigest()[:20]


def decode(text: str | bytes, kind: Any, what: str) -> Any:
    """Return JSON decoded as ``kind``, or say which field is wrong.

    Raises
    ------
    BadQuestion
        With the field's name, where the JSON or a field of it is not valid.
    """
    try:
        return msgspec.json.decode(text, type=kind)
    except msgspec.ValidationError as error:
        # msgspec wraps what __post_init__ raised; our own sentence is the better one
        if isinstance(error.__cause__, BadQuestion):
            raise error.__cause__ from None
        raise BadQuestion(
            f"This {what} cannot be read: {error}".rstrip("."), "", "Check that field."
        ) from None
    except (msgspec.DecodeError, UnicodeDecodeError) as error:
        raise BadQuestion(f"This {what} is not valid JSON: {error}".rstrip(".")) from None
