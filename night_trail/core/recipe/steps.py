"""The steps of a recipe: what was done to a table, in order, as plain values."""

from __future__ import annotations

from typing import Literal

import msgspec

from night_trail.core.conditions import Condition, columns_of
from night_trail.core.errors import BadQuestion
from night_trail.core.language.numbers import listed, number
from night_trail.core.questions.decomposition.question import Decomposition
from night_trail.core.structs import looked_through
from night_trail.core.table import Kind

JoinHow = Literal["left", "inner", "full"]
Part = Literal[
    "year", "quarter", "month", "month of year", "week", "weekday", "day", "hour", "date", "time of day"
]


class ReadAs(
    msgspec.Struct,
    frozen=True,
    omit_defaults=True,
    forbid_unknown_fields=True,
    tag_field="step",
    tag="read as",
):
    """A column read as another kind."""

    column: str
    kind: Kind
    unit: str = ""

    def words(self) -> str:
        """Return the step in plain words."""
        return f"{self.column} is read as {self.kind}{', ' + self.unit if self.unit else ''}"


class ReadNumber(
    msgspec.Struct,
    frozen=True,
    omit_defaults=True,
    forbid_unknown_fields=True,
    tag_field="step",
    tag="read number",
):
    """The number that stands between constant texts; ``top`` where it is a rating out of so many."""

    column: str
    before: str = ""
    after: str = ""
    kind: Kind = Kind.NUMBER
    unit: str = ""
    top: int = 0

    def words(self) -> str:
        """Return the step in plain words."""
        if self.top:
            return f"{self.column} is read as a number from 1 to {self.top}"
        return f"{self.column} is read as {self.kind}{', ' + self.unit if self.unit else ''}"


class ReadUnits(
    msgspec.Struct,
    frozen=True,
    omit_defaults=True,
    forbid_unknown_fields=True,
    tag_field="step",
    tag="read units",
):
    """Amounts in several units, brought to one; ``plain`` is the unit of numbers that have none."""

    column: str
    unit: str
    plain: str = ""

    def words(self) -> str:
        """Return the step in plain words."""
        if not self.unit:
            return f"{self.column} is read as a number, with decimal commas and points"
        plain = f"; numbers alone are {self.plain}" if self.plain else ""
        return f"{self.column} is read as a number in {self.unit}, whatever unit a cell has{plain}"


class Describe(
    msgspec.Struct,
    frozen=True,
    omit_defaults=True,
    forbid_unknown_fields=True,
    tag_field="step",
    tag="describe",
):
    """What is said of a column: its name, unit, whether it can be summed, the top of a rating."""

    column: str
    name: str = ""
    unit: str | None = None
    additive: bool | None = None
    top: int | None = None

    def words(self) -> str:
        """Return the step in plain words."""
        said = []
        if self.name:
            said.append(f"is called {self.name}")
        if self.unit is not None:
            said.append(f"has the unit {self.unit}" if self.unit else "has no unit")
        if self.additive is not None:
            said.append("can be summed" if self.additive else "is not summed")
        if self.top is not None:
            said.append(f"is shown as marks up to {self.top}" if self.top else "is shown as numbers")
        return f"{self.column} {listed(said)}"


class Unify(
    msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True, tag_field="step", tag="unify"
):
    """Spellings that become others."""

    column: str
    mapping: dict[str, str]

    def words(self) -> str:
        """Return the step in plain words."""
        pairs = [f"“{old}” becomes “{new}”" for old, new in list(self.mapping.items())[:3]]
        more = f" and {len(self.mapping) - 3} more" if len(self.mapping) > 3 else ""
        return f"in {self.column} {', '.join(pairs)}{more}"


class ToMissing(
    msgspec.Struct,
    frozen=True,
    omit_defaults=True,
    forbid_unknown_fields=True,
    tag_field="step",
    tag="to missing",
):
    """Values that stand for missing."""

    column: str
    values: tuple[str | float, ...]

    def words(self) -> str:
        """Return the step in plain words."""
        shown = [number(v) if isinstance(v, (int, float)) else f"“{v}”" for v in self.values]
        return f"in {self.column} {listed(shown)} {'count' if len(shown) > 1 else 'counts'} as missing"


class FillDown(
    msgspec.Struct,
    frozen=True,
    omit_defaults=True,
    forbid_unknown_fields=True,
    tag_field="step",
    tag="fill down",
):
    """Blank cells that have the value above them, as where cells were merged."""

    column: str

    def words(self) -> str:
        """Return the step in plain words."""
        return f"blank cells of {self.column} have the value above them"


class Split(
    msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True, tag_field="step", tag="split"
):
    """Parts of a date as columns."""

    column: str
    parts: tuple[Part, ...]

    def words(self) -> str:
        """Return the step in plain words."""
        verb = "become columns" if len(self.parts) > 1 else "becomes a column"
        return f"{listed([f'the {p}' for p in self.parts])} of {self.column} {verb}"


class Combine(
    msgspec.Struct,
    frozen=True,
    omit_defaults=True,
    forbid_unknown_fields=True,
    tag_field="step",
    tag="combine",
):
    """A date and a time of day as one column."""

    date: str
    time: str
    name: str

    def words(self) -> str:
        """Return the step in plain words."""
        return f"{self.date} and {self.time} together are {self.name}"


class AsShare(
    msgspec.Struct,
    frozen=True,
    omit_defaults=True,
    forbid_unknown_fields=True,
    tag_field="step",
    tag="as share",
):
    """Per cent as a share from 0 to 1."""

    column: str

    def words(self) -> str:
        """Return the step in plain words."""
        return f"{self.column} is a share from 0 to 1"


class Leave(
    msgspec.Struct,
    frozen=True,
    omit_defaults=True,
    forbid_unknown_fields=True,
    tag_field="step",
    tag="leave out",
):
    """Columns left out."""

    columns: tuple[str, ...]

    def words(self) -> str:
        """Return the step in plain words."""
        more = " and others" if len(self.columns) > 4 else ""
        return f"{listed(list(self.columns[:4]))}{more} {'are' if len(self.columns) > 1 else 'is'} left out"


class LeaveRepeats(
    msgspec.Struct,
    frozen=True,
    omit_defaults=True,
    forbid_unknown_fields=True,
    tag_field="step",
    tag="leave out repeats",
):
    """Rows left out that repeat an earlier one in every column."""

    def words(self) -> str:
        """Return the step in plain words."""
        return "rows that repeat an earlier one are left out"


class Calculate(
    msgspec.Struct,
    frozen=True,
    omit_defaults=True,
    forbid_unknown_fields=True,
    tag_field="step",
    tag="calculate",
):
    """A column computed by an SQL expression."""

    name: str
    sql: str

    def words(self) -> str:
        """Return the step in plain words."""
        return f"{self.name} is calculated as {self.sql}"


class Cut(
    msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True, tag_field="step", tag="cut"
):
    """A number cut into an ordered category at edges; bands are closed on the left."""

    column: str
    name: str
    edges: tuple[float, ...]
    labels: tuple[str, ...] = ()

    def words(self) -> str:
        """Return the step in plain words."""
        return f"{self.name} cuts {self.column} at {listed([number(e) for e in self.edges])}"


class Gather(
    msgspec.Struct,
    frozen=True,
    omit_defaults=True,
    forbid_unknown_fields=True,
    tag_field="step",
    tag="gather",
):
    """Values gathered into groups; ``rest`` names the others, empty keeps them as they are."""

    column: str
    name: str
    groups: dict[str, tuple[str, ...]]
    rest: str = ""

    def words(self) -> str:
        """Return the step in plain words."""
        return f"{self.name} gathers values of {self.column} into {listed([f'“{g}”' for g in self.groups])}"


class Group(
    msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True, tag_field="step", tag="group"
):
    """Rows that were given a name, as a yes/no column."""

    name: str
    rows: Condition

    def words(self) -> str:
        """Return the step in plain words."""
        columns = columns_of(self.rows)
        return f"{self.name} names a group of rows by their {listed(list(columns))}"


SeriesPart = Literal["trend", "season", "rest", "adjusted"]


class PartOf(
    msgspec.Struct,
    frozen=True,
    omit_defaults=True,
    forbid_unknown_fields=True,
    tag_field="step",
    tag="part of",
):
    """A part of a series taken apart, as a column: each row has the figure of its period.

    ``only`` are the conditions under which the series was taken apart; rows
    that do not meet them have none.
    """

    name: str
    part: SeriesPart
    question: Decomposition
    only: tuple[Condition, ...] = ()

    def words(self) -> str:
        """Return the step in plain words."""
        measure = self.question.measure
        what = {"rest": "remainder", "adjusted": "values without season"}.get(self.part, self.part)
        of = measure.column or "the number of rows"
        return f"{self.name} is the {what} of {of} over {self.question.time}"


class Order(
    msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True, tag_field="step", tag="order"
):
    """The order of a category's values."""

    column: str
    labels: tuple[str, ...]

    def words(self) -> str:
        """Return the step in plain words."""
        shown = " < ".join(self.labels[:6]) + (" < …" if len(self.labels) > 6 else "")
        return f"{self.column} is ordered: {shown}"


class OneEach(
    msgspec.Struct,
    frozen=True,
    omit_defaults=True,
    forbid_unknown_fields=True,
    tag_field="step",
    tag="one each",
):
    """A row for each of the values that a cell holds; ``once`` is yes for the first of them."""

    column: str
    mark: str
    once: str

    def words(self) -> str:
        """Return the step in plain words."""
        return (
            f"each value of {self.column} (between “{self.mark}”) has a row of its own; "
            f"“{self.once}” is yes for one of them"
        )


class YesNoEach(
    msgspec.Struct,
    frozen=True,
    omit_defaults=True,
    forbid_unknown_fields=True,
    tag_field="step",
    tag="yes or no each",
):
    """A yes/no column for each of some values that cells hold several of."""

    column: str
    mark: str
    values: tuple[str, ...]

    def words(self) -> str:
        """Return the step in plain words."""
        more = f" and {len(self.values) - 4} more" if len(self.values) > 4 else ""
        shown = listed([f"“{value}”" for value in self.values[:4]])
        return f"{shown}{more} of {self.column} {'have' if len(self.values) > 1 else 'has'} a yes/no column"


class Join(
    msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True, tag_field="step", tag="join"
):
    """Columns of another table, for the rows whose keys agree.

    ``gather`` first makes one row a key of the other table: numbers that can
    be summed are summed, other numbers averaged, the rest kept where it is one
    value.
    """

    table: str
    table_name: str
    on: tuple[tuple[str, str], ...]
    how: JoinHow = "left"
    columns: tuple[str, ...] = ()
    gather: bool = False

    def words(self) -> str:
        """Return the step in plain words."""
        keys = listed([a if a == b else f"{a} = {b}" for a, b in self.on])
        kept = {
            "left": "every row is kept",
            "inner": "only rows with a match are kept",
            "full": "all rows of both are kept",
        }
        first = ", first made one row for each" if self.gather else ""
        return f"{self.table_name} is joined on {keys}{first}; {kept[self.how]}"


class Stack(
    msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True, tag_field="step", tag="stack"
):
    """Rows of other tables with like columns, below; ``source`` names a column that says which."""

    tables: tuple[str, ...]
    table_names: tuple[str, ...]
    source: str = ""

    def words(self) -> str:
        """Return the step in plain words."""
        return f"{listed(list(self.table_names))} {'are' if len(self.tables) > 1 else 'is'} stacked below"


class Lost(
    msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True, tag_field="step", tag="lost"
):
    """What was kept of a step that cannot be read any more; it can only be taken back."""

    raw: str

    def words(self) -> str:
        """Return the step in plain words."""
        return "a step that cannot be read any more"


Step = (
    ReadAs
    | ReadNumber
    | ReadUnits
    | Describe
    | Unify
    | ToMissing
    | FillDown
    | Split
    | Combine
    | AsShare
    | Leave
    | LeaveRepeats
    | Calculate
    | Cut
    | Gather
    | Group
    | PartOf
    | Order
    | OneEach
    | YesNoEach
    | Join
    | Stack
    | Lost
)
MOST_STEPS = 200


def decode_step(data: bytes | str) -> Step:
    """Return a step from JSON, refused with the field that is wrong."""
    try:
        step: Step = msgspec.json.decode(data, type=Step)
    except (msgspec.MsgspecError, UnicodeDecodeError) as error:
        raise BadQuestion(f"The step cannot be understood: {error}", "", "Correct the field.") from None
    return step


looked_through(Step)
