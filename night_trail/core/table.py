"""A typed table whose columns are read only when somebody asks for them."""

from __future__ import annotations

import difflib
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from typing import Any, Protocol, TypeVar

import msgspec
import numpy as np
import numpy.typing as npt
import polars as pl

from night_trail.core.calling import Vocabulary
from night_trail.core.errors import BadQuestion
from night_trail.core.many import Stands, tallied
from night_trail.core.moments import DAY, year_starts
from night_trail.core.stats.ordering import by_places

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
Bools = npt.NDArray[np.bool_]


YEAR = "year"
"""The unit of whole numbers that are years: written plainly, 1984 and not 1,984."""

CLOCK = "o'clock"
"""The unit of times of day, kept as hours: 23.5 is written 23:30."""


class Kind(StrEnum):
    """What a column holds, in the words the pages use."""

    NUMBER = "number"
    WHOLE = "whole number"
    SHARE = "share"
    MONEY = "money"
    DURATION = "duration"
    TIME = "time of day"
    LATITUDE = "latitude"
    LONGITUDE = "longitude"
    CATEGORY = "category"
    ORDERED = "ordered category"
    PLACE = "place"
    YES_NO = "yes/no"
    DATE = "date"
    DATETIME = "date and time"
    TEXT = "text"
    IDENTIFIER = "identifier"

    @property
    def numeric(self) -> bool:
        """Numbers, whole or not; durations and times of day are kept as numbers of their unit."""
        return self in _NUMERIC

    @property
    def temporal(self) -> bool:
        """Dates, with or without a time of day."""
        return self in (Kind.DATE, Kind.DATETIME)

    @property
    def measured(self) -> bool:
        """Values that lie on an axis."""
        return self.numeric or self.temporal

    @property
    def grouping(self) -> bool:
        """Values that sort rows into a few groups."""
        return self in (Kind.CATEGORY, Kind.ORDERED, Kind.PLACE, Kind.YES_NO)


OF_CALENDAR = "whole numbers of a calendar’s "
"""How it is said that a column does not add up since it says when something was."""

_NUMERIC = {
    Kind.NUMBER,
    Kind.WHOLE,
    Kind.SHARE,
    Kind.MONEY,
    Kind.DURATION,
    Kind.TIME,
    Kind.LATITUDE,
    Kind.LONGITUDE,
}


class Column(msgspec.Struct, frozen=True, kw_only=True):
    """What is known of one column.

    ``reason`` says why it was read as this kind; ``failed`` counts cells that
    did not fit the kind and became missing; ``failed_cells`` are the first of
    them as (row counted from 0, text) and ``failed_examples`` a few different
    texts. ``top`` is the most a rating can be, 0 where it is none. ``summing``
    says why it is ``additive`` or not, ``sure`` that this is more than a guess;
    a ``stock``, as a balance, adds across groups but not over time; a ``code`` names something.
    ``once`` is set where rows stand once for each value of this column: it names the yes/no
    column that is yes for the first of the rows that were one.
    """

    name: str
    kind: Kind
    unit: str = ""
    additive: bool = False
    reason: str = ""
    missing: int = 0
    failed: int = 0
    failed_examples: tuple[str, ...] = ()
    distinct: int = 0
    pattern: str = ""
    failed_cells: tuple[tuple[int, str], ...] = ()
    top: int = 0
    stock: bool = False
    summing: str = ""
    sure: bool = False
    code: bool = False
    once: str = ""

    @property
    def failed_words(self) -> str:
        """How many cells do not fit the kind, in words; empty where all do."""
        if not self.failed:
            return ""
        return "1 cell does not fit" if self.failed == 1 else f"{self.failed:,} cells do not fit"

    @property
    def unit_words(self) -> str:
        """The unit as it is named beside the kind; clock times need none."""
        return "" if self.unit == CLOCK else self.unit

    @property
    def yearly(self) -> bool:
        """Whether it holds years as whole numbers."""
        return self.kind == Kind.WHOLE and self.unit == YEAR

    @property
    def calendar(self) -> bool:
        """Whether it holds years, months or days as whole numbers: when something was, and not how much."""
        return self.yearly or (self.kind == Kind.WHOLE and self.summing.startswith(OF_CALENDAR))

    @property
    def dated(self) -> bool:
        """Whether its values are times: dates, or years."""
        return self.kind.temporal or self.yearly

    @property
    def unsummable(self) -> bool:
        """Whether its sum is known to mean little, beyond a guess."""
        return self.kind.numeric and not self.additive and not self.stock and self.sure

    @property
    def role(self) -> str:
        """Whether it makes sense to sum; empty for what is no number."""
        return ("additive" if self.additive else "intensive") if self.kind.numeric else ""


@dataclass(frozen=True)
class Ordered:
    """A measured column in order: ``values`` ascending, ``order`` the rows they stand in.

    Missing cells are left out, so both may be shorter than the table. Sorting
    once makes every quantile a look-up, every bin two of them, and the lit part
    of either a difference of running counts.
    """

    values: Floats
    order: npt.NDArray[np.uint32]

    @classmethod
    def of(cls, values: Floats) -> Ordered:
        """Return numbers in order, NaN left out."""
        if (found := by_places(values)) is not None:
            return cls(*found)
        axis = pl.Series(values).fill_nan(None)
        present = len(axis) - axis.null_count()
        order = axis.arg_sort(nulls_last=True).head(present)
        return cls(
            np.asarray(axis.gather(order).to_numpy(), dtype=np.float64),
            np.asarray(order.to_numpy(), dtype=np.uint32),
        )

    @property
    def nbytes(self) -> int:
        """Bytes it holds."""
        return self.values.nbytes + self.order.nbytes


@dataclass(frozen=True)
class Coded:
    """A column as positions in its sorted ``labels``, −1 where missing; one code a row."""

    codes: npt.NDArray[np.int32]
    labels: list[str]

    @classmethod
    def of(cls, cells: pl.Series) -> Coded:
        """Return cells as positions in their labels."""
        if isinstance(cells.dtype, pl.Enum):
            labels, physical = cells.dtype.categories.to_list(), cells.to_physical()
        else:
            if cells.dtype.is_float():
                # −0 and 0 are one value, and are to be one label
                cells = cells.set((cells == 0.0).fill_null(False), 0.0)
            labels = as_text(cells.drop_nulls().unique().sort()).to_list()
            physical = as_text(cells).cast(pl.Enum(labels)).to_physical()
        return cls(np.asarray(physical.cast(pl.Int32).fill_null(-1).to_numpy(), dtype=np.int32), labels)

    @property
    def nbytes(self) -> int:
        """Bytes it holds."""
        return self.codes.nbytes + 60 * len(self.labels)


@dataclass(frozen=True)
class Axis:
    """A measured column as numbers on its axis, one a row, NaN where missing; not to be written to."""

    values: Floats
    whole: bool
    """Whether no cell is missing."""

    @classmethod
    def of(cls, cells: pl.Series) -> Axis:
        """Return measured cells on their axis."""
        values = on_axis(cells)
        # everybody who asks shares them
        values.flags.writeable = False
        return cls(values, not bool(np.isnan(values).any()))

    @property
    def nbytes(self) -> int:
        """Bytes it holds."""
        return self.values.nbytes


class Moments(Axis):
    """A column of time in seconds since 1970-01-01, NaN where missing; years as their first day."""

    @classmethod
    def of_years(cls, years: Floats) -> Moments:
        """Return years, NaN where missing, as the moments they begin at."""
        begins = year_starts(np.nan_to_num(years, nan=1970.0).astype(np.int64))
        found = np.where(np.isnan(years), np.nan, begins)
        found.flags.writeable = False
        return cls(found, not bool(np.isnan(found).any()))


@dataclass(frozen=True)
class Outline:
    """Where the humps of a column lie, found once for all its rows."""

    humps: tuple[float, ...]
    nbytes: int = 64


View = TypeVar("View", Axis, Moments, Ordered, Coded, Outline)


class ColumnSource(Protocol):
    """Where a table's columns come from, and where views of them are remembered."""

    def series(self, index: int) -> pl.Series:
        """Return all cells of the column at this position, missing ones as nulls."""
        ...

    def remember(self, index: int, kind: type[View], make: Callable[[], View]) -> View:
        """Return a view of the column at this position, made where it is not at hand."""
        ...

    def at_hand(self, index: int, kind: type[View]) -> View | None:
        """Return a view of the column at this position where it is remembered."""
        ...


class Views:
    """Views of columns, kept as long as their source."""

    def __init__(self) -> None:
        self._views: dict[tuple[int, type], Any] = {}

    def remember(self, index: int, kind: type[View], make: Callable[[], View]) -> View:
        """Return a view of the column, made once."""
        if (index, kind) not in self._views:
            self._views[index, kind] = make()
        view: View = self._views[index, kind]
        return view

    def at_hand(self, index: int, kind: type[View]) -> View | None:
        """Return a view of the column where it was made."""
        return self._views.get((index, kind))


class FrameSource(Views):
    """Columns held in memory."""

    def __init__(self, series: Sequence[pl.Series]) -> None:
        super().__init__()
        self._series = list(series)

    def series(self, index: int) -> pl.Series:
        """Return the column at this position."""
        return self._series[index]


class Table:
    """One version of a table: what its columns are, and a way to their cells.

    ``key`` names the version; two tables with one key hold the same cells.
    ``row_noun`` says what one row is, in singular and plural. ``measures``
    are figures that were given a name, by that name; ``called`` is what else its
    analysts call things. ``areas`` gives its own areas, when they are first asked for; ``plans``
    one of its plans by its key, ``plans_named`` the key of each, its name and the column placed on it.
    ``part_of`` is how many rows there are where these are a part of them, drawn at random, else 0;
    ``part_words`` says so.
    """

    def __init__(
        self,
        *,
        key: str,
        name: str,
        columns: Sequence[Column],
        height: int,
        source: ColumnSource,
        row_noun: tuple[str, str] = ("row", "rows"),
        measures: Mapping[str, Any] | None = None,
        called: Vocabulary | None = None,
        areas: Callable[[], Mapping[str, Any]] | None = None,
        plans: Callable[[str], Any] | None = None,
        plans_named: Callable[[], Sequence[tuple[str, str, str]]] | None = None,
        part_of: int = 0,
        part_words: str = "",
    ) -> None:
        self.called = called or Vocabulary()
        self.part_of, self.part_words = part_of, part_words
        self._areas = areas
        self._plan_of, self._plans_named = plans, plans_named
        self._plans: dict[str, Any] = {}
        self._placed: Sequence[tuple[str, str, str]] | None = None
        self._own_areas: Mapping[str, Any] | None = None
        self.measures = dict(measures or {})
        self.key, self.name, self.height, self.row_noun = key, name, height, row_noun
        self.columns = tuple(columns)
        self._source = source
        self._positions = {column.name: i for i, column in enumerate(self.columns)}

    def __contains__(self, name: object) -> bool:
        return name in self._positions

    @property
    def n(self) -> int:
        """How many rows it speaks of; more than it holds where these were rolled up."""
        return self.height

    def stands(self, column: str | None = None, per: str | None = None) -> Stands | None:
        """Return how many rows each of its rows stands for, and how a column's values lie around them.

        None where each is one; ``per`` is a column that the first is divided by.
        """
        return None

    def told(self, condition: Any) -> Bools | None:
        """Return which of its rows meet a condition, where that was told; None where cells say so."""
        return None

    def counts(self, name: str) -> tuple[list[str], Ints]:
        """Return a column's labels in order, and how many rows of the table have each."""
        coded = self.coded(name)
        return coded.labels, tallied(coded.codes[coded.codes >= 0], len(coded.labels))

    @property
    def areas(self) -> Mapping[str, Any]:
        """The areas of its own that it has, by the key of their file; asked for once."""
        if self._own_areas is None:
            self._own_areas = self._areas() if self._areas is not None else {}
        return self._own_areas

    def own_areas(self, key: str) -> Any:
        """Return the areas of one file, or say that they are gone."""
        if key not in self.areas:
            # brought since they were asked for
            self._own_areas = None
        if key not in self.areas:
            raise BadQuestion("These areas are not there any more", self.name, "Bring their outlines again.")
        return self.areas[key]

    def in_area(self, key: str, at: int, x: Floats, y: Floats) -> Bools:
        """Return which places lie in an area of its own; shape (n,), degrees."""
        found = self.own_areas(key)
        if at >= len(found.areas):
            raise BadQuestion("There is no such area", self.name, "Bring the outlines again.")
        lies: Bools = found.areas[at].holds(x, y)
        return lies

    @property
    def plans(self) -> Sequence[tuple[str, str, str]]:
        """The plans groups were placed on: key, name, and the column of the groups; asked for once."""
        if self._placed is None:
            self._placed = self._plans_named() if self._plans_named is not None else ()
        return self._placed

    def placed_on(self, key: str) -> tuple[str, str] | None:
        """Return the name of a plan and the column of its groups; None where it is gone."""
        for _ in range(2):
            for own, name, column in self.plans:
                if own == key:
                    return name, column
            # drawn since they were asked for
            self._placed = None
        return None

    def plan(self, key: str) -> Any:
        """Return a plan with what was placed on it, or say that it is gone."""
        if key not in self._plans:
            found = self._plan_of(key) if self._plan_of is not None else None
            if found is None:
                raise BadQuestion("This plan is not there any more", self.name, "Bring its picture again.")
            self._plans[key] = found
        return self._plans[key]

    def column(self, name: str) -> Column:
        """Return the column of this name, or say which names are close."""
        try:
            return self.columns[self._positions[name]]
        except KeyError:
            near = difflib.get_close_matches(name, self._positions, n=3, cutoff=0.5)
            hint = f"Did you mean {' or '.join(near)}?" if near else "Choose a column of the table."
            raise BadQuestion(f"There is no column “{name}”", self.name, hint) from None

    def series(self, name: str) -> pl.Series:
        """Return all cells of a column, under a plain name.

        Operations of polars read a series' own name as a pattern where it looks
        like one ("*", "^a$"), so the column's name stays with the column.
        """
        self.column(name)
        return self.series_at(self._positions[name])

    def series_at(self, position: int) -> pl.Series:
        """Return all cells of the column at a position, under a plain name."""
        return self._source.series(position).alias("cells")

    def axis(self, name: str) -> Axis:
        """Return a measured column as numbers on its axis, a cell a row."""
        return self._view(name, Axis, lambda: Axis.of(self.series(name)))

    def moments(self, name: str) -> Axis:
        """Return a column of time in seconds, a cell a row: dates as they are, years as their first day."""
        if not self.column(name).yearly:
            return self.axis(name)
        return self._view(name, Moments, lambda: Moments.of_years(self.axis(name).values))

    def ordered(self, name: str) -> Ordered:
        """Return a measured column in order."""
        return self._view(name, Ordered, lambda: Ordered.of(self.axis(name).values))

    def ordered_at_hand(self, name: str) -> Ordered | None:
        """Return a measured column in order where it is remembered so."""
        self.column(name)
        return self._source.at_hand(self._positions[name], Ordered)

    def coded(self, name: str) -> Coded:
        """Return a column as positions in its labels, which are in the column's own order.

        Numbers and dates are in theirs, no comes before yes, and text follows
        the alphabet.
        """
        return self._view(name, Coded, lambda: Coded.of(self.series(name)))

    def _view(self, name: str, kind: type[View], make: Callable[[], View]) -> View:
        self.column(name)
        # the cells themselves are fetched only where the view is not at hand, and may be let go after
        return self._source.remember(self._positions[name], kind, make)

    def outline(self, name: str, make: Callable[[], tuple[float, ...]]) -> tuple[float, ...]:
        """Return the humps of a whole column, found where they are not known yet."""
        return self._source.remember(self._positions[name], Outline, lambda: Outline(make())).humps

    def rows_in_words(self, count: int) -> str:
        """Return a count with what it counts: ``1,204 trips``."""
        return f"{count:,} {self.row_noun[0] if count == 1 else self.row_noun[1]}"


def is_row_number(column: Column, cells: Floats, height: int) -> bool:
    """Whether whole numbers only count the rows: all different, one after the other.

    ``cells`` has shape (rows,), in the order of the table.
    """
    if column.kind != Kind.WHOLE or column.missing or column.distinct < 0.97 * height or height < 3:
        return False
    return float(np.ptp(cells)) == height - 1 and bool(np.all(np.abs(np.diff(cells)) == 1))


def on_axis(series: pl.Series) -> Floats:
    """Return a measured column as numbers on its axis; missing cells are NaN.

    Numbers stay as they are. Dates and date-times become seconds since
    1970-01-01, which a double holds to the microsecond.
    """
    if series.dtype == pl.Date:
        days = series.cast(pl.Int32).cast(pl.Float64).to_numpy()
        return np.asarray(days * DAY, dtype=np.float64)
    if series.dtype == pl.Datetime:
        micros = series.cast(pl.Datetime("us")).cast(pl.Int64).cast(pl.Float64).to_numpy()
        return np.asarray(micros / 1e6, dtype=np.float64)
    return np.asarray(series.cast(pl.Float64).to_numpy(), dtype=np.float64)


def largest(series: pl.Series) -> float:
    """Return the largest distance of any number from 0; 0 where there is none."""
    found = series.abs().max()
    return float(found) if isinstance(found, (int, float)) else 0.0


def as_text(series: pl.Series) -> pl.Series:
    """Return the cells as the words a person reads: yes/no for booleans."""
    if series.dtype == pl.Boolean:
        return series.replace_strict({True: "yes", False: "no"}, return_dtype=pl.String)
    return series.cast(pl.String)


Counted = tuple[pl.Series, pl.Series]
"""Different texts, the most frequent first, and how often each is there."""


def counted_texts(cells: pl.Series) -> Counted:
    """Return the different cells as words, the most frequent first, and how often each is there."""
    counts = cells.drop_nulls().value_counts(sort=True)
    return as_text(counts.to_series(0)), counts.to_series(1).cast(pl.Int64)


def noun_from(identifier: str) -> tuple[str, str]:
    """Guess what one row is from its identifier's name.

    >>> noun_from("trip_id"), noun_from("Entry No")
    (('trip', 'trips'), ('entry', 'entries'))
    """
    words = identifier.replace("_", " ").replace("-", " ").split()
    endings = {"id", "no", "number", "key", "code", "nr"}
    if len(words) < 2 or words[-1].lower() not in endings:
        return ("row", "rows")
    noun = " ".join(words[:-1]).lower()
    return (noun, plural(noun))


def plural(noun: str) -> str:
    """Return the regular English plural.

    >>> plural("entry"), plural("bus"), plural("trip"), plural("day")
    ('entries', 'buses', 'trips', 'days')
    """
    if noun.endswith("y") and noun[-2:-1] not in "aeiou":
        return noun[:-1] + "ies"
    if noun.endswith(("s", "x", "z", "ch", "sh")):
        return noun + "es"
    return noun + "s"
