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
from night_trail.core.measure import Aggregate, Measure, Name
from night_trail.core.time_questions import Ahead, Apart, Cycle, OverTime

Shape = Literal["histogram", "boxes", "bars", "density", "running", "strip", "letters"]
Side = Literal["panels", "own", "overlaid", "mirrored"]
Order = Literal["frequent", "own"]
Fit = Literal["none", "line", "robust", "curve"]
RelateScale = Literal["plain", "log", "log x", "log y", "index", "share"]
CompareShape = Literal[
    "dots", "bars", "stacked", "shares", "grid", "table", "ring", "strip", "figure", "stair"
]
Difference = Literal["absolute", "relative", "share"]
CompareOrder = Literal["value", "own"]
End = Literal["most", "least", "both"]
ValueAxis = Literal["zero", "cut"]
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


class Baseline(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """What the groups of a comparison are held against, and how the difference is written.

    One of: ``column``, as a plan; ``group``, one of the groups; ``where``, other
    rows, as an earlier period, which ``called`` names.
    """

    column: Name | None = None
    group: Annotated[str, msgspec.Meta(max_length=500)] | None = None
    where: Condition | None = None
    called: Annotated[str, msgspec.Meta(max_length=100)] = ""
    show: Difference = "absolute"

    def __post_init__(self) -> None:
        if sum(x is not None for x in (self.column, self.group, self.where)) != 1:
            raise BadQuestion("A baseline is a column, a group or other rows", "baseline", "Give one.")


class Rule(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """Which figures of a table are marked: above or below a figure, that of all rows if none is given."""

    side: Literal["above", "below"]
    at: float | None = None

    def __post_init__(self) -> None:
        if self.at is not None and not abs(self.at) < 1e300:
            raise BadQuestion("Figures cannot be marked from there", "rule", "Give a plain number.")


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


class Together(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True, tag="together"):
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


class Goes(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True, tag="goes"):
    """Which group of a category goes with which of another, against chance."""

    column: Name
    against: Name

    @property
    def across(self) -> str | None:
        """The category that groups the rows."""
        return self.against

    @property
    def mentions(self) -> tuple[str | None, ...]:
        """The columns the question speaks of."""
        return self.column, self.against


__all__ = [
    "Aggregate",
    "Ahead",
    "Apart",
    "Cycle",
    "Measure",
    "Name",
    "OverTime",
]  # what other modules take from here beside what is defined here

Question = Spread | Compare | Relate | Together | Goes | OverTime | Cycle | Apart | Ahead
"""Every kind of question; grows as ways of looking are added."""


class Level(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """A group that was gone down into: its rows, and the picture it was a mark of."""

    rows: Condition
    above: Question


class Scene(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """What is on the desk: a main picture, those beside it, the filter, the lantern.

    ``within`` are the groups gone down into, outermost first; the filter holds
    their conditions too. ``alike`` draws all pictures of one thing on one scale.
    """

    main: Question | None = None
    beside: Annotated[tuple[Question, ...], msgspec.Meta(max_length=3)] = ()
    only: Annotated[tuple[Condition, ...], msgspec.Meta(max_length=50)] = ()
    lit: Condition | None = None
    within: Annotated[tuple[Level, ...], msgspec.Meta(max_length=12)] = ()
    alike: bool = False
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
